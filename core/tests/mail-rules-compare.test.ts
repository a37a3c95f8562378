import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  compareRules,
  readRules,
  writeRules,
  type ReadRule,
  type RuleCondition,
} from '@pendro/core/mail-rules'

const rule = (name: string, more: Partial<ReadRule> = {}): ReadRule => ({
  name,
  needs: 'all',
  conditions: [{ field: 'from', test: 'contains', values: [`${name}.example`] }],
  action: { hold: null, place: { kind: 'folder', folder: 'Yard' }, important: false, stop: false },
  ...more,
})
const [lamps, yard, desk] = [rule('lamps'), rule('yard'), rule('desk')]
const same = { there: [], here: [], isReordered: false }

describe('what two scripts differ in, as rules', () => {
  test.each<[string, readonly ReadRule[], readonly ReadRule[], object]>([
    ['nothing', [lamps, yard], [lamps, yard], same],
    ['nothing at all', [], [], same],
    ['one more there', [lamps, yard], [lamps], { ...same, there: [yard] }],
    ['one more here', [lamps], [lamps, yard], { ...same, here: [yard] }],
    ['the order', [yard, lamps], [lamps, yard], { ...same, isReordered: true }],
    ['one in the middle', [lamps, desk, yard], [lamps, yard], { ...same, there: [desk] }],
    [
      'one in the middle, and the order',
      [yard, desk, lamps],
      [lamps, yard],
      { there: [desk], here: [], isReordered: true },
    ],
    ['one that stands twice', [lamps, lamps], [lamps], { ...same, there: [lamps] }],
    [
      'a name',
      [rule('lamps', { name: 'lights' })],
      [lamps],
      { ...same, there: [rule('lamps', { name: 'lights' })], here: [lamps] },
    ],
  ])('%s', (_, there, here, expected) => {
    expect(compareRules(there, here)).toEqual(expected)
  })

  test.each<[string, Partial<ReadRule>]>([
    ['another folder', { action: { ...lamps.action, place: { kind: 'folder', folder: 'Quay' } } }],
    ['another place', { action: { ...lamps.action, place: { kind: 'inbox' } } }],
    ['what it holds', { action: { ...lamps.action, hold: 'junk' } }],
    ['a mark', { action: { ...lamps.action, important: true } }],
    ['an end', { action: { ...lamps.action, stop: true } }],
    ['a value more', { conditions: [{ field: 'from', test: 'contains', values: ['lamps.example', 'x'] }] }],
    ['another test', { conditions: [{ field: 'from', test: 'is', values: ['lamps.example'] }] }],
    ['another field', { conditions: [{ field: 'to', test: 'contains', values: ['lamps.example'] }] }],
    ['a size', { conditions: [...lamps.conditions, { field: 'size', test: 'over', bytes: 9 }] }],
  ])('%s makes it another rule', (_, more) => {
    const other = { ...lamps, ...more }
    expect(compareRules([other], [lamps])).toEqual({ ...same, there: [other], here: [lamps] })
  })

  test('of a single condition all and any say the same, of two they do not', () => {
    expect(compareRules([{ ...lamps, needs: 'any' }], [lamps])).toEqual(same)
    const two = { ...lamps, conditions: [...lamps.conditions, ...yard.conditions] }
    expect(compareRules([{ ...two, needs: 'any' }], [two])).toMatchObject({ isReordered: false, here: [two] })
  })

  const some = fc.array(fc.constantFrom(lamps, yard, desk, rule('four')), { maxLength: 8 })
  const count = (rules: readonly ReadRule[], name: string) => rules.filter(one => one.name === name).length

  test('property: each rule is counted once, on the side that has more of it', () => {
    fc.assert(
      fc.property(some, some, (there, here) => {
        const only = compareRules(there, here)
        for (const { name } of [...there, ...here]) {
          const more = count(there, name) - count(here, name)
          expect(count(only.there, name)).toBe(Math.max(more, 0))
          expect(count(only.here, name)).toBe(Math.max(-more, 0))
        }
      }),
    )
  })

  const conditions = fc.array(
    fc.oneof(
      fc.record({
        field: fc.constantFrom('from', 'to', 'subject', 'body', 'list'),
        test: fc.constantFrom('contains', 'is', 'begins'),
        values: fc.uniqueArray(fc.stringMatching(/^[a-z"\\${}*?]{1,8}$/), { minLength: 1, maxLength: 3 }),
      }) as fc.Arbitrary<RuleCondition>,
      fc.record({
        field: fc.constant('size'),
        test: fc.constantFrom('over', 'under'),
        bytes: fc.nat(1_000_000),
      }) as fc.Arbitrary<RuleCondition>,
    ),
    { minLength: 1, maxLength: 3 },
  )

  test('property: what is written and read back differs in nothing', () => {
    fc.assert(
      fc.property(fc.array(conditions, { minLength: 1, maxLength: 3 }), all => {
        const rules = all.map((one, i) => rule(`r${i}`, { conditions: one }))
        const read = readRules(writeRules(rules, null, { settles: true }).script)
        expect(read.ok && compareRules(read.value.rules, rules)).toEqual(same)
      }),
    )
  })
})
