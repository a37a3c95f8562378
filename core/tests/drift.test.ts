import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { findDrift, wilsonLow, type DriftSample } from '@pendro/core/calibration'
import { languageOf } from '@pendro/core/language'

// Expected values by SciPy: binomtest(part, whole).proportion_ci(0.95, 'wilson').low.
describe('the lower end of Wilson’s interval, against SciPy', () => {
  test.each([
    [5, 5, 0.5655175352168251],
    [7, 9, 0.4525889691069889],
    [50, 100, 0.4038315303659956],
    [0, 3, 0],
    [1, 40, 0.004426831502681396],
  ])('%d of %d', (part, whole, low) => expect(wilsonLow(part, whole)).toBeCloseTo(low, 9))
  test('of nothing', () => expect(wilsonLow(0, 0)).toBe(0))
})

let id = 0
const some = (
  count: number,
  wrong: number,
  of: Partial<DriftSample['of']> = {},
  isJunk = false,
): readonly DriftSample[] =>
  Array.from({ length: count }, (_, i) => {
    id += 1
    return {
      id,
      isJunk,
      isWrong: i < wrong,
      of: { sender: `s${id}.example`, language: 'en', mail: 'personal', ...of },
    }
  })

describe('where judgement is often wrong', () => {
  const right = some(100, 5)
  test('a sender whose mail is kept back again and again though wanted', () => {
    const group = some(6, 6, { sender: 'x.example' })
    const [found, ...more] = findDrift([...right, ...group])
    expect(found).toMatchObject({
      kind: 'sender',
      value: 'x.example',
      rulings: 6,
      wrong: 6,
      held: 6,
      missed: 0,
    })
    expect(found?.ids).toEqual(group.map(one => one.id).reverse())
    expect(more).toEqual([])
  })
  test.each([
    ['four mistakes', some(4, 4, { sender: 'x.example' })],
    ['less than half', some(20, 9, { sender: 'x.example' })],
    ['nothing to tell it by', some(9, 9, { sender: '', language: '', mail: '' })],
  ])('%s: no finding', (_, group) =>
    expect(findDrift([...right, ...group]).filter(({ kind }) => kind === 'sender')).toEqual([]),
  )
  test('no more often than everywhere: people rule on mistakes', () =>
    expect(findDrift([...some(90, 70), ...some(10, 8, { sender: 'x.example' })])).toEqual([]))
  test('a language; and what one sender explains is no matter of its language', () => {
    const german = some(8, 8, { language: 'de' })
    expect(findDrift([...right, ...german])).toMatchObject([{ kind: 'language', value: 'de', wrong: 8 }])
    const one = some(8, 8, { language: 'de', sender: 'x.example' })
    expect(findDrift([...right, ...one]).map(({ kind }) => kind)).toEqual(['sender'])
  })
  test('junk that gets through is told apart', () =>
    expect(findDrift([...right, ...some(7, 7, { mail: 'bulk' }, true)])).toMatchObject([
      { kind: 'mail', value: 'bulk', held: 0, missed: 7 },
    ]))
  test('property: each finding adds up, and half of it at least is wrong', () => {
    const sample = fc.record({
      id: fc.nat(),
      isJunk: fc.boolean(),
      isWrong: fc.boolean(),
      of: fc.record({
        sender: fc.constantFrom('a', 'b', ''),
        language: fc.constantFrom('de', 'en', ''),
        mail: fc.constantFrom('bulk', 'personal'),
      }),
    })
    fc.assert(
      fc.property(fc.array(sample, { maxLength: 80 }), samples => {
        for (const { kind, value, wrong, rulings, held, missed, ids } of findDrift(samples)) {
          expect(held + missed).toBe(wrong)
          expect(ids).toHaveLength(wrong)
          expect(wrong * 2).toBeGreaterThanOrEqual(rulings)
          expect(rulings).toBeLessThanOrEqual(samples.filter(({ of }) => of[kind] === value).length)
        }
      }),
    )
  })
})

describe('the language of a text', () => {
  test.each([
    [
      'en',
      'The crossing at nine is cancelled because of the weather, and the next boat leaves at noon from the other quay.',
    ],
    [
      'de',
      'Die Überfahrt um neun Uhr fällt wegen des Wetters aus, das nächste Schiff fährt um zwölf vom anderen Kai.',
    ],
    [
      'pl',
      'Rejs o dziewiątej został odwołany z powodu pogody, następny prom odpłynie w południe z drugiego nabrzeża.',
    ],
    [
      'fr',
      'La traversée de neuf heures est annulée à cause du mauvais temps, le prochain bateau part à midi de l’autre quai.',
    ],
    [
      'ja',
      '天候不良のため九時の便は欠航となりました。次の船は正午に反対側の埠頭から出発しますのでご注意ください。お問い合わせは港の事務所までお願いいたします。',
    ],
  ])('%s', async (language, text) => expect(await languageOf(text)).toBe(language))
  test.each([
    ['too short', 'See you on Sunday'],
    ['nothing', ''],
    ['numbers only', '1234567890 '.repeat(50)],
    ['pictures only', '🚢'.repeat(200)],
  ])('%s: not to be told', async (_, text) => expect(await languageOf(text)).toBeNull())
  test('a text without end is read in part', async () =>
    expect(await languageOf('ferry and harbour '.repeat(1_000_000))).not.toBe(''))
})
