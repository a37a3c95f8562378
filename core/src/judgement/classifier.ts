import type { Message } from '../message/index.ts'

/** How often a token stood in messages that people ruled on. */
export interface TokenCount {
  readonly wanted: number
  readonly junk: number
}

/** Log-odds = slope × raw sum + intercept × share of what is known (after Platt, "Probabilistic outputs for support vector machines", 1999). */
export interface TextCalibration {
  readonly slope: number
  readonly intercept: number
}

/** Counts of words from lessons, and the calibration fitted on them. */
export interface TextKnowledge {
  /** Ruled-on messages in all. */
  readonly total: TokenCount
  readonly tokens: ReadonlyMap<string, TokenCount>
  readonly calibration: TextCalibration
  /** One message's text moves the odds by at most this much, whatever it says; `usualBound` where not given. */
  readonly furthest?: number
}

/** Before anything has been fitted: cautious. */
export const uncalibrated: TextCalibration = { slope: 0.5, intercept: 0 }
/** Nothing learned yet. */
export const noText: TextKnowledge = {
  total: { wanted: 0, junk: 0 },
  tokens: new Map(),
  calibration: uncalibrated,
}

const mostTokens = 300
const readLength = 8000
// Chosen, with the damping, on the open collection of docs/judgement.md.
const smoothing = 0.1
/** Fewer ruled-on messages than this on either side say nothing. */
const leastMessages = 10
/** Text is easily copied: it may outweigh a sign or two, and never all of them. */
const usualBound = 2

/**
 * The different tokens of a message, in order of appearance: words of the subject ('s:'), of the sender's
 * name and domain ('f:'), parts of links ('u:'), and words of the text. Lower case, any script.
 */
export function tokensOf(message: Pick<Message, 'subject' | 'text' | 'from' | 'links'>): readonly string[] {
  const found = new Set<string>()
  const add = (prefix: string, text: string) => {
    for (const [word] of text
      .normalize('NFC')
      .toLowerCase()
      .matchAll(/\p{L}[\p{L}\p{M}'’-]{2,23}/gu)) {
      if (found.size === mostTokens) return
      found.add(prefix + word)
    }
  }
  add('s:', message.subject.slice(0, 500))
  const from = message.from[0]
  if (from) add('f:', `${from.name.slice(0, 200)} ${from.address?.domain.replaceAll('.', ' ') ?? ''}`)
  for (const { href, host } of message.links.slice(0, 10)) {
    add('u:', `${host.replaceAll('.', ' ')} ${/^\w+:\/\/[^/?#]*([^?#]{0,120})/.exec(href)?.[1] ?? ''}`)
  }
  // Web addresses are tokens of their own kind; in the text they would count twice.
  add('', message.text.slice(0, readLength).replace(/\bhttps?:\/\/\S+/gi, ' '))
  return [...found]
}

const places: Readonly<Record<string, string>> = { 's:': 'subject', 'f:': 'sender', 'u:': 'link' }

/** A token as people read it. */
export function shownToken(token: string): { readonly word: string; readonly place: string } {
  const place = places[token.slice(0, 2)]
  return place === undefined ? { word: token, place: '' } : { word: token.slice(2), place }
}

interface Leaning {
  readonly token: string
  /** Its share of the message's log-odds. */
  readonly weight: number
  readonly count: TokenCount
}

/** What the words of a message say. */
export interface TextVerdict {
  /** Calibrated, without the share of junk among ruled-on mail: 0 says nothing. */
  readonly logOdds: number
  /** Most telling first. */
  readonly leaning: readonly Leaning[]
}

/**
 * Naive Bayes over the presence of tokens, its sum damped by the square root of their number (tokens of one
 * text are not independent) and calibrated. `null` when too little is known. Linear in the tokens.
 */
export function classify(tokens: readonly string[], known: TextKnowledge): TextVerdict | null {
  const { total, calibration, furthest = usualBound } = known
  if (total.wanted < leastMessages || total.junk < leastMessages) return null
  const counted = countedTokens(tokens, known.tokens)
  if (counted.length === 0) return null
  const scale = calibration.slope / damping(counted.length)
  const leaning = counted
    .map(({ token, count }) => ({ token, count, weight: scale * tokenOdds(count, total) }))
    .sort((a, b) => Math.abs(b.weight) - Math.abs(a.weight))
  const sum = leaning.reduce((all, { weight }) => all + weight, calibration.intercept * share(counted.length))
  return { logOdds: Math.max(-furthest, Math.min(furthest, sum)), leaning }
}

/** What calibration is fitted on, as if the message itself had not been counted. */
export function heldOut(
  { tokens, isJunk }: { tokens: readonly string[]; isJunk: boolean },
  { total, tokens: known }: Pick<TextKnowledge, 'total' | 'tokens'>,
): Sample {
  const without = ({ wanted, junk }: TokenCount): TokenCount =>
    isJunk ? { wanted, junk: junk - 1 } : { wanted: wanted - 1, junk }
  const counted = tokens.flatMap(token => {
    const count = known.get(token)
    const rest = count && without(count)
    return rest && rest.wanted + rest.junk > 0 ? [rest] : []
  })
  const others = without(total)
  const sum = counted.reduce((all, count) => all + tokenOdds(count, others), 0) / damping(counted.length)
  return { sum, share: share(counted.length), isJunk }
}

/** A text of which two words are known says less than its lean: what is missing pulls to neither side. */
const share = (tokens: number) => tokens / (tokens + 20)

const damping = (tokens: number) => Math.sqrt(Math.max(tokens, 9))

function countedTokens(tokens: readonly string[], known: ReadonlyMap<string, TokenCount>) {
  return tokens.flatMap(token => {
    const count = known.get(token)
    return count && count.wanted + count.junk > 0 ? [{ token, count }] : []
  })
}

function tokenOdds(count: TokenCount, total: TokenCount): number {
  const part = (n: number, of: number) => (Math.max(0, n) + smoothing) / (Math.max(0, of) + 2 * smoothing)
  return Math.log(part(count.junk, total.junk) / part(count.wanted, total.wanted))
}

/** A lesson scored as if it had not been learned. */
export interface Sample {
  readonly sum: number
  /** 0 to 1: how much of the text is known. */
  readonly share: number
  readonly isJunk: boolean
}

/**
 * Slope and intercept by Newton's method on the log-loss, targets softened as in Platt (1999) §2.2. The
 * odds of junk among the samples are an offset and no part of the answer. Too few samples: `uncalibrated`.
 */
export function fitCalibration(samples: readonly Sample[]): TextCalibration {
  const junk = samples.filter(({ isJunk }) => isJunk).length
  const wanted = samples.length - junk
  if (junk < leastMessages || wanted < leastMessages) return uncalibrated
  const high = (junk + 1) / (junk + 2)
  const low = 1 / (wanted + 2)
  const prior = Math.log(junk / wanted)
  let slope = 0
  let intercept = 0
  for (let round = 0; round < 100; round += 1) {
    let [g0, g1, h00, h01, h11] = [0, 0, 1e-9, 0, 1e-9]
    for (const { sum, share: known, isJunk } of samples) {
      const p = 1 / (1 + Math.exp(-(slope * sum + intercept * known + prior)))
      const error = p - (isJunk ? high : low)
      const curve = Math.max(p * (1 - p), 1e-9)
      g0 += error * known
      g1 += error * sum
      h00 += curve * known * known
      h01 += curve * known * sum
      h11 += curve * sum * sum
    }
    const determinant = h00 * h11 - h01 * h01
    if (!(Math.abs(determinant) > 1e-12)) break
    // Half steps near the end of separable data would run away; a bounded step can't.
    const bounded = (step: number) => Math.max(-1, Math.min(1, step))
    const stepIntercept = bounded((h11 * g0 - h01 * g1) / determinant)
    const stepSlope = bounded((h00 * g1 - h01 * g0) / determinant)
    intercept -= stepIntercept
    slope -= stepSlope
    if (Math.abs(stepIntercept) + Math.abs(stepSlope) < 1e-7) break
  }
  // Words of junk never speak for wanted mail; a negative slope is noise.
  return { slope: Math.max(0.02, Math.min(5, slope)), intercept }
}
