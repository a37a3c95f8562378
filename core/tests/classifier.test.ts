import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  boundOf,
  classify,
  fitText,
  gramsOf,
  learnAtOnce,
  noText,
  tokensOf,
  uncalibrated,
  type TextKnowledge,
  type TextLesson,
} from '@pendro/core/judgement'
import { countsOf } from './lessons.ts'
import { heldOut, type Sample } from '../src/judgement/text/classify.ts'
import { curved, fitCurve } from '../src/judgement/text/curve.ts'
import { fitCalibration, withCurve } from '../src/judgement/text/fit.ts'
import { placesOf, valuesOf } from '../src/judgement/text/grams.ts'
import { fitLinear, linearSum } from '../src/judgement/text/linear.ts'

const nobody = { from: [], links: [], subject: '', text: '' }

describe('tokens', () => {
  test('words of any script, no numbers, as often as they stand, marked by where', () =>
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
  test('a text without end gives no more than 300 different ones', () =>
    expect(
      new Set(
        tokensOf({
          ...nobody,
          text: Array.from(
            { length: 5000 },
            (_, i) =>
              `w${'abcdefghij'.charAt(i % 10)}${String.fromCharCode(97 + (i % 26))}${String.fromCharCode(97 + ((i * 7) % 26))}q`,
          ).join(' '),
        }),
      ).size,
    ).toBeLessThanOrEqual(300))
})

describe('tokens of all kinds of writing', () => {
  const of = (text: string) => tokensOf({ ...nobody, text })
  test('scripts without spaces give pairs of letters', () =>
    expect(of('無料で当選')).toEqual(['無料', '料で', 'で当', '当選']))
  test('one letter, emoji, and nothing', () => {
    expect(of('字')).toEqual(['字'])
    expect(of('🎁🎁')).toEqual(['🎁', '🎁'])
    expect(of('12 + 7 = 19')).toEqual([])
  })
  test('punctuation and capitals count by steps', () => {
    expect(of('Now!')).toEqual(['p:!', 'now'])
    expect(of('Now! Now! Now!').slice(0, 2)).toEqual(['p:!', 'p:!3'])
    expect(of('FREE money for you').slice(0, 1)).toEqual(['p:A'])
  })
  test('a repeated token stands twenty times at most', () =>
    expect(of('prize '.repeat(500))).toHaveLength(20))
  test('a million words are read in a moment’s part, and the rest left', () =>
    expect(of('word '.repeat(1_000_000))).toEqual(Array.from({ length: 20 }, () => 'word')))
})

const known: TextKnowledge = {
  total: { wanted: 100, junk: 100 },
  tokens: new Map([
    ['timetable', { wanted: 40, junk: 1 }],
    ['lottery', { wanted: 0, junk: 30 }],
    ['the', { wanted: 90, junk: 90 }],
  ]),
  calibration: { slope: 1, intercept: 0, linear: 0, offset: 0 },
  linear: null,
  furthest: 2,
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
            calibration: { slope, intercept: 0.1, linear: 0, offset: 0 },
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
      return { sum, share: 1, heard: 1, linear: 0, isJunk: even() < logistic(1.5 * sum + 0.4) }
    })
    const junk = samples.filter(({ isJunk }) => isJunk).length
    const { slope, intercept } = fitCalibration(samples)
    expect(slope).toBeGreaterThan(1.2)
    expect(slope).toBeLessThan(1.8)
    expect(intercept + Math.log(junk / (samples.length - junk))).toBeCloseTo(0.4, 0)
  })
  test('separable, upside-down, few and one-sided samples give something that can be used', () => {
    const ends = Array.from({ length: 40 }, (_, i) => ({
      sum: i < 20 ? -2 : 2,
      share: 1,
      heard: 1,
      linear: 0,
      isJunk: i >= 20,
    }))
    expect(fitCalibration(ends).slope).toBeLessThanOrEqual(5)
    expect(fitCalibration(ends.map(({ sum, ...rest }) => ({ ...rest, sum: -sum }))).slope).toBeGreaterThan(0)
    expect(fitCalibration(ends.slice(0, 25))).toBe(uncalibrated)
    expect(fitCalibration([])).toBe(uncalibrated)
    expect(
      Number.isFinite(
        fitCalibration(ends.map(({ isJunk }): Sample => ({ sum: 0, share: 1, heard: 1, linear: 0, isJunk })))
          .intercept,
      ),
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

describe('isotonic calibration, where the straight line does not fit', () => {
  const logistic = (x: number) => 1 / (1 + Math.exp(-x))
  let state = 7
  const even = () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647
  /** What a model says, and how likely it then really is junk. */
  const samplesOf = (count: number, real: (sum: number) => number): readonly Sample[] =>
    Array.from({ length: count }, () => {
      const sum = even() * 8 - 4
      return { sum, share: 1, heard: 1, linear: 0, isJunk: even() < real(sum) }
    })
  const line = (sum: number) => logistic(1.2 * sum + 0.3)
  /** Of no use in its middle, and never surer than nine in ten. */
  const bent = (sum: number) => (sum < -2 ? 0.08 : sum > 2.5 ? 0.9 : 0.4)

  test('is chosen where it judges better, and then follows what was', () => {
    const samples = samplesOf(4000, bent)
    const chosen = withCurve(samples, fitCalibration(samples))
    expect(chosen.curve).toBeTruthy()
    const junk = samples.filter(({ isJunk }) => isJunk).length
    const prior = Math.log(junk / (samples.length - junk))
    for (const [sum, share] of [
      [-3.5, 0.08],
      [0, 0.4],
      [3.5, 0.9],
    ] as const) {
      const odds = chosen.slope * sum + chosen.intercept
      expect(logistic(curved(chosen.curve ?? { at: [], odds: [] }, odds) + prior)).toBeCloseTo(share, 1)
    }
  })
  test.each([
    ['the line fits', samplesOf(4000, line)],
    ['there are too few to tell', samplesOf(999, bent)],
    ['there is one kind only', samplesOf(2000, () => 1)],
    ['nothing tells the kinds apart', samplesOf(2000, () => 0.5)],
  ])('is not where %s', (_, samples) =>
    expect(withCurve(samples, fitCalibration(samples)).curve ?? null).toBeNull(),
  )
  test('property: never falls, says nothing surer than its lessons, whatever they are', () => {
    const said = fc.record({ odds: fc.double({ min: -30, max: 30, noNaN: true }), isJunk: fc.boolean() })
    fc.assert(
      fc.property(
        fc.array(said, { minLength: 1, maxLength: 60 }),
        fc.double({ min: -3, max: 3, noNaN: true }),
        (all, prior) => {
          const curve = fitCurve(all, prior)
          const at = [-40, -30, -10, -1, 0, 0.5, 3, 10, 40].map(x => curved(curve, x))
          at.slice(1).forEach((odds, i) => expect(odds).toBeGreaterThanOrEqual((at[i] ?? 0) - 1e-9))
          for (const odds of at)
            expect(Math.abs(odds + prior)).toBeLessThanOrEqual(Math.log(all.length + 1) + 1e-9)
        },
      ),
    )
  })
  test('between the smallest numbers there are it is no higher than its ends', () => {
    for (const high of [0.4, 1.6, 3])
      expect(curved({ at: [-Number.MIN_VALUE, 0], odds: [0, high] }, 0)).toBe(high)
  })
  test('property: with a curve, too, what mattered adds up and keeps its sign', () => {
    const curve = { at: [-2, 0, 2], odds: [-1, 0, 0.5] }
    const count = fc.record({ wanted: fc.nat(100), junk: fc.nat(100) })
    fc.assert(
      fc.property(fc.dictionary(fc.string({ minLength: 1, maxLength: 5 }), count, { minKeys: 1 }), words => {
        const tokens = new Map(Object.entries(words))
        const calibration = { slope: 1, intercept: 0, linear: 0, offset: 0 }
        const plain = classify(Object.keys(words), { ...known, tokens, calibration, furthest: 100 })
        const bentVerdict = classify(Object.keys(words), {
          ...known,
          tokens,
          calibration: { ...calibration, curve },
          furthest: 100,
        })
        if (!plain || !bentVerdict) return
        expect(bentVerdict.logOdds).toBeCloseTo(curved(curve, plain.logOdds), 9)
        const sum = bentVerdict.leaning.reduce((total, { weight }) => total + weight, 0)
        if (Math.abs(plain.logOdds) > 0.01) expect(sum).toBeCloseTo(bentVerdict.logOdds, 6)
        bentVerdict.leaning.forEach(({ weight }, i) =>
          expect(weight * (plain.leaning[i]?.weight ?? 0)).toBeGreaterThanOrEqual(0),
        )
      }),
    )
  })
})

/** Lessons of two kinds that differ in a few words and their forms, share the rest, and are mistaken now and then. */
function lessonsOf(count: number): readonly TextLesson[] {
  const shared = ['crossing', 'morning', 'please', 'ferry', 'regards', 'cabin', 'monday']
  const own = {
    wanted: ['timetable', 'drydock', 'berth', 'manifest'],
    junk: ['lottery', 'jackpot', 'voucher', 'winner'],
  }
  return Array.from({ length: count }, (_, i) => {
    const isJunk = i % 2 === 1
    const words = own[isJunk === (i % 11 !== 0) ? 'junk' : 'wanted']
    const ending = ['', 's', 'ing', ''][i % 4] ?? ''
    const tokens = [
      ...shared.filter((__, k) => (Math.imul(i + 1, 2654435761) >>> (k + 8)) % 3 !== 0),
      `${words[(i >> 1) % 4] ?? ''}${ending}`,
      words[(i * 3 + 1) % 4] ?? '',
    ]
    return { tokens, isJunk }
  })
}

const knowledgeOf = (lessons: readonly TextLesson[]): TextKnowledge => {
  const counts = countsOf(lessons)
  return { ...counts, ...fitText(lessons, counts) }
}

describe('the linear model and the stack', () => {
  test('below a hundred lessons naive Bayes speaks alone; from there on both do', () => {
    expect(knowledgeOf(lessonsOf(98)).linear).toBeNull()
    expect(knowledgeOf(lessonsOf(98)).calibration).toMatchObject({ linear: 0, offset: 0 })
    const stacked = knowledgeOf(lessonsOf(120))
    expect(stacked.linear).not.toBeNull()
    expect(stacked.calibration.linear).toBeGreaterThan(0)
  })
  test('parts of words speak for words never met: an inflected form leans the same way', () => {
    const stacked = knowledgeOf(lessonsOf(160))
    const verdict = classify(['lotteries', 'jackpotted', 'please', 'ferry'], stacked)
    const other = classify(['timetabled', 'drydocked', 'please', 'ferry'], stacked)
    expect(verdict?.logOdds ?? 0).toBeGreaterThan((other?.logOdds ?? 0) + 0.1)
  })
  test('the shares of the tokens and of what was never met whole add up, inside the bound', () => {
    const stacked = { ...knowledgeOf(lessonsOf(160)), furthest: Infinity }
    const tokens = ['lottery', 'lottery', 'please', 'ferry', 'winner']
    const verdict = classify(tokens, stacked)
    const { calibration, linear } = stacked
    if (!verdict || !linear) throw new Error('no verdict')
    // All of its tokens are known.
    expect(tokens.every(token => stacked.tokens.has(token))).toBe(true)
    const grams = gramsOf(tokens)
    const said = calibration.linear * linearSum(linear, grams.at, valuesOf(grams, linear.rarity))
    const bayes = classify(tokens, {
      ...stacked,
      calibration: { ...calibration, linear: 0, intercept: 0, offset: 0 },
    })
    const n = new Set(tokens).size
    const heard = n / (n + 2)
    expect(verdict.logOdds).toBeCloseTo(
      (bayes?.logOdds ?? 0) +
        heard * said +
        (calibration.intercept * n) / (n + 20) +
        calibration.offset * heard,
      5,
    )
    expect(verdict.leaning.reduce((sum, { weight }) => sum + weight, 0)).toBeCloseTo(
      (bayes?.logOdds ?? 0) + heard * said,
      5,
    )
  })
  test('the same lessons give the same model, to the bit; without one of them, what would be had it never been', () => {
    const lessons = lessonsOf(130)
    const [once, again] = [fitText(lessons, countsOf(lessons)), fitText(lessons, countsOf(lessons))]
    expect(again).toEqual(once)
    const extra: TextLesson = { tokens: ['timetable', 'lottery'], isJunk: true }
    const withExtra = [...lessons, extra]
    expect(fitText(withExtra, countsOf(withExtra))).not.toEqual(once)
    const undone = withExtra.filter(lesson => lesson !== extra)
    expect(fitText(undone, countsOf(undone))).toEqual(once)
  })
  test('one lesson counts at once, and moves no more than a bounded step', () => {
    const { linear } = knowledgeOf(lessonsOf(120))
    if (!linear) throw new Error('no model')
    const grams = gramsOf(['timetable', 'berth'])
    const value = valuesOf(grams, linear.rarity)
    const before = linearSum(linear, grams.at, value)
    const moved = learnAtOnce(linear, [{ grams, isJunk: true }])
    expect(linearSum(moved, grams.at, value)).toBeGreaterThan(before)
    const length = Math.sqrt(
      moved.weights.reduce((sum, w, i) => sum + (w - (linear.weights[i] ?? 0)) ** 2, 0),
    )
    expect(length).toBeLessThanOrEqual(0.3 * Math.sqrt(1 + 0.4 ** 2) + 1e-6)
    expect(learnAtOnce(linear, [])).toBe(linear)
  })
  test.each([
    ['none', 0],
    ['one', 1],
    ['two', 2],
  ])('%s: nothing is said', (_, count) => {
    const knowledge = knowledgeOf(lessonsOf(count))
    expect(knowledge.calibration).toBe(uncalibrated)
    expect(classify(['lottery'], knowledge)).toBeNull()
  })
  test.each([true, false])('an organisation that has only one kind (junk: %s) says nothing', isJunk => {
    const lessons = lessonsOf(400).filter(lesson => lesson.isJunk === isJunk)
    const knowledge = knowledgeOf(lessons)
    expect(knowledge.linear).toBeNull()
    expect(classify(['lottery', 'timetable'], knowledge)).toBeNull()
  })
  test('labels that contradict each other cancel out', () => {
    const both = lessonsOf(80).flatMap(lesson => [lesson, { ...lesson, isJunk: !lesson.isJunk }])
    const verdict = classify(['lottery', 'jackpot', 'please'], knowledgeOf(both))
    expect(Math.abs(verdict?.logOdds ?? 0)).toBeLessThan(0.3)
  })
  test('a language never seen says nothing', () =>
    expect(classify(['паром', 'билет', 'завтра'], knowledgeOf(lessonsOf(160)))).toBeNull())
  test('the model alone tells two kinds apart, but for those that are mistaken', () => {
    const lessons = lessonsOf(120).map(({ tokens, isJunk }) => ({ grams: gramsOf(tokens), isJunk }))
    const model = fitLinear(lessons)
    let right = 0
    for (const { grams, isJunk } of lessons) {
      const at = linearSum(model, grams.at, valuesOf(grams, model.rarity))
      // The middle is left to calibration; here both kinds are as many.
      right += at > 0 === isJunk ? 1 : 0
    }
    expect(right).toBeGreaterThanOrEqual(108)
  })
  test('a subject’s word is the text’s word; a sender’s is another', () => {
    expect(placesOf('s:prize')).toEqual(placesOf('prize'))
    expect(placesOf('f:prize')).not.toEqual(placesOf('prize'))
  })
})

describe('how far a text may move the odds', () => {
  test.each([
    [0, 0, 1],
    [10, 10, 1],
    [10, 5000, 1],
    [200, 200, 6],
    [9000, 200, 6],
    [20_000, 20_000, 6],
  ])('%d wanted and %d junk: ±%d', (wanted, junk, bound) =>
    expect(boundOf({ wanted, junk })).toBeCloseTo(bound, 10),
  )
  test('property: more lessons never narrow it', () => {
    const n = fc.integer({ min: 0, max: 3000 })
    fc.assert(
      fc.property(
        n,
        n,
        n,
        (wanted, junk, more) => boundOf({ wanted: wanted + more, junk }) >= boundOf({ wanted, junk }),
      ),
    )
  })
  test('property: an adversary’s text stays within it, whatever it is made of', () => {
    const knowledge = knowledgeOf(lessonsOf(140))
    const bound = boundOf(knowledge.total)
    const word = fc.constantFrom(
      'timetable',
      'drydock',
      'berth',
      'lottery',
      'please',
      'voucher',
      'x'.repeat(24),
    )
    fc.assert(
      fc.property(fc.array(word, { maxLength: 300 }), tokens => {
        const said = classify(tokens, knowledge)?.logOdds ?? 0
        return Number.isFinite(said) && Math.abs(said) <= bound
      }),
    )
  })
})
