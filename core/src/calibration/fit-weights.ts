import { weightBounds, weights as shipped, type Finding, type Weights } from '../weights/index.ts'

/** A message people ruled on: what was found in it and how strongly, and what the fixed part of its evidence had said. */
export interface WeightLesson {
  /** Of findings whose weight may move. */
  readonly times: ReadonlyMap<Finding, number>
  /** Log-odds of everything else: the words, the starting point. */
  readonly rest: number
  readonly isJunk: boolean
}

/** What a fit gives. Log-losses are means over lessons, each scored by weights that had not seen it. */
export interface FittedWeights {
  /** Only those that differ from the shipped ones. */
  readonly own: Readonly<Partial<Record<Finding, number>>>
  readonly lessons: number
  /** Of the weights in use. */
  readonly before: number
  readonly after: number
  /** Standard error of what was gained a lesson. */
  readonly error: number
}

/** Fewer lessons than this in all, or of the rarer kind, say too little about 40 weights. */
export const leastForWeights = { all: 200, rarer: 50 } as const
/** No weight moves further in one fit. */
export const furthestStep = 0.25
/** A weight is thought to be within so much of the shipped one: the standard deviation of its prior. */
const spread = 0.5
const folds = 5
const rounds = 60

/** Better by more than chance: the gain is more than its standard error (after Breiman et al., "Classification and Regression Trees", 1984, §3.4.3). */
export const isBetter = ({ before, after, error }: Pick<FittedWeights, 'before' | 'after' | 'error'>) =>
  before - after > error

/**
 * Fits weights to an organisation's rulings: logistic regression with a normal prior around the shipped weights, inside their
 * bounds and one step from those in use. The share of junk among the lessons is fitted beside them and is no part of
 * the answer: people rule mostly on what was kept back. `null` when there are too few lessons.
 */
export function fitWeights(lessons: readonly WeightLesson[], current: Weights): FittedWeights | null {
  const junk = lessons.filter(({ isJunk }) => isJunk).length
  const rarer = Math.min(junk, lessons.length - junk)
  if (lessons.length < leastForWeights.all || rarer < leastForWeights.rarer) return null
  const gains = lessons.map(() => 0)
  let [before, after] = [0, 0]
  for (let fold = 0; fold < folds; fold += 1) {
    const seen = lessons.filter((_, i) => i % folds !== fold)
    const [fitted, kept] = [fitOn(seen, current), fitOn(seen, current, { moves: false })]
    for (let i = fold; i < lessons.length; i += folds) {
      const lesson = lessons[i] as WeightLesson
      const [was, is] = [lossOf(lesson, kept), lossOf(lesson, fitted)]
      before += was / lessons.length
      after += is / lessons.length
      gains[i] = was - is
    }
  }
  const mean = before - after
  const variance = gains.reduce((sum, gain) => sum + (gain - mean) ** 2, 0) / (gains.length - 1)
  const { table } = fitOn(lessons, current)
  const own: Partial<Record<Finding, number>> = {}
  for (const [finding, weight] of table) {
    const rounded = Math.round(weight * 100) / 100
    if (rounded !== shipped[finding]) own[finding] = rounded
  }
  return { own, lessons: lessons.length, before, after, error: Math.sqrt(variance / gains.length) }
}

interface Fit {
  readonly table: ReadonlyMap<Finding, number>
  readonly intercept: number
}

/** A finding, the lessons it is true in with its strength there, and where its weight may be. */
interface Column {
  readonly finding: Finding
  readonly rows: readonly { readonly at: number; readonly times: number }[]
  readonly from: number
  readonly to: number
}

/** Newton's method one weight at a time, each held to its bounds; convex, so it ends at the one best place. */
function fitOn(lessons: readonly WeightLesson[], current: Weights, { moves = true } = {}): Fit {
  const columns = columnsOf(lessons, current)
  const table = new Map((Object.keys(shipped) as Finding[]).map(finding => [finding, current[finding]]))
  const odds = Float64Array.from(lessons, lesson => oddsOf(lesson, table))
  let intercept = 0
  const slopes = (rows: Iterable<{ at: number; times: number }>) => {
    let [gradient, curve] = [0, 0]
    for (const { at, times } of rows) {
      const p = 1 / (1 + Math.exp(-(odds[at] ?? 0)))
      gradient += (p - (lessons[at]?.isJunk ? 1 : 0)) * times
      curve += Math.max(p * (1 - p), 1e-6) * times * times
    }
    return { gradient, curve }
  }
  const everyRow = lessons.map((_, at) => ({ at, times: 1 }))
  for (let round = 0; round < rounds; round += 1) {
    const all = slopes(everyRow)
    const shift = Math.max(-1, Math.min(1, -all.gradient / (all.curve + 1e-3)))
    intercept += shift
    for (let i = 0; i < odds.length; i += 1) odds[i] = (odds[i] ?? 0) + shift
    let moved = Math.abs(shift)
    for (const { finding, rows, from, to } of moves ? columns : []) {
      const { gradient, curve } = slopes(rows)
      const was = table.get(finding) ?? 0
      const pull = 1 / spread ** 2
      const best = was - (gradient + pull * (was - shipped[finding])) / (curve + pull)
      const is = Math.max(from, Math.min(to, best))
      if (is === was) continue
      table.set(finding, is)
      for (const { at, times } of rows) odds[at] = (odds[at] ?? 0) + (is - was) * times
      moved = Math.max(moved, Math.abs(is - was))
    }
    if (moved < 1e-6) break
  }
  return { table, intercept }
}

function columnsOf(lessons: readonly WeightLesson[], current: Weights): readonly Column[] {
  const rows = new Map<Finding, { at: number; times: number }[]>()
  lessons.forEach(({ times }, at) => {
    for (const [finding, strength] of times) {
      const own = rows.get(finding) ?? []
      rows.set(finding, own)
      own.push({ at, times: strength })
    }
  })
  return [...rows].flatMap(([finding, own]) => {
    const bounds = weightBounds(finding)
    if (!bounds) return []
    const [from, to] = [
      Math.max(bounds[0], current[finding] - furthestStep),
      Math.min(bounds[1], current[finding] + furthestStep),
    ]
    return [{ finding, rows: own, from, to }]
  })
}

function oddsOf({ times, rest }: WeightLesson, table: ReadonlyMap<Finding, number>): number {
  let odds = rest
  for (const [finding, strength] of times) odds += (table.get(finding) ?? 0) * strength
  return odds
}

function lossOf(lesson: WeightLesson, { table, intercept }: Fit): number {
  const odds = oddsOf(lesson, table) + intercept
  return Math.log1p(Math.exp(lesson.isJunk ? -odds : odds))
}

/** A kept delivery's evidence as a lesson; `times` is how strongly each piece was met. */
export function weightLesson(
  evidence: readonly { readonly finding: Finding; readonly weight: number; readonly times: number }[],
  isJunk: boolean,
): WeightLesson {
  const times = new Map<Finding, number>()
  let rest = 0
  for (const one of evidence) {
    if (weightBounds(one.finding)) times.set(one.finding, (times.get(one.finding) ?? 0) + one.times)
    else rest += one.weight
  }
  return { times, rest, isJunk }
}
