import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { cheapestLimits } from '@pendro/contract'
import { expectedCounts, mistakesAt } from '../src/areas/calibration/expected.ts'

const counts = (at: Readonly<Record<number, number>> = {}) =>
  Array.from({ length: 101 }, (_, i) => at[i] ?? 0)
const many = fc.array(fc.nat(500), { minLength: 101, maxLength: 101 })

describe('what a limit comes to in what people ruled on', () => {
  const ruled = { wanted: counts({ 10: 5, 40: 2, 41: 1 }), junk: counts({ 39: 4, 40: 8 }), days: 30 }
  test.each([
    [40, { held: 3, missed: 4, calls: 1 }],
    [40.5, { held: 1, missed: 12, calls: 1 }],
    [41, { held: 1, missed: 12, calls: 1 }],
    [1, { held: 8, missed: 0, calls: 2 }],
    [100, { held: 0, missed: 12, calls: 0 }],
  ])('at %d', (limit, mistakes) => expect(mistakesAt(ruled, limit)).toEqual(mistakes))
  test('property: a higher limit never holds more, nor lets less junk through', () => {
    const limit = fc.integer({ min: 1, max: 100 })
    fc.assert(
      fc.property(many, many, limit, limit, (wanted, junk, a, b) => {
        const at = (of: number) => mistakesAt({ wanted, junk, days: 30 }, of)
        const [low, high] = [at(Math.min(a, b)), at(Math.max(a, b))]
        return high.held <= low.held && high.missed >= low.missed
      }),
    )
  })
})

describe('mail nobody has ruled on counts by its score', () => {
  test('property: nothing is lost, and what people called stays what they called it', () => {
    fc.assert(
      fc.property(many, many, many, (wanted, junk, unruled) => {
        const all = expectedCounts({ wanted, junk, unruled })
        for (let score = 0; score <= 100; score += 1) {
          const [w = 0, j = 0] = [all.wanted[score], all.junk[score]]
          const [called = 0, other = 0, rest = 0] = [wanted[score], junk[score], unruled[score]]
          expect(w + j).toBeCloseTo(called + other + rest, 6)
          expect(w).toBeGreaterThanOrEqual(called)
          expect(j).toBeGreaterThanOrEqual(other)
        }
      }),
    )
  })
  test('a few hard rulings do not drown the junk that is plainly junk', () => {
    const hard = { wanted: counts({ 98: 3 }), junk: counts({ 98: 1 }) }
    const costs = { held: 20, unnamed: 200, named: 0.05 }
    const alone = cheapestLimits(hard, costs)?.quarantined ?? 0
    const all = expectedCounts({ ...hard, unruled: counts({ 1: 5000, 99: 3000 }) })
    expect(cheapestLimits(all, costs)?.quarantined ?? 0).toBeLessThanOrEqual(alone)
  })
})
