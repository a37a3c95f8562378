import { setTimeout } from 'node:timers/promises'
import type { Log } from '../log.ts'

interface SlotsOptions<Job> {
  readonly name: string
  readonly slots: number
  /** So many are claimed at once under load. */
  readonly together?: number
  /** Of these at most, how many one key may hold: a destination that hangs must not hold up the others. */
  readonly perKey: number
  readonly keyOf: (job: Job) => number
  /** Claims up to `limit` jobs that are due, none of the keys that have their share. */
  readonly claim: (limit: number, busy: readonly number[]) => Promise<readonly Job[]>
  readonly run: (job: Job) => Promise<void>
  /** Gives back jobs that were claimed beyond their key's share. */
  readonly giveBack: (jobs: readonly Job[]) => Promise<void>
  readonly log: Log
}

export interface Slots {
  /** The work of a loop: begins what is due as far as slots are free; how many were begun. */
  readonly work: () => Promise<number>
  /** Waits for what is under way. */
  readonly stop: () => Promise<void>
}

/** Milliseconds. */
const moment = 20

/** Work that goes on without waiting for the slowest: a slot that is free takes the next job. */
export function createSlots<Job>(options: SlotsOptions<Job>): Slots {
  const { name, slots, together = 1, perKey, keyOf, claim, run, giveBack, log } = options
  const running = new Map<Promise<void>, number>()
  const held = () => {
    const counts = new Map<number, number>()
    for (const key of running.values()) counts.set(key, (counts.get(key) ?? 0) + 1)
    return counts
  }
  const begin = (job: Job) => {
    const under: Promise<void> = run(job)
      .catch((error: unknown) => log.jobFailed(name, error))
      .finally(() => running.delete(under))
    running.set(under, keyOf(job))
  }
  /** Claiming one at a time would cost more than the jobs: it waits a moment for several free slots, and for no slow job. */
  const someFree = async () => {
    if (running.size >= slots) await Promise.race(running.keys())
    const until = performance.now() + moment
    while (running.size > slots - together && performance.now() < until)
      await Promise.race([...running.keys(), setTimeout(until - performance.now())])
  }
  return {
    work: async () => {
      await someFree()
      const full = [...held()].flatMap(([key, n]) => (n >= perKey ? [key] : []))
      const jobs = await claim(slots - running.size, full)
      const counts = held()
      const beyond: Job[] = []
      for (const job of jobs) {
        const n = counts.get(keyOf(job)) ?? 0
        counts.set(keyOf(job), n + 1)
        if (n < perKey) begin(job)
        else beyond.push(job)
      }
      if (beyond.length > 0) await giveBack(beyond)
      return jobs.length - beyond.length
    },
    stop: async () => {
      await Promise.all(running.keys())
    },
  }
}
