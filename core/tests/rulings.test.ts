import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseAddress } from '@pendro/core/address'
import type { DeliveryFacts, MailboxPolicy } from '@pendro/core/judgement'
import {
  findBlockGap,
  findCaution,
  findNarrower,
  findRefusal,
  narrowerPatterns,
  patternsBeside,
  planChange,
  reach,
  takenFor,
  type ProposedEntry,
  type Reach,
  type SeenDeliveries,
} from '@pendro/core/rulings'
import {
  noAuthentication,
  overlaps,
  parsePattern,
  patternCovers,
  patternText,
  type SenderEntry,
  type SenderPattern,
} from '@pendro/core/senders'
import { createAudit, findCover, sendingElsewhere, sortByText } from '@pendro/core/upkeep'

const pattern = (text: string): SenderPattern => {
  const parsed = parsePattern(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}
const now = 1_000_000_000
let nextId = 0
/** `owner`: the number of a mailbox; 0 for the organisation. */
const entry = (
  text: string,
  standing: 'safe' | 'blocked',
  owner = 0,
  more: Partial<SenderEntry> = {},
): SenderEntry => ({
  id: (nextId += 1),
  pattern: pattern(text),
  standing,
  owner: owner === 0 ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId: owner },
  binding: false,
  withoutAuthentication: false,
  until: null,
  ...more,
})
const proposal = (...given: Parameters<typeof entry>): ProposedEntry => {
  const { id: _, ...rest } = entry(...given)
  return rest
}
const policy = {
  ownDomains: ['harbour.example', 'crew.example'],
  sharedProviders: ['freepost.example', 'webpost.example'],
}

describe('what a ruling does to the lists', () => {
  test('one entry for each of three colleagues', () => {
    const { add } = planChange(
      [proposal('x.example', 'safe', 1), proposal('x.example', 'safe', 2), proposal('x.example', 'safe', 3)],
      [],
      now,
    )
    expect(add.map(({ owner }) => owner)).toEqual(
      [1, 2, 3].map(mailboxId => ({ kind: 'mailbox', mailboxId })),
    )
  })

  test('a colleague’s entry and the organisation’s are two', () => {
    expect(
      planChange([proposal('x.example', 'safe', 1), proposal('x.example', 'safe')], [], now).add,
    ).toHaveLength(2)
  })

  test.each<readonly [string, Partial<SenderEntry>]>([
    ['an end', { until: now + 1 }],
    ['binding', { binding: true }],
    ['without authentication', { withoutAuthentication: true }],
  ])('an entry that is there with other conditions is replaced: %s', (_, more) => {
    const there = entry('x.example', 'safe', 0, more)
    expect(planChange([proposal('x.example', 'safe')], [there], now)).toMatchObject({
      add: [{}],
      end: [there],
    })
    expect(planChange([proposal('x.example', 'safe', 0, more)], [there], now)).toEqual({ add: [], end: [] })
  })

  test.each([
    ['blocked', 'harbour.example', 'blocks-own-domain'],
    ['blocked', '*.harbour.example', 'blocks-own-domain'],
    // The second of two own domains, and a wildcard above it.
    ['blocked', 'crew.example', 'blocks-own-domain'],
    ['blocked', 'mail.crew.example', 'blocks-own-domain'],
    ['blocked', 'anna@harbour.example', null],
    ['blocked', 'notharbour.example', null],
    ['safe', '*.harbour.example', null],
    ['blocked', '<news.harbour.example>', null],
  ] as const)('%s %s: %s', (standing, text, refusal) =>
    expect(findRefusal({ pattern: pattern(text), standing }, policy)).toBe(refusal),
  )

  test('a wildcard above an own domain blocks it, the plain domain above does not', () => {
    const deep = { ownDomains: ['mail.harbour.example'] }
    expect(findRefusal({ pattern: pattern('*.harbour.example'), standing: 'blocked' }, deep)).toBe(
      'blocks-own-domain',
    )
    expect(findRefusal({ pattern: pattern('harbour.example'), standing: 'blocked' }, deep)).toBe(null)
  })

  test.each([
    ['safe', 'freepost.example', 'shared-provider'],
    ['safe', 'webpost.example', 'shared-provider'],
    ['safe', '*.webpost.example', 'shared-provider'],
    ['safe', 'mail.webpost.example', 'shared-provider'],
    ['safe', 'me@webpost.example', null],
    ['safe', '<list.webpost.example>', null],
    ['blocked', 'webpost.example', null],
    ['safe', 'otherpost.example', null],
    ['safe', 'crew.example', 'own-domain'],
  ] as const)('%s %s needs a steward: %s', (standing, text, caution) =>
    expect(findCaution({ pattern: pattern(text), standing }, policy)).toBe(caution),
  )
})

describe('covered', () => {
  const coverOf = (one: SenderEntry, ...others: SenderEntry[]) => {
    const live = [one, ...others]
    return findCover(one, sortByText(live, now), sendingElsewhere(live))?.id ?? null
  }

  test('a lasting entry is not covered by one that soon ends', () => {
    const lasting = entry('anna@x.example', 'safe')
    const ending = entry('x.example', 'safe', 0, { until: now + 1000 })
    const wide = entry('x.example', 'safe')
    expect(coverOf(lasting, ending)).toBe(null)
    expect(coverOf(lasting, wide)).toBe(wide.id)
    const sooner = entry('anna@x.example', 'safe', 0, { until: now + 500 })
    expect(coverOf(sooner, ending)).toBe(ending.id)
    expect(coverOf({ ...sooner, until: now + 1000 }, ending)).toBe(ending.id)
    expect(coverOf({ ...sooner, until: now + 1001 }, ending)).toBe(null)
  })

  test('one that asks for proof does not cover one that asks for none, among safe entries', () => {
    const loose = entry('anna@x.example', 'safe', 0, { withoutAuthentication: true })
    const strict = entry('x.example', 'safe')
    expect(coverOf(loose, strict)).toBe(null)
    const block = entry('x.example', 'blocked')
    expect(coverOf(entry('anna@x.example', 'blocked', 0, { withoutAuthentication: true }), block)).toBe(
      block.id,
    )
  })

  test('a colleague’s entry never covers the organisation’s; nothing that sends elsewhere may come between', () => {
    const ours = entry('anna@x.example', 'safe')
    expect(coverOf(ours, entry('x.example', 'safe', 1))).toBe(null)
    const wide = entry('*.x.example', 'safe')
    expect(coverOf(ours, wide, entry('x.example', 'blocked'))).toBe(null)
    expect(coverOf(ours, wide, entry('y.example', 'blocked'))).toBe(wide.id)
    // A list may send from anywhere: an opposite entry for one is between an address and its domain.
    expect(coverOf(ours, wide, entry('<news.y.example>', 'blocked'))).toBe(null)
  })
})

describe('remedies of a contradiction', () => {
  const remediesOf = (...entries: SenderEntry[]) => {
    const registered = entries.map(one => ({ ...one, createdAt: 0, lastMatchedAt: null }))
    const audit = createAudit(registered, { policy, now, frequent: [], writtenTo: () => 0 })
    return audit.findings().filter(({ kind }) => kind === 'contradicts')
  }
  const endedBy = (finding: ReturnType<typeof remediesOf>[number] | undefined, name: string) =>
    finding?.remedies.find(remedy => remedy.name === name)?.change.end.map(({ id }) => id)

  test('"let it be safe" ends the blocks and only these, "keep it blocked" the safe entries', () => {
    const [safe, block, hers] = [
      entry('x.example', 'safe'),
      entry('x.example', 'blocked', 0, { binding: true }),
      entry('x.example', 'blocked', 1),
    ]
    const found = remediesOf(safe, block, hers)
    expect(found).toHaveLength(1)
    expect(endedBy(found[0], 'keep-safe')).toEqual([block.id, hers.id])
    expect(endedBy(found[0], 'keep-blocked')).toEqual([safe.id])
    // The one that wins today is offered first.
    expect(found[0]?.remedies.map(({ name }) => name)).toEqual(['keep-blocked', 'keep-safe'])
    expect(found[0]?.facts).toMatchObject({ winner: 'blocked', winnerId: block.id, personal: 1, entries: 3 })
    expect(remediesOf(safe, hers)[0]?.facts).toMatchObject({ winner: 'blocked', winnerId: hers.id })
  })

  test('each mailbox of two minds is a finding of its own', () => {
    const all = [1, 2].flatMap(owner => [
      entry('x.example', 'safe', owner),
      entry('x.example', 'blocked', owner),
    ])
    const found = remediesOf(...all)
    expect(found).toHaveLength(2)
    expect(found.map(({ entries }) => entries.map(({ id }) => id))).toEqual([
      [all[0]?.id, all[1]?.id],
      [all[2]?.id, all[3]?.id],
    ])
    // Two colleagues who differ contradict nobody.
    expect(remediesOf(entry('x.example', 'safe', 1), entry('x.example', 'blocked', 2))).toEqual([])
  })

  test('a narrower entry that a wider one always overrules, and its near misses', () => {
    const narrow = entry('anna@x.example', 'safe')
    const wide = entry('x.example', 'blocked', 0, { binding: true })
    const found = remediesOf(narrow, wide)
    expect(found.map(({ entries }) => entries.map(({ id }) => id))).toEqual([[narrow.id, wide.id]])
    expect(endedBy(found[0], 'keep-safe')).toEqual([wide.id])
    // An exception somebody meant; one that ends before the narrow one does; one that lets unproven mail through to it.
    expect(remediesOf(narrow, { ...wide, binding: false })).toEqual([])
    expect(remediesOf(narrow, { ...wide, until: now + 1 })).toEqual([])
    expect(remediesOf({ ...narrow, until: now + 1 }, { ...wide, until: now + 1 })).toHaveLength(1)
    const block = entry('anna@x.example', 'blocked', 1)
    expect(remediesOf(block, entry('x.example', 'safe', 0, { binding: true }))).toEqual([])
    expect(
      remediesOf(block, entry('x.example', 'safe', 0, { binding: true, withoutAuthentication: true })),
    ).toHaveLength(1)
  })
})

const box = (mailboxId: number): MailboxPolicy => ({
  mailboxId,
  limits: { junk: 40, quarantined: 60, nearCertain: 80 },
  usesSetAside: false,
  filtering: true,
})
const sent = (
  from: string,
  {
    score = 50,
    count = 1,
    called = null,
    bulk = false,
    listId = null,
  }: {
    score?: number
    count?: number
    called?: SeenDeliveries['calledByPerson']
    bulk?: boolean
    listId?: string | null
  } = {},
): SeenDeliveries => {
  const address = parseAddress(from)
  if (!address.ok) throw new Error(from)
  const facts: DeliveryFacts = {
    sender: {
      from: [address.value],
      envelopeFrom: null,
      sender: null,
      listId,
      authentication: { ...noAuthentication, dmarc: { result: 'pass', domain: address.value.domain } },
    },
    harm: null,
    score,
    bulk,
    unreadable: false,
    rules: [],
  }
  return { facts, mailbox: box(1), count, calledByPerson: called }
}

describe('what mail was taken for', () => {
  test.each([
    [sent('a@x.example', { score: 39.9 }), 'wanted'],
    [sent('a@x.example', { score: 40 }), 'doubtful'],
    [sent('a@x.example', { score: 79.9 }), 'doubtful'],
    [sent('a@x.example', { score: 80 }), 'harmful'],
    [sent('a@x.example', { score: 95, called: 'wanted' }), 'wanted'],
    [sent('a@x.example', { score: 5, called: 'junk' }), 'harmful'],
  ] as const)('%#: %s', (seen, expected) => expect(takenFor(seen)).toBe(expected))

  test('a block that would keep wanted mail back says so, whatever its score', () => {
    const change = { add: [entry('x.example', 'blocked')], end: [] }
    const history = [
      sent('a@x.example', { score: 10, count: 3 }),
      sent('b@x.example', { score: 10, called: 'wanted' }),
      sent('c@x.example', { score: 39, called: 'junk', count: 2 }),
    ]
    expect(reach(change, [], history, { policy, now })).toMatchObject({
      keptBack: { wanted: 4, doubtful: 0, harmful: 2 },
      letThrough: { wanted: 0, doubtful: 0, harmful: 0 },
      looked: 6,
    })
  })
})

const split = (wanted: number, doubtful: number, harmful: number): Reach => ({
  looked: 0,
  letThrough: { wanted, doubtful, harmful },
  keptBack: { wanted: 0, doubtful: 0, harmful: 0 },
  elsewhere: 0,
  moves: [],
  colleagues: 0,
  refused: 0,
  sealed: 0,
  overruledBy: [],
})
const wide = pattern('*.x.example')

describe('a narrower pattern', () => {
  const find = (proposed: Reach, ...beside: readonly (readonly [string, Reach])[]) =>
    findNarrower(
      wide,
      proposed,
      beside.map(([text, found]) => ({ pattern: pattern(text), reach: found })),
    )?.pattern
  const textOf = (found: SenderPattern | undefined) => (found ? patternText(found) : null)

  test.each<readonly [string, Reach, readonly (readonly [string, Reach])[], string | null]>([
    ['the same wanted mail, less harm', split(3, 0, 2), [['x.example', split(3, 0, 1)]], 'x.example'],
    ['as much harm is no gain', split(3, 0, 2), [['x.example', split(3, 0, 2)]], null],
    ['less of the wanted is no gain', split(3, 0, 2), [['x.example', split(2, 0, 0)]], null],
    ['no harm, no question', split(3, 1, 0), [['x.example', split(3, 1, 0)]], null],
    ['nothing is freed at all', split(0, 0, 2), [['x.example', split(0, 0, 0)]], null],
    [
      'where people called something wanted, the doubtful does not count',
      split(3, 5, 2),
      [['x.example', split(3, 0, 0)]],
      'x.example',
    ],
    ['where nobody did, it does', split(0, 5, 2), [['x.example', split(0, 4, 0)]], null],
    [
      'a mailing list frees what is not of the sender',
      split(3, 0, 2),
      [['<news.x.example>', split(3, 0, 0)]],
      null,
    ],
    ['what lies beside is not narrower', split(3, 0, 2), [['y.example', split(3, 0, 0)]], null],
    [
      'the least harm first',
      split(3, 0, 2),
      [
        ['x.example', split(3, 0, 1)],
        ['mail.x.example', split(3, 0, 0)],
      ],
      'mail.x.example',
    ],
    [
      'of equals the narrowest',
      split(3, 0, 2),
      [
        ['x.example', split(3, 0, 0)],
        ['a@x.example', split(3, 0, 0)],
      ],
      'a@x.example',
    ],
  ])('%s', (_, proposed, beside, expected) => expect(textOf(find(proposed, ...beside))).toBe(expected))

  test('it matches the senders the ruling is about', () => {
    const about = [sent('anna@x.example').facts.sender]
    const beside = [{ pattern: pattern('ben@x.example'), reach: split(1, 0, 0) }]
    expect(findNarrower(wide, split(1, 0, 1), beside, about)).toBe(null)
    expect(findNarrower(wide, split(1, 0, 1), beside, [sent('ben@x.example').facts.sender])).not.toBe(null)
  })
})

describe('a narrower pattern for the senders at hand', () => {
  const about = [sent('ann@x.example').facts.sender]
  const beside = [
    { pattern: pattern('ann@x.example'), reach: split(1, 0, 0) },
    { pattern: pattern('x.example'), reach: split(2, 0, 1) },
    { pattern: pattern('ben@x.example'), reach: split(2, 0, 0) },
  ]
  test('is offered where none frees all, and only with senders at hand', () => {
    const found = findNarrower(wide, split(3, 0, 2), beside, about)
    expect(found && [patternText(found.pattern), found.frees]).toEqual(['ann@x.example', 'at-hand'])
    expect(findNarrower(wide, split(3, 0, 2), beside)).toBeNull()
  })
  test('one that frees all comes first', () => {
    const all = { pattern: pattern('x.example'), reach: split(3, 0, 1) }
    const found = findNarrower(wide, split(3, 0, 2), [...beside, all], about)
    expect(found && [patternText(found.pattern), found.frees]).toEqual(['x.example', 'all'])
  })
  test.each<readonly [string, string, readonly string[], readonly string[]]>([
    ['one sender', '*.x.example', ['a+tag@m.x.example'], ['a@m.x.example', 'm.x.example', '*.m.x.example']],
    [
      'two of one domain',
      '*.x.example',
      ['a@m.x.example', 'b@m.x.example'],
      ['m.x.example', '*.m.x.example'],
    ],
    ['two of two domains', '*.x.example', ['a@m.x.example', 'b@n.x.example'], []],
    ['a domain', 'x.example', ['a@x.example'], ['a@x.example']],
    ['not under it', 'x.example', ['a@y.example'], []],
    ['nobody', 'x.example', [], []],
  ])('%s', (_what, proposed, senders, want) =>
    expect(
      narrowerPatterns(
        pattern(proposed),
        senders.map(address => sent(address).facts.sender),
      ).map(patternText),
    ).toEqual(want),
  )
})

describe('patterns beside a proposal', () => {
  const texts = (proposed: string, ...history: SeenDeliveries[]) =>
    patternsBeside(pattern(proposed), history).map(patternText)

  test('at most four of a kind, most mail first', () => {
    const history = [1, 2, 3, 4, 5, 6].map(n => sent(`a${n}@x.example`, { count: n }))
    expect(texts('x.example', ...history)).toEqual([
      'a6@x.example',
      'a5@x.example',
      'a4@x.example',
      'a3@x.example',
      '*.x.example',
    ])
  })
  test('mail it does not match adds nothing; a tag is left out; the list it came by is there', () => {
    expect(
      texts('x.example', sent('a+b@x.example', { listId: 'news.y.example' }), sent('c@y.example')),
    ).toEqual(['a@x.example', '<news.y.example>', '*.x.example'])
  })
  test('counts of one pattern are added up', () => {
    const history = [
      ...[1, 2, 3, 4].map(n => sent(`a${n}@x.example`, { count: 3 })),
      sent('b@x.example', { count: 2 }),
      sent('b@x.example', { count: 2 }),
    ]
    expect(texts('x.example', ...history)[0]).toBe('b@x.example')
  })
})

describe('a block and what it misses', () => {
  const gap = (proposed: string, beside: readonly string[], ...history: SeenDeliveries[]) =>
    findBlockGap(pattern(proposed), beside.map(pattern), history)
  const three = ['b', 'c', 'd'].map(local => sent(`${local}@x.example`, { bulk: true, count: 2 }))
  test.each<readonly [string, ReturnType<typeof gap>, unknown]>([
    [
      'counted in deliveries, over addresses',
      gap('a@x.example', ['x.example', '*.x.example'], ...three),
      { missed: 6, addresses: 3, better: pattern('x.example') },
    ],
    [
      'of everybody’s mail, counted where it is about',
      findBlockGap(pattern('a@x.example'), [pattern('x.example')], three, three.slice(0, 1)),
      { missed: 2, addresses: 3, better: pattern('x.example') },
    ],
    ['two addresses may be chance', gap('a@x.example', ['x.example'], ...three.slice(1)), null],
    [
      'what is met already is not missed',
      gap('b@x.example', ['x.example'], ...three),
      { missed: 4, addresses: 3, better: pattern('x.example') },
    ],
    [
      'the one that meets more is better',
      gap('a@x.example', ['x.example', '*.x.example'], ...three, sent('e@m.x.example', { bulk: true })),
      { missed: 7, addresses: 4, better: pattern('*.x.example') },
    ],
    [
      'mail of people is not bulk',
      gap(
        'a@x.example',
        ['x.example'],
        ...three.map(({ facts, ...rest }) => ({ ...rest, facts: { ...facts, bulk: false } })),
      ),
      null,
    ],
    ['nothing beside, nothing better', gap('a@x.example', [], ...three), null],
  ])('%s', (_, found, expected) => expect(found).toEqual(expected))
})

/** Does a pattern match an address: texts alone, none of the code under test. */
function plainlyMatches(text: string, sender: string): boolean {
  const [local = '', domain = ''] = sender.split('@')
  if (text.startsWith('*.')) return domain === text.slice(2) || domain.endsWith(text.slice(1))
  if (!text.includes('@')) return domain === text
  return text === sender || text === `${local.split('+')[0]}@${domain}`
}

test('property: a pattern covers another exactly when it matches all that one matches', () => {
  const labels = ['x.example', 'm.x.example', 'n.m.x.example', 'nx.example']
  const senders = labels.flatMap(domain => ['a', 'a+t', 'a+u', 'b'].map(local => `${local}@${domain}`))
  // Narrow ones by the sender beside them, wide ones by a sender nobody else has.
  const some = fc.constantFrom(...labels, ...labels.map(domain => `*.${domain}`), ...senders)
  // An endless number of senders stands behind a wildcard; of each host one below stands for them.
  const all = [...senders, ...labels.flatMap(domain => [`z@${domain}`, `z@q.${domain}`])]
  fc.assert(
    fc.property(some, some, (wide, narrow) => {
      const of = (text: string) => all.filter(sender => plainlyMatches(text, sender))
      const [met, meant] = [new Set(of(wide)), of(narrow)]
      expect(patternCovers(pattern(wide), pattern(narrow))).toBe(meant.every(sender => met.has(sender)))
      expect(overlaps(pattern(wide), pattern(narrow))).toBe(meant.some(sender => met.has(sender)))
    }),
    { numRuns: 1000 },
  )
})
