import { spawnSync } from 'node:child_process'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  findAutomaticSign,
  findReferences,
  isReference,
  lastDigest,
  nearestReference,
  nextDigest,
  readReply,
  referenceCount,
  referenceOf,
  type DigestSchedule,
  type Reply,
} from '@pendro/core/digest'
import { momentOf } from '@pendro/core/calendar'

const anyReference = fc.nat({ max: referenceCount - 1 }).map(referenceOf)
const symbols = '23456789ABCDEFGHJKMNPQRTVWXYZ'

describe('references', () => {
  test('each number has its own, in a form that can be read out', () => {
    fc.assert(
      fc.property(fc.nat({ max: referenceCount - 1 }), n => {
        expect(referenceOf(n)).toMatch(/^[2-9A-HJ-NP-RTV-Z]{3}-[2-9A-HJ-NP-RTV-Z]{3}$/)
        expect(isReference(referenceOf(n))).toBe(true)
      }),
    )
    const some = Array.from({ length: 5000 }, (_, i) => referenceOf(i * 4001))
    expect(new Set(some).size).toBe(some.length)
  })
  test('every single slip and every swap of two is found out', () => {
    fc.assert(
      fc.property(
        anyReference,
        fc.nat({ max: 5 }),
        fc.nat({ max: 5 }),
        fc.constantFrom(...symbols),
        (reference, i, j, symbol) => {
          const plain = [...reference.replace('-', '')]
          const joined = (parts: readonly string[]) =>
            `${parts.slice(0, 3).join('')}-${parts.slice(3).join('')}`
          const slipped = joined(plain.with(i, symbol))
          if (slipped !== reference) expect(isReference(slipped)).toBe(false)
          const swapped = joined(plain.with(i, plain[j] ?? '').with(j, plain[i] ?? ''))
          if (swapped !== reference) expect(isReference(swapped)).toBe(false)
        },
      ),
      { numRuns: 3000 },
    )
  })
  test('a slip is told with the reference it was most likely meant to be, when only one is near', () => {
    const [a, b] = [referenceOf(123_456), referenceOf(9_876_543)]
    const slip = a.startsWith('Z') ? `Y${a.slice(1)}` : `Z${a.slice(1)}`
    expect(nearestReference(slip, [a, b])).toBe(a)
    expect(nearestReference('222-222', [a, b])).toBe(null)
    expect(nearestReference(slip, [a, `${a.slice(0, -1)}?`])).toBe(a)
  })
  test('two symbols that changed places are a slip; three that did, or two other ones, are not', () => {
    expect(nearestReference('K7Q-4MD', ['7KQ-4MD'])).toBe('7KQ-4MD')
    expect(nearestReference('K7Q-4MD', ['M7Q-4KD'])).toBe('M7Q-4KD')
    expect(nearestReference('K7Q-4MD', ['7QK-4MD'])).toBeNull()
    expect(nearestReference('K7Q-4MD', ['22Q-4MD'])).toBeNull()
    expect(nearestReference('K7Q-4MD', ['K7Q-4M'])).toBeNull()
    expect(nearestReference('K7Q-4MD', ['K7Q-4MX', 'K7Q-4MY'])).toBeNull()
  })
  test.each([-1, 0.5, referenceCount, Number.NaN])('%s stands for none', n =>
    expect(() => referenceOf(n)).toThrow(RangeError),
  )
})

describe('references in a text that people and programs have been at', () => {
  const [one, two] = [referenceOf(123_456), referenceOf(9_876_543)]
  const [first, last] = one.split('-') as [string, string]
  test.each([
    ['alone', one, [one]],
    ['in lower case, in a sentence', `Please send me ${one.toLowerCase()}, thank you.`, [one]],
    ['in brackets', `(${one})`, [one]],
    ['quoted twice', `> > Subject\n> > ${one}\n>> ${two}`, [one, two]],
    ['the same again', `${one} ${one}`, [one]],
    ['wrapped after the hyphen', `${first}-\n${last}`, [one]],
    ['wrapped inside a quotation', `> ${first}-\r\n> ${last}`, [one]],
    ['with a typographic hyphen', `${first}\u2011${last}`, [one]],
    ['as part of a longer code', `X${one}`, []],
    ['behind another hyphen', `ab-${one}`, []],
    ['with more behind it', `${one}7`, []],
    ['ordinary words', 'pre-war non-tax one-two', []],
    ['a date', '2026-11-24', []],
  ])('%s', (_, text, expected) => expect(findReferences(text).references).toEqual(expected))
  test('what has the form and is none is a slip; words are not', () => {
    const wrong = isReference('2A3-4B5') ? '2A3-4B6' : '2A3-4B5'
    expect(findReferences(`${wrong} and pre-war`).slips).toEqual([wrong])
  })
  test('long hostile text is read in no time', () => {
    expect(findReferences('A2-'.repeat(300_000)).references).toEqual([])
    expect(findReferences('abc-\n> '.repeat(150_000)).references).toEqual([])
  })
})

describe('what sent a reply', () => {
  const field = (name: string, value: string) => ({ name, value })
  test.each([
    // RFC 3834 §5: the field and its values; 'no' is what a person's program may say.
    ['auto-replied', [field('Auto-Submitted', 'auto-replied')], 'a@x.example', 'Re: x', 'auto-submitted'],
    [
      'auto-generated with a parameter',
      [field('auto-submitted', 'auto-generated; owner-email="a@x.example"')],
      'a@x.example',
      'Re: x',
      'auto-submitted',
    ],
    ['no', [field('Auto-Submitted', 'no')], 'a@x.example', 'Re: x', null],
    ['no, with a comment', [field('Auto-Submitted', 'no (a person)')], 'a@x.example', 'Re: x', null],
    // RFC 5230 §4.6 and RFC 3834 §2: lists, bulk, and senders that are nobody.
    ['bulk', [field('Precedence', 'bulk')], 'a@x.example', 'Re: x', 'precedence'],
    ['list', [field('List-Id', '<l.x.example>')], 'a@x.example', 'Re: x', 'list'],
    ['first class', [field('Precedence', 'first-class')], 'a@x.example', 'Re: x', null],
    ['an empty reverse-path', [], '', 'Re: x', 'empty-sender'],
    ['MAILER-DAEMON', [], 'MAILER-DAEMON@x.example', 'Re: x', 'robot-sender'],
    ['owner-list', [], 'owner-list@x.example', 'Re: x', 'robot-sender'],
    ['list-request', [], 'list-request@x.example', 'Re: x', 'robot-sender'],
    ['a person whose name begins so', [], 'ownerson@x.example', 'Re: x', null],
    // Common practice: notices of absence begin so, where their program does not say what it is.
    ['Automatic reply', [], 'a@x.example', 'Automatic reply: Held mail', 'subject'],
    ['Abwesenheitsnotiz', [], 'a@x.example', 'Abwesenheitsnotiz: Ihre Post', 'subject'],
    ['Automatisk svar', [], 'a@x.example', 'Automatisk svar: Post', 'subject'],
    ['Odpowiedź automatyczna', [], 'a@x.example', 'Odpowiedź automatyczna: Poczta', 'subject'],
    ['a person who writes about one', [], 'a@x.example', 'Re: your automatic reply: what now', null],
  ])('%s', (_, headers, envelopeFrom, subject, sign) =>
    expect(findAutomaticSign({ headers, envelopeFrom, subject })).toBe(sign),
  )
})

describe('a reply to a digest', () => {
  const [one, two, three] = [referenceOf(5), referenceOf(77_777), referenceOf(20_000_000)]
  const digest = [
    `Anna <a@x.example>`,
    `  Invoice`,
    `  ${one}`,
    '',
    `Ben <b@x.example>`,
    `  ${two}`,
    '',
    `  ${three}`,
  ].join('\n')
  const reply = (more: Partial<Reply>): Reply => ({
    headers: [],
    envelopeFrom: 'ingrid@harbour.example',
    subject: 'Re: Held mail',
    text: '',
    htmlText: '',
    ...more,
  })
  const quoted = (depth: string) =>
    digest
      .split('\n')
      .map(line => `${depth}${line}`)
      .join('\n')
  test.each<readonly [string, Partial<Reply>, unknown]>([
    [
      'top-posted over the whole digest',
      { text: `Thanks!\n\nOn Mon, Ingrid wrote:\n${quoted('> ')}` },
      [one, two, three],
    ],
    [
      'in other words of quoting',
      { text: `Am 24. November schrieb Pendro:\n${quoted('>> ')}` },
      [one, two, three],
    ],
    [
      'two lines removed',
      {
        text: quoted('> ')
          .split('\n')
          .filter(line => !line.includes(one) && !line.includes(three))
          .join('\n'),
      },
      [two],
    ],
    ['one reference mailed alone', { text: two }, [two]],
    ['pasted into a new mail', { subject: 'from yesterday', text: digest }, [one, two, three]],
    ['HTML alone', { htmlText: `Please ${one} and ${three}` }, [one, three]],
    ['HTML with a text part that quotes nothing', { text: 'see below', htmlText: digest }, [one, two, three]],
    ['text that kept one, HTML that kept all: the text speaks', { text: one, htmlText: digest }, [one]],
    ['cut after the first screen', { text: digest.slice(0, digest.indexOf('Ben')) }, [one]],
  ])('%s', (_, given, references) =>
    expect(readReply(reply(given))).toMatchObject({ kind: 'asked', references }),
  )
  // Sent from a phone, or read out on one: to be released only if the colleague was sent it.
  const [a, b] = [one.slice(0, 3), one.slice(4)]
  const spelled = (text: string, by = ' ') => [...text].join(by)
  test.each<readonly [string, Partial<Reply>]>([
    ['without its hyphen', { text: `${a}${b}` }],
    ['in lower case', { text: `${a}${b}`.toLowerCase() }],
    ['with a blank', { text: `${a} ${b}` }],
    ['with blanks around the hyphen', { text: `${spelled(a)} - ${spelled(b)}` }],
    ['letter by letter', { text: spelled(`${a}${b}`) }],
    ['letter by letter above a signature', { text: `${spelled(a)}  ${spelled(b)}\r\n-- \r\nIna` }],
    ['with dots', { text: spelled(a, '.') + '. ' + spelled(b, '.') }],
    ['without hyphen, in the subject', { subject: `Re: ${a}${b}` }],
    ['with a blank, in the subject', { subject: `${a} ${b}`, text: 'Please' }],
  ])('one reference mailed alone, %s', (_, given) =>
    expect(readReply(reply(given))).toEqual({ kind: 'asked', references: [], perhaps: [one], slips: [] }),
  )
  test('in the subject as it is written, and once although it stands in the text, too', () => {
    expect(readReply(reply({ subject: one, text: '' }))).toMatchObject({ kind: 'asked', references: [one] })
    expect(readReply(reply({ subject: `${a}${b}`, text: one }))).toEqual({
      kind: 'asked',
      references: [one],
      perhaps: [],
      slips: [],
    })
  })
  test.each(['A B C', `${spelled(one)} x`, `${spelled(a)}`, 'I am at one'])('%j is no reference', text =>
    expect(readReply(reply({ text })).kind).toBe('nothing-left'),
  )
  test.each([
    { subject: 'Digest' },
    { subject: 'oversikt' },
    { subject: 'Übersicht' },
    { subject: 'Zestawienie.' },
    { subject: 'Re: Kept back for you', text: 'digest\n\n> older words' },
    { subject: '', text: '\r\n  New digest!\r\nKari' },
  ])('the word alone asks for a fresh digest: %j', given =>
    expect(readReply(reply({ text: '', ...given })).kind).toBe('fresh'),
  )
  test.each([
    { text: 'I read the digest' },
    { text: 'Thank you\ndigest' },
    { text: '> digest' },
    { subject: 'Re: digest of your order' },
    { text: 'digests' },
  ])('the word among others asks for nothing: %j', given =>
    expect(readReply(reply({ subject: '', text: '', ...given })).kind).toBe('nothing-left'),
  )
  test('a reference is asked for, whatever word stands beside it', () =>
    expect(readReply(reply({ subject: 'digest', text: one })).kind).toBe('asked'))
  test('a program that sends the word gets no digest', () =>
    expect(readReply(reply({ subject: 'digest', envelopeFrom: '' })).kind).toBe('automatic'))
  test('nothing left releases nothing', () =>
    expect(readReply(reply({ text: 'Thank you' }))).toEqual({ kind: 'nothing-left', slips: [] }))
  test('a notice of absence that quotes everything releases nothing', () =>
    expect(
      readReply(reply({ headers: [{ name: 'Auto-Submitted', value: 'auto-replied' }], text: quoted('> ') })),
    ).toEqual({ kind: 'automatic', sign: 'auto-submitted' }))
})

describe('when digests go', () => {
  test.each([
    // tz database: Oslo goes forward on 29 March 2026 at 02:00 and back on 25 October at 03:00.
    ['an ordinary day', '2026-11-24', '07:00', 'Europe/Oslo', '2026-11-24T06:00:00.000Z'],
    ['a time that is jumped over', '2026-03-29', '02:30', 'Europe/Oslo', '2026-03-29T01:00:00.000Z'],
    ['the moment of the jump', '2026-03-29', '03:00', 'Europe/Oslo', '2026-03-29T01:00:00.000Z'],
    ['a time that occurs twice: the first', '2026-10-25', '02:30', 'Europe/Oslo', '2026-10-25T00:30:00.000Z'],
    ['half an hour of change', '2026-10-04', '02:15', 'Australia/Lord_Howe', '2026-10-03T15:30:00.000Z'],
    ['a zone of 45 minutes', '2026-06-01', '07:00', 'Pacific/Chatham', '2026-05-31T18:15:00.000Z'],
    // A day that a zone left out altogether.
    ['a day that never was', '2011-12-30', '07:00', 'Pacific/Apia', '2011-12-30T10:00:00.000Z'],
  ])('%s', (_, date, time, zone, expected) =>
    expect(new Date(momentOf(date, time, zone)).toISOString()).toBe(expected),
  )

  // Python's zoneinfo (PEP 495: fold=0 is the first of two; a time in a gap does not come back from UTC).
  const python = spawnSync('python3', ['-c', 'import zoneinfo'], { stdio: 'ignore' }).status === 0
  test.skipIf(!python)(
    'agrees with Python’s zoneinfo on every transition day of eight zones, 2024 to 2035 (skipped where there is no python3)',
    () => {
      const zones = [
        'Europe/Oslo',
        'Europe/Warsaw',
        'America/New_York',
        'America/St_Johns',
        'Australia/Lord_Howe',
        'Africa/Casablanca',
        'Asia/Tehran',
        'Pacific/Chatham',
      ]
      const script = `
import sys, json, datetime as d, zoneinfo
out = []
for name in json.load(sys.stdin):
    z = zoneinfo.ZoneInfo(name)
    day = d.date(2024, 1, 1)
    while day < d.date(2036, 1, 1):
        noon = lambda x: d.datetime(x.year, x.month, x.day, 12, tzinfo=z).utcoffset()
        if noon(day) != noon(day + d.timedelta(1)):
            for minutes in range(0, 24 * 60, 15):
                at = d.datetime(day.year, day.month, day.day, minutes // 60, minutes % 60, tzinfo=z) + d.timedelta(1)
                utc = at.astimezone(d.timezone.utc)
                back = utc.astimezone(z)
                out.append([name, at.strftime('%Y-%m-%d'), at.strftime('%H:%M'), int(utc.timestamp() * 1000), back.strftime('%H:%M') == at.strftime('%H:%M')])
        day += d.timedelta(1)
json.dump(out, sys.stdout)`
      const done = spawnSync('python3', ['-c', script], {
        input: JSON.stringify(zones),
        maxBuffer: 1e8,
        encoding: 'utf8',
      })
      const rows = JSON.parse(done.stdout) as [string, string, string, number, boolean][]
      expect(rows.length).toBeGreaterThan(10_000)
      const wrong = rows.filter(
        ([zone, date, time, utc, exists]) => exists && momentOf(date, time, zone) !== utc,
      )
      expect(wrong.slice(0, 5)).toEqual([])
      expect(rows.filter(([, , , , exists]) => !exists).length).toBeGreaterThan(50)
    },
  )

  const anySchedule: fc.Arbitrary<DigestSchedule> = fc.record({
    times: fc.uniqueArray(
      fc
        .tuple(fc.nat({ max: 23 }), fc.constantFrom(0, 15, 30, 45))
        .map(([h, m]) => `${String(h).padStart(2, '0')}:${String(m).padStart(2, '0')}`),
      { minLength: 1, maxLength: 4 },
    ),
    weekdays: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1, maxLength: 7 }),
    timeZone: fc.constantFrom(
      'Europe/Oslo',
      'America/New_York',
      'Australia/Lord_Howe',
      'Pacific/Chatham',
      'UTC',
    ),
  })
  const anyMoment = fc.integer({ min: Date.UTC(2024, 0, 1), max: Date.UTC(2035, 0, 1) })
  test('the next one is later than now, and none lies between', () => {
    fc.assert(
      fc.property(anySchedule, anyMoment, (schedule, now) => {
        const next = nextDigest(schedule, now)
        if (next === null) throw new Error('a schedule with times and days has a next one')
        expect(next).toBeGreaterThan(now)
        expect(next - now).toBeLessThanOrEqual(8 * 86_400_000)
        expect(lastDigest(schedule, next)).toBe(next)
        const before = lastDigest(schedule, next - 1)
        if (before !== null) expect(before).toBeLessThanOrEqual(now)
      }),
      { numRuns: 400 },
    )
  })
  test('no times, or no days: none', () => {
    expect(nextDigest({ times: [], weekdays: [1], timeZone: 'UTC' }, 0)).toBe(null)
    expect(nextDigest({ times: ['07:00'], weekdays: [], timeZone: 'UTC' }, 0)).toBe(null)
  })
})
