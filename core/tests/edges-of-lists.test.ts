// Edges of lists, upkeep and what another policy would do, which mutation testing found nobody to notice (docs/mutation.md).
import { describe, expect, test } from 'vitest'
import { isSameAddress, parseAddress } from '@pendro/core/address'
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
