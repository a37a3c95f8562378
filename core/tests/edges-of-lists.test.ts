// Edges of lists, upkeep and what another policy would do, which mutation testing found nobody to notice (docs/mutation.md).
import { describe, expect, test } from 'vitest'
import { isSameAddress, parseAddress } from '@pendro/core/address'
import { findDrift, reliability, teachesMost, wilsonLow, type DriftSample } from '@pendro/core/calibration'
import { bandsOf, differences, likeness, sketchOf } from '@pendro/core/clusters'
import { findReferences, nextDigest, readReply } from '@pendro/core/digest'
import { byWeight, learnAtOnce, weighUnreadable } from '@pendro/core/judgement'
import { awayProblem, longestAway } from '@pendro/core/keeping'
import { readList, writeCsv, type WrittenEntry } from '@pendro/core/lists'
import { policyReach, rulesReach, type SeenByRules, type SeenOne } from '@pendro/core/mailboxes'
import type { RuleVerdict } from '@pendro/core/mail-rules'
import {
  consultList,
  indexRegister,
  noAuthentication,
  parsePattern,
  patternAtWidth,
  patternCovers,
  patternText,
  type SenderEntry,
  type SenderFacts,
} from '@pendro/core/senders'
import { createAudit, type RegisteredEntry } from '@pendro/core/upkeep'
import { effect } from '../src/upkeep/precedence.ts'
import { rangeOf, realShares } from '@pendro/core/weights'
import { rate, readParty, readStatus, readWhen, trigrams, wordsOf } from '@pendro/core/whereabouts'
import { gramsOf, gramSpace, valuesOf } from '../src/judgement/text/grams.ts'
import { linearSum } from '../src/judgement/text/linear.ts'

const pattern = (text: string) => {
  const found = parsePattern(text)
  if (!found.ok) throw new Error(text)
  return found.value
}
const entry = (id: number, text: string, more: Partial<RegisteredEntry> = {}): RegisteredEntry => ({
  id,
  pattern: pattern(text),
  standing: 'safe',
  owner: { kind: 'organisation' },
  binding: false,
  withoutAuthentication: false,
  until: null,
  createdAt: 0,
  lastMatchedAt: null,
  ...more,
})
const facts = (more: Partial<SenderFacts> = {}): SenderFacts => ({
  from: [{ local: 'a', tag: null, domain: 'x.example' }],
  envelopeFrom: null,
  sender: null,
  listId: null,
  authentication: noAuthentication,
  ...more,
})
const policy = { ownDomains: ['harbour.example'], sharedProviders: [] }
const seenOne = (deliveryId: number, score: number, more: Partial<SeenOne> = {}): SeenOne => ({
  deliveryId,
  count: 1,
  calledByPerson: null,
  mailbox: {
    mailboxId: 1,
    limits: { junk: 40, quarantined: 60, nearCertain: 90 },
    usesSetAside: false,
    filtering: true,
  },
  facts: { sender: facts(), harm: null, score, bulk: false, unreadable: false, rules: [] },
  ...more,
})

describe('texts of more and fewer words', () => {
  const word = (n: number): string => [...String(n)].map(digit => 'klmnoprstu'[Number(digit)]).join('')
  const words = (n: number, from = 0) => Array.from({ length: n }, (_, i) => `w${word(from + i)}`).join(' ')
  test('twelve words are told apart, eleven are not', () => {
    expect(sketchOf({ text: words(12) })).toHaveLength(8)
    expect(sketchOf({ text: words(11) })).toHaveLength(0)
  })
  test('512 hashes stand for a text, smallest first; fewer are all there are', () => {
    expect(sketchOf({ text: words(3000) })).toHaveLength(512)
    expect(sketchOf({ text: words(516) })).toHaveLength(512)
    expect(sketchOf({ text: words(515) })).toHaveLength(511)
    const sketch = [...sketchOf({ text: words(3000) })]
    expect(sketch).toEqual([...sketch].sort((a, b) => a - b))
  })
  test('a text that is a fifth of another is a fifth like it, whichever is asked of', () => {
    const whole = sketchOf({ text: words(2559) })
    for (const part of [words(515), words(516)].map(text => sketchOf({ text }))) {
      expect(Math.abs(likeness(part, whole) - 0.2)).toBeLessThan(0.05)
      expect(likeness(part, whole)).toBe(likeness(whole, part))
    }
  })
  // 1 − (1 − s⁴)¹⁶, by "Mining of Massive Datasets", §3.4.2: of 0.3 in 12 of 100, of 0.8 nearly always.
  test('bands are shared as often as four rows of sixteen make it', () => {
    const shared = (likenessOf: number) => {
      const common = Math.round((2 * 100 * likenessOf) / (1 + likenessOf))
      let met = 0
      for (let i = 0; i < 300; i += 1) {
        const of = (own: number) =>
          bandsOf(sketchOf({ text: `${words(common + 4, i * 1000)} ${words(100 - common, own)}` }))
        const [one, other] = [of(1_000_000 + i * 1000), of(2_000_000 + i * 1000)]
        if (one.some((band, k) => band === other[k])) met += 1
      }
      return met / 300
    }
    expect(shared(0.3)).toBeGreaterThan(0.07)
    expect(shared(0.3)).toBeLessThan(0.18)
    expect(shared(0.8)).toBeGreaterThan(0.98)
  })
  test('what is empty is no difference', () => {
    const member = (subject: string) => ({ subject, sender: '', hosts: [' '], attachments: [] })
    expect(differences(member('Offer'), [member(''), member('offer '), member('Other')])).toMatchObject({
      subject: { count: 1, most: ['Other'] },
      sender: { count: 0 },
      hosts: { count: 0, most: [] },
    })
  })
})

describe('a lesson that counts at once', () => {
  // Crammer et al. (2006), PA-I: from nothing a step of at most 0.3, to the side of the lesson.
  test.each([
    [true, 1],
    [false, -1],
  ])('junk %s: to %d', (isJunk, side) => {
    const grams = gramsOf(['timetable', 'berth'])
    const model = { weights: new Float32Array(gramSpace), rarity: new Float32Array(gramSpace).fill(1) }
    const value = valuesOf(grams, model.rarity)
    const length = [...value].reduce((sum, one) => sum + one * one, 0)
    const moved = learnAtOnce(model, [{ grams, isJunk }])
    expect(linearSum(moved, grams.at, value)).toBeCloseTo(side * Math.min(1, 0.3 * length), 5)
  })
})

describe('calibration', () => {
  test('each band says what was said in it, on average', () => {
    const bands = reliability([
      { said: 0.12, isJunk: false },
      { said: 0.18, isJunk: true },
    ])
    expect(bands[1]).toMatchObject({ from: 10, to: 20, count: 2, was: 0.5, enough: false })
    expect(bands[1]?.said).toBeCloseTo(0.15, 10)
  })
  test('copies count, slowly: a sure message of many does not come before an unsure one', () => {
    const one = (id: number, score: number, copies: number) => ({ id, score, cluster: `c${id}`, copies })
    expect(teachesMost([one(1, 10, 16), one(2, 50, 1)], 2).map(({ id }) => id)).toEqual([2, 1])
    expect(teachesMost([one(1, 40, 16), one(2, 50, 1)], 2).map(({ id }) => id)).toEqual([1, 2])
  })
  test('of messages that teach alike the older comes first', () => {
    const one = (id: number) => ({ id, score: 50, cluster: `c${id}`, copies: 1 })
    expect(teachesMost([one(3), one(1), one(2)], 3).map(({ id }) => id)).toEqual([1, 2, 3])
  })
})

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

describe('lists', () => {
  test('CSV says which entries ask for no proof', () => {
    const written = (withoutAuthentication: boolean): WrittenEntry => ({
      pattern: pattern('x.example'),
      standing: 'safe',
      reason: '',
      until: null,
      withoutAuthentication,
      binding: false,
      keptBy: '',
    })
    const [head = '', yes = '', no = ''] = writeCsv([written(true), written(false)])
      .trim()
      .split(/\r?\n/)
    const at = head
      .replace(/^\ufeff/, '')
      .split(',')
      .indexOf('without authentication')
    expect([yes.split(',')[at], no.split(',')[at]]).toEqual(['yes', 'no'])
  })
  test('JSON: a standing is safe, blocked or left out', () => {
    const lines = (item: unknown) => {
      const list = readList(Buffer.from(JSON.stringify([item])), { name: 'a.json' })
      return list.ok
        ? [...list.value.lines].map(({ entry: found }) =>
            found.ok ? found.value.standing : found.problem.code,
          )
        : list.problem
    }
    expect(lines({ pattern: 'x.example' })).toEqual([null])
    expect(lines({ pattern: 'x.example', standing: null })).toEqual([null])
    expect(lines({ pattern: 'x.example', standing: 'safe' })).toEqual(['safe'])
    expect(lines({ pattern: 'x.example', standing: 'Safe' })).toEqual(['bad-standing'])
    expect(lines({ pattern: 'x.example', standing: 1 })).toEqual(['bad-standing'])
  })
  test('a list with nothing in it says nothing', () =>
    expect(consultList([], facts(), { tie: 'safe', ownDomains: [], now: 0 })).toEqual(
      consultList([entry(1, 'y.example') as SenderEntry], facts(), { tie: 'safe', ownDomains: [], now: 0 }),
    ))
  test('entries of a mailing list are looked up by its id alone', () => {
    const index = indexRegister([
      entry(1, '<list.x.example>'),
      entry(2, '<list.x.example>', { owner: { kind: 'mailbox', mailboxId: 7 } }),
    ] as SenderEntry[])
    const ids = (listId: string | null, mailboxId = 7) => {
      const found = index.lookUp(facts({ listId }), mailboxId)
      return [found.organisation, found.mailbox].map(side => side.map(({ id }) => id))
    }
    expect(ids('list.x.example')).toEqual([[1], [2]])
    expect(ids('list.x.example', 8)).toEqual([[1], []])
    expect(ids('other.x.example')).toEqual([[], []])
    expect(ids(null)).toEqual([[], []])
  })
})

describe('upkeep', () => {
  const now = 1000 * 86_400_000
  const proven = (local: string, domain: string): SenderFacts =>
    facts({
      from: [{ local, tag: null, domain }],
      authentication: { ...noAuthentication, dmarc: { result: 'pass', domain } },
    })
  const seen = (sender: SenderFacts, count: number, calledByPerson: 'wanted' | 'junk' | null = null) => ({
    ...seenOne(1, 50),
    count,
    calledByPerson,
    facts: { ...seenOne(1, 50).facts, sender },
  })
  const audit = (entries: readonly RegisteredEntry[], history: readonly ReturnType<typeof seen>[]) => {
    const looking = createAudit(entries, { policy, now, frequent: [], writtenTo: () => 0 })
    for (const one of history) looking.see(one)
    return looking
  }
  test('what was seen of each sender adds up: deliveries, wanted, harm', () => {
    const own = entry(1, 'x.example', { createdAt: now, lastMatchedAt: now })
    const looking = audit(
      [own],
      [
        seen(proven('a', 'x.example'), 3),
        seen(proven('a', 'x.example'), 2, 'wanted'),
        seen(proven('b', 'x.example'), 4, 'junk'),
      ],
    )
    const tally = looking.tallyOf(own)
    expect(tally).toMatchObject({ matched: 9, decided: 9, wanted: 2, harmful: 4, calledJunk: 4, refused: 0 })
    expect(Object.fromEntries(tally?.senders ?? [])).toEqual({
      'a@x.example': { deliveries: 5, harmful: 0, wanted: 2 },
      'b@x.example': { deliveries: 4, harmful: 4, wanted: 0 },
    })
    expect(looking.tallyOf(entry(9, 'y.example'))).toBeNull()
  })
  test('an entry matters for the deliveries that would have gone another way without it', () => {
    const wide = entry(1, '*.x.example', { createdAt: now, lastMatchedAt: now })
    const narrow = entry(2, 'x.example', { createdAt: now, lastMatchedAt: now })
    const looking = audit([wide, narrow], [seen(proven('a', 'x.example'), 4)])
    expect(looking.findings().map(({ kind, entries }) => [kind, entries.map(({ id }) => id)])).toEqual([
      ['covered', [2, 1]],
    ])
    expect(looking.tallyOf(narrow)).toMatchObject({ matched: 4, mattered: 0 })
  })
  test('what was proven only now and then is not what is never proven', () => {
    const own = entry(1, 'x.example', { createdAt: now, lastMatchedAt: now })
    const unproven = facts()
    const kinds = (...history: ReturnType<typeof seen>[]) =>
      audit([own], history)
        .findings()
        .map(({ kind }) => kind)
    expect(kinds(seen(unproven, 50))).toEqual(['never-authenticated'])
    expect(kinds(seen(unproven, 50), seen(proven('a', 'x.example'), 1))).toEqual([])
    expect(kinds(seen(unproven, 1))).toEqual([])
  })
  test('an entry for a whole suffix, however it came in, lets in too much', () => {
    const wide = entry(1, 'x.example', {
      pattern: { kind: 'domain', domain: 'co.uk' },
      createdAt: now,
      lastMatchedAt: now,
    })
    expect(audit([wide], []).findings()).toMatchObject([
      { kind: 'lets-in-too-much', facts: { why: 'public-suffix' }, remedies: [{ name: 'end' }] },
    ])
  })
  test('harm by the score alone counts only of senders that nobody wanted', () => {
    const own = entry(1, 'x.example', { createdAt: now, lastMatchedAt: now })
    const near = (local: string, called: 'wanted' | 'junk' | null, count = 1) => {
      const one = seen(proven(local, 'x.example'), count, called)
      return { ...one, facts: { ...one.facts, score: 95 } }
    }
    const harm = (...history: ReturnType<typeof seen>[]) =>
      audit([own], history)
        .findings()
        .map(({ kind, facts: told }) => [kind, told.harmful])
    expect(harm(near('a', null, 3))).toEqual([['let-harm-in', 3]])
    expect(harm(near('a', null, 3), near('a', 'wanted'))).toEqual([])
    expect(harm(near('a', null, 3), near('b', 'wanted', 5), near('b', null, 2))).toEqual([['let-harm-in', 3]])
    expect(harm(near('a', 'wanted'))).toEqual([])
  })
  test('the same entry twice: the later one goes', () => {
    const twice = [1, 2].map(id => entry(id, 'x.example', { createdAt: now, lastMatchedAt: now }))
    const found = audit(twice, [])
      .findings()
      .filter(({ kind }) => kind === 'duplicate')
    expect(found).toMatchObject([
      { entries: [{ id: 2 }, { id: 1 }], remedies: [{ name: 'end', change: { add: [], end: [{ id: 2 }] } }] },
    ])
  })
  test('what becomes everybody’s asks for proof unless none of theirs did', () => {
    const of = (asks: (i: number) => boolean) => {
      const entries = Array.from({ length: 9 }, (_, i) =>
        entry(i + 1, 'many.example', {
          owner: { kind: 'mailbox', mailboxId: i + 1 },
          withoutAuthentication: !asks(i),
          createdAt: now,
          lastMatchedAt: now,
        }),
      )
      const found = audit(entries, [])
        .findings()
        .find(({ kind }) => kind === 'for-everyone')
      expect(found?.remedies.map(({ name }) => name)).toEqual(['for-everyone'])
      return found?.remedies[0]?.change.add[0]?.withoutAuthentication
    }
    expect(of(() => true)).toBe(false)
    expect(of(i => i === 3)).toBe(false)
    expect(of(() => false)).toBe(true)
  })
  test.each([0, 0.5, -1, Number.NaN])('a limit of %d is refused, 1 is not', limit => {
    const given = { policy, now, frequent: [], writtenTo: () => 0 }
    expect(() => createAudit([], { ...given, limits: { wantedBack: limit } })).toThrow(
      /wantedBack is 1 or more/,
    )
    expect(() => createAudit([], { ...given, limits: { wantedBack: 1 } })).not.toThrow()
  })
})

describe('what another policy would come to', () => {
  test('sixty examples are shown of however many', () => {
    const mail = Array.from({ length: 300 }, (_, i) => seenOne(i + 1, 50))
    const off = (before: SeenOne['mailbox']) => ({ ...before, filtering: false })
    const found = policyReach(mail, off, [], { policy, now: 0 })
    expect(found.letThrough.doubtful).toBe(300)
    expect(found.examples).toHaveLength(60)
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
  test('rules: wanted mail counts as held where it arrived and would not any more', () => {
    const letIn = verdict({ hold: 'let-in' })
    const junk = verdict({ hold: 'junk' })
    const one = (
      called: 'wanted' | 'junk' | null,
      score: number,
      before: RuleVerdict[],
      after: RuleVerdict[],
    ): SeenByRules => ({
      ...seenOne(1, score),
      calledByPerson: called,
      before,
      after,
    })
    const counts = (...mail: SeenByRules[]) => {
      const { wantedHeld, harmfulLetIn, changed } = rulesReach(mail, new Set([1]), [], { policy, now: 0 })
      return [changed, wantedHeld, harmfulLetIn]
    }
    expect(rulesReach([one('wanted', 10, [], [junk])], new Set([1]), [], { policy, now: 0 }).moves).toEqual([
      { from: { state: 'inbox', folder: '' }, to: { state: 'junk', folder: '' }, deliveries: 1 },
    ])
    expect(counts(one('wanted', 10, [], [junk]))).toEqual([1, 1, 0])
    // Nobody said so, and by its score it arrived: taken for wanted.
    expect(counts(one(null, 10, [], [junk]))).toEqual([1, 1, 0])
    expect(counts(one('junk', 10, [], [junk]))).toEqual([1, 0, 0])
    expect(counts(one('wanted', 10, [junk], []))).toEqual([1, 0, 0])
    expect(counts(one('wanted', 70, [], [letIn]))).toEqual([1, 0, 0])
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

describe('addresses and patterns', () => {
  const address = (text: string) => {
    const parsed = parseAddress(text)
    if (!parsed.ok) throw new Error(text)
    return parsed.value
  }
  test.each([
    ['anna@x.example', 'ANNA@X.example', true],
    ['anna+a@x.example', 'anna+a@x.example', true],
    ['anna+a@x.example', 'anna+b@x.example', false],
    ['anna+a@x.example', 'anna@x.example', false],
    ['anna@x.example', 'bo@x.example', false],
    ['anna@x.example', 'anna@y.example', false],
  ])('%s and %s are equal: %s', (a, b, is) => expect(isSameAddress(address(a), address(b))).toBe(is))

  const sender = { address: address('anna+a@mail.x.example'), listId: 'list.x.example' }
  test.each([
    ['address', sender, 'anna@mail.x.example'],
    ['domain', sender, 'mail.x.example'],
    ['subtree', sender, '*.mail.x.example'],
    ['list', sender, '<list.x.example>'],
    ['list', { ...sender, listId: null }, null],
    ['address', { ...sender, address: null }, null],
    ['domain', { ...sender, address: null }, null],
    ['domain', { ...sender, address: address('anna@co.uk') }, null],
    ['address', { ...sender, address: address('anna@co.uk') }, 'anna@co.uk'],
  ] as const)('as wide as its %s: %#', (width, of, want) => {
    const found = patternAtWidth(width, of)
    expect(found && patternText(found)).toBe(want)
  })
  test.each([
    ['anna@x.example', 'anna+a@x.example', true],
    ['anna+a@x.example', 'anna@x.example', false],
    ['anna+a@x.example', 'anna+a@x.example', true],
    ['anna@x.example', 'bo@x.example', false],
    ['anna@x.example', 'anna@y.example', false],
    ['anna@x.example', 'x.example', false],
    ['x.example', 'anna@x.example', true],
    ['x.example', 'anna@mail.x.example', false],
    ['x.example', '*.x.example', false],
    ['x.example', '<list.x.example>', false],
    ['*.x.example', 'x.example', true],
    ['*.x.example', 'mail.x.example', true],
    ['*.x.example', '*.mail.x.example', true],
    ['*.mail.x.example', '*.x.example', false],
    ['*.x.example', 'anna@mail.x.example', true],
    ['*.x.example', 'anna@xx.example', false],
    ['*.x.example', '<list.x.example>', false],
    ['<list.x.example>', 'list.x.example', false],
    ['<list.x.example>', '<other.x.example>', false],
    ['<list.x.example>', '<list.x.example>', true],
  ])('all that %s and more: %s: %s', (wider, narrower, is) =>
    expect(patternCovers(pattern(wider), pattern(narrower))).toBe(is),
  )
  test.each([
    ['safe', 'mailbox', 'inbox'],
    ['safe', 'organisation', 'inbox'],
    ['blocked', 'mailbox', 'junk'],
    ['blocked', 'organisation', 'quarantined'],
  ] as const)('%s of a %s sends mail to %s', (standing, kind, place) =>
    expect(
      effect(
        entry(1, 'x.example', {
          standing,
          owner: kind === 'mailbox' ? { kind, mailboxId: 1 } : { kind },
        }) as SenderEntry,
      ),
    ).toBe(place),
  )
  test('domains of a From that can’t be read are looked up, each once', () => {
    const index = indexRegister([
      entry(1, 'x.example'),
      entry(2, 'y.example'),
      entry(3, 'a@y.example'),
      entry(4, 'y.example', { owner: { kind: 'mailbox', mailboxId: 7 } }),
    ] as SenderEntry[])
    const { organisation, mailbox } = index.lookUp(facts({ fromDomains: ['x.example', 'y.example'] }), 7)
    expect(organisation.map(({ id }) => id)).toEqual([1, 2])
    expect(mailbox.map(({ id }) => id)).toEqual([4])
  })
})

describe('a mailing list is proven by its own domain (RFC 2919 §2)', () => {
  const safe = (list: string) => [entry(1, `<${list}>`) as SenderEntry]
  const decided = (list: string, domain: string) => {
    const authentication = { ...noAuthentication, dmarc: { result: 'pass' as const, domain } }
    const sender = facts({ from: [{ local: 'a', tag: null, domain }], listId: list, authentication })
    return consultList(safe(list), sender, { tie: 'safe', ownDomains: [], now: 0 }).refused.length === 0
  }
  test.each([
    ['news.x.example', 'x.example', true],
    ['news.lists.x.example', 'lists.x.example', true],
    ['news.x.example', 'y.example', false],
    ['news.lists.x.example', 'y.example', false],
    ['n.x.example', 'x.example', true],
    ['news.mail.example', 'mail.example', true],
  ])('%s by %s: %s', (list, domain, is) => expect(decided(list, domain)).toBe(is))
})

describe('evidence', () => {
  test('of a message that could not be read: that, and where it starts', () => {
    expect(weighUnreadable('too-deep')).toMatchObject([
      { finding: 'starting-point' },
      { finding: 'could-not-be-read', facts: { problem: 'too-deep' } },
    ])
  })
  test('the heaviest first, whichever way it points, and the starting point last', () => {
    const one = (finding: string, weight: number) => ({ finding, weight }) as never
    const sorted = byWeight([one('starting-point', 9), one('bulk', 0), one('text', -3), one('new-sender', 2)])
    expect(sorted.map(({ finding }) => finding)).toEqual(['text', 'new-sender', 'bulk', 'starting-point'])
  })
  test('a weight goes no further than what is known of real mail: nowhere, or to one side', () => {
    expect(rangeOf('link-elsewhere')).toEqual([0, 0])
    const [from, to] = rangeOf('bulk') ?? []
    const { wanted, junk } = realShares.bulk ?? { wanted: 1, junk: 1 }
    expect([from, to]).toEqual([Math.log(junk / wanted), 0])
    expect(from).toBeLessThan(0)
    expect(rangeOf('starting-point')).toBeNull()
  })
})

describe('where judgement is often wrong', () => {
  const some = (n: number, wrong: number, sender: string, more: Partial<DriftSample> = {}): DriftSample[] =>
    Array.from({ length: n }, (_, i) => ({
      id: i + 1,
      isJunk: i % 2 === 0,
      isWrong: i < wrong,
      of: { sender, language: '', mail: '' },
      ...more,
    }))
  const found = (...samples: DriftSample[][]) =>
    findDrift(samples.flat()).map(({ value, wrong }) => [value, wrong])
  test('five wrong of at most ten, and more than the rest by more than chance', () => {
    const rest = some(100, 2, 'rest')
    expect(found(some(5, 5, 'a'), rest)).toEqual([['a', 5]])
    expect(found(some(4, 4, 'a'), rest)).toEqual([])
    expect(found(some(10, 5, 'a'), rest)).toEqual([['a', 5]])
    expect(found(some(11, 5, 'a'), rest)).toEqual([])
    expect(found(some(10, 6, 'a'), some(100, 35, 'rest'))).toEqual([])
    expect(found(some(10, 6, 'a'))).toEqual([])
    expect(found(some(10, 10, 'a'), some(20, 8, 'rest'))).toEqual([['a', 10]])
    expect(found(some(10, 6, 'a'), some(10, 10, ''))).toEqual([])
  })
  test('the worst first, the wrong ones newest first, held and missed apart', () => {
    const [worst, next] = findDrift([...some(8, 8, 'b'), ...some(7, 6, 'a'), ...some(100, 1, 'rest')])
    expect(worst).toMatchObject({ kind: 'sender', value: 'b', rulings: 8, wrong: 8, held: 4, missed: 4 })
    expect(worst?.ids).toEqual([8, 7, 6, 5, 4, 3, 2, 1])
    expect(next).toMatchObject({ value: 'a', rulings: 7, wrong: 6 })
  })
  // By the formula, by hand: 5 of 10 at 95 % is 0.2366; 0 of 10 is 0, 10 of 10 is 0.7225.
  test.each([
    [5, 10, 0.2366],
    [0, 10, 0],
    [10, 10, 0.7225],
    [0, 0, 0],
  ])('Wilson: %d of %d', (part, whole, low) => expect(wilsonLow(part, whole)).toBeCloseTo(low, 4))
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
