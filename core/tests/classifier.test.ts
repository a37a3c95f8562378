import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  classify,
  fitCalibration,
  heldOut,
  noText,
  tokensOf,
  uncalibrated,
  type TextKnowledge,
} from '@pendro/core/judgement'

const nobody = { from: [], links: [], subject: '', text: '' }

describe('tokens', () => {
  test('words of any script, no numbers, each once, marked by where they stand', () =>
    expect(
      tokensOf({
        subject: 'Fähre 12:30 Fähre',
        from: [
          { name: 'Printer', text: '', address: { local: 'a', tag: null, domain: 'halyard-print.example' } },
        ],
        links: [
          {
            text: 'x',
            href: 'https://files.dropshelf.example/proof/9?id=secret',
            host: 'files.dropshelf.example',
          },
        ],
        text: 'prom łódź паром x ok https://files.dropshelf.example/proof to',
      }),
    ).toEqual([
      's:fähre',
      'f:printer',
      'f:halyard-print',
      'f:example',
      'u:files',
      'u:dropshelf',
      'u:example',
      'u:proof',
      'prom',
      'łódź',
      'паром',
    ]))
  test('a text without end gives no more than 300', () =>
    expect(
      tokensOf({
        ...nobody,
        text: Array.from(
          { length: 5000 },
          (_, i) =>
            `w${'abcdefghij'.charAt(i % 10)}${String.fromCharCode(97 + (i % 26))}${String.fromCharCode(97 + ((i * 7) % 26))}q`,
        ).join(' '),
      }).length,
    ).toBeLessThanOrEqual(300))
})

const known: TextKnowledge = {
  total: { wanted: 100, junk: 100 },
  tokens: new Map([
    ['timetable', { wanted: 40, junk: 1 }],
    ['lottery', { wanted: 0, junk: 30 }],
    ['the', { wanted: 90, junk: 90 }],
  ]),
  calibration: { slope: 1, intercept: 0 },
}

describe('the verdict', () => {
  test('leans by what people ruled; even and unknown words say nothing', () => {
    expect(classify(['lottery', 'the'], known)?.logOdds).toBeGreaterThan(0.5)
    expect(classify(['timetable', 'the'], known)?.logOdds).toBeLessThan(-0.5)
    expect(classify(['the'], known)?.logOdds).toBeCloseTo(0, 5)
    expect(classify(['never', 'seen'], known)).toBeNull()
    expect(classify(['lottery'], noText)).toBeNull()
  })
  test('property: what mattered adds up to the verdict, inside its bounds', () => {
    const count = fc.record({
      wanted: fc.integer({ min: 0, max: 100 }),
      junk: fc.integer({ min: 0, max: 100 }),
    })
    fc.assert(
      fc.property(
        fc.dictionary(fc.string({ minLength: 1, maxLength: 5 }), count, { minKeys: 1 }),
        fc.double({ min: 0.05, max: 3, noNaN: true }),
        (words, slope) => {
          const found = classify(Object.keys(words), {
            ...known,
            tokens: new Map(Object.entries(words)),
            calibration: { slope, intercept: 0.1 },
          })
          if (!found) return
          const sum = found.leaning.reduce(
            (total, { weight }) => total + weight,
            0.1 * (found.leaning.length / (found.leaning.length + 20)),
          )
          expect(found.logOdds).toBeCloseTo(Math.max(-2, Math.min(2, sum)), 6)
        },
      ),
    )
  })
})

describe('calibration', () => {
  const logistic = (x: number) => 1 / (1 + Math.exp(-x))
  test('finds the curve that made the samples', () => {
    // Evenly spread, from a small generator of its own: fast-check's numbers crowd around their ends.
    let state = 1
    const even = () => (state = (state * 48271) % 2147483647) / 2147483647
    const samples = Array.from({ length: 6000 }, () => {
      const sum = even() * 6 - 3
      return { sum, share: 1, isJunk: even() < logistic(1.5 * sum + 0.4) }
    })
    const junk = samples.filter(({ isJunk }) => isJunk).length
    const { slope, intercept } = fitCalibration(samples)
    expect(slope).toBeGreaterThan(1.2)
    expect(slope).toBeLessThan(1.8)
    expect(intercept + Math.log(junk / (samples.length - junk))).toBeCloseTo(0.4, 0)
  })
  test('separable, upside-down, few and one-sided samples give something that can be used', () => {
    const ends = Array.from({ length: 40 }, (_, i) => ({ sum: i < 20 ? -2 : 2, share: 1, isJunk: i >= 20 }))
    expect(fitCalibration(ends).slope).toBeLessThanOrEqual(5)
    expect(fitCalibration(ends.map(({ sum, ...rest }) => ({ ...rest, sum: -sum }))).slope).toBeGreaterThan(0)
    expect(fitCalibration(ends.slice(0, 25))).toBe(uncalibrated)
    expect(fitCalibration([])).toBe(uncalibrated)
    expect(
      Number.isFinite(fitCalibration(ends.map(({ isJunk }) => ({ sum: 0, share: 1, isJunk }))).intercept),
    ).toBe(true)
  })
  test('a held-out sum is the sum of a table that never had the message', () => {
    const tokens = ['timetable', 'lottery']
    const without: TextKnowledge = {
      ...known,
      total: { wanted: 100, junk: 99 },
      tokens: new Map([
        ['timetable', { wanted: 40, junk: 0 }],
        ['lottery', { wanted: 0, junk: 29 }],
      ]),
    }
    expect(heldOut({ tokens, isJunk: true }, known).sum).toBeCloseTo(
      classify(tokens, without)?.logOdds ?? NaN,
      6,
    )
  })
})
