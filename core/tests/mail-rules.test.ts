import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseMailboxes } from '../src/address/index.ts'
import { matchingRules, type MailRule, type RuleCondition } from '../src/mail-rules/index.ts'

type Readable = Parameters<typeof matchingRules>[1]

const message = (more: Partial<Readable> = {}): Readable => ({
  from: parseMailboxes('"Halyard Print" <Proofs@Halyard-Print.example>'),
  to: parseMailboxes('ingrid@harbour.example'),
  cc: [],
  subject: 'Timetable proof 12',
  listId: null,
  text: 'Proof 12 is ready.',
  ...more,
})
const condition = (
  field: RuleCondition['field'],
  testName: RuleCondition['test'],
  text: string,
): RuleCondition => ({
  field,
  test: testName,
  text,
})
const rule = (conditions: readonly RuleCondition[], more: Partial<MailRule> = {}): MailRule => ({
  id: 1,
  name: 'Proofs',
  needs: 'all',
  conditions,
  action: { kind: 'folder', folder: 'Print' },
  ...more,
})
const holds = (one: RuleCondition, of: Readable = message()) => matchingRules([rule([one])], of).length === 1

describe('match types', () => {
  // RFC 5228 §2.7.1 and §5.7, its own examples (from memory of the RFC's text).
  test.each([
    ['frobnitzm', 'contains', 'frob', true],
    ['frobnitzm', 'contains', 'nit', true],
    ['frobnitzm', 'contains', 'fbm', false],
    ['frobnitzm', 'is', 'frobnitzm', true],
    ['frobnitzm', 'is', 'frob', false],
    ['frobnitzm', 'matches', 'frob*', true],
    ['frobnitzm', 'matches', 'frobnitz?', true],
    ['frobnitzm', 'matches', 'frobnitzm?', false],
    ['frop', 'matches', 'f?op', true],
    ['a\\*b', 'matches', '*\\**', true],
    ['axxb', 'matches', 'a\\*b', false],
    ['a*b', 'matches', 'a\\*b', true],
    ['a?b', 'matches', 'a\\?b', true],
    ['axb', 'matches', 'a\\?b', false],
    ['a\\b', 'matches', 'a\\\\b', true],
    ['', 'matches', '*', true],
    ['', 'matches', '?', false],
    ['abc', 'matches', 'a*b*c', true],
    ['abcb', 'matches', 'a*c', false],
  ] as const)('%j %s %j: %s', (subject, name, text, want) =>
    expect(holds(condition('subject', name, text), message({ subject }))).toBe(want),
  )

  // RFC 5051: no difference of case, nor of how an accented letter is composed.
  test.each([
    ['TIMETABLE', 'timetable', true],
    ['KAIPLASS ÅSE', 'kaiplass åse', true],
    ['a\u030Ase', 'Åse', true],
    ['Aase', 'Åse', false],
  ])('%j is %j: %s', (subject, text, want) =>
    expect(holds(condition('subject', 'is', text), message({ subject }))).toBe(want),
  )

  test('“?” is one character also where it takes two code units', () => {
    expect(holds(condition('subject', 'matches', 'a?b'), message({ subject: 'a🚢b' }))).toBe(true)
  })

  test('wildcards agree with a regular expression made of them', () => {
    const letters = fc.string({ unit: fc.constantFrom('a', 'b', '*', '?'), maxLength: 10 })
    let met = 0
    fc.assert(
      fc.property(letters, letters, (subject, pattern) => {
        const expression = pattern.replaceAll('*', '[^]*').replaceAll('?', '[^]')
        const want = new RegExp(`^(?:${expression})$`, 'u').test(subject)
        if (want) met += 1
        // Rules have no empty text; it would ask for an empty subject.
        if (pattern !== '')
          expect(holds(condition('subject', 'matches', pattern), message({ subject }))).toBe(want)
      }),
      { numRuns: 4000 },
    )
    expect(met).toBeGreaterThan(100)
  })

  test('a pattern made to be slow takes no more than length times length steps', () => {
    const subject = 'a'.repeat(20_000)
    expect(holds(condition('subject', 'matches', `${'a*'.repeat(200)}b`), message({ subject }))).toBe(false)
  })
})

describe('what is looked at', () => {
  const both = message({
    cc: parseMailboxes('Aksel <aksel@harbour.example>'),
    listId: 'proofs.print.example',
  })
  test.each([
    ['from', 'is', 'proofs@halyard-print.example', true],
    ['from', 'is', 'halyard print', true],
    ['from', 'matches', '*@halyard-print.example', true],
    ['from', 'matches', '*@print.example', false],
    ['from', 'contains', 'ingrid', false],
    ['to', 'is', 'ingrid@harbour.example', true],
    ['to', 'is', 'aksel', true],
    ['to', 'contains', 'halyard', false],
    ['list', 'is', 'proofs.print.example', true],
    ['list', 'contains', 'halyard', false],
    ['subject', 'contains', 'is ready', false],
    ['body', 'contains', 'is ready', true],
  ] as const)('%s %s %j: %s', (field, name, text, want) =>
    expect(holds(condition(field, name, text), both)).toBe(want),
  )

  test('without a list there is nothing a condition on it could fit', () => {
    expect(holds(condition('list', 'matches', '*'))).toBe(false)
  })
})

describe('rules', () => {
  const yes = condition('subject', 'contains', 'proof')
  const never = condition('subject', 'contains', 'berth')

  test.each([
    ['all', [yes, yes], true],
    ['all', [yes, never], false],
    ['any', [never, yes], true],
    ['any', [never, never], false],
    // A rule without conditions would take every message.
    ['all', [], false],
    ['any', [], false],
  ] as const)('needs %s of %j: %s', (needs, conditions, want) =>
    expect(matchingRules([rule(conditions, { needs })], message())).toHaveLength(want ? 1 : 0),
  )

  test('all that match are named, in their order, each with the place it would put the message', () => {
    const rules = [
      rule([never], { id: 7 }),
      rule([yes], { id: 9, name: 'Junk', action: { kind: 'junk' } }),
      rule([yes], { id: 3 }),
      rule([yes], { id: 5, name: 'Keep', action: { kind: 'inbox' } }),
    ]
    expect(matchingRules(rules, message())).toEqual([
      { id: 9, name: 'Junk', place: 'junk', folder: '' },
      { id: 3, name: 'Proofs', place: 'moved', folder: 'Print' },
      { id: 5, name: 'Keep', place: 'inbox', folder: '' },
    ])
  })
})

describe('domains in other scripts: a rule and a message may be written either way', () => {
  test.each([
    ['bücher.example', 'xn--bcher-kva.example'],
    ['xn--bcher-kva.example', 'bücher.example'],
    ['BÜCHER.example', 'xn--bcher-kva.example'],
    ['bücher', 'xn--bcher-kva.example'],
    ['bücher.example', 'news.xn--bcher-kva.example'],
  ])('%s asked of %s', (asked, written) => {
    const from = message({ from: parseMailboxes(`Shop <info@${written}>`) })
    expect(holds(condition('from', 'contains', asked), from)).toBe(true)
    expect(holds(condition('list', 'contains', asked), message({ listId: `offers.${written}` }))).toBe(true)
    expect(holds(condition('from', 'contains', 'bucher.example'), from)).toBe(false)
    expect(holds(condition('from', 'contains', 'xn--bcher-abc'), from)).toBe(false)
  })
  test('an address is exactly itself in both', () => {
    const from = message({ from: parseMailboxes('info@xn--bcher-kva.example') })
    expect(holds(condition('from', 'is', 'info@bücher.example'), from)).toBe(true)
    expect(holds(condition('from', 'is', 'info@xn--bcher-kva.example'), from)).toBe(true)
    expect(holds(condition('from', 'matches', 'info@bü?her.*'), from)).toBe(true)
    expect(holds(condition('from', 'is', 'bücher.example'), from)).toBe(false)
  })
})
