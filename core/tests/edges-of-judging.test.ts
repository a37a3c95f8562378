// Edges of what weighs a message, and of what tells how well, which mutation testing found nobody to notice (docs/mutation.md).
import { describe, expect, test } from 'vitest'
import { findDrift, reliability, teachesMost, wilsonLow, type DriftSample } from '@pendro/core/calibration'
import { bandsOf, differences, likeness, sketchOf } from '@pendro/core/clusters'
import { byWeight, learnAtOnce, weighUnreadable } from '@pendro/core/judgement'
import { rangeOf, realShares } from '@pendro/core/weights'
import { gramsOf, gramSpace, valuesOf } from '../src/judgement/text/grams.ts'
import { linearSum } from '../src/judgement/text/linear.ts'

describe('texts of more and fewer words', () => {
  const word = (n: number): string => [...String(n)].map(digit => 'klmnoprstu'[Number(digit)]).join('')
  const words = (n: number, from = 0) => Array.from({ length: n }, (_, i) => `w${word(from + i)}`).join(' ')
  test('twelve words are told apart, eleven are not', () => {
    expect(sketchOf({ text: words(12) })).toHaveLength(8)
    expect(sketchOf({ text: words(11) })).toHaveLength(0)
  })
  test('512 hashes stand for a text, smallest first; fewer are all there are', () => {
    expect(sketchOf({ text: words(3000) })).toHaveLength(512)
    expect(sketchOf({ text: words(516) })).toHaveLength(512)
    expect(sketchOf({ text: words(515) })).toHaveLength(511)
    const sketch = [...sketchOf({ text: words(3000) })]
    expect(sketch).toEqual([...sketch].sort((a, b) => a - b))
  })
  test('a text that is a fifth of another is a fifth like it, whichever is asked of', () => {
    const whole = sketchOf({ text: words(2559) })
    for (const part of [words(515), words(516)].map(text => sketchOf({ text }))) {
      expect(Math.abs(likeness(part, whole) - 0.2)).toBeLessThan(0.05)
      expect(likeness(part, whole)).toBe(likeness(whole, part))
    }
  })
  // 1 − (1 − s⁴)¹⁶, by "Mining of Massive Datasets", §3.4.2: of 0.3 in 12 of 100, of 0.8 nearly always.
  test('bands are shared as often as four rows of sixteen make it', () => {
    const shared = (likenessOf: number) => {
      const common = Math.round((2 * 100 * likenessOf) / (1 + likenessOf))
      let met = 0
      for (let i = 0; i < 300; i += 1) {
        const of = (own: number) =>
          bandsOf(sketchOf({ text: `${words(common + 4, i * 1000)} ${words(100 - common, own)}` }))
        const [one, other] = [of(1_000_000 + i * 1000), of(2_000_000 + i * 1000)]
        if (one.some((band, k) => band === other[k])) met += 1
      }
      return met / 300
    }
    expect(shared(0.3)).toBeGreaterThan(0.07)
    expect(shared(0.3)).toBeLessThan(0.18)
    expect(shared(0.8)).toBeGreaterThan(0.98)
  })
  test('what is empty is no difference', () => {
    const member = (subject: string) => ({ subject, sender: '', hosts: [' '], attachments: [] })
    expect(differences(member('Offer'), [member(''), member('offer '), member('Other')])).toMatchObject({
      subject: { count: 1, most: ['Other'] },
      sender: { count: 0 },
      hosts: { count: 0, most: [] },
    })
  })
})

describe('a lesson that counts at once', () => {
  // Crammer et al. (2006), PA-I: from nothing a step of at most 0.3, to the side of the lesson.
  test.each([
    [true, 1],
    [false, -1],
  ])('junk %s: to %d', (isJunk, side) => {
    const grams = gramsOf(['timetable', 'berth'])
    const model = { weights: new Float32Array(gramSpace), rarity: new Float32Array(gramSpace).fill(1) }
    const value = valuesOf(grams, model.rarity)
    const length = [...value].reduce((sum, one) => sum + one * one, 0)
    const moved = learnAtOnce(model, [{ grams, isJunk }])
    expect(linearSum(moved, grams.at, value)).toBeCloseTo(side * Math.min(1, 0.3 * length), 5)
  })
})

describe('calibration', () => {
  test('each band says what was said in it, on average', () => {
    const bands = reliability([
      { said: 0.12, isJunk: false },
      { said: 0.18, isJunk: true },
    ])
    expect(bands[1]).toMatchObject({ from: 10, to: 20, count: 2, was: 0.5, enough: false })
    expect(bands[1]?.said).toBeCloseTo(0.15, 10)
  })
  test('copies count, slowly: a sure message of many does not come before an unsure one', () => {
    const one = (id: number, score: number, copies: number) => ({ id, score, cluster: `c${id}`, copies })
    expect(teachesMost([one(1, 10, 16), one(2, 50, 1)], 2).map(({ id }) => id)).toEqual([2, 1])
    expect(teachesMost([one(1, 40, 16), one(2, 50, 1)], 2).map(({ id }) => id)).toEqual([1, 2])
  })
  test('of messages that teach alike the older comes first', () => {
    const one = (id: number) => ({ id, score: 50, cluster: `c${id}`, copies: 1 })
    expect(teachesMost([one(3), one(1), one(2)], 3).map(({ id }) => id)).toEqual([1, 2, 3])
  })
})

describe('evidence', () => {
  test('of a message that could not be read: that, and where it starts', () => {
    expect(weighUnreadable('too-deep')).toMatchObject([
      { finding: 'starting-point' },
      { finding: 'could-not-be-read', facts: { problem: 'too-deep' } },
    ])
  })
  test('the heaviest first, whichever way it points, and the starting point last', () => {
    const one = (finding: string, weight: number) => ({ finding, weight }) as never
    const sorted = byWeight([one('starting-point', 9), one('bulk', 0), one('text', -3), one('new-sender', 2)])
    expect(sorted.map(({ finding }) => finding)).toEqual(['text', 'new-sender', 'bulk', 'starting-point'])
  })
  test('a weight goes no further than what is known of real mail: nowhere, or to one side', () => {
    expect(rangeOf('link-elsewhere')).toEqual([0, 0])
    const [from, to] = rangeOf('bulk') ?? []
    const { wanted, junk } = realShares.bulk ?? { wanted: 1, junk: 1 }
    expect([from, to]).toEqual([Math.log(junk / wanted), 0])
    expect(from).toBeLessThan(0)
    expect(rangeOf('starting-point')).toBeNull()
  })
})

describe('where judgement is often wrong', () => {
  const some = (n: number, wrong: number, sender: string, more: Partial<DriftSample> = {}): DriftSample[] =>
    Array.from({ length: n }, (_, i) => ({
      id: i + 1,
      isJunk: i % 2 === 0,
      isWrong: i < wrong,
      of: { sender, language: '', mail: '' },
      ...more,
    }))
  const found = (...samples: DriftSample[][]) =>
    findDrift(samples.flat()).map(({ value, wrong }) => [value, wrong])
  test('five wrong of at most ten, and more than the rest by more than chance', () => {
    const rest = some(100, 2, 'rest')
    expect(found(some(5, 5, 'a'), rest)).toEqual([['a', 5]])
    expect(found(some(4, 4, 'a'), rest)).toEqual([])
    expect(found(some(10, 5, 'a'), rest)).toEqual([['a', 5]])
    expect(found(some(11, 5, 'a'), rest)).toEqual([])
    expect(found(some(10, 6, 'a'), some(100, 35, 'rest'))).toEqual([])
    expect(found(some(10, 6, 'a'))).toEqual([])
    expect(found(some(10, 10, 'a'), some(20, 8, 'rest'))).toEqual([['a', 10]])
    expect(found(some(10, 6, 'a'), some(10, 10, ''))).toEqual([])
  })
  test('the worst first, the wrong ones newest first, held and missed apart', () => {
    const [worst, next] = findDrift([...some(8, 8, 'b'), ...some(7, 6, 'a'), ...some(100, 1, 'rest')])
    expect(worst).toMatchObject({ kind: 'sender', value: 'b', rulings: 8, wrong: 8, held: 4, missed: 4 })
    expect(worst?.ids).toEqual([8, 7, 6, 5, 4, 3, 2, 1])
    expect(next).toMatchObject({ value: 'a', rulings: 7, wrong: 6 })
  })
  // By the formula, by hand: 5 of 10 at 95 % is 0.2366; 0 of 10 is 0, 10 of 10 is 0.7225.
  test.each([
    [5, 10, 0.2366],
    [0, 10, 0],
    [10, 10, 0.7225],
    [0, 0, 0],
  ])('Wilson: %d of %d', (part, whole, low) => expect(wilsonLow(part, whole)).toBeCloseTo(low, 4))
})
