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
  /** What a job holds while it runs, such as bytes, … */
  readonly weightOf?: (job: Job) => number
  /** … and what all that run may hold together; one alone runs whatever it holds. */
  readonly mostWeight?: number
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
const moment = 60

/** Work that goes on without waiting for the slowest: a slot that is free takes the next job. */
export function createSlots<Job>(options: SlotsOptions<Job>): Slots {
  const { name, slots, together = 1, perKey, keyOf, claim, run, giveBack, log } = options
  const { weightOf = () => 0, mostWeight = Infinity } = options
  const running = new Map<Promise<void>, Job>()
  let weight = 0
  // Where one key has most of what is due, most of what is claimed would only be given back.
  let atOnce = slots
  const held = () => {
    const counts = new Map<number, number>()
    for (const job of running.values()) counts.set(keyOf(job), (counts.get(keyOf(job)) ?? 0) + 1)
    return counts
  }
  const begin = (job: Job) => {
    const under: Promise<void> = run(job)
      .catch((error: unknown) => log.jobFailed(name, error))
      .finally(() => {
        running.delete(under)
        weight -= weightOf(job)
      })
    running.set(under, job)
    weight += weightOf(job)
  }
  /** Claiming one at a time would cost more than the jobs: it waits a moment for several free slots, and for no slow job. */
  const someFree = async () => {
    while (running.size >= slots || (weight >= mostWeight && running.size > 0))
      await Promise.race(running.keys())
    const until = performance.now() + moment
    while (running.size > slots - together && performance.now() < until)
      await Promise.race([...running.keys(), setTimeout(until - performance.now())])
  }
  return {
    work: async () => {
      await someFree()
      const full = [...held()].flatMap(([key, n]) => (n >= perKey ? [key] : []))
      const jobs = await claim(Math.min(slots - running.size, atOnce), full)
      const counts = held()
      const beyond: Job[] = []
      let isFull = false
      for (const job of jobs) {
        const n = counts.get(keyOf(job)) ?? 0
        counts.set(keyOf(job), n + 1)
        // Small ones that came after a large one wait with it: it would never have its turn.
        isFull ||= running.size > 0 && weight + weightOf(job) > mostWeight
        if (n < perKey && !isFull) begin(job)
        else beyond.push(job)
      }
      const begun = jobs.length - beyond.length
      atOnce = beyond.length > 0 ? Math.max(2, 2 * begun) : Math.min(slots, 2 * atOnce)
      if (beyond.length > 0) await giveBack(beyond)
      return begun
    },
    stop: async () => {
      await Promise.all(running.keys())
    },
  }
}
