import type { Judged } from './quality.ts'

/** What the score said of some messages against how often they were junk. */
export interface ReliabilityBand {
  /** Scores from and to, 0 to 100. */
  readonly from: number
  readonly to: number
  readonly count: number
  /** Mean of what was said, and how often it was junk, 0 to 1; `null` where there is nothing. */
  readonly said: number | null
  readonly was: number | null
  /** Enough to tell: fewer than 30 say little about a share. */
  readonly enough: boolean
}

/** Fewer than this, and a share of them is chance (common practice). */
const fewest = 30
const edges = [0, 10, 20, 30, 40, 50, 60, 70, 80, 90, 100] as const

/** Ten bands of the score; the last has its upper end. */
export function reliability(all: readonly Judged[]): readonly ReliabilityBand[] {
  return edges.slice(0, -1).map((from, i) => {
    const to = edges[i + 1] ?? 100
    const band = all.filter(({ said }) => said * 100 >= from && (said * 100 < to || to === 100))
    const mean = (of: (one: Judged) => number) =>
      band.length === 0 ? null : band.reduce((sum, one) => sum + of(one), 0) / band.length
    return {
      from,
      to,
      count: band.length,
      said: mean(({ said }) => said),
      was: mean(({ isJunk }) => (isJunk ? 1 : 0)),
      enough: band.length >= fewest,
    }
  })
}
