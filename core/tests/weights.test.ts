import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { fitWeights, furthestStep, isBetter, weightLesson, type WeightLesson } from '@pendro/core/calibration'
import { junkScore, reweighed, type Evidence } from '@pendro/core/judgement'
import { rangeOf, weightBounds, weights, weightsWith, type Finding } from '@pendro/core/weights'

/** Numbers 0 to 1, always the same (Park and Miller, 1988). */
function evenly(): () => number {
  let state = 20_261_128
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647
}

const findings = [
  'dmarc-pass',
  'authentication-none',
  'new-and-odd',
  'link-differs',
  'bulk',
  'reply-to-elsewhere',
  'date-far-off',
] as const
/** What the lessons are drawn by: an organisation unlike the shipped table. */
const truth = [-1.9, 0.3, 0.1, 1.1, -0.9, 1.4, 1.5]

function drawn(): readonly WeightLesson[] {
  const next = evenly()
  return Array.from({ length: 900 }, () => {
    const times = new Map<Finding, number>(
      findings
        .filter(() => next() < 0.35)
        .map(finding => [finding, Math.round((1 + next()) * 100) / 100] as const),
    )
    let odds = 0.4
    for (const [finding, strength] of times)
      odds += (truth[findings.findIndex(one => one === finding)] ?? 0) * strength
    const rest = Math.round((next() * 4 - 2) * 100) / 100
    return { times, rest, isJunk: next() < 1 / (1 + Math.exp(-odds - rest)) }
  })
}

// Expected values by SciPy's L-BFGS-B with bounds (scipy.optimize.minimize, 1.17.1) of the same log-loss and prior on the same lessons.
describe('weights of an organisation, against SciPy', () => {
  const lessons = drawn()
  const first = fitWeights(lessons, weights)
  test('the first step', () =>
    expect(first?.own).toEqual({
      'dmarc-pass': -1.69,
      'authentication-none': 0.34,
      'new-and-odd': 0.65,
      'link-differs': 1.01,
      bulk: -0.45,
      'reply-to-elsewhere': 0.55,
      'date-far-off': 1.45,
    }))
  test('the next one from there', () =>
    expect(fitWeights(lessons, weightsWith(first?.own ?? {}))?.own).toEqual({
      'dmarc-pass': -1.84,
      'authentication-none': 0.35,
      'new-and-odd': 0.4,
      'link-differs': 1.05,
      bulk: -0.7,
      'reply-to-elsewhere': 0.8,
      'date-far-off': 1.51,
    }))
  test('how it judges lessons it has not seen', () => {
    expect(first?.after).toBeCloseTo(0.39787785, 7)
    expect(first && isBetter(first)).toBe(true)
  })
  test('lessons that say what the shipped weights say are no reason to move', () => {
    const next = evenly()
    const alike = lessons.map(lesson => {
      let odds = lesson.rest
      for (const [finding, strength] of lesson.times) odds += weights[finding] * strength
      return { ...lesson, isJunk: next() < 1 / (1 + Math.exp(-odds)) }
    })
    const fitted = fitWeights(alike, weights)
    expect(fitted && isBetter(fitted)).toBe(false)
  })
  test('too few, or of one kind only: nothing', () => {
    expect(fitWeights([], weights)).toBeNull()
    expect(fitWeights(lessons.slice(0, 199), weights)).toBeNull()
    expect(
      fitWeights(
        lessons.map(lesson => ({ ...lesson, isJunk: true })),
        weights,
      ),
    ).toBeNull()
  })
})

describe('bounds', () => {
  const all = Object.keys(weights) as Finding[]
  test('each holds the shipped weight, keeps to the side of its meaning and inside what is known of real mail', () => {
    for (const finding of all) {
      const bounds = weightBounds(finding)
      if (!bounds) continue
      const [from, to] = bounds
      expect([finding, from <= weights[finding] && weights[finding] <= to]).toEqual([finding, true])
      expect([finding, from * to >= 0]).toEqual([finding, true])
      const known = rangeOf(finding)
      if (known) expect(from >= known[0] - 0.005 && to <= known[1] + 0.005).toBe(true)
    }
  })
  test.each(['starting-point', 'words-wanted', 'words-junk', 'could-not-be-read', 'link-elsewhere'] as const)(
    '%s stays as it is',
    finding => {
      expect(weightBounds(finding)).toBeNull()
      expect(weightsWith({ [finding]: 5 })[finding]).toBe(weights[finding])
    },
  )
  test('a table is held to them, and what it does not know is left out', () => {
    const table = weightsWith({ bulk: 7, 'dmarc-pass': -99, constructor: 4, nothing: 1 })
    expect(table.bulk).toBe(0)
    expect(table['dmarc-pass']).toBe(weightBounds('dmarc-pass')?.[0])
    expect(Object.keys(table)).toEqual(Object.keys(weights))
  })

  test('property: whatever an adversary teaches, no weight moves more than a step, or ever beyond its bounds', () => {
    const lesson = fc.record({
      findings: fc.uniqueArray(fc.constantFrom(...all), { maxLength: 6 }),
      times: fc.double({ min: -20, max: 20, noNaN: true }),
      rest: fc.double({ min: -50, max: 50, noNaN: true }),
      isJunk: fc.boolean(),
    })
    fc.assert(
      fc.property(fc.array(lesson, { minLength: 2, maxLength: 12 }), few => {
        // The same few over and over, as somebody would who wants them believed.
        const lessons = Array.from({ length: 240 }, (_, i) => {
          const { findings: own, times, rest, isJunk } = few[i % few.length] as (typeof few)[number]
          const evidence = own.map(finding => ({ finding, weight: 0, times }))
          return { ...weightLesson(evidence, i < 60 ? i % 2 === 0 : isJunk), rest }
        })
        let table = weightsWith({})
        for (let step = 0; step < 3; step += 1) {
          const fitted = fitWeights(lessons, table)
          if (!fitted) return
          const next = weightsWith(fitted.own)
          for (const finding of all) {
            expect(Number.isFinite(next[finding])).toBe(true)
            expect(Math.abs(next[finding] - table[finding])).toBeLessThanOrEqual(furthestStep + 0.005)
            const [from, to] = weightBounds(finding) ?? [weights[finding], weights[finding]]
            expect(next[finding]).toBeGreaterThanOrEqual(from)
            expect(next[finding]).toBeLessThanOrEqual(to)
          }
          table = next
        }
      }),
      { numRuns: 25 },
    )
  })
})

describe('kept evidence by another table', () => {
  const kept: readonly Evidence[] = [
    { finding: 'starting-point', weight: weights['starting-point'], facts: {} },
    { finding: 'dmarc-pass', weight: weights['dmarc-pass'], facts: {} },
    // Met 1.5 times as strongly.
    { finding: 'sender-ruled-junk', weight: Math.round(weights['sender-ruled-junk'] * 150) / 100, facts: {} },
    { finding: 'link-elsewhere', weight: 0, facts: {} },
  ]
  test('strength stays, the weight is the new one', () => {
    const table = weightsWith({ 'dmarc-pass': -1, 'sender-ruled-junk': 1.5 })
    expect(reweighed(kept, weights, table).map(({ weight }) => weight)).toEqual([
      weights['starting-point'],
      -1,
      2.25,
      0,
    ])
  })
  test('there and back is the same score', () => {
    const table = weightsWith({ 'dmarc-pass': -1, 'sender-ruled-junk': 1.5 })
    const back = reweighed(reweighed(kept, weights, table), table, weights)
    expect(junkScore(back)).toBeCloseTo(junkScore(kept), 0)
  })
  test('a finding that is no more keeps its weight', () => {
    const old = [{ finding: 'gone' as Finding, weight: 0.7, facts: {} }]
    expect(reweighed(old, weights, weightsWith({ bulk: 0 }))).toEqual(old)
  })
})
