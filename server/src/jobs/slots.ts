import type { Log } from '../log.ts'

interface SlotsOptions<Job> {
  readonly name: string
  readonly slots: number
  /** Of these at most, how many one key may hold: a destination that hangs must not hold up the others. */
  readonly perKey: number
  readonly keyOf: (job: Job) => number
  /** Claims up to `limit` jobs that are due, none of the keys that are busy. */
  readonly claim: (limit: number, busy: readonly number[]) => Promise<readonly Job[]>
  readonly run: (job: Job) => Promise<void>
  readonly log: Log
}

export interface Slots {
  /** The work of a loop: begins what is due as far as slots are free; how many were begun. */
  readonly work: () => Promise<number>
  /** Waits for what is under way. */
  readonly stop: () => Promise<void>
}

/** Work that goes on without waiting for the slowest: a slot that is free takes the next job. */
export function createSlots<Job>({ name, slots, perKey, keyOf, claim, run, log }: SlotsOptions<Job>): Slots {
  const running = new Map<Promise<void>, number>()
  const busyKeys = () => {
    const counts = new Map<number, number>()
    for (const key of running.values()) counts.set(key, (counts.get(key) ?? 0) + 1)
    return [...counts].flatMap(([key, n]) => (n >= perKey ? [key] : []))
  }
  return {
    work: async () => {
      if (running.size >= slots) await Promise.race(running.keys())
      const jobs = await claim(Math.min(perKey, slots - running.size), busyKeys())
      for (const job of jobs) {
        const under: Promise<void> = run(job)
          .catch((error: unknown) => log.jobFailed(name, error))
          .finally(() => running.delete(under))
        running.set(under, keyOf(job))
      }
      return jobs.length
    },
    stop: async () => {
      await Promise.all(running.keys())
    },
  }
}
