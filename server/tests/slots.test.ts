import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { createSlots } from '../src/jobs/slots.ts'
import { log } from './support.ts'

interface Job {
  readonly id: number
  readonly key: number
  readonly weight: number
}

interface Given {
  readonly jobs: readonly Job[]
  readonly slots?: number
  readonly perKey?: number
  readonly mostWeight?: number
  readonly heard?: (limit: number) => void
}

/** A queue in memory: what is claimed is gone until it is given back, and what runs ends when it is told to. */
function queue({ jobs, slots = 4, perKey = 1, mostWeight, heard }: Given) {
  const waiting = [...jobs]
  const running = new Map<Job, () => void>()
  const begun: number[] = []
  const made = createSlots<Job>({
    name: 'queue',
    slots,
    perKey,
    ...(mostWeight !== undefined && { mostWeight }),
    keyOf: job => job.key,
    weightOf: job => job.weight,
    claim: async (limit, busy) => {
      heard?.(limit)
      const due = waiting.filter(job => !busy.includes(job.key)).slice(0, limit)
      for (const job of due) waiting.splice(waiting.indexOf(job), 1)
      return due
    },
    run: job => {
      begun.push(job.id)
      return new Promise(done => running.set(job, done))
    },
    giveBack: async all => {
      waiting.push(...all)
      waiting.sort((a, b) => a.id - b.id)
    },
    log,
  })
  const endOne = async () => {
    const [first] = running
    if (!first) return
    running.delete(first[0])
    first[1]()
    // Its slot is free a turn later.
    await new Promise(resolve => setImmediate(resolve))
  }
  return { ...made, waiting, running, begun, endOne }
}
const job = (id: number, more: Partial<Job> = {}): Job => ({ id, key: id, weight: 1, ...more })
const ids = (jobs: Iterable<Job>) => [...jobs].map(({ id }) => id)

describe('slots', () => {
  test('take as many as there are, and the next when one is free', async () => {
    const { work, running, waiting, endOne } = queue({ jobs: [1, 2, 3, 4, 5].map(id => job(id)) })
    expect(await work()).toBe(4)
    expect(ids(waiting)).toEqual([5])
    await endOne()
    expect(await work()).toBe(1)
    expect(ids(running.keys())).toEqual([2, 3, 4, 5])
  })

  test('a key has its share, and what is beyond it is given back', async () => {
    const { work, running, waiting, endOne } = queue({
      jobs: [job(1, { key: 7 }), job(2, { key: 7 }), job(3)],
    })
    expect(await work()).toBe(2)
    expect([ids(running.keys()), ids(waiting)]).toEqual([[1, 3], [2]])
    expect(await work()).toBe(0)
    await endOne()
    expect(await work()).toBe(1)
  })

  test('claim little where one key has nearly all there is, and much again where it has not', async () => {
    const asked: number[] = []
    const given = [
      ...Array.from({ length: 40 }, (_, i) => job(i, { key: 7 })),
      ...[91, 92, 93].map(id => job(id)),
    ]
    const { work, running, endOne } = queue({ jobs: given, slots: 16, heard: limit => asked.push(limit) })
    for (let i = 0; i < 44; i += 1) {
      await work()
      await endOne()
    }
    expect(running.size).toBe(0)
    expect(asked.slice(0, 4)).toEqual([16, 2, 2, 2])
    // Sixteen at each turn would have been claimed and given back.
    expect(Math.max(...asked.slice(1, 38))).toBe(2)
    expect(asked.at(-1)).toBeGreaterThan(4)
  })

  test('hold no more than they may, and never two large ones together', async () => {
    const { work, running, endOne } = queue({
      jobs: [job(1, { weight: 60 }), job(2, { weight: 60 }), job(3, { weight: 5 })],
      mostWeight: 100,
    })
    expect(await work()).toBe(1)
    // The small one behind it would fit: then the large one would never have its turn.
    expect(ids(running.keys())).toEqual([1])
    expect(await work()).toBe(0)
    await endOne()
    expect(await work()).toBe(2)
  })

  test('run alone what is more than all may hold', async () => {
    const { work, running, endOne } = queue({ jobs: [job(1), job(2, { weight: 500 })], mostWeight: 100 })
    expect(await work()).toBe(1)
    await endOne()
    expect(await work()).toBe(1)
    expect(ids(running.keys())).toEqual([2])
  })

  test('property: everything is run once, within its share and its weight, in the order of its key', async () => {
    const some = fc.array(fc.record({ key: fc.nat(4), weight: fc.integer({ min: 1, max: 120 }) }), {
      maxLength: 20,
    })
    await fc.assert(
      fc.asyncProperty(some, fc.integer({ min: 1, max: 5 }), async (given, slots) => {
        const jobs = given.map((one, i) => ({ ...one, id: i }))
        const { work, running, waiting, begun, endOne } = queue({ jobs, slots, mostWeight: 100 })
        for (let turn = 0; turn < 200 && (waiting.length > 0 || running.size > 0); turn += 1) {
          if (running.size < slots) await work()
          const now = [...running.keys()]
          expect(now.length).toBeLessThanOrEqual(slots)
          expect(new Set(now.map(({ key }) => key)).size).toBe(now.length)
          if (now.length > 1)
            expect(now.reduce((sum, { weight }) => sum + weight, 0)).toBeLessThanOrEqual(100)
          await endOne()
        }
        expect([...begun].sort((a, b) => a - b)).toEqual(ids(jobs))
        for (const key of [0, 1, 2, 3, 4]) {
          const mine = begun.filter(id => jobs[id]?.key === key)
          expect(mine).toEqual([...mine].sort((a, b) => a - b))
        }
      }),
      { numRuns: 60 },
    )
  })
})
