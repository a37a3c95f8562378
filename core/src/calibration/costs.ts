import type { Limits } from '../judgement/index.ts'

/** Messages by whole score, 0 to 100: 101 counts each. */
export interface ScoreCounts {
  readonly wanted: readonly number[]
  readonly junk: readonly number[]
}

/** What mistakes cost, counted in junk messages that get through. */
export interface Costs {
  /** A wanted message that is held. */
  readonly held: number
  /** A wanted message that is held and not even named in the digest. */
  readonly unnamed: number
  /** A junk message that is named in a digest, which somebody has to read. */
  readonly named: number
}

const sumFrom = (counts: readonly number[], from: number) => {
  let sum = 0
  for (let score = from; score < counts.length; score += 1) sum += counts[score] ?? 0
  return sum
}

/** Messages of a kind with a score below a limit. */
export const missedBelow = (counts: readonly number[], limit: number): number =>
  sumFrom(counts, 0) - sumFrom(counts, Math.ceil(limit))

/**
 * The limits at which the mistakes of these messages cost least; where several cost the same, the highest, which holds least. `null` when
 * there is nothing to go by. Quarantine and near-certain are found one after the other: the one does not move the cost of the other.
 */
export function cheapestLimits(counts: ScoreCounts, { held, unnamed, named }: Costs): Limits | null {
  if (sumFrom(counts.wanted, 0) === 0 || sumFrom(counts.junk, 0) === 0) return null
  const quarantined = least(
    1,
    limit => held * sumFrom(counts.wanted, limit) + missedBelow(counts.junk, limit),
  )
  const nearCertain = least(
    quarantined,
    limit =>
      unnamed * sumFrom(counts.wanted, limit) +
      named * (sumFrom(counts.junk, quarantined) - sumFrom(counts.junk, limit)),
  )
  return { junk: quarantined, quarantined, nearCertain }
}

/** The highest limit of least cost, from one on. */
function least(from: number, cost: (limit: number) => number): number {
  let best = from
  let lowest = Number.POSITIVE_INFINITY
  for (let limit = from; limit <= 100; limit += 1) {
    const here = cost(limit)
    if (here <= lowest) {
      lowest = here
      best = limit
    }
  }
  return best
}
