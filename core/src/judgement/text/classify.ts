import { curved } from './curve.ts'
import { tokensSay } from './grams.ts'
import { boundOf, leastMessages, type TextKnowledge, type TokenCount } from './knowledge.ts'

// Chosen, with the damping, on the open collections of docs/judgement.md.
const smoothing = 0.1

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
 * text are not independent), beside a linear model over words and parts of them; stacked and calibrated. `null` when too
 * little is known. Linear in the tokens, so that their shares add up.
 */
export function classify(tokens: readonly string[], known: TextKnowledge): TextVerdict | null {
  const { total, calibration, furthest = boundOf(known.total) } = known
  if (total.wanted < leastMessages || total.junk < leastMessages) return null
  const different = new Map<string, number>()
  for (const token of tokens) different.set(token, (different.get(token) ?? 0) + 1)
  const counted = countedTokens(different.keys(), known.tokens)
  if (counted.length === 0) return null
  const scale = calibration.slope / damping(counted.length)
  const share = shareOf(counted.length)
  const heard = heardOf(counted.length, different.size)
  const linear = linearShares(different, known)
  const leaning = counted
    .map(({ token, count }) => ({
      token,
      count,
      weight: scale * tokenOdds(count, total) + heard * (linear.of.get(token) ?? 0),
    }))
    .sort((a, b) => Math.abs(b.weight) - Math.abs(a.weight))
  // Parts of words that were never met whole are known to the linear model; they have no count to show.
  const unmet =
    heard * (linear.sum - counted.reduce((all, { token }) => all + (linear.of.get(token) ?? 0), 0))
  const sum = leaning.reduce(
    (all, { weight }) => all + weight,
    calibration.intercept * share + calibration.offset * heard + unmet,
  )
  if (!calibration.curve) return { logOdds: within(sum, furthest), leaning }
  const said = curved(calibration.curve, sum)
  // What the curve makes of the whole it makes of each part; where it has turned the whole round, no part can tell why.
  const scaled = sum === 0 ? 1 : Math.max(0, Math.min(3, said / sum))
  return {
    logOdds: within(said, furthest),
    leaning: leaning.map(one => ({ ...one, weight: one.weight * scaled })),
  }
}

const within = (odds: number, furthest: number) => Math.max(-furthest, Math.min(furthest, odds))

/** What the linear model says by token, times its part in the stack. */
function linearShares(
  different: ReadonlyMap<string, number>,
  { linear, calibration }: Pick<TextKnowledge, 'linear' | 'calibration'>,
): { readonly of: ReadonlyMap<string, number>; readonly sum: number } {
  const of = new Map<string, number>()
  if (linear === null || calibration.linear === 0) return { of, sum: 0 }
  const tokens = [...different.keys()]
  const { each, sum } = tokensSay(tokens, [...different.values()], linear)
  for (let t = 0; t < tokens.length; t += 1) of.set(tokens[t] ?? '', calibration.linear * (each[t] ?? 0))
  return { of, sum: calibration.linear * sum }
}

/** What calibration is fitted on, as if the message itself had not been counted. */
export function heldOut(
  { tokens, isJunk }: { tokens: readonly string[]; isJunk: boolean },
  { total, tokens: known }: Pick<TextKnowledge, 'total' | 'tokens'>,
): Omit<Sample, 'linear'> {
  const without = ({ wanted, junk }: TokenCount): TokenCount =>
    isJunk ? { wanted, junk: junk - 1 } : { wanted: wanted - 1, junk }
  const different = new Set(tokens)
  const counted = [...different].flatMap(token => {
    const count = known.get(token)
    const rest = count && without(count)
    return rest && rest.wanted + rest.junk > 0 ? [rest] : []
  })
  const others = without(total)
  const sum = counted.reduce((all, count) => all + tokenOdds(count, others), 0) / damping(counted.length)
  return { sum, share: shareOf(counted.length), heard: heardOf(counted.length, different.size), isJunk }
}

/** A text of which two words are known says less than its lean: what is missing pulls to neither side. */
const shareOf = (tokens: number) => tokens / (tokens + 20)

/**
 * The same for the linear model: two known tokens, and half of it counts; of a text in a language nobody has taught us just the
 * part that is known, since some run of letters is met in any language.
 */
const heardOf = (known: number, all: number) => (all === 0 ? 0 : (known / (known + 2)) * (known / all))

const damping = (tokens: number) => Math.sqrt(Math.max(tokens, 9))

function countedTokens(different: Iterable<string>, known: ReadonlyMap<string, TokenCount>) {
  const counted: { readonly token: string; readonly count: TokenCount }[] = []
  for (const token of different) {
    const count = known.get(token)
    if (count && count.wanted + count.junk > 0) counted.push({ token, count })
  }
  return counted
}

/** What a token's counts say, in log-odds before calibration. */
function tokenOdds(count: TokenCount, total: TokenCount): number {
  const part = (n: number, of: number) => (Math.max(0, n) + smoothing) / (Math.max(0, of) + 2 * smoothing)
  return Math.log(part(count.junk, total.junk) / part(count.wanted, total.wanted))
}

/** A lesson scored as if it had not been learned. */
export interface Sample {
  readonly sum: number
  /** 0 to 1: how much of the text is known. */
  readonly share: number
  /** The same for the linear model. */
  readonly heard: number
  /** Of a linear model that had not seen it; 0 where there is none. */
  readonly linear: number
  readonly isJunk: boolean
}
