import { weights, type Finding, type Weights } from '../../weights/index.ts'

/**
 * One weighed finding. `facts` fill the blanks of its sentence; the weight is rounded to 2 decimals.
 * `raw` is what it was read from, as pairs of name and text: a header, a DNS record, two domains.
 */
export interface Evidence {
  readonly finding: Finding
  readonly weight: number
  readonly facts: Readonly<Record<string, string | number>>
  readonly raw?: readonly RawFact[]
}

/**
 * With a `code` the pair has words of its own (`raw.label.code` in place of a name, `raw.value.code` around a text),
 * with further facts for their blanks. Without one, both are shown as they are.
 */
export type RawFact = readonly [
  name: string,
  text: string,
  code?: RawCode,
  facts?: Readonly<Record<string, string | number>>,
]

type RawCode =
  | 'absent'
  | 'repeated'
  | 'long'
  | 'domain'
  | 'resembles'
  | 'same-shapes'
  | 'one-letter'
  | 'name-within'
  | 'name'
  | 'declared'
  | 'by-content'
  | 'inside'
  | 'hidden'
  | 'came-in'
  | 'word'

const longestRaw = 500

/** A finding before it is weighed: how strongly it was met, 1 for as strongly as the table means it. */
export interface Observed extends Omit<Evidence, 'weight'> {
  readonly times: number
}

interface Given {
  readonly facts?: Evidence['facts']
  /** Scales the table's weight, for findings that count something. */
  readonly times?: number
  readonly raw?: readonly RawFact[]
}

/** Notes one finding; what it weighs is said by a table. */
export function observe(finding: Finding, { facts = {}, times = 1, raw = [] }: Given = {}): Observed {
  if (raw.length === 0) return { finding, times, facts }
  return {
    finding,
    times,
    facts,
    raw: raw.slice(0, 16).map(([name, text, ...more]): RawFact => [name, cut(text), ...more]),
  }
}

/** Gives a finding its weight from a table: the shipped one, or the organisation's. */
export function weigh({ times, finding, ...rest }: Observed, table: Weights = weights): Evidence {
  // Rounded here and nowhere else, so that the bars on screen add up to the score on screen.
  return { finding, weight: Math.round(table[finding] * times * 100) / 100, ...rest }
}

/** One piece of evidence with its weight from the shipped table. */
export const evidence = (finding: Finding, given: Given = {}): Evidence => weigh(observe(finding, given))

const cut = (text: string) => (text.length > longestRaw ? `${text.slice(0, longestRaw)}…` : text)

/** Junk score 0 to 100 with one decimal, from the sum of all evidence. */
export function junkScore(all: readonly Evidence[]): number {
  const sum = all.reduce((total, { weight }) => total + weight, 0)
  return Math.round(1000 / (1 + Math.exp(-sum))) / 10
}

/** How strongly a kept piece of evidence was met, by the table it was weighed with; 1 where that table gave it no weight. */
export const timesOf = ({ finding, weight }: Pick<Evidence, 'finding' | 'weight'>, table: Weights): number =>
  table[finding] === 0 ? 1 : weight / table[finding]

/** Kept evidence as another table would have weighed it. Evidence of a kind that is no more keeps its weight. */
export function reweighed<T extends Pick<Evidence, 'finding' | 'weight'>>(
  all: readonly T[],
  was: Weights,
  is: Weights,
): readonly T[] {
  if (was === is) return all
  return all.map(one =>
    one.finding in is && was[one.finding] !== is[one.finding]
      ? { ...one, weight: Math.round(timesOf(one, was) * is[one.finding] * 100) / 100 }
      : one,
  )
}

/** Longest bars first, the starting point last; ties keep their order. */
export function byWeight(all: readonly Evidence[]): readonly Evidence[] {
  const rank = (e: Evidence) => (e.finding === 'starting-point' ? -1 : Math.abs(e.weight))
  return [...all].sort((a, b) => rank(b) - rank(a))
}

/** 1 for one, growing slowly: ten letters are not ten times the proof of one. */
export function growth(count: number): number {
  return 1 + Math.log10(Math.min(Math.max(count, 1), 100)) / 2
}
