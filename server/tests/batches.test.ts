import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { createBatches } from '../src/jobs/batches.ts'

/** Lets everything that can go on without time passing do so. */
const settle = () => new Promise(resolve => setImmediate(resolve))

describe('what is asked for at the same moment goes together', () => {
  test('a batch closes when the one before it is done', async () => {
    const batches: number[][] = []
    let release = () => {}
    const ask = createBatches<number, number>({
      most: 10,
      isEverybodys: () => false,
      run: async items => {
        batches.push([...items])
        await new Promise<void>(resolve => (release = resolve))
        return items.map(item => item * 2)
      },
    })
    const first = ask(1)
    await settle()
    const others = [ask(2), ask(3), ask(4)]
    await settle()
    expect(batches).toEqual([[1]])
    release()
    expect(await first).toBe(2)
    await settle()
    expect(batches).toEqual([[1], [2, 3, 4]])
    release()
    expect(await Promise.all(others)).toEqual([4, 6, 8])
  })

  test('no batch is larger than its size, and every item is done once', async () => {
    const sizes: number[] = []
    const ask = createBatches<number, number>({
      most: 3,
      isEverybodys: () => false,
      run: items => {
        sizes.push(items.length)
        return Promise.resolve([...items])
      },
    })
    expect(await Promise.all([1, 2, 3, 4, 5, 6, 7, 8].map(ask))).toEqual([1, 2, 3, 4, 5, 6, 7, 8])
    expect(Math.max(...sizes)).toBe(3)
    expect(sizes.reduce((sum, n) => sum + n, 0)).toBe(8)
  })

  test('it waits for what is on its way, and no longer than it may', async () => {
    const batches: number[][] = []
    let coming = true
    const make = (atMost: number) =>
      createBatches<number, number>({
        most: 10,
        gather: { isMoreComing: () => coming, atMost },
        isEverybodys: () => false,
        run: items => {
          batches.push([...items])
          return Promise.resolve([...items])
        },
      })
    const ask = make(10_000)
    const first = ask(1)
    await settle()
    const second = ask(2)
    coming = false
    await Promise.all([first, second])
    expect(batches).toEqual([[1, 2]])
    // Others never come: it goes on by itself.
    coming = true
    expect(await make(5)(3)).toBe(3)
  })

  test('property: whatever fails, fails alone; a failure that is everybody’s is not tried again one by one', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.boolean(), { minLength: 1, maxLength: 20 }), async good => {
        let runs = 0
        const ask = createBatches<number, number>({
          most: 8,
          isEverybodys: () => false,
          run: items => {
            runs += 1
            if (items.some(i => !good[i])) return Promise.reject(new Error('bad'))
            return Promise.resolve([...items])
          },
        })
        const results = await Promise.allSettled(good.map((_, i) => ask(i)))
        expect(results.map(({ status }) => status === 'fulfilled')).toEqual(good)
        // Found by halves: at most two runs more than there are items in all.
        expect(runs).toBeLessThanOrEqual(2 * good.length + 2)
      }),
    )
    let runs = 0
    const ask = createBatches<number, number>({
      most: 8,
      isEverybodys: () => true,
      run: () => {
        runs += 1
        return Promise.reject(new Error('the database is away'))
      },
    })
    const results = await Promise.allSettled([1, 2, 3, 4, 5].map(ask))
    expect(results.every(({ status }) => status === 'rejected')).toBe(true)
    expect(runs).toBeLessThanOrEqual(2)
  })
})
