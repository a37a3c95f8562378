import type { CalibrationShape, ScoreCounts } from '@pendro/contract'

type Counts = Pick<CalibrationShape, 'wanted' | 'junk' | 'unruled' | 'days'>

/** What people called, and of the rest what the score says: of a hundred messages at 97 three are wanted. */
export function expectedCounts({ wanted, junk, unruled }: Omit<Counts, 'days'>): ScoreCounts {
  // Nobody has ruled on them, so not even a score of 100 makes all of them junk.
  const share = (score: number) => Math.min(0.999, (score + 0.5) / 100)
  return {
    wanted: unruled.map((n, score) => (wanted[score] ?? 0) + n * (1 - share(score))),
    junk: unruled.map((n, score) => (junk[score] ?? 0) + n * share(score)),
  }
}

/** What a limit would have come to in what people ruled on, and the calls about it in a week. */
export function mistakesAt({ wanted, junk, days }: Omit<Counts, 'unruled'>, limit: number) {
  const from = Math.ceil(limit)
  const sum = (counts: readonly number[]) => counts.reduce((total, n) => total + n, 0)
  const held = sum(wanted.slice(from))
  return { held, missed: sum(junk.slice(0, from)), calls: Math.ceil((held * 7) / days) }
}
