import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { deliveryStates, endingStates } from '@pendro/core/delivery'
import {
  awayProblem,
  backAt,
  expiryOf,
  isAway,
  keptKindOf,
  type AwayTime,
  type Keeping,
  type KeptDays,
} from '@pendro/core/keeping'

const day = 86_400_000
const days: KeptDays = { quarantined: 28, junk: 14, discarded: 7 }
const at = (date: string) => Date.parse(`${date}T00:00:00Z`)
const held = (received: string, ...away: (readonly [string, string])[]) =>
  new Date(
    expiryOf(
      { state: 'quarantined', receivedAt: at(received), keptUntil: null },
      { days, away: away.map(([from, until]) => ({ from: at(from), until: at(until) })) },
    ),
  )
    .toISOString()
    .slice(0, 10)

describe('when a delivery goes away', () => {
  test.each([
    ['quarantined', 28],
    ['sealed', 28],
    ['junk', 14],
    ['discarded', 7],
  ] as const)('%s mail has its own days', (state, wanted) => {
    expect(expiryOf({ state, receivedAt: 0, keptUntil: null }, { days, away: [] })).toBe(wanted * day)
  })

  test('each state that ends by itself has days of a kind, and no other state names one by accident', () => {
    expect(endingStates.map(keptKindOf)).toEqual(['junk', 'quarantined', 'quarantined', 'discarded'])
    for (const state of deliveryStates.filter(one => !endingStates.some(ending => ending === one)))
      expect(keptKindOf(state)).toBe('quarantined')
  })

  // Common practice: the days count from the return, whatever the date of reception.
  test.each<[what: string, found: string, wanted: string]>([
    ['nobody is away', held('2026-11-01'), '2026-11-29'],
    ['received before, away over its end', held('2026-11-01', ['2026-11-20', '2026-12-20']), '2027-01-17'],
    ['received while away', held('2026-11-25', ['2026-11-20', '2026-12-20']), '2027-01-17'],
    ['back long before its end', held('2026-11-01', ['2026-11-02', '2026-11-04']), '2026-12-02'],
    ['away before it came', held('2026-11-10', ['2026-11-01', '2026-11-10']), '2026-12-08'],
    ['came at the last moment', held('2026-11-10', ['2026-11-01', '2026-11-11']), '2026-12-09'],
    ['gone before they leave', held('2026-11-01', ['2026-11-29', '2026-12-20']), '2026-11-29'],
    ['leaves a day before it goes', held('2026-11-01', ['2026-11-28', '2026-12-20']), '2027-01-17'],
    [
      'two times away, the second within the days after the first',
      held('2026-11-01', ['2026-11-20', '2026-12-01'], ['2026-12-28', '2027-01-10']),
      '2027-02-07',
    ],
    [
      'two times away, the second after it has gone',
      held('2026-11-01', ['2026-11-20', '2026-12-01'], ['2026-12-29', '2027-01-10']),
      '2026-12-29',
    ],
    [
      'overlapping, in the wrong order',
      held('2026-11-01', ['2026-11-25', '2026-12-10'], ['2026-11-20', '2026-12-20']),
      '2027-01-17',
    ],
  ])('%s', (_, found, wanted) => expect(found).toBe(wanted))

  test('what is kept until a date stays until then, and not shorter', () => {
    const one = (keptUntil: number) =>
      expiryOf({ state: 'quarantined', receivedAt: 0, keptUntil }, { days, away: [] })
    expect(one(100 * day)).toBe(100 * day)
    expect(one(3 * day)).toBe(28 * day)
  })
})

const times = fc
  .record({ from: fc.integer({ min: -200, max: 400 }), length: fc.integer({ min: 1, max: 90 }) })
  .map(({ from, length }): AwayTime => ({ from: from * day, until: (from + length) * day }))
const keeping = fc.record({
  days: fc.record({
    quarantined: fc.integer({ min: 7, max: 365 }),
    junk: fc.integer({ min: 7, max: 365 }),
    discarded: fc.integer({ min: 7, max: 365 }),
  }),
  away: fc.array(times, { maxLength: 5 }),
})
const kept = fc.record({
  state: fc.constantFrom(...endingStates),
  receivedAt: fc.integer({ min: 0, max: 100 }).map(n => n * day),
  keptUntil: fc.constant(null),
})

describe('whatever the times away', () => {
  test('nothing goes while its colleague is away, nor before its days are over after the return', () => {
    fc.assert(
      fc.property(kept, keeping, (one, its) => {
        const end = expiryOf(one, its)
        const stay = its.days[keptKindOf(one.state)] * day
        expect(end).toBeGreaterThanOrEqual(one.receivedAt + stay)
        for (const { from, until } of its.away)
          if (from < end && until > one.receivedAt) expect(end).toBeGreaterThanOrEqual(until + stay)
      }),
    )
  })

  test('their order does not matter, and one more never makes anything go sooner', () => {
    fc.assert(
      fc.property(kept, keeping, times, (one, its, more) => {
        const end = expiryOf(one, its)
        expect(expiryOf(one, { ...its, away: [...its.away].reverse() })).toBe(end)
        expect(expiryOf(one, { ...its, away: [...its.away, more] })).toBeGreaterThanOrEqual(end)
      }),
    )
  })

  /** The same said day by day: it goes on the first day on which nobody has been away for its days. */
  function byDays(
    { receivedAt, state }: { receivedAt: number; state: (typeof endingStates)[number] },
    its: Keeping,
  ) {
    const stay = its.days[keptKindOf(state)]
    let left = stay
    for (let now = receivedAt; ; now += day) {
      if (isAway(its.away, now)) left = stay
      else if (left === 0) return now
      else left -= 1
    }
  }

  test('agrees with counting the days', () => {
    fc.assert(
      fc.property(kept, keeping, (one, its) => {
        // Times that begin where another way of counting has a day more or less are told apart in the table above.
        const end = expiryOf(one, its)
        const apart = its.away.every(({ from }) => Math.abs(from - end) > day)
        fc.pre(apart)
        expect(byDays(one, its)).toBe(end)
      }),
    )
  })

  test('back is after the last of times away without a gap, and at once for somebody who is there', () => {
    expect(backAt([], 5)).toBe(5)
    expect(
      backAt(
        [
          { from: 8, until: 12 },
          { from: 0, until: 8 },
          { from: 13, until: 20 },
        ],
        5,
      ),
    ).toBe(12)
    fc.assert(
      fc.property(fc.array(times, { maxLength: 5 }), fc.integer({ min: -200, max: 400 }), (away, n) => {
        expect(isAway(away, backAt(away, n * day))).toBe(false)
      }),
    )
  })
})

describe('times away', () => {
  const now = 1000 * day
  const from = (start: number, length: number) => ({
    from: now + start * day,
    until: now + (start + length) * day,
  })
  test.each([
    ['none', [], null],
    ['three weeks', [from(3, 21)], null],
    ['entered late', [from(-10, 12)], null],
    ['a whole year and a day', [from(0, 366)], null],
    ['no time at all', [from(3, 0)], { problem: 'ends-before', at: 0 }],
    ['back before they go', [from(3, 5), from(3, -1)], { problem: 'ends-before', at: 1 }],
    ['ten years', [from(0, 3650)], { problem: 'too-long', at: 0 }],
    ['a day too long', [from(0, 367)], { problem: 'too-long', at: 0 }],
    ['of years ago', [from(-800, 10)], { problem: 'over', at: 0 }],
    ['twenty', Array.from({ length: 20 }, (_, i) => from(i * 10, 5)), null],
    ['twenty-one', Array.from({ length: 21 }, (_, i) => from(i * 10, 5)), { problem: 'too-many', at: 20 }],
  ] as const)('%s', (_, away, wanted) => expect(awayProblem(away, now)).toEqual(wanted))
})
