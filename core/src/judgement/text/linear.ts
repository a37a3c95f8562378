import { gramSpace, valuesOf, type Grams } from './grams.ts'

/** A linear model over hashed grams: weights · values, positive towards junk. */
export interface Linear {
  /** `gramSpace` weights. */
  readonly weights: Float32Array
  /** How rare each place was among the lessons; 0 for what none of them had. */
  readonly rarity: Float32Array
}

export interface GramLesson {
  readonly grams: Grams
  readonly isJunk: boolean
}

/** So many steps in all, within so many rounds: many lessons need fewer rounds. */
const steps = 120_000
const [fewestRounds, mostRounds] = [6, 30] as const
/** Strength of the pull towards 0, against the sum of all losses. */
const pull = 0.5
const firstStep = 0.2

/** What the model says before calibration; what all messages have in common is left to that. */
export function linearSum(
  { weights }: Pick<Linear, 'weights'>,
  at: Uint32Array,
  value: Float32Array,
): number {
  let sum = 0
  for (let i = 0; i < at.length; i += 1) sum += (weights[at[i] ?? 0] ?? 0) * (value[i] ?? 0)
  return sum
}

/** log((1 + lessons) / (1 + lessons with it)) + 1, as is usual. */
function rarityOf(lessons: readonly GramLesson[]): Float32Array {
  const met = new Uint32Array(gramSpace)
  for (const { grams } of lessons) for (const place of grams.at) met[place] = (met[place] ?? 0) + 1
  return Float32Array.from(met, n => (n === 0 ? 0 : Math.log((1 + lessons.length) / (1 + n)) + 1))
}

/**
 * A linear support vector machine with squared hinge loss and an L2 penalty, by stochastic gradient descent over the lessons in an order
 * of its own (Bottou, "Stochastic Gradient Descent Tricks", 2012). The same lessons in the same order give the same weights, to the bit.
 */
export function fitLinear(lessons: readonly GramLesson[]): Linear {
  const rarity = rarityOf(lessons)
  const values = lessons.map(({ grams }) => valuesOf(grams, rarity))
  const weights = new Float64Array(gramSpace)
  let scale = 1
  let bias = 0
  const lambda = pull / Math.max(1, lessons.length)
  let t = 0
  const order = lessons.map((_, i) => i)
  const next = sequence()
  const rounds = Math.max(fewestRounds, Math.min(mostRounds, Math.ceil(steps / Math.max(1, lessons.length))))
  for (let round = 0; round < rounds; round += 1) {
    shuffle(order, next)
    for (const i of order) {
      const { grams, isJunk } = lessons[i] as GramLesson
      const at = grams.at
      const value = values[i] as Float32Array
      const step = firstStep / (1 + firstStep * lambda * t)
      t += 1
      let sum = 0
      for (let k = 0; k < at.length; k += 1) sum += (weights[at[k] ?? 0] ?? 0) * (value[k] ?? 0)
      // The slope of the squared hinge, which told more apart on both open collections than the logistic loss did.
      const side = isJunk ? 1 : -1
      const error = -2 * side * Math.max(0, 1 - side * (bias + scale * sum))
      scale *= 1 - step * lambda
      const move = (step * error) / scale
      for (let k = 0; k < at.length; k += 1) {
        const place = at[k] ?? 0
        weights[place] = (weights[place] ?? 0) - move * (value[k] ?? 0)
      }
      bias -= 1 * step * error
      if (scale < 1e-6) scale = rescaled(weights, scale)
    }
  }
  return { weights: Float32Array.from(weights, weight => weight * scale), rarity }
}

function rescaled(weights: Float64Array, scale: number): number {
  for (let i = 0; i < weights.length; i += 1) weights[i] = (weights[i] ?? 0) * scale
  return 1
}

/** Numbers 0 to 1, always the same (Park and Miller, 1988). */
function sequence(): () => number {
  let state = 20_261_128
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647
}

function shuffle(order: number[], next: () => number): void {
  for (let i = order.length - 1; i > 0; i -= 1) {
    const j = Math.floor(next() * (i + 1))
    const held = order[i] as number
    order[i] = order[j] as number
    order[j] = held
  }
}

/** One lesson moves the model by at most this much of a message's length. */
const farthestStep = 0.3

/**
 * The model after further lessons, each a single bounded step that brings it to the right side (Crammer et al., "Online
 * Passive-Aggressive Algorithms", 2006, PA-I): what was ruled a moment ago counts before anything is fitted anew.
 */
export function learnAtOnce(model: Linear, lessons: readonly GramLesson[]): Linear {
  if (lessons.length === 0) return model
  const weights = Float32Array.from(model.weights)
  for (const { grams, isJunk } of lessons) {
    const { at } = grams
    const value = valuesOf(grams, model.rarity)
    const square = value.reduce((sum, one) => sum + one * one, 0)
    if (square === 0) continue
    const side = isJunk ? 1 : -1
    const short = Math.max(0, 1 - side * linearSum({ weights }, at, value))
    const step = Math.min(farthestStep, short / square) * side
    for (let k = 0; k < at.length; k += 1)
      weights[at[k] ?? 0] = (weights[at[k] ?? 0] ?? 0) + step * (value[k] ?? 0)
  }
  return { ...model, weights }
}
