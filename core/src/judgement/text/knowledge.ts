import type { Curve } from './curve.ts'
import type { Linear } from './linear.ts'

/** How often a token stood in messages that people ruled on. */
export interface TokenCount {
  readonly wanted: number
  readonly junk: number
}

/**
 * Log-odds = slope × sum of naive Bayes + linear × sum of the linear model + intercept × share of what is known + offset
 * (after Platt, "Probabilistic outputs for support vector machines", 1999; stacked as in Wolpert, "Stacked generalization", 1992).
 */
export interface TextCalibration {
  readonly slope: number
  readonly intercept: number
  /** 0: there is no linear model yet. */
  readonly linear: number
  /** What holds of a text of any length; 0 without a linear model. */
  readonly offset: number
  /** Put over all of it, where that judged rulings better than the straight line; `null` where it did not. */
  readonly curve?: Curve | null
}

/** Counts of words from lessons, the linear model, and the calibration fitted on both. */
export interface TextKnowledge {
  /** Ruled-on messages in all. */
  readonly total: TokenCount
  readonly tokens: ReadonlyMap<string, TokenCount>
  readonly calibration: TextCalibration
  /** `null`: too few lessons, or not fitted yet; naive Bayes speaks alone. */
  readonly linear: Linear | null
  /** One message's text moves the odds by at most this much, whatever it says; by the number of lessons where not given. */
  readonly furthest?: number
}

/** Before anything has been fitted: cautious. */
export const uncalibrated: TextCalibration = { slope: 0.5, intercept: 0, linear: 0, offset: 0 }

/** Nothing learned yet. */
export const noText: TextKnowledge = {
  total: { wanted: 0, junk: 0 },
  tokens: new Map(),
  calibration: uncalibrated,
  linear: null,
}

/** Fewer ruled-on messages than this on either side say nothing. */
export const leastMessages = 10
/** Fewer than this in all, or of the rarer kind, and naive Bayes alone is the better judge. */
export const leastForLinear = { all: 100, rarer: 40 } as const

const [nearest, farthest] = [1, 6] as const
/** So many of the rarer kind, and the text may say all it has to say. */
const enough = 200

/**
 * How far the text of one message may move the odds. Text is easily copied and little is known of it at first: ±1 with ten
 * lessons of each kind, ±6 from two hundred on.
 */
export function boundOf({ wanted, junk }: TokenCount): number {
  const rarer = Math.max(leastMessages, Math.min(wanted, junk, enough))
  const grown = Math.log(rarer / leastMessages) / Math.log(enough / leastMessages)
  return nearest + (farthest - nearest) * grown
}
