import { isotonic } from './isotonic.ts'

/** From log-odds to log-odds, never falling; straight between its points, level beyond the last ones. */
export interface Curve {
  /** Ascending. */
  readonly at: readonly number[]
  readonly odds: readonly number[]
}

/** What a model said of a message, in log-odds without the share of junk, and what it was. */
export interface Said {
  readonly odds: number
  readonly isJunk: boolean
}

/** Fewer than this, and the steps of the curve are chance (Niculescu-Mizil and Caruana, "Predicting Good Probabilities", 2005, §5). */
export const leastForCurve = 1000

/**
 * Isotonic calibration of what a model says (Zadrozny and Elkan, "Transforming classifier scores", 2002). Each level is held a message away
 * from certainty on either side; `prior` is the log-odds of junk among the messages and no part of the answer.
 */
export function fitCurve(all: readonly Said[], prior: number): Curve {
  const levels = isotonic(all.map(({ odds, isJunk }) => ({ x: odds, y: isJunk ? 1 : 0 })))
  const at: number[] = []
  const odds: number[] = []
  for (let from = 0; from < levels.length;) {
    let to = from
    while (to < levels.length && levels[to]?.y === levels[from]?.y) to += 1
    const count = to - from
    const junk = (levels[from]?.y ?? 0) * count
    // A level stands at its middle: between two of them the curve climbs, and no small difference makes a step.
    at.push(((levels[from]?.x ?? 0) + (levels[to - 1]?.x ?? 0)) / 2)
    odds.push(Math.log((junk + 1) / (count - junk + 1)) - prior)
    from = to
  }
  return risen({ at, odds })
}

/** What is held away from certainty may come to lie below its neighbour of more messages: never falling again. */
function risen({ at, odds }: Curve): Curve {
  const level = isotonic(at.map((x, i) => ({ x, y: odds[i] ?? 0 })))
  return { at, odds: level.map(({ y }) => y) }
}

/** The curve at some log-odds. */
export function curved({ at, odds }: Curve, x: number): number {
  const next = at.findIndex(place => place >= x)
  if (next === -1) return odds.at(-1) ?? x
  if (next === 0) return odds[0] ?? x
  const [from = 0, to = 0] = [at[next - 1], at[next]]
  const [low = 0, high = 0] = [odds[next - 1], odds[next]]
  // The share first: of the smallest numbers there are, a product would be rounded to twice what it is.
  return to === from ? high : low + (high - low) * ((x - from) / (to - from))
}
