import { describe, expect, test } from 'vitest'
import type { Address } from '@pendro/core/address'
import { bandsOf, clusterKey, likeness, sketchOf } from '@pendro/core/clusters'
import { readDirectoryCsv } from '@pendro/core/directory'
import { mostContacts, readContacts, readList, tidyPattern, writeJson } from '@pendro/core/lists'
import { conditionsLike, rulesReach, type SeenByRules } from '@pendro/core/mailboxes'
import type { RuleVerdict } from '@pendro/core/mail-rules'
import { noAuthentication, parsePattern, type SenderEntry } from '@pendro/core/senders'
import { bareName, visibleName } from '@pendro/core/text'
import { countReach } from '@pendro/core/rulings'
import { comparePrecedence } from '@pendro/core/upkeep'
import { readWhen } from '@pendro/core/whereabouts'
import { readHtml } from '@pendro/core/message'

/** Edges that mutation testing found nobody to notice (docs/mutation.md). */
const bytes = (text: string) => Buffer.from(text)

type Called = 'wanted' | 'junk' | null

/** A message of one sender that a mailbox got before. */
const seenOf = (from: Address, calledByPerson: Called, score: number) => ({
  count: 1,
  calledByPerson,
  mailbox: {
    mailboxId: 1,
    limits: { junk: 40, quarantined: 60, nearCertain: 90 },
    usesSetAside: false,
    filtering: true,
  },
  facts: {
    sender: {
      from: [from],
      envelopeFrom: null,
      sender: null,
      listId: null,
      authentication: noAuthentication,
    },
    harm: null,
    score,
    bulk: false,
    unreadable: false,
    rules: [],
  },
})

describe('contacts', () => {
  const read = (text: string, name = 'list.txt') => readContacts({ bytes: bytes(text), name })

  test('what names no address is told with its line and why, fifty of them at most, and counted all', () => {
    const { addresses, left, leftLines } = read('anna@x.example\nx.example\nnot a sender at all\n')
    expect(addresses).toEqual(['anna@x.example'])
    expect(left).toEqual([
      { line: 2, typed: 'x.example', why: 'no-address' },
      { line: 3, typed: 'not a sender at all', why: expect.not.stringMatching(/^no-address$/) as string },
    ])
    expect(leftLines).toBe(2)
    const many = read(Array.from({ length: 70 }, (_, i) => `d${i}.example`).join('\n'))
    expect([many.left.length, many.leftLines]).toEqual([50, 70])
  })
  test('as many as anybody knows, and one more is a file of something else', () => {
    const of = (n: number) => read(Array.from({ length: n }, (_, i) => `a${i}@x.example`).join('\n'))
    expect(of(mostContacts).addresses).toHaveLength(mostContacts)
    expect(of(mostContacts + 1)).toMatchObject({ addresses: [], problem: 'too-many' })
  })
  test('cards: one that never ended is told at its own line, before and after others', () => {
    const card = (name: string, mail: string) =>
      `BEGIN:VCARD\nVERSION:4.0\nFN:${name}\nEMAIL:${mail}\nEND:VCARD`
    const broken = 'BEGIN:VCARD\nVERSION:4.0\nFN:Cut off'
    const text = [
      broken,
      card('Anna', 'anna@x.example'),
      ' NOTE:END:VCARD',
      card('Bo', 'bo@x.example'),
      broken,
    ].join('\n')
    const found = readList(bytes(text), { name: 'a.vcf' })
    const lines = found.ok ? [...found.value.lines] : []
    expect(
      lines.map(({ line, entry }) => [
        line,
        entry.ok ? entry.value.withoutAuthentication : entry.problem.code,
      ]),
    ).toEqual([
      [1, 'bad-card'],
      [4, false],
      [10, false],
      [15, 'bad-card'],
    ])
    expect(lines.at(-1)?.typed).toBe('VERSION:4.0')
    // The ending may have blanks behind it, and is an ending on a line of its own only.
    const blank = readList(bytes(card('Anna', 'anna@x.example').replace('END:VCARD', 'END:VCARD  ')), {
      name: 'a.vcf',
    })
    expect(blank.ok && [...blank.value.lines].map(({ entry }) => entry.ok)).toEqual([true])
    const inside = readList(
      bytes('BEGIN:VCARD\nVERSION:4.0\nFN:A\nEND:VCARDS\nEMAIL:a@x.example\nEND:VCARD'),
      { name: 'a.vcf' },
    )
    expect(inside.ok && [...inside.value.lines]).toHaveLength(1)
  })
})

describe('lists', () => {
  const entryOf = (text: string, name = 'list.txt') => {
    const read = readList(bytes(text), { name })
    const [line] = read.ok ? [...read.value.lines] : []
    if (!line) return null
    return line.entry.ok ? line.entry.value : line.entry.problem.code
  }
  test.each([
    ['safe a@x.example until 2027-01-02', '2027-01-02'],
    ['safe a@x.example   until   2027-01-02', '2027-01-02'],
    ['a@x.example UNTIL 2027-01-02', '2027-01-02'],
    ['a@x.example', null],
  ])('%s', (text, until) => expect(entryOf(text)).toMatchObject({ until }))
  test.each(['a@x.example until 2027-01-02x', 'a@x.example until 12027-01-02', 'a@x.example until 2027-1-2'])(
    '%s names no day, and no sender',
    text => expect(typeof entryOf(text)).toBe('string'),
  )
  test('JSON: only true lets in what proves nothing; what was written is read again', () => {
    const item = (more: object) =>
      entryOf(JSON.stringify([{ pattern: 'a@x.example', standing: 'safe', ...more }]), 'a.json')
    expect(item({ withoutAuthentication: true })).toMatchObject({ withoutAuthentication: true })
    for (const value of [false, 'true', 1, undefined])
      expect(item({ withoutAuthentication: value })).toMatchObject({ withoutAuthentication: false })
    expect(item({ pattern: 'no pattern at all' })).toEqual(expect.any(String))
    const pattern = parsePattern('a@x.example')
    if (!pattern.ok) throw new Error('no pattern')
    const entry = {
      pattern: pattern.value,
      standing: 'blocked',
      until: null,
      reason: '',
      withoutAuthentication: true,
      keptBy: '',
      binding: false,
    } as const
    expect(JSON.parse(writeJson([entry]))).toEqual({
      list: 'senders',
      entries: [{ ...entry, pattern: 'a@x.example' }],
    })
  })
  test.each([
    ['Anna Bee <anna@x.example>', 'anna@x.example'],
    ['"Bee, Anna" <anna@x.example>', 'anna@x.example'],
    ['A<anna@x.example>', 'anna@x.example'],
    ['<list.x.example>', '<list.x.example>'],
    ['<anna@x.example>', '<anna@x.example>'],
    ['  <anna@x.example>', '<anna@x.example>'],
    ['A <b> <anna@x.example>', 'A <b> <anna@x.example>'],
    ['Anna <anna@x.example> and others', 'Anna <anna@x.example> and others'],
    ['mailto:', ''],
    ['mailto:anna%40x.example?subject=Hi', 'anna@x.example'],
  ])('pasted: %s', (typed, pattern) => expect(tidyPattern(typed)).toBe(pattern))
})

describe('tables of mailboxes', () => {
  const linesOf = (text: string) => {
    const read = readDirectoryCsv(bytes(text))
    return read.ok ? read.value.lines : []
  }
  test('headings in any case, with blanks; a column nobody knows, and one that is missing, say nothing', () => {
    expect(linesOf(' Address , NAME ,Shoe size\nanna@x.example,Anna,42\nbo@x.example')).toEqual([
      { line: 2, address: 'anna@x.example', fields: { name: 'Anna' } },
      { line: 3, address: 'bo@x.example', fields: {} },
    ])
  })
  test.each([
    ["'=SUM(A1)", '=SUM(A1)'],
    ["'+47 Port", '+47 Port'],
    ["'-Deck", '-Deck'],
    ["'Deck'", "'Deck'"],
    ["O'=Neill", "O'=Neill"],
    ['=Deck', '=Deck'],
  ])('an apostrophe that kept a spreadsheet from calculating goes: %s', (cell, name) => {
    expect(linesOf(`address,name\nanna@x.example,${cell}`)[0]?.fields).toEqual({ name })
  })
})

describe('names of files', () => {
  test.each([
    ['C:\\docs\\report.pdf', 'report.pdf'],
    ['/folder/a/b.exe', 'b.exe'],
    ['b.exe/', 'b.exe'],
    ['a\\b.exe\\\\. .', 'b.exe'],
    ['a/b.exe/ ', 'b.exe'],
    ['first\nsecond/b.exe', 'b.exe'],
    ['x/b', 'b'],
    ['plain.txt', 'plain.txt'],
    ['folder/.hidden', '.hidden'],
  ])('%j is shown as %s', (name, shown) => expect(visibleName(name)[0]).toBe(shown))
  test('a name is bounded after its end was tidied', () => {
    expect(bareName(`${'a'.repeat(300)}.exe. . .`)).toHaveLength(255)
    expect(bareName('a.exe. . ')).toBe('a.exe')
  })
})

describe('rules and lists', () => {
  const from = { local: 'a', tag: null, domain: 'x.example' }
  test('a rule like a message begins with its list, else its sender', () => {
    expect(conditionsLike({ from: [from], listId: 'list.x.example' })).toEqual([
      { field: 'list', test: 'is', values: ['list.x.example'] },
    ])
    expect(conditionsLike({ from: [from], listId: null })).toEqual([
      { field: 'from', test: 'is', values: ['a@x.example'] },
    ])
    expect(conditionsLike({ from: [], listId: null })).toEqual([])
  })

  const verdict = (more: Partial<RuleVerdict>): RuleVerdict => ({
    id: 1,
    name: 'r',
    owner: 'organisation',
    hold: null,
    place: null,
    folder: '',
    important: false,
    stop: false,
    ...more,
  })
  const seen = (
    deliveryId: number,
    calledByPerson: Called,
    {
      score = 10,
      before = [],
      after = [],
    }: { score?: number; before?: RuleVerdict[]; after?: RuleVerdict[] },
  ): SeenByRules => ({
    ...seenOf(from, calledByPerson, score),
    deliveryId,
    before,
    after,
  })
  const reach = (...mail: SeenByRules[]) =>
    rulesReach(mail, new Set([1]), [], { policy: { ownDomains: ['harbour.example'] }, now: 0 })
  const letIn = verdict({ hold: 'let-in' })

  test('wanted mail that would be held is counted, and harm that would come in; nothing else', () => {
    const found = reach(
      seen(1, 'wanted', { after: [letIn] }),
      seen(2, 'junk', { score: 95, after: [letIn] }),
      seen(3, 'wanted', { score: 95, after: [letIn] }),
      seen(4, 'wanted', { score: 95, before: [letIn] }),
      seen(5, 'junk', { score: 95, before: [letIn] }),
    )
    expect(found).toMatchObject({ looked: 5, matched: 5, changed: 4, wantedHeld: 1, harmfulLetIn: 1 })
  })
  test('a mark alone is a change of the rules, and of no place', () => {
    const marked = verdict({ id: 2, important: true })
    const found = reach(
      seen(1, null, { after: [marked] }),
      seen(2, null, { before: [marked], after: [marked] }),
    )
    expect(found).toMatchObject({ matched: 0, changed: 0 })
  })

  const entry = (standing: 'safe' | 'blocked', mailbox: boolean): SenderEntry =>
    ({
      id: 1,
      pattern: { kind: 'domain', domain: 'x.example' },
      standing,
      owner: mailbox ? { kind: 'mailbox', mailboxId: 1 } : { kind: 'organisation' },
      binding: false,
      withoutAuthentication: false,
      until: null,
      reason: '',
    }) as unknown as SenderEntry
  test.each([
    ['a colleague’s safe one before their blocked one', true, 1],
    ['the organisation’s blocked one before its safe one', false, -1],
  ])('%s', (_what, mailbox, sign) => {
    expect(comparePrecedence(entry('safe', mailbox), entry('blocked', mailbox))).toBe(sign)
    expect(comparePrecedence(entry('blocked', mailbox), entry('safe', mailbox))).toBe(-sign)
    expect(comparePrecedence(entry('safe', mailbox), entry('safe', mailbox))).toBe(0)
  })
})

describe('texts that are alike', () => {
  /** Words of letters alone: digits are no part of a text's likeness. */
  const word = (n: number): string => [...String(n)].map(digit => 'klmnoprstu'[Number(digit)]).join('')
  const words = (n: number, from = 0) => Array.from({ length: n }, (_, i) => `w${word(from + i)}`).join(' ')
  test('blanks, addresses and links of any length make no other text; words do', () => {
    const key = (text: string) => clusterKey({ subject: 'Offer', text, messageId: null })
    expect(key('see  https://a.example/x now')).toBe(key('see https://bb.example/yyy now'))
    expect(key('write to a@x.example today')).toBe(key('write  to other@y.example today'))
    expect(key('see now')).not.toBe(key('see then'))
  })
  test('the same is 1, nothing in common is 0; of long texts it is an estimate between', () => {
    const [short, other] = [sketchOf({ text: words(40) }), sketchOf({ text: words(40, 1000) })]
    expect(likeness(short, short)).toBe(1)
    expect(likeness(short, other)).toBe(0)
    const [long, half] = [
      sketchOf({ text: words(3000) }),
      sketchOf({ text: `${words(1500)} ${words(1500, 9000)}` }),
    ]
    expect(likeness(long, long)).toBe(1)
    expect(likeness(long, half)).toBeGreaterThan(0.2)
    expect(likeness(long, half)).toBeLessThan(0.5)
    expect(likeness(short, long)).toBeLessThan(0.2)
    expect(bandsOf(short)).toHaveLength(16)
    expect(bandsOf(sketchOf({ text: '' }))).toEqual([])
  })
})

describe('colours', () => {
  const hidden = (style: string) =>
    readHtml(`<p>seen</p><p style="background:#ffffff;${style}">secret</p>`).hiddenText
  test.each([
    ['color:#ffffff', 'secret'],
    ['color:ffffff', 'secret'],
    ['color:#fff', 'secret'],
    ['color:#123456', ''],
    ['color:#ffffffff0', ''],
    ['color:x#ffffff', ''],
  ])('%s on white', (style, text) => expect(hidden(style)).toBe(text))
  test('the attribute of old mail counts, too', () => {
    expect(
      readHtml('<p>seen</p><div bgcolor="#ffffff"><font color="#ffffff">secret</font></div>').hiddenText,
    ).toBe('secret')
    expect(
      readHtml('<p>seen</p><table bgcolor="#ffffff"><tr><td color="#ffffff">secret</td></tr></table>').text,
    ).toContain('seen')
  })
})

describe('times that are none', () => {
  const now = Date.UTC(2026, 10, 26, 12)
  const read = (text: string) => readWhen(text, { now, timeZone: 'Europe/Oslo' })
  test.each(['0 days ago', 'in the last 0 hours', '2 weekends ago'])('%s is not understood', text => {
    expect(read(text).ok).toBe(false)
  })
  test.each(['1 day ago', 'last 2 hours', '2 weeks ago'])('%s is', text => expect(read(text).ok).toBe(true))
})

describe('whom a proposal would free', () => {
  const pattern = parsePattern('x.example')
  if (!pattern.ok) throw new Error('no pattern')
  const add = {
    pattern: pattern.value,
    standing: 'safe',
    owner: { kind: 'organisation' },
    binding: false,
    withoutAuthentication: true,
    until: null,
    reason: '',
  }
  const mail = (local: string, calledByPerson: Called, score: number) =>
    seenOf({ local, tag: null, domain: 'x.example' }, calledByPerson, score)
  const freed = (...seen: ReturnType<typeof mail>[]) => {
    const counting = countReach({ add: [add], end: [] } as never, [], {
      policy: { ownDomains: ['harbour.example'] },
      now: 0,
    } as never)
    for (const one of seen) counting.see(one as never)
    return counting.freed().map(({ from }) => from[0]?.local)
  }
  test('those whose mail somebody wanted; where nobody said so, those in doubt', () => {
    const wanted = mail('anna', 'wanted', 70)
    const doubtful = mail('bo', null, 70)
    expect(freed(wanted, doubtful)).toEqual(['anna'])
    expect(freed(doubtful)).toEqual(['bo'])
    expect(freed(mail('cy', 'junk', 70))).toEqual([])
    // What came through before is freed by nothing.
    expect(freed(mail('di', 'wanted', 10))).toEqual([])
  })
})
