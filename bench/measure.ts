/** One line of docs/benchmarks.md. */
export interface Measured {
  readonly what: string
  readonly ours: string
  readonly against: string
  readonly ratio: number
  readonly wanted: string
  readonly met: boolean
}

export interface Section {
  readonly title: string
  readonly rows: readonly Measured[]
  /** Text under the table: plans, conditions. */
  readonly notes: string
}

export const median = (values: readonly number[]) =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0

/** Median milliseconds of each, taken in turns so that both see the same weather. */
export async function inTurns(
  rounds: number,
  ...works: readonly (() => Promise<unknown>)[]
): Promise<readonly number[]> {
  const times = works.map((): number[] => [])
  for (let round = -2; round < rounds; round += 1) {
    for (const [i, work] of works.entries()) {
      const began = performance.now()
      await work()
      // Two rounds warm up.
      if (round >= 0) times[i]?.push(performance.now() - began)
    }
  }
  return times.map(median)
}

export const ms = (time: number) => `${time < 10 ? time.toFixed(2) : time.toFixed(0)} ms`

export function atMost(
  what: string,
  ours: number,
  against: number,
  limit: number,
  againstWhat: string,
): Measured {
  const ratio = ours / against
  return {
    what,
    ours: ms(ours),
    against: `${ms(against)} (${againstWhat})`,
    ratio,
    wanted: `at most ${limit}`,
    met: ratio <= limit,
  }
}

/** An EXPLAIN in a line. */
export const planText = (rows: readonly Record<string, unknown>[]) =>
  rows
    .map(
      ({ table, type, key, rows: n }) =>
        `\`${String(table)}\` by ${String(type)} on ${String(key)} (${String(n)} rows)`,
    )
    .join(', ')
