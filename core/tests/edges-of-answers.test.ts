// Edges of digests, and of what people ask and answer, which mutation testing found nobody to notice (docs/mutation.md).
import { describe, expect, test } from 'vitest'
import { findReferences, nextDigest, readReply } from '@pendro/core/digest'
import { awayProblem, longestAway } from '@pendro/core/keeping'
import { rate, readParty, readStatus, readWhen, trigrams, wordsOf } from '@pendro/core/whereabouts'

describe('digests', () => {
  test('a digest that is due now is not the next one', () => {
    const schedule = { times: ['07:00'], weekdays: [1, 2, 3, 4, 5, 6, 7], timeZone: 'Europe/Oslo' }
    const at = Date.parse('2026-11-26T06:00:00Z')
    expect(nextDigest(schedule, at)).toBe(at + 86_400_000)
    expect(nextDigest(schedule, at - 1)).toBe(at)
  })
  test('while somebody is away digests wait; the first is the one due when they are back, at that very moment too', () => {
    const usual = { times: ['07:00'], weekdays: [1, 2, 3, 4, 5, 6, 7], timeZone: 'Europe/Oslo' }
    const at = Date.parse('2026-11-26T06:00:00Z')
    const day = 86_400_000
    const next = (from: number, until: number) => nextDigest({ ...usual, waits: [{ from, until }] }, at)
    expect(next(at, at + 3 * day)).toBe(at + 3 * day)
    expect(next(at, at + 3 * day + 1)).toBe(at + 4 * day)
    expect(next(at + 2 * day, at + 3 * day)).toBe(at + day)
  })
})

describe('whereabouts', () => {
  const now = Date.parse('2026-11-26T11:00:00Z')
  const read = (text: string) => readWhen(text, { now, timeZone: 'Europe/Oslo' })
  test.each(['0 days ago', 'half a weekend ago', '2 weekends ago', '0 November', '32 November', 'week'])(
    '%j is no time',
    text => expect(read(text).ok).toBe(false),
  )
  test.each(['1 November', '31 October', 'this week', 'weekend', 'last week'])('%j is one', text =>
    expect(read(text).ok).toBe(true),
  )
  test('before and after a time of day are of that day, of a day they are around it', () => {
    const days = (text: string) => {
      const found = read(text)
      return found.ok && found.value ? (found.value.to - found.value.from) / 86_400_000 : null
    }
    expect(days('before monday')).toBe(7)
    expect(days('before 10:00')).toBeLessThan(1)
    expect(days('before lunch yesterday')).toBeLessThan(1)
    expect(days('after 10:00 yesterday')).toBeLessThan(1)
    expect(days('after monday')).toBeGreaterThan(2)
  })
  test('a question is held against each sender, not against the one before', () => {
    const asked = { from: readParty('anna@x.example'), to: null, about: [], when: null }
    const of = (address: string) =>
      rate(asked, {
        from: { name: '', address },
        subject: 'Offer',
        text: '',
        mailboxId: 1,
        at: now,
        outOfSight: false,
      })?.label
    expect([of('anna@x.example'), of('nobody@elsewhere.example'), of('anna@x.example')]).toEqual([
      'all-of-it',
      undefined,
      'all-of-it',
    ])
  })
})

describe('digests, answered', () => {
  const reply = (more: object) =>
    readReply({
      subject: 'Re: digest of today',
      text: '',
      htmlText: '',
      headers: [],
      envelopeFrom: 'a@x.example',
      ...more,
    } as never)
  const code = (text: string) => findReferences(text)
  test('what has the form of a reference and is none is a slip; words with a hyphen are none', () => {
    for (const text of ['abc-def', 'mid-day', 'ab1-cé2']) expect(code(text).slips).toEqual([])
    expect(code('AB1-CD9').references.length + code('AB1-CD9').slips.length).toBe(1)
  })
  test('the text part speaks; where it holds nothing, the other one', () => {
    expect(reply({ text: 'digest' })).toMatchObject({ kind: 'fresh' })
    expect(reply({ htmlText: 'digest' })).toMatchObject({ kind: 'fresh' })
    expect(reply({ text: 'thank you', htmlText: 'digest' })).toMatchObject({ kind: 'nothing-left' })
    expect(reply({ text: ' \n ', htmlText: '\n fresh digest \n more' })).toMatchObject({ kind: 'fresh' })
  })
})

describe('times away', () => {
  const now = 1000 * 86_400_000
  test('one that ended more than a year and a day ago is most likely a slip', () => {
    const ending = (days: number) =>
      [{ from: now - (days + 5) * 86_400_000, until: now - days * 86_400_000 }] as never
    expect(awayProblem(ending(longestAway), now)).toBeNull()
    expect(awayProblem(ending(longestAway + 1), now)).toEqual({ problem: 'over', at: 0 })
    expect(awayProblem(ending(10), now)).toBeNull()
  })
})

describe('status codes (RFC 3463 §2)', () => {
  test.each([
    ['550 5.1.1 no such user', '5.1.1'],
    ['452 4.2.2', '4.2.2'],
    ['5.10.1 odd', '5.10.1'],
    ['5.7.123.', '5.7.123'],
    ['192.5.1.1 is blocked', null],
    ['5.1.1.7 is an address', null],
    ['5.1.1.', '5.1.1'],
    ['5.1.1.x', '5.1.1'],
    ['5.1.1 of 2.0.0', '5.1.1'],
    ['15.1.1', null],
    ['3.1.1', null],
    ['5.1', null],
    ['5.1.1234', null],
    ['5.1111.1', null],
  ])('%j: %s', (text, code) => expect(readStatus(text)?.code ?? null).toBe(code))
})

describe('words', () => {
  test('are runs of letters and digits, found by runs of three of them', () => {
    expect(wordsOf('Faktura 12, Fähre-9!')).toEqual(wordsOf('faktura 12 fahre 9'))
    expect(trigrams('ab')).toEqual([' ab'])
    expect(trigrams('ab')).toEqual(trigrams(' ab! '))
    expect(trigrams('ab cd')).toEqual([...trigrams('ab'), ...trigrams('cd')])
    expect(trigrams('...')).toEqual([])
    expect(trigrams('abc').length).toBeGreaterThan(trigrams('ab').length)
  })
})

describe('times that say too much', () => {
  const now = Date.parse('2026-11-26T11:00:00Z')
  const read = (text: string) => readWhen(text, { now, timeZone: 'Europe/Oslo' }).ok
  test.each([
    'last week monday',
    'last week at 10:00',
    'last week in the morning',
    'this month at noon',
    'november at 10:00',
    'monday november',
    'now yesterday',
    'now at 10:00',
    'early monday week',
  ])('%j', text => expect(read(text)).toBe(false))
  test('a day of the week that does not fit its date is looked for at both, in either order', () => {
    const days = (text: string) => {
      const found = readWhen(text, { now, timeZone: 'UTC' })
      if (!found.ok || !found.value) return null
      return [found.value.from, found.value.to].map(at => new Date(at).toISOString().slice(0, 10))
    }
    // 24 November 2026 is a Tuesday.
    expect(days('Tuesday 24 November')).toEqual(['2026-11-24', '2026-11-25'])
    expect(days('Monday 24 November')).toEqual(['2026-11-23', '2026-11-25'])
    expect(days('Wednesday 24 November')).toEqual(['2026-11-24', '2026-11-26'])
  })
})
