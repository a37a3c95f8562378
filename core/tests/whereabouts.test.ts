import fc from 'fast-check'
import { distance } from 'fastest-levenshtein'
import { describe, expect, test } from 'vitest'
import {
  fold,
  isIdle,
  journeyOf,
  type Copy,
  partyLikeness,
  rate,
  readParty,
  readWhen,
  trigrams,
  wordLikeness,
  wordsOf,
  type Asked,
  type Candidate,
  type Way,
} from '@pendro/core/whereabouts'

// A Thursday noon in Oslo, in winter time.
const now = Date.parse('2026-11-26T11:00:00Z')
const when = (text: string) => {
  const read = readWhen(text, { now, timeZone: 'Europe/Oslo' })
  if (!read.ok) return read.problem.code
  return (
    read.value &&
    [read.value.from, read.value.to].map(at => new Date(at).toISOString().slice(0, 16)).join(' ')
  )
}

describe('when: what people say, as local time', () => {
  // By the reading of each phrase, on the calendar of that November: Mondays are the 16th and the 23rd.
  test.each([
    ['vor Montag', '2026-11-15T23:00 2026-11-22T23:00'],
    ['before monday', '2026-11-15T23:00 2026-11-22T23:00'],
    ['after monday', '2026-11-23T23:00 2026-11-26T11:00'],
    ['viertel vor vier', '2026-11-25T13:45 2026-11-25T15:45'],
    ['10 vor 4', '2026-11-25T13:50 2026-11-25T15:50'],
    ['ten to four', '2026-11-25T13:50 2026-11-25T15:50'],
    ['quarter before four', '2026-11-25T13:45 2026-11-25T15:45'],
    ['to monday', 'not-understood'],
    ['monday to', 'not-understood'],
    ['or monday', 'not-understood'],
    ['monday or', 'not-understood'],
    ['31.2. to 5.3.', 'no-such-day'],
    ['5.3. to 31.2.', 'no-such-day'],
    ['since 31.2.', 'no-such-day'],
    ['before 31.2.', 'no-such-day'],
    ['after 31.2.', 'no-such-day'],
    ['9 to 12 November', '2026-11-08T23:00 2026-11-12T23:00'],
    ['3 to 5 November', '2026-11-02T23:00 2026-11-05T23:00'],
    ['9:00 to 9:00', '2026-11-26T08:00 2026-11-26T08:01'],
    ['last week to yesterday', '2026-11-15T23:00 2026-11-25T23:00'],
    ['from monday to last week', '2026-11-15T23:00 2026-11-23T23:00'],
    ['monday to wednesday', '2026-11-22T23:00 2026-11-25T23:00'],
    ['monday morning to wednesday', '2026-11-23T04:00 2026-11-25T11:00'],
    ['between monday and wednesday', '2026-11-22T23:00 2026-11-25T23:00'],
    ['yesterday or monday', '2026-11-22T23:00 2026-11-25T23:00'],
    ['9 or 10 yesterday', '2026-11-25T07:00 2026-11-25T10:00'],
    ['9 to 10 yesterday', '2026-11-25T08:00 2026-11-25T09:01'],
    ['a week ago', '2026-11-15T23:00 2026-11-22T23:00'],
    ['2 weeks ago', '2026-11-08T23:00 2026-11-15T23:00'],
    ['a month ago', '2026-10-11T22:00 2026-11-11T23:00'],
    ['2 months ago', '2026-09-11T22:00 2026-10-12T22:00'],
    ['a year ago', '2025-09-26T22:00 2026-01-25T23:00'],
    ['40 minutes ago', '2026-11-26T10:00 2026-11-26T10:40'],
    ['1 hour ago', '2026-11-26T09:00 2026-11-26T11:00'],
    ['last three days', '2026-11-22T23:00 2026-11-26T11:01'],
    ['last 2 weeks', '2026-11-11T23:00 2026-11-26T11:01'],
    ['last 3 months', '2026-08-27T22:00 2026-11-26T11:01'],
    ['early last week', '2026-11-15T23:00 2026-11-18T23:00'],
    ['early November', '2026-10-31T23:00 2026-11-13T23:00'],
    ['late November', '2026-11-17T23:00 2026-11-30T23:00'],
    ['end of last month', '2026-10-18T22:00 2026-10-31T23:00'],
    ['end of 12 November', 'not-understood'],
    ['early Monday', 'not-understood'],
    ['Monday November', 'not-understood'],
    ['November at 9:00', 'not-understood'],
    ['November morning', 'not-understood'],
    ['last week at 9:00', 'not-understood'],
    ['last week morning', 'not-understood'],
    ['now yesterday', 'not-understood'],
    ['now morning', 'not-understood'],
    ['around 1', '2026-11-26T11:00 2026-11-26T13:00'],
    ['around 7', '2026-11-26T05:00 2026-11-26T07:00'],
    ['around 6:59', '2026-11-25T16:59 2026-11-25T18:59'],
    ['around 0:30', '2026-11-25T22:30 2026-11-26T00:30'],
    ['around 12:30', '2026-11-26T10:30 2026-11-26T12:30'],
  ])('%j: %j', (text, expected) => expect(when(text)).toBe(expected))

  test.each([
    ['', null],
    ['today', '2026-11-25T23:00 2026-11-26T23:00'],
    ['Yesterday', '2026-11-24T23:00 2026-11-25T23:00'],
    ['yesterday morning', '2026-11-25T04:00 2026-11-25T11:00'],
    ['i går ettermiddag', '2026-11-25T11:00 2026-11-25T17:00'],
    ['gestern früh', '2026-11-25T04:00 2026-11-25T11:00'],
    ['gestern morgen', '2026-11-25T04:00 2026-11-25T11:00'],
    ['wczoraj rano', '2026-11-25T04:00 2026-11-25T11:00'],
    ['day before yesterday', '2026-11-23T23:00 2026-11-24T23:00'],
    ['last week', '2026-11-15T23:00 2026-11-22T23:00'],
    ['forrige uke', '2026-11-15T23:00 2026-11-22T23:00'],
    ['this week', '2026-11-22T23:00 2026-11-29T23:00'],
    ['last month', '2026-09-30T22:00 2026-10-31T23:00'],
    ['monday', '2026-11-22T23:00 2026-11-23T23:00'],
    ['on Thursday', '2026-11-25T23:00 2026-11-26T23:00'],
    ['last thursday', '2026-11-18T23:00 2026-11-19T23:00'],
    ['Freitag', '2026-11-19T23:00 2026-11-20T23:00'],
    ['monday at 10:30', '2026-11-23T08:30 2026-11-23T10:30'],
    ['around 9 pm', '2026-11-25T19:00 2026-11-25T21:00'],
    ['3 days ago', '2026-11-22T23:00 2026-11-23T23:00'],
    ['two hours ago', '2026-11-26T08:00 2026-11-26T10:00'],
    ['for to dager siden', '2026-11-23T23:00 2026-11-24T23:00'],
    ['vor drei Tagen', '2026-11-22T23:00 2026-11-23T23:00'],
    ['2026-11-12', '2026-11-11T23:00 2026-11-12T23:00'],
    ['12.11.', '2026-11-11T23:00 2026-11-12T23:00'],
    ['12.11.2026', '2026-11-11T23:00 2026-11-12T23:00'],
    ['12/11', '2026-11-11T23:00 2026-11-12T23:00'],
    ['12 November', '2026-11-11T23:00 2026-11-12T23:00'],
    ['Nov 12', '2026-11-11T23:00 2026-11-12T23:00'],
    ['12. listopada', '2026-11-11T23:00 2026-11-12T23:00'],
    // the latest such day that has been
    ['24 December', '2025-12-23T23:00 2025-12-24T23:00'],
    // a whole day of the change to winter time has 25 hours
    ['25 October', '2026-10-24T22:00 2026-10-25T23:00'],
    ['12 November at 14:00', '2026-11-12T12:00 2026-11-12T14:00'],
    ['31.2.', 'no-such-day'],
    ['2026-02-30', 'no-such-day'],
    ['31 November', 'no-such-day'],
    ['2026-12-24', 'in-the-future'],
    ['soon', 'not-understood'],
    ['25:99', 'not-understood'],
    ['yesterday maybe', 'not-understood'],
    ['!!!', 'not-understood'],
    // The 84 phrases of the old issue and their neighbours, in the four languages.
    ['4:30pm', '2026-11-25T14:30 2026-11-25T16:30'],
    ['4.30pm', '2026-11-25T14:30 2026-11-25T16:30'],
    ['12am', '2026-11-25T22:00 2026-11-26T00:00'],
    ['12pm', '2026-11-26T10:00 2026-11-26T12:00'],
    ['12:30am', '2026-11-25T22:30 2026-11-26T00:30'],
    ['midnight', '2026-11-25T22:00 2026-11-26T00:00'],
    ['noon', '2026-11-26T10:00 2026-11-26T13:00'],
    ['last night', '2026-11-25T17:00 2026-11-26T06:00'],
    ['letzte Nacht', '2026-11-25T17:00 2026-11-26T06:00'],
    ['i natt', '2026-11-25T17:00 2026-11-26T06:00'],
    ['yesterday night', '2026-11-25T17:00 2026-11-26T06:00'],
    ['yesterday around 4', '2026-11-25T14:00 2026-11-25T16:00'],
    ['yesterday at 04:00', '2026-11-25T02:00 2026-11-25T04:00'],
    ['yesterday morning at 4', '2026-11-25T02:00 2026-11-25T04:00'],
    ['yesterday at 10', '2026-11-25T08:00 2026-11-25T10:00'],
    ['Tuesday 24 November', '2026-11-23T23:00 2026-11-24T23:00'],
    ['Tuesday, November 24th', '2026-11-23T23:00 2026-11-24T23:00'],
    ['Fri 20 Nov 2026', '2026-11-19T23:00 2026-11-20T23:00'],
    ['Montag, 23. November', '2026-11-22T23:00 2026-11-23T23:00'],
    // The weekday and the date don't agree: one of them is wrong, so both days are looked at.
    ['Monday 24 November', '2026-11-22T23:00 2026-11-24T23:00'],
    ['3rd of November', '2026-11-02T23:00 2026-11-03T23:00'],
    ['the 3rd', '2026-11-02T23:00 2026-11-03T23:00'],
    // of October, since November's is still to come
    ['the 31st', '2026-10-30T23:00 2026-10-31T23:00'],
    ['October', '2026-09-30T22:00 2026-10-31T23:00'],
    ['im Oktober', '2026-09-30T22:00 2026-10-31T23:00'],
    ['w październiku', '2026-09-30T22:00 2026-10-31T23:00'],
    ['December', '2025-11-30T23:00 2025-12-31T23:00'],
    ['last November', '2025-10-31T23:00 2025-11-30T23:00'],
    ['October 2025', '2025-09-30T22:00 2025-10-31T23:00'],
    ['early October', '2026-09-30T22:00 2026-10-13T22:00'],
    ['end of October', '2026-10-18T22:00 2026-10-31T23:00'],
    ['the weekend', '2026-11-20T23:00 2026-11-22T23:00'],
    ['last weekend', '2026-11-20T23:00 2026-11-22T23:00'],
    ['i helgen', '2026-11-20T23:00 2026-11-22T23:00'],
    ['am Wochenende', '2026-11-20T23:00 2026-11-22T23:00'],
    ['w weekend', '2026-11-20T23:00 2026-11-22T23:00'],
    ['since Monday', '2026-11-22T23:00 2026-11-26T11:00'],
    ['siden mandag', '2026-11-22T23:00 2026-11-26T11:00'],
    ['seit Montag', '2026-11-22T23:00 2026-11-26T11:00'],
    ['od poniedziałku', '2026-11-22T23:00 2026-11-26T11:00'],
    ['since 3 November', '2026-11-02T23:00 2026-11-26T11:00'],
    ['between Monday and Wednesday', '2026-11-22T23:00 2026-11-25T23:00'],
    ['from Monday to Wednesday', '2026-11-22T23:00 2026-11-25T23:00'],
    ['Monday or Tuesday', '2026-11-22T23:00 2026-11-24T23:00'],
    ['3 to 5 November', '2026-11-02T23:00 2026-11-05T23:00'],
    ['Monday between 9 and 10', '2026-11-23T08:00 2026-11-23T09:01'],
    ['between 9 and 10', '2026-11-26T08:00 2026-11-26T09:01'],
    ['9 to 10 this morning', '2026-11-26T08:00 2026-11-26T09:01'],
    ['Monday 9-11', '2026-11-23T08:00 2026-11-23T10:01'],
    ['before lunch', '2026-11-25T23:00 2026-11-26T10:00'],
    ['yesterday after lunch', '2026-11-25T11:00 2026-11-25T23:00'],
    ['before Monday', '2026-11-15T23:00 2026-11-22T23:00'],
    ['after Monday', '2026-11-23T23:00 2026-11-26T11:00'],
    ['half an hour ago', '2026-11-26T10:15 2026-11-26T10:45'],
    ['for en halvtime siden', '2026-11-26T10:15 2026-11-26T10:45'],
    ['vor einer halben Stunde', '2026-11-26T10:15 2026-11-26T10:45'],
    ['pół godziny temu', '2026-11-26T10:15 2026-11-26T10:45'],
    ['an hour ago', '2026-11-26T09:00 2026-11-26T11:00'],
    ['2h ago', '2026-11-26T08:00 2026-11-26T10:00'],
    ['ten minutes ago', '2026-11-26T10:45 2026-11-26T10:55'],
    ['a few days ago', '2026-11-20T23:00 2026-11-24T23:00'],
    ['just now', '2026-11-26T10:00 2026-11-26T11:01'],
    ['in the last hour', '2026-11-26T10:00 2026-11-26T11:01'],
    ['in the last 3 days', '2026-11-22T23:00 2026-11-26T11:01'],
    ['the week before last', '2026-11-08T23:00 2026-11-15T23:00'],
    ['this year', '2025-12-31T23:00 2026-12-31T23:00'],
    ['quarter past ten', '2026-11-26T08:15 2026-11-26T10:15'],
    ['half past nine', '2026-11-26T07:30 2026-11-26T09:30'],
    // British 'half nine' is after nine, German 'halb neun' before
    ['half nine', '2026-11-26T07:30 2026-11-26T09:30'],
    ['halb neun', '2026-11-26T06:30 2026-11-26T08:30'],
    ['halv ni', '2026-11-26T06:30 2026-11-26T08:30'],
    ['ten to nine', '2026-11-26T06:50 2026-11-26T08:50'],
    ['Viertel vor neun', '2026-11-26T06:45 2026-11-26T08:45'],
    ['9 o’clock', '2026-11-26T07:00 2026-11-26T09:00'],
    ['10ish', '2026-11-26T08:00 2026-11-26T10:00'],
    ['11/20/2026', '2026-11-19T23:00 2026-11-20T23:00'],
    ['20-11-2026', '2026-11-19T23:00 2026-11-20T23:00'],
    ['20.11.26', '2026-11-19T23:00 2026-11-20T23:00'],
    ['w zeszły piątek', '2026-11-19T23:00 2026-11-20T23:00'],
    ['i dag tidlig', '2026-11-26T04:00 2026-11-26T11:00'],
    ['tonight', 'in-the-future'],
    ['this evening', 'in-the-future'],
    ['tomorrow', 'in-the-future'],
    ['next Monday', 'in-the-future'],
    ['13pm', 'not-understood'],
    ['0am', 'not-understood'],
    ['the 32nd', 'no-such-day'],
    ['Monday Tuesday', 'not-understood'],
    ['yesterday October', 'not-understood'],
    ['last', 'not-understood'],
    ['ago', 'not-understood'],
    ['3 ago', 'not-understood'],
    ['between 9', 'not-understood'],
    ['the other day', 'not-understood'],
  ])('%j', (text, want) => {
    expect(when(text)).toBe(want)
  })

  test('anything typed is answered, and a range is never empty nor wholly to come', () => {
    const words = fc.constantFrom(
      ...'last monday yesterday 12.11. 10:30 at morning 31.2. 2026-11-12 ago 3 days 🚢 % * since between and to before after half past weekend october early few night'.split(
        ' ',
      ),
    )
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.array(words, { maxLength: 6 }).map(w => w.join(' ')),
        ),
        text => {
          const read = readWhen(text, { now, timeZone: 'Europe/Oslo' })
          if (!read.ok || read.value === null) return
          expect(read.value.from).toBeLessThan(read.value.to)
          expect(read.value.from).toBeLessThanOrEqual(now)
        },
      ),
    )
  })
})

describe('likeness', () => {
  test.each([
    ['Ærøskøbing', 'aeroskobing'],
    ['ŁÓDŹ', 'lodz'],
    ['Größe', 'grosse'],
    ['Åse Østervåg', 'ase ostervag'],
  ])('%s is folded to %s', (text, want) => expect(fold(text)).toBe(want))

  test('words keep times whole, and drop what says nothing', () => {
    expect(wordsOf('Re: the 09:10 crossing')).toEqual(['09:10', 'crossing'])
    expect(wordsOf('the of')).toEqual(['the', 'of'])
    expect(wordsOf('***')).toEqual([])
    expect(['the of', '***', 'the crossing'].map(isIdle)).toEqual([true, true, false])
  })

  // Against fastest-levenshtein 1.0.16: one edit in a word of four letters or more is still that word.
  test('one slip in a longer word leaves it like, and likeness falls with the distance', () => {
    const word = fc.stringMatching(/^[a-z]{4,12}$/)
    fc.assert(
      fc.property(word, fc.nat(), fc.constantFrom(...'abcdefghijklmnopqrstuvwxyz'), (known, at, letter) => {
        const place = at % known.length
        const typed = known.slice(0, place) + letter + known.slice(place + 1)
        expect(wordLikeness(typed, known)).toBeGreaterThanOrEqual(0.85)
        expect(distance(typed, known)).toBeLessThanOrEqual(1)
      }),
    )
    fc.assert(
      fc.property(word, word, (a, b) => {
        if (wordLikeness(a, b) >= 0.85 && !b.startsWith(a)) expect(distance(a, b)).toBeLessThanOrEqual(1)
      }),
    )
  })

  test('a misspelt word of six letters or more shares a group of three with what was meant', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[a-z]{7,12}$/), fc.nat(), (known, at) => {
        const place = at % known.length
        const typed = known.slice(0, place) + known.slice(place + 1)
        const theirs = new Set(trigrams(known))
        expect(trigrams(typed).some(three => theirs.has(three))).toBe(true)
      }),
    )
  })

  const school = { name: 'Fjellby skole kontor', address: 'kontor@fjellby-skole.example' }
  test.each([
    ['kontor@fjellby-skole.example', 'same', 1],
    ['Kontor@Fjellby-Skole.example', 'same', 1],
    ['"The office" <kontor@fjellby-skole.example>', 'same', 1],
    ['fjellby-skole.example', 'same', 1],
    ['fjellby skole', 'same', 1],
    ['Fjelby skole', 'like', 0.8],
    ['skole fjellby', 'same', 1],
    ['kontro@fjellby-skole.example', 'same-domain', 0.5],
    ['rektor@fjellby-skole.example', 'same-domain', 0.5],
    ['kontor@fjelby-skole.example', 'slip', 0.8],
    ['fjellby-skole.test', 'slip', 0.55],
    ['halyard print', 'other', 0],
  ])('%j against the school: %s', (typed, match, least) => {
    const found = partyLikeness(readParty(typed), school)
    expect([found.match, found.likeness >= least]).toEqual([match, true])
  })

  test('likeness is between 0 and 1 for anything typed', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 60 }), fc.string({ maxLength: 30 }), (typed, name) => {
        const { likeness } = partyLikeness(readParty(typed), { name, address: `${name}@x.example` })
        expect(likeness).toBeGreaterThanOrEqual(0)
        expect(likeness).toBeLessThanOrEqual(1)
      }),
    )
  })
})

describe('ranking', () => {
  const message = (more: Partial<Candidate> = {}): Candidate => ({
    from: { name: 'Fjellby skole kontor', address: 'kontor@fjellby-skole.example' },
    subject: '64 elever på 09:10-avgangen, faktura ønskes',
    text: '',
    mailboxId: 7,
    at: now - 86_400_000,
    outOfSight: true,
    ...more,
  })
  const asked = (more: Partial<Asked> = {}): Asked => ({
    from: readParty('fjelby school skole'),
    to: new Map([[7, 1]]),
    about: wordsOf('09:10 faktura'),
    when: { from: now - 2 * 86_400_000, to: now },
    ...more,
  })
  const likeness = (candidate: Candidate) => rate(asked(), candidate)?.likeness ?? 0
  test('what fits in more ways comes first', () => {
    const full = likeness(message())
    for (const worse of [
      message({ mailboxId: 8 }),
      message({ at: now - 20 * 86_400_000 }),
      message({ subject: 'Something else', text: '' }),
      message({ from: { name: 'Skarvik skole', address: 'kontor@skarvik.example' } }),
      message({ outOfSight: false }),
    ])
      expect(likeness(worse)).toBeLessThan(full)
  })
  test.each([
    [message({ mailboxId: 8 }), 'other-colleague'],
    [message({ subject: 'x' }), 'other-subject'],
    [message({ from: { name: '', address: 'kontor@fjellby-skole.test' } }), 'slip'],
    [message({ from: { name: '', address: 'rektor@fjellby-skole.example' } }), 'same-domain'],
    [message({ at: now - 40 * 86_400_000 }), 'other-time'],
    [message(), 'all-of-it'],
  ])('says in what way it fits: %#', (candidate, label) => {
    const question = asked({ from: readParty('kontor@fjellby-skole.example') })
    expect(rate(question, candidate)?.label).toBe(label)
  })
  describe('a time that is remembered wrongly', () => {
    const at = (time: number) => rate(asked(), message({ at: time }))?.likeness ?? 0
    const { from, to } = { from: now - 2 * 86_400_000, to: now }
    test('fits in full from its first moment to before its last', () => {
      expect(at(from)).toBe(at(to - 1))
      expect(at(from - 1)).toBeLessThan(at(from))
      expect(at(to)).toBeLessThan(at(to - 1))
    })
    test('fits the less the further it is, before and after, and far away no more than anything else', () => {
      for (const side of [-1, 1]) {
        const edge = side < 0 ? from : to
        const falling = [0.1, 1, 2, 3].map(days => at(edge + side * days * 86_400_000))
        expect(falling).toEqual([...falling].sort((a, b) => b - a))
        expect(at(edge + side * 20 * 86_400_000)).toBe(at(edge + side * 200 * 86_400_000))
        expect(at(edge + side * 200 * 86_400_000)).toBeLessThan(falling[3] ?? 0)
      }
    })
    test('a day off counts less in a long range than in a short one', () => {
      const off = (days: number) =>
        rate(asked({ when: { from: now - days * 86_400_000, to: now } }), message({ at: now + 86_400_000 }))
          ?.likeness ?? 0
      expect(off(14)).toBeGreaterThan(off(2))
      expect(off(2)).toBeGreaterThan(off(0.1))
    })
  })
  test('what was left blank says nothing for or against', () => {
    const only = rate(
      asked({ about: [], to: null, when: null }),
      message({ subject: 'x', mailboxId: 9, at: 0 }),
    )
    expect(only).toEqual(rate(asked({ about: [], to: null, when: null }), message()))
    const nobody = asked({ from: { kind: 'none' }, to: null, when: null })
    expect(rate(nobody, message())?.label).toBe('all-of-it')
    expect(rate(nobody, message({ subject: 'something else' }))).toBeNull()
    expect(rate(asked({ from: { kind: 'none' }, about: [], to: null, when: null }), message())).toBeNull()
    expect(rate(asked({ from: { kind: 'none' }, about: [] }), message({ mailboxId: 8 }))).toBeNull()
  })
  test('words of the text count, a little less than those of the subject', () => {
    const about = (subject: string, text: string) => likeness(message({ subject, text }))
    expect(about('09:10 faktura', '')).toBeGreaterThan(about('x', '09:10 faktura'))
    expect(about('x', '09:10 faktura')).toBeGreaterThan(about('x', 'y'))
    // One word here and one there are both.
    expect(about('09:10', 'faktura')).toBe(about('x', '09:10 faktura'))
  })
  test('somebody else’s mail about something else is not offered', () => {
    expect(
      rate(asked(), message({ from: { name: 'Deals', address: 'x@deals.example' }, subject: 'Prize' })),
    ).toBeNull()
  })
})

test.each<[string, string, number]>([
  ['skole', 'skole', 1],
  ['sko', 'skole', 0.9],
  ['sk', 'skole', 0],
  ['skolo', 'skole', 0.85],
  ['abc', 'abd', 0],
  ['abcd', 'abce', 0.85],
  ['skolex', 'skuley', 0.7],
  ['skole', 'skuly', 0],
  ['ferryletter', 'ferylitters', 0.6],
  ['ferrylett', 'ferylitts', 0],
  ['ferrylette', 'ferylittes', 0.6],
  ['jellby', 'fjellbyskole', 0.75],
  ['jel', 'fjellby', 0],
  ['4711', '4712', 0],
  ['4711', '4711', 1],
])('%j for %j: a slip makes another word of a short one', (typed, known, likeness) =>
  expect(wordLikeness(typed, known)).toBe(likeness),
)

describe('what is offered at all, and in what order: by shares of words that are like no others', () => {
  const pool =
    'gnaumplo dreivust skybolka wytzehin quaffopy mjoldert zebruvax tchikson obwelurf hirplaga'.split(' ')
  /** `part` of `whole` words of the sender, `about` of ten of the subject, are those that were asked for. */
  const fitting = ({
    part,
    whole,
    about,
    to,
    when,
    outOfSight = false,
  }: {
    part?: number
    whole?: number
    about?: number
    to?: number
    when?: 'in' | 'far'
    outOfSight?: boolean
  } = {}) =>
    rate(
      {
        from: part === undefined ? { kind: 'none' } : readParty(pool.slice(0, whole).join(' ')),
        about: about === undefined ? [] : pool,
        to: to === undefined ? null : new Map([[7, to]]),
        when: when === undefined ? null : { from: now - 86_400_000, to: now },
      },
      {
        from: { name: pool.slice(0, part ?? 0).join(' '), address: 'x@y.example' },
        subject: pool.slice(0, about ?? 0).join(' '),
        text: '',
        mailboxId: 7,
        at: when === 'far' ? now - 300 * 86_400_000 : now - 1000,
        outOfSight,
      },
    )
  test.each<[string, Parameters<typeof fitting>[0], number | null]>([
    // 0.42 for the sender, 0.28 for the words, 0.18 for the colleague, 0.12 for the time; what is blank counts for nothing.
    ['sender alone', { part: 10, whole: 10 }, 1],
    ['half of the sender', { part: 1, whole: 2 }, 0.5],
    ['less than 0.45 of the sender, and little of the words', { part: 4, whole: 10, about: 5 }, null],
    ['the same with 0.6 of the words', { part: 4, whole: 10, about: 6 }, (0.42 * 0.4 + 0.28 * 0.6) / 0.7],
    ['0.5 of the sender with none of the words is too little', { part: 5, whole: 10, about: 0 }, null],
    ['words alone, 0.4 of them is too little in all', { about: 4 }, null],
    ['words alone, half of them', { about: 5 }, 0.5],
    ['words alone, a third of them, with all else', { about: 3, to: 1, when: 'in' }, null],
    ['words alone, 0.4 of them, with all else', { about: 4, to: 1, when: 'in' }, (0.28 * 0.4 + 0.3) / 0.58],
    ['nobody’s mail is asked for', { to: 0, when: 'in' }, null],
    ['a colleague’s of that time', { to: 1, when: 'in' }, 1],
    ['a colleague’s of another time', { to: 1, when: 'far' }, 0.18 / 0.3],
    ['nothing is asked', {}, null],
    ['a time alone', { when: 'in' }, 1],
    ['0.5 of the sender, of another time', { part: 5, whole: 10, when: 'far' }, null],
    ['0.6 of the sender, of another time', { part: 6, whole: 10, when: 'far' }, (0.42 * 0.6) / 0.54],
  ])('%s', (_, given, likeness) => {
    const found = fitting(given)
    if (likeness === null) expect(found).toBeNull()
    else expect(found?.likeness).toBeCloseTo(likeness, 10)
  })
  test('what the colleague can’t have seen is a little before what they can, and never over all', () => {
    expect(fitting({ part: 1, whole: 2, outOfSight: true })?.likeness).toBeCloseTo(0.515, 10)
    expect(fitting({ part: 2, whole: 2, outOfSight: true })?.likeness).toBe(1)
    // 0.4 / 1 and the little more are still too little; 0.41 would not be.
    expect(fitting({ about: 4, to: 0.4, outOfSight: true })).toBeNull()
    expect(fitting({ about: 4, to: 0.44, outOfSight: true })?.likeness).toBeCloseTo(
      (0.28 * 0.4 + 0.18 * 0.44) / 0.46 + 0.015,
      10,
    )
  })
  test.each<[Parameters<typeof fitting>[0], string]>([
    [{ part: 9, whole: 10, about: 9, to: 0.9, when: 'in' }, 'all-of-it'],
    [{ part: 9, whole: 10, about: 9, to: 0.9, when: 'far' }, 'other-time'],
    [{ part: 9, whole: 10, about: 9, to: 0.4, when: 'in' }, 'other-colleague'],
    [{ part: 9, whole: 10, about: 3, to: 0.9, when: 'in' }, 'other-subject'],
    [{ part: 9, whole: 10, about: 4, to: 0.9, when: 'in' }, 'part'],
    [{ part: 9, whole: 10, about: 5, to: 0.9, when: 'in' }, 'close'],
    [{ part: 6, whole: 10, about: 6, to: 0.9, when: 'in' }, 'close'],
    [{ part: 5, whole: 10, about: 6, to: 0.9, when: 'in' }, 'part'],
    [{ part: 9, whole: 10, to: 0.5, when: 'in' }, 'close'],
    [{ part: 8, whole: 10 }, 'close'],
    [{ part: 5, whole: 10 }, 'part'],
  ])('%j is %s', (given, label) => expect(fitting(given)?.label).toBe(label))
})

describe('the journey', () => {
  const way = (more: Partial<Way> = {}): Way => ({
    receivedAt: 1000,
    envelopeFrom: 'a@x.example',
    addressUsed: 'b@harbour.example',
    score: 52.4,
    harm: '',
    decided: { stage: 'score', facts: { limit: 40 } },
    state: 'quarantined',
    placed: {},
    discardedByRule: false,
    boundFor: null,
    cameFrom: null,
    landedAt: null,
    expiresAt: 9000,
    happenings: [],
    digest: null,
    nextDigest: 5000,
    wouldBeListed: true,
    waiting: null,
    copies: [],
    ...more,
  })
  const copy = (folder: string, more: Partial<Copy> = {}): Copy => ({
    folder,
    kind: folder === 'INBOX' ? 'inbox' : 'other',
    seen: false,
    foundAt: 1200,
    putBy: 'arrival',
    goneAt: null,
    ...more,
  })
  const kinds = (given: Way) =>
    journeyOf(given).map(({ kind, stage }) => (stage === 'done' ? kind : `${kind} ${stage}`))
  const ruling = { at: 2000, act: 'ruling', by: 'Oda', facts: {} }
  const landed = { at: 2200, act: 'landed', by: 'Pendro', facts: {} }
  test.each([
    [way(), ['came-in', 'checked', 'quarantined here', 'digest-would-list coming', 'goes-away coming']],
    [way({ state: 'inbox', landedAt: 1100 }), ['came-in', 'checked', 'inbox here']],
    [way({ state: 'sealed' }), ['came-in', 'checked', 'sealed here', 'goes-away coming']],
    [
      way({ state: 'junk', digest: { at: 1500, listed: true } }),
      ['came-in', 'checked', 'junk', 'digest-listed here', 'goes-away coming'],
    ],
    [
      way({
        state: 'deferred',
        boundFor: 'released',
        happenings: [ruling],
        waiting: { attempts: 2, nextAt: 3000, problem: '421' },
      }),
      ['came-in', 'checked', 'quarantined', 'ruling', 'deferred here', 'next-try coming'],
    ],
    [
      way({
        state: 'released',
        cameFrom: 'quarantined',
        landedAt: 2500,
        happenings: [ruling, { at: 2500, act: 'landed', by: '', facts: {} }],
      }),
      ['came-in', 'checked', 'quarantined', 'ruling', 'landed here'],
    ],
    [way({ state: 'inspecting' }), ['came-in', 'checked', 'inspecting here', 'finding coming']],
    [way({ state: 'expired' }), ['came-in', 'checked', 'quarantined', 'expired here']],
    [way({ state: 'bounced' }), ['came-in', 'checked', 'bounced here']],
    [
      way({ state: 'bounced', happenings: [{ at: 2500, act: 'bounced', by: '', facts: {} }] }),
      ['came-in', 'checked', 'bounced here'],
    ],
    [
      way({ state: 'bounced', happenings: [{ at: 2500, act: 'landed', by: '', facts: {} }] }),
      ['came-in', 'checked', 'landed', 'bounced here'],
    ],
    [
      way({ state: 'released', cameFrom: 'junk', landedAt: 2500 }),
      ['came-in', 'checked', 'junk', 'released here'],
    ],
    [
      way({ state: 'expired', happenings: [{ at: 3000, act: 'erased', by: 'Oda', facts: {} }] }),
      ['came-in', 'checked', 'quarantined', 'erased here'],
    ],
    [way({ state: 'moved', cameFrom: null }), ['came-in', 'checked', 'moved here']],
    // At the mail store, as far as it was looked into.
    [way({ state: 'inbox', copies: [copy('INBOX')] }), ['came-in', 'checked', 'inbox here']],
    [
      way({
        state: 'inbox',
        copies: [copy('INBOX', { goneAt: 2000 }), copy('Yard', { putBy: 'colleague', foundAt: 2000 })],
      }),
      ['came-in', 'checked', 'inbox', 'moved-by-program here'],
    ],
    [
      way({
        state: 'released',
        cameFrom: 'junk',
        landedAt: 1900,
        copies: [copy('Junk', { goneAt: 2000 }), copy('INBOX', { putBy: 'pendro', foundAt: 2000 })],
      }),
      ['came-in', 'checked', 'junk', 'released', 'moved-by-desk here'],
    ],
    // A release that moved it says so once; what is moved later is another stop.
    [
      way({
        state: 'released',
        cameFrom: 'moved',
        happenings: [ruling, landed],
        copies: [copy('Yard', { goneAt: 2100 }), copy('INBOX', { putBy: 'pendro', foundAt: 2100 })],
      }),
      ['came-in', 'checked', 'moved', 'ruling', 'landed here'],
    ],
    [
      way({
        state: 'released',
        cameFrom: 'moved',
        happenings: [ruling, landed],
        copies: [
          copy('INBOX', { putBy: 'pendro', foundAt: 2100, goneAt: 2500 }),
          copy('Yard', { putBy: 'colleague', foundAt: 2500, goneAt: 2600 }),
          copy('INBOX', { putBy: 'pendro', foundAt: 2600 }),
        ],
      }),
      ['came-in', 'checked', 'moved', 'ruling', 'landed', 'moved-by-program', 'moved-by-desk here'],
    ],
    [
      way({ state: 'inbox', copies: [copy('Yard', { putBy: 'unseen' })] }),
      ['came-in', 'checked', 'inbox', 'found-in here'],
    ],
    [
      way({ state: 'inbox', copies: [copy('INBOX', { goneAt: 3000 })] }),
      ['came-in', 'checked', 'inbox', 'gone-from-store here'],
    ],
    [
      way({
        state: 'inbox',
        copies: [
          copy('INBOX', { goneAt: 2000 }),
          copy('Yard', { putBy: 'colleague', foundAt: 2000, goneAt: 3000 }),
        ],
      }),
      ['came-in', 'checked', 'inbox', 'moved-by-program', 'gone-from-store here'],
    ],
    // One that stays keeps it there, whatever became of another.
    [
      way({ state: 'inbox', copies: [copy('INBOX', { goneAt: 2000 }), copy('INBOX', { foundAt: 2100 })] }),
      ['came-in', 'checked', 'inbox here'],
    ],
    [
      way({
        state: 'deferred',
        boundFor: 'released',
        cameFrom: 'junk',
        copies: [copy('Junk')],
        waiting: { attempts: 0, nextAt: 4000, problem: '' },
      }),
      ['came-in', 'checked', 'junk', 'deferred here', 'next-try coming'],
    ],
  ])('%#', (given, want) => expect(kinds(given)).toEqual(want))

  test('whether it was opened is said where it is, and nowhere else', () => {
    const read = (given: Partial<Way>) => journeyOf(way(given)).map(({ facts }) => facts.read)
    const brought = copy('INBOX', { putBy: 'pendro', foundAt: 2100, seen: true })
    const release: Partial<Way> = { state: 'released', cameFrom: 'moved', happenings: [landed] }
    expect(read({ ...release, copies: [brought] }).at(-1)).toBe('opened')
    expect(read({ ...release, copies: [copy('INBOX', { foundAt: 9000 })] }).at(-1)).toBe('unread')
    expect(read({ ...release, copies: [copy('Junk', { seen: true })] }).at(-1)).toBeUndefined()
    expect(
      read({ ...release, copies: [{ ...brought, goneAt: 2500 }, copy('Yard', { putBy: 'colleague' })] }),
    ).toEqual([undefined, undefined, undefined, undefined, 'unread'])
    expect(read({ state: 'inbox', copies: [copy('INBOX', { seen: true })] })).toEqual([
      undefined,
      undefined,
      'opened',
    ])
    expect(read({ state: 'inbox', copies: [copy('INBOX')] }).at(-1)).toBe('unread')
    expect(
      read({
        state: 'inbox',
        copies: [copy('INBOX', { goneAt: 2 }), copy('Yard', { putBy: 'colleague', seen: true })],
      }),
    ).toEqual([undefined, undefined, undefined, 'opened'])
    expect(
      journeyOf(way({ state: 'inbox', copies: [copy('Yard', { putBy: 'unseen' })] })).at(-1)?.facts,
    ).toEqual({
      folder: 'Yard',
      place: 'other',
      read: 'unread',
    })
  })

  test('each stop says what is known of it', () => {
    const facts = (given: Partial<Way>, kind: string) =>
      journeyOf(way(given)).find(stop => stop.kind === kind)
    expect(facts({}, 'came-in')).toMatchObject({ facts: { from: 'a@x.example', to: 'b@harbour.example' } })
    expect(facts({ harm: 'eicar' }, 'checked')).toMatchObject({ facts: { score: 52, harm: 'eicar' } })
    expect(facts({}, 'quarantined')).toMatchObject({ at: 1000, facts: { limit: 40, stage: 'score' } })
    expect(
      facts({ state: 'deferred', waiting: { attempts: 2, nextAt: 3000, problem: '421 later' } }, 'deferred'),
    ).toMatchObject({ facts: { attempts: 2, problem: '421 later' } })
    expect(facts({ state: 'deferred' }, 'deferred')).toMatchObject({ facts: { attempts: 0, problem: '' } })
    const placed = { rule: 'Manifests', folder: 'Manifests/2026' }
    expect(facts({ state: 'moved', placed, landedAt: 1100 }, 'moved')).toMatchObject({
      at: 1100,
      facts: placed,
    })
    // What a rule says of places has no say while it is held.
    expect(facts({ placed }, 'quarantined')?.facts).not.toHaveProperty('folder')
    const decided = { stage: 'rules', facts: { rule: 'Fairs' } }
    expect(facts({ state: 'discarded', decided, discardedByRule: true }, 'discarded')).toMatchObject({
      at: 1000,
      facts: decided.facts,
    })
    expect(facts({ state: 'expired' }, 'expired')).toMatchObject({ at: 9000 })
  })

  test('has one place where the message is, stops in order of time, and what is to come at its end', () => {
    const state = fc.constantFrom(
      ...([
        'inspecting',
        'inbox',
        'aside',
        'junk',
        'quarantined',
        'sealed',
        'deferred',
        'bounced',
        'released',
        'discarded',
        'expired',
      ] as const),
    )
    const happening = fc.record({
      at: fc.integer({ min: 1001, max: 8000 }),
      act: fc.constantFrom('ruling', 'undo', 'landed', 'bounced', 'inspected'),
      by: fc.constant('Oda'),
      facts: fc.constant({}),
    })
    fc.assert(
      fc.property(state, fc.array(happening, { maxLength: 5 }), (given, happenings) => {
        const sorted = [...happenings].sort((a, b) => a.at - b.at)
        const stops = journeyOf(way({ state: given, happenings: sorted }))
        expect(stops.filter(({ stage }) => stage === 'here')).toHaveLength(1)
        const here = stops.findIndex(({ stage }) => stage === 'here')
        expect(stops.slice(0, here).every(({ stage }) => stage === 'done')).toBe(true)
        expect(stops.slice(here + 1).every(({ stage }) => stage === 'coming')).toBe(true)
        const times = stops.slice(0, here).map(({ at }) => at ?? 0)
        expect(times).toEqual([...times].sort((a, b) => a - b))
      }),
    )
  })
})
