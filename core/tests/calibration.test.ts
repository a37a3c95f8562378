import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  brierScore,
  cheapestLimits,
  logLoss,
  missedBelow,
  reliability,
  rocArea,
  teachesMost,
  type Judged,
} from '@pendro/core/calibration'
import { isotonic } from '@pendro/core/judgement'

/** Numbers 0 to 1, always the same (Park and Miller, 1988). */
function evenly(): () => number {
  let state = 20_261_128
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647
}

// Expected values by scikit-learn 1.2.1 (Debian python3-sklearn) on the same numbers: roc_auc_score, brier_score_loss, log_loss
// clipped at 1e-6, and IsotonicRegression.
const next = evenly()
const samples: readonly Judged[] = Array.from({ length: 400 }, () => {
  const said = Math.round(next() * 1000) / 1000
  return { said, isJunk: next() < said ** 1.4 }
})
const xs = Array.from({ length: 60 }, () => Math.round(next() * 50))
const points = xs.map(x => ({ x, y: x / 50 + next() - 0.5 }))

describe('quality, against scikit-learn', () => {
  test('area under the ROC curve, Brier score, log-loss', () => {
    expect(rocArea(samples)).toBeCloseTo(0.8348007414272476, 9)
    expect(brierScore(samples)).toBeCloseTo(0.17565783750000002, 9)
    expect(logLoss(samples)).toBeCloseTo(0.5166347202609975, 9)
  })
  test.each([
    [0, -0.24548221879894017],
    [11, 0.25841698758496495],
    [18, 0.37083896129275934],
    [30, 0.5770236135190463],
    [36, 0.8523429331257844],
    [43, 0.8523429331257844],
    [50, 1.0368762622153742],
  ])('isotonic regression at %d', (x, y) =>
    expect(isotonic(points).find(point => point.x === x)?.y).toBeCloseTo(y, 9),
  )
  test('property: the curve never falls, keeps the mean, and leaves a rising one as it is', () => {
    const point = fc.record({
      x: fc.integer({ min: 0, max: 20 }),
      y: fc.double({ min: -5, max: 5, noNaN: true }),
    })
    fc.assert(
      fc.property(fc.array(point, { minLength: 1, maxLength: 40 }), given => {
        const curve = isotonic(given)
        expect(curve).toHaveLength(given.length)
        curve.slice(1).forEach(({ y }, i) => expect(y).toBeGreaterThanOrEqual((curve[i]?.y ?? 0) - 1e-9))
        const sum = (all: readonly { y: number }[]) => all.reduce((total, { y }) => total + y, 0)
        expect(sum(curve)).toBeCloseTo(sum(given), 6)
      }),
    )
    const rising = [1, 2, 3, 4].map(x => ({ x, y: x * x }))
    expect(isotonic(rising)).toEqual(rising)
  })
  test('of nothing, and of one kind only, nothing is said', () => {
    expect([rocArea([]), brierScore([]), logLoss([])]).toEqual([null, null, null])
    expect(rocArea([{ said: 0.5, isJunk: true }])).toBeNull()
    expect(logLoss([{ said: 0, isJunk: true }])).toBeCloseTo(-Math.log(1e-6), 6)
  })
})

describe('reliability', () => {
  test('bands meet without a gap, the last has its upper end, and few are said to be few', () => {
    const bands = reliability([
      ...Array.from({ length: 30 }, (_, i) => ({ said: 0.95, isJunk: i < 27 })),
      { said: 1, isJunk: true },
      { said: 0.1, isJunk: false },
      { said: 0.0999, isJunk: false },
    ])
    expect(bands.map(({ from, count }) => [from, count]).filter(([, count]) => count !== 0)).toEqual([
      [0, 1],
      [10, 1],
      [90, 31],
    ])
    expect(bands[9]).toMatchObject({ enough: true, was: 28 / 31 })
    expect(bands[0]).toMatchObject({ enough: false, was: 0 })
    expect(bands[5]).toMatchObject({ count: 0, said: null, was: null })
  })
})

describe('limits by what mistakes cost', () => {
  const counts = (at: Readonly<Record<number, number>>) => Array.from({ length: 101 }, (_, i) => at[i] ?? 0)
  const costs = { held: 20, unnamed: 200, named: 0.1 }
  test('between two kinds that lie apart the highest limit that lets nothing through', () =>
    expect(cheapestLimits({ wanted: counts({ 10: 50 }), junk: counts({ 60: 50, 90: 9 }) }, costs)).toEqual({
      junk: 60,
      quarantined: 60,
      nearCertain: 60,
    }))
  test('the dearer a held message, the higher the limit', () => {
    const mixed = { wanted: counts({ 5: 90, 55: 2, 85: 1 }), junk: counts({ 50: 10, 70: 20, 95: 300 }) }
    const at = (held: number) => cheapestLimits(mixed, { ...costs, held })?.quarantined ?? 0
    expect(at(1)).toBeLessThan(at(100))
    expect([1, 5, 20, 100].map(at)).toEqual([...[1, 5, 20, 100].map(at)].sort((a, b) => a - b))
    expect(cheapestLimits(mixed, costs)?.nearCertain).toBe(95)
  })
  test('property: the cost at the limit found is no higher than at any other', () => {
    const many = fc.array(fc.nat(9), { minLength: 101, maxLength: 101 })
    fc.assert(
      fc.property(many, many, fc.integer({ min: 1, max: 200 }), (wanted, junk, held) => {
        const found = cheapestLimits({ wanted, junk }, { ...costs, held })
        if (!found) return
        const cost = (limit: number) =>
          held * (wanted.reduce((a, b) => a + b, 0) - missedBelow(wanted, limit)) + missedBelow(junk, limit)
        for (let limit = 1; limit <= 100; limit += 1)
          expect(cost(found.quarantined)).toBeLessThanOrEqual(cost(limit))
        expect(found.nearCertain).toBeGreaterThanOrEqual(found.quarantined)
      }),
      { numRuns: 40 },
    )
  })
  test('with one kind only there is nothing to go by', () => {
    expect(cheapestLimits({ wanted: counts({ 10: 5 }), junk: counts({}) }, costs)).toBeNull()
    expect(cheapestLimits({ wanted: counts({}), junk: counts({ 90: 5 }) }, costs)).toBeNull()
  })
})

describe('what teaches most', () => {
  const one = (id: number, score: number, more = {}) => ({ id, score, cluster: `c${id}`, copies: 1, ...more })
  test('the least sure first; of two alike the one with more copies', () =>
    expect(
      teachesMost([one(1, 95), one(2, 52), one(3, 30), one(4, 48, { copies: 40 })], 3).map(({ id }) => id),
    ).toEqual([4, 2, 3]))
  test('one of a cluster, and no more than asked for', () => {
    const same = Array.from({ length: 9 }, (_, i) => one(i + 1, 50, { cluster: 'same' }))
    expect(teachesMost(same, 20)).toHaveLength(1)
    expect(teachesMost([], 20)).toEqual([])
  })
})
