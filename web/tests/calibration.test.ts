import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { cheapestLimits } from '@pendro/contract'
import { expectedCounts, mistakesAt } from '../src/areas/calibration/expected.ts'
import { draftWith, isSameTable, signed } from '../src/areas/calibration/weights.ts'

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

describe('weights that are thought about', () => {
  const row = { finding: 'bulk', shipped: -0.2, weight: -0.2, from: -0.8, to: 0 }
  test.each([
    ['inside', -0.4, { bulk: -0.4 }],
    ['beyond its bound', -3, { bulk: -0.8 }],
    ['the other side', 1, { bulk: 0 }],
    ['as shipped', -0.2, {}],
    ['an empty field', Number.NaN, { bulk: -0.5 }],
    ['a third of a hundredth', -0.123, { bulk: -0.12 }],
  ])('%s', (_, weight, own) => expect(draftWith({ bulk: -0.5 }, row, weight)).toEqual(own))
  test('one that stays as it is is not set', () =>
    expect(draftWith({}, { ...row, from: null, to: null }, 1)).toEqual({}))
  test('others keep theirs, and the order does not matter', () => {
    const own = draftWith({ 'no-from': 1.2, bulk: -0.1 }, row, -0.3)
    expect(isSameTable(own, { bulk: -0.3, 'no-from': 1.2 })).toBe(true)
    expect(isSameTable(own, { bulk: -0.3 })).toBe(false)
  })
  test.each([
    [0, '0'],
    [0.5, '+0.50'],
    [-1.44, '−1.44'],
  ])('%d is written %s', (n, text) => expect(signed(n)).toBe(text))
})
