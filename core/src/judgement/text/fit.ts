import { heldOut, type Sample } from './classify.ts'
import { curved, fitCurve, leastForCurve } from './curve.ts'
import { gramsOf, valuesOf } from './grams.ts'
import {
  leastForLinear,
  leastMessages,
  uncalibrated,
  type TextCalibration,
  type TokenCount,
} from './knowledge.ts'
import { fitLinear, linearSum, type GramLesson, type Linear } from './linear.ts'

/** A message people ruled on, as its tokens. */
export interface TextLesson {
  readonly tokens: readonly string[]
  readonly isJunk: boolean
}

/** What a fit gives. */
export interface FittedText {
  readonly calibration: TextCalibration
  readonly linear: Linear | null
  /** Of the lessons, each scored as if it had not been learned. */
  readonly logLoss: number
}

const folds = 5
/** How strongly what holds of every text is held to 0, where lessons can't tell it from how much of a text is known. */
const calm = 0.1
/** The same where naive Bayes speaks alone: with few lessons of one kind it would call every text the other. */
const calmAlone = 3
/** Both models are, so weakly that only lessons which they tell apart without a mistake feel it. */
const faint = 0.002

/**
 * Fits the linear model and the stack on lessons, in their order; `counts` are the word counts of all of them. A function of its
 * arguments alone: leaving a lesson out gives what would be there had it never been.
 */
export function fitText(
  lessons: readonly TextLesson[],
  counts: { readonly total: TokenCount; readonly tokens: ReadonlyMap<string, TokenCount> },
): FittedText {
  const junk = lessons.filter(({ isJunk }) => isJunk).length
  const isEnough =
    lessons.length >= leastForLinear.all && Math.min(junk, lessons.length - junk) >= leastForLinear.rarer
  const grams: readonly GramLesson[] = isEnough
    ? lessons.map(({ tokens, isJunk }) => ({ grams: gramsOf(tokens), isJunk }))
    : []
  const unseen = isEnough ? outOfFold(grams) : lessons.map(() => 0)
  const samples = lessons.map((lesson, i): Sample => {
    const held = heldOut(lesson, counts)
    return { ...held, linear: (unseen[i] ?? 0) * held.heard }
  })
  const calibration = withCurve(samples, fitCalibration(samples))
  return {
    calibration,
    linear: isEnough && calibration.linear !== 0 ? fitLinear(grams) : null,
    logLoss: logLossOf(samples, calibration),
  }
}

/** Each lesson's sum by a model that had not seen it. */
function outOfFold(lessons: readonly GramLesson[]): readonly number[] {
  const sums = lessons.map(() => 0)
  for (let fold = 0; fold < folds; fold += 1) {
    const model = fitLinear(lessons.filter((_, i) => i % folds !== fold))
    for (let i = fold; i < lessons.length; i += folds) {
      const { grams } = lessons[i] as GramLesson
      sums[i] = linearSum(model, grams.at, valuesOf(grams, model.rarity))
    }
  }
  return sums
}

/**
 * Slope, intercept and the linear model's part by Newton's method on the log-loss, targets softened as in Platt (1999) §2.2. The
 * odds of junk among the samples are an offset and no part of the answer. Too few samples: `uncalibrated`.
 */
export function fitCalibration(samples: readonly Sample[]): TextCalibration {
  const junk = samples.filter(({ isJunk }) => isJunk).length
  const wanted = samples.length - junk
  if (junk < leastMessages || wanted < leastMessages) return uncalibrated
  const high = (junk + 1) / (junk + 2)
  const low = 1 / (wanted + 2)
  const prior = Math.log(junk / wanted)
  const isStacked = samples.some(({ linear }) => linear !== 0)
  const rows = samples.map(({ sum, share, heard, linear, isJunk }) => ({
    x: isStacked ? [sum, share, linear, heard] : [sum, share],
    target: isJunk ? high : low,
  }))
  const pulls = isStacked ? [faint, calm, faint, calm] : [1e-9, calmAlone]
  const [slope = 0, intercept = 0, linear = 0, offset = 0] = newton(rows, prior, pulls)
  // Words of junk never speak for wanted mail; a negative slope is noise.
  if (!isStacked) return { slope: Math.max(0.02, Math.min(5, slope)), intercept, linear: 0, offset: 0 }
  if (linear <= 0) return fitCalibration(samples.map(sample => ({ ...sample, linear: 0 })))
  // Where naive Bayes only makes worse what the linear model says, it is left out.
  if (slope < 0 && rows.some(({ x }) => x[0] !== 0))
    return { ...fitCalibration(samples.map(sample => ({ ...sample, sum: 0 }))), slope: 0 }
  return { slope: Math.min(5, slope), intercept, linear: Math.min(30, linear), offset }
}

/** Puts a curve over the line where, on lessons that neither had seen, it judges better by more than chance. */
export function withCurve(samples: readonly Sample[], line: TextCalibration): TextCalibration {
  if (samples.length < leastForCurve || line === uncalibrated) return line
  const gains = samples.map(() => 0)
  for (let fold = 0; fold < folds; fold += 1) {
    const seen = samples.filter((_, i) => i % folds !== fold)
    const prior = priorOf(seen)
    const plain = fitCalibration(seen)
    const curve = fitCurve(
      seen.map(sample => ({ odds: oddsOf(sample, plain), isJunk: sample.isJunk })),
      prior,
    )
    for (let i = fold; i < samples.length; i += folds) {
      const sample = samples[i] as Sample
      const odds = oddsOf(sample, plain)
      gains[i] = lossOf(odds + prior, sample.isJunk) - lossOf(curved(curve, odds) + prior, sample.isJunk)
    }
  }
  const gain = gains.reduce((sum, one) => sum + one, 0) / gains.length
  const variance = gains.reduce((sum, one) => sum + (one - gain) ** 2, 0) / (gains.length - 1)
  if (!(gain > Math.sqrt(variance / gains.length))) return line
  const said = samples.map(sample => ({ odds: oddsOf(sample, line), isJunk: sample.isJunk }))
  return { ...line, curve: fitCurve(said, priorOf(samples)) }
}

interface Row {
  readonly x: readonly number[]
  readonly target: number
}

/** Coefficients that make the log-loss least; bounded steps, since near the end of separable data whole ones would run away. */
function newton(rows: readonly Row[], offset: number, pulls: readonly number[]): readonly number[] {
  const size = pulls.length
  const at = Array.from({ length: size }, () => 0)
  for (let round = 0; round < 100; round += 1) {
    const gradient = at.map((value, i) => value * (pulls[i] ?? 0))
    const curve = at.map((_, i) => at.map((__, j) => (i === j ? (pulls[i] ?? 0) : 0)))
    for (const { x, target } of rows) {
      const p = 1 / (1 + Math.exp(-x.reduce((sum, value, i) => sum + value * (at[i] ?? 0), offset)))
      const bend = Math.max(p * (1 - p), 1e-9)
      for (let i = 0; i < size; i += 1) {
        gradient[i] = (gradient[i] ?? 0) + (p - target) * (x[i] ?? 0)
        const row = curve[i] as number[]
        for (let j = 0; j < size; j += 1) row[j] = (row[j] ?? 0) + bend * (x[i] ?? 0) * (x[j] ?? 0)
      }
    }
    const step = solve(curve, gradient)
    if (step === null) break
    const bounded = step.map(one => Math.max(-1, Math.min(1, one)))
    bounded.forEach((one, i) => (at[i] = (at[i] ?? 0) - one))
    if (bounded.reduce((sum, one) => sum + Math.abs(one), 0) < 1e-7) break
  }
  return at
}

/** Gauss's elimination with pivots, for a few unknowns; `null` when they can't be told apart. */
function solve(matrix: readonly (readonly number[])[], right: readonly number[]): readonly number[] | null {
  const rows = matrix.map((row, i) => [...row, right[i] ?? 0])
  const size = rows.length
  const cell = (i: number, j: number) => rows[i]?.[j] ?? 0
  for (let i = 0; i < size; i += 1) {
    let pivot = i
    for (let k = i + 1; k < size; k += 1) if (Math.abs(cell(k, i)) > Math.abs(cell(pivot, i))) pivot = k
    if (!(Math.abs(cell(pivot, i)) > 1e-12)) return null
    const [one, other] = [rows[i] as number[], rows[pivot] as number[]]
    rows[i] = other
    rows[pivot] = one
    for (let k = 0; k < size; k += 1) {
      if (k === i) continue
      const factor = cell(k, i) / cell(i, i)
      rows[k] = (rows[k] as number[]).map((value, j) => value - factor * cell(i, j))
    }
  }
  return rows.map((_, i) => cell(i, size) / cell(i, i))
}

/** Log-odds of junk among some samples. */
function priorOf(samples: readonly Sample[]): number {
  const junk = samples.filter(({ isJunk }) => isJunk).length
  return Math.log(Math.max(1, junk) / Math.max(1, samples.length - junk))
}

/** What the line says of a sample. */
const oddsOf = ({ sum, share, heard, linear }: Sample, by: TextCalibration): number =>
  by.slope * sum + by.intercept * share + by.linear * linear + by.offset * heard

const lossOf = (odds: number, isJunk: boolean): number => Math.log1p(Math.exp(isJunk ? -odds : odds))

/** Mean log-loss of samples at the share of junk among them. */
function logLossOf(samples: readonly Sample[], by: TextCalibration): number {
  const prior = priorOf(samples)
  const loss = samples.reduce((total, sample) => {
    const odds = oddsOf(sample, by)
    return total + lossOf((by.curve ? curved(by.curve, odds) : odds) + prior, sample.isJunk)
  }, 0)
  return samples.length === 0 ? 0 : loss / samples.length
}
