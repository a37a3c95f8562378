import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseMailboxes } from '../src/address/index.ts'
import {
  conditionsKey,
  matchingRules,
  rulesWork,
  settleRules,
  verdictOf,
  type MailRule,
  type RuleAction,
  type RuleCondition,
  type RuleTest,
  type RuleVerdict,
  type RuleView,
  type TextField,
} from '../src/mail-rules/index.ts'
import { ruleView } from '../src/message/index.ts'

type Readable = Parameters<typeof ruleView>[0]

const message = ({ size = 2000, ...more }: Partial<Readable> & { size?: number } = {}): RuleView =>
  ruleView(
    {
      from: parseMailboxes('"Halyard Print" <Proofs@Halyard-Print.example>'),
      to: parseMailboxes('ingrid@harbour.example'),
      cc: [],
      subject: 'Timetable proof 12',
      listId: null,
      text: 'Proof 12 is ready.',
      attachments: [],
      ...more,
    },
    size,
  )
const condition = (field: TextField, testName: RuleTest, ...values: readonly string[]): RuleCondition => ({
  field,
  test: testName,
  values,
})
const into = (folder: string): RuleAction => ({
  hold: null,
  place: { kind: 'folder', folder },
  important: false,
  stop: false,
})
const does = (more: Partial<RuleAction>): RuleAction => ({
  hold: null,
  place: null,
  important: false,
  stop: false,
  ...more,
})
const rule = (conditions: readonly RuleCondition[], more: Partial<MailRule> = {}): MailRule => ({
  id: 1,
  name: 'Proofs',
  owner: 'mailbox',
  needs: 'all',
  conditions,
  action: into('Print'),
  ...more,
})
const holds = (one: RuleCondition, of: RuleView = message()) => matchingRules([rule([one])], of).length === 1

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
    ['subject', 'begins', 'timetable', true],
    ['subject', 'begins', 'proof', false],
    ['attachment', 'contains', 'proof', false],
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
      rule([yes], { id: 9, name: 'Junk', action: does({ hold: 'junk' }) }),
      rule([yes], { id: 3 }),
      rule([yes], { id: 5, name: 'Keep', action: does({ hold: 'let-in', place: { kind: 'inbox' } }) }),
      rule([yes], {
        id: 6,
        name: 'Mark',
        owner: 'organisation',
        action: does({ important: true, stop: true }),
      }),
    ]
    const plain = { owner: 'mailbox', folder: '', important: false, stop: false }
    expect(matchingRules(rules, message())).toEqual([
      { ...plain, id: 9, name: 'Junk', hold: 'junk', place: null },
      { ...plain, id: 3, name: 'Proofs', hold: null, place: 'moved', folder: 'Print' },
      { ...plain, id: 5, name: 'Keep', hold: 'let-in', place: 'inbox' },
      {
        ...plain,
        id: 6,
        name: 'Mark',
        owner: 'organisation',
        hold: null,
        place: null,
        important: true,
        stop: true,
      },
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

describe('several values, attachments and size', () => {
  test.each([
    [['berth', 'proof'], true],
    [['berth', 'quay'], false],
    [['berth'], false],
  ])('of %j one is enough: %s', (values, want) =>
    expect(holds(condition('subject', 'contains', ...values))).toBe(want),
  )

  const attached = (name: string, trueType: string, more: object = {}) =>
    message({
      attachments: [
        {
          name,
          declaredType: 'application/octet-stream',
          trueType,
          size: 1,
          contentId: null,
          inline: false,
          danger: null,
          note: '',
          ...more,
        },
      ],
    })
  // Registered media types, and the kind a person would call it.
  test.each([
    ['application/pdf', 'pdf'],
    ['application/vnd.openxmlformats-officedocument.wordprocessingml.document', 'document'],
    ['application/vnd.oasis.opendocument.text', 'document'],
    ['application/vnd.openxmlformats-officedocument.spreadsheetml.sheet', 'table'],
    ['application/vnd.oasis.opendocument.spreadsheet', 'table'],
    ['text/csv', 'table'],
    ['application/vnd.openxmlformats-officedocument.presentationml.presentation', 'slides'],
    ['image/png', 'picture'],
    ['audio/mpeg', 'sound'],
    ['video/mp4', 'film'],
    ['application/zip', 'archive'],
    ['application/x-7z-compressed', 'archive'],
    ['text/calendar', 'calendar'],
    ['message/rfc822', 'message'],
    ['application/x-msdownload', 'program'],
    ['text/plain', null],
    ['application/octet-stream', null],
  ] as const)('%s is a %s', (type, kind) => expect(attached('a.bin', type).attachments[0]?.kind).toBe(kind))

  test('a program is one by its content, whatever it is called', () => {
    const view = attached('invoice.pdf', 'application/octet-stream', { danger: 'executable' })
    expect(holds({ field: 'kind', test: 'is', values: ['program'] }, view)).toBe(true)
    expect(holds({ field: 'kind', test: 'is', values: ['pdf'] }, view)).toBe(false)
    expect(holds(condition('attachment', 'matches', '*.pdf'), view)).toBe(true)
  })
  test('what is shown inside the text is no attachment', () => {
    const view = attached('logo.png', 'image/png', { inline: true })
    expect(holds({ field: 'kind', test: 'is', values: ['picture'] }, view)).toBe(false)
  })

  // RFC 5228 §5.9: a message of exactly the size is neither over nor under it.
  test.each([
    ['over', 1999, true],
    ['over', 2000, false],
    ['under', 2000, false],
    ['under', 2001, true],
  ] as const)('2000 bytes are %s %d: %s', (name, bytes, want) =>
    expect(holds({ field: 'size', test: name, bytes })).toBe(want),
  )
})

describe('what rules say together', () => {
  const said = (more: Partial<RuleVerdict>): RuleVerdict => ({
    ...verdictOf(rule([condition('subject', 'contains', 'x')], { action: does({}) })),
    ...more,
  })
  const ids = (verdicts: readonly RuleVerdict[]) => {
    const { hold, place, important } = settleRules(verdicts)
    return [hold?.id ?? null, place?.id ?? null, important]
  }
  test.each([
    ['nothing', [], [null, null, false]],
    [
      'the first that answers a question answers it',
      [said({ id: 1, hold: 'junk' }), said({ id: 2, hold: 'let-in' })],
      [1, null, false],
    ],
    [
      'one holds, another places',
      [said({ id: 1, place: 'moved', folder: 'A' }), said({ id: 2, hold: 'let-in' })],
      [2, 1, false],
    ],
    [
      'a rule that stops ends its list',
      [said({ id: 1, important: true, stop: true }), said({ id: 2, hold: 'junk' })],
      [null, null, true],
    ],
    [
      '… and not the organisation’s',
      [said({ id: 1, stop: true, place: 'inbox' }), said({ id: 2, hold: 'junk', owner: 'organisation' })],
      [2, 1, false],
    ],
    [
      'the colleague’s own comes before the organisation’s',
      [said({ id: 1, hold: 'let-in' }), said({ id: 2, hold: 'junk', owner: 'organisation' })],
      [1, null, false],
    ],
  ] as const)('%s', (_name, verdicts, want) => expect(ids(verdicts)).toEqual(want))
})

describe('how rules did', () => {
  const proof = condition('subject', 'contains', 'proof')
  const rules = (...given: readonly Partial<MailRule>[]) =>
    given.map((more, i) => rule([proof], { id: i + 1, ...more }))
  const findings = (given: readonly MailRule[], subjects: readonly string[]) =>
    rulesWork(
      given,
      subjects.map(subject => matchingRules(given, message({ subject }))),
    ).map(({ matched, acted, finding }) => [
      matched,
      acted,
      finding?.kind ?? null,
      finding && 'by' in finding ? finding.by : null,
    ])
  const many = Array.from({ length: 30 }, (_, i) => (i < 3 ? `Proof ${i}` : `Berth ${i}`))

  test.each([
    ['at work', rules({}), [[3, 3, null, null]]],
    [
      'never matches',
      rules({ conditions: [condition('subject', 'contains', 'anchor')] }),
      [[0, 0, 'never', null]],
    ],
    [
      'takes everything',
      rules({ conditions: [condition('subject', 'matches', '*')] }),
      [[30, 30, 'everything', null]],
    ],
    [
      'everything it was asked',
      rules({ conditions: [condition('subject', 'contains', 'proof', 'berth')] }),
      [[30, 30, 'everything', null]],
    ],
    // The same but for order and case.
    [
      'repeats',
      rules(
        { conditions: [proof, condition('from', 'is', 'A')], needs: 'any' },
        { conditions: [condition('from', 'is', 'a'), proof], needs: 'any' },
      ),
      [
        [3, 3, null, null],
        [3, 0, 'repeats', 1],
      ],
    ],
    [
      'behind one that stops',
      rules({ action: { ...into('A'), stop: true } }, { action: into('B') }),
      [
        [3, 3, null, null],
        [3, 0, 'unreachable', 1],
      ],
    ],
    [
      'all it says was said',
      rules({}, { conditions: [condition('subject', 'begins', 'proof')], action: into('B') }),
      [
        [3, 3, null, null],
        [3, 0, 'unreachable', 1],
      ],
    ],
    [
      'places what another lets in',
      rules({ action: does({ hold: 'let-in' }) }, { action: into('B') }),
      [
        [3, 3, null, null],
        [3, 3, null, null],
      ],
    ],
  ] as const)('%s', (_name, given, want) => expect(findings(given, many)).toEqual(want))

  test('of little mail nothing is said that only much could show', () => {
    expect(findings(rules({ conditions: [condition('subject', 'contains', 'anchor')] }), ['a', 'b'])).toEqual(
      [[0, 0, null, null]],
    )
  })

  test('conditions are alike only when they match alike', () => {
    const words = fc.constantFrom('a', 'b', 'c')
    const some = fc.record({
      needs: fc.constantFrom('all' as const, 'any' as const),
      conditions: fc.array(
        fc
          .tuple(
            fc.constantFrom('contains' as const, 'is' as const),
            fc.array(words, { minLength: 1, maxLength: 2 }),
          )
          .map(([name, values]) => condition('subject', name, ...values)),
        { minLength: 1, maxLength: 2 },
      ),
    })
    fc.assert(
      fc.property(some, some, (one, other) => {
        if (conditionsKey(one) !== conditionsKey(other)) return
        for (const subject of ['', 'a', 'b', 'ab', 'abc', 'C']) {
          const matched = (of: typeof one) =>
            matchingRules([rule(of.conditions, { needs: of.needs })], message({ subject })).length
          expect(matched(one)).toBe(matched(other))
        }
      }),
      { numRuns: 2000 },
    )
  })
})
