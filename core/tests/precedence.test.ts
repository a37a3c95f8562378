import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { decide, type DeliveryFacts, type MailboxPolicy } from '@pendro/core/judgement'
import {
  indexRegister,
  noAuthentication,
  parsePattern,
  patternCovers,
  patternText,
  widerPatterns,
  type Register,
  type SenderEntry,
  type SenderFacts,
  type SenderPattern,
} from '@pendro/core/senders'
import { parseAddress, type Address } from '@pendro/core/address'

const pattern = (text: string): SenderPattern => {
  const parsed = parsePattern(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}
const address = (text: string): Address => {
  const parsed = parseAddress(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}

const ownDomain = 'harbour.example'
const now = 1_000_000

/**
 * Section 3 of the domain description, read sentence by sentence and done the plainest way: texts and loops,
 * none of the code under test. Slow, and meant to be.
 */
function plainly(...given: Parameters<typeof plainlyHeld>): { state: string; by: string } {
  const held = plainlyHeld(...given)
  // Placing is another question: only for what goes on, by the first rule that says where.
  if (held.state !== 'inbox' && held.state !== 'aside') return held
  const stopped = new Set<string>()
  for (const rule of given[0].rules) {
    if (stopped.has(rule.owner)) continue
    if (rule.place !== null) return { ...held, state: rule.place }
    if (rule.stop) stopped.add(rule.owner)
  }
  return held
}

function plainlyHeld(
  facts: DeliveryFacts,
  mailbox: MailboxPolicy,
  register: Register,
): { state: string; by: string } {
  const { sender, score } = facts
  // 1. Harm.
  if (facts.harm) return { state: 'sealed', by: 'harm' }
  const text = ({ local, tag, domain }: Address) => `${local}${tag === null ? '' : `+${tag}`}@${domain}`
  const froms = sender.from.map(text)

  // How specific: tagged address, address, mailing list, exact domain, nearest wildcard, farther wildcard.
  const rankOf = (typed: string): number => {
    if (typed.startsWith('<')) return 300
    if (typed.startsWith('*.')) return 100 + typed.split('.').length
    if (!typed.includes('@')) return 200
    return typed.slice(0, typed.indexOf('@')).includes('+') ? 500 : 400
  }
  const fits = (typed: string, sent: string): boolean => {
    const [local = '', domain = ''] = [
      sent.slice(0, sent.lastIndexOf('@')),
      sent.slice(sent.lastIndexOf('@') + 1),
    ]
    if (typed.startsWith('<')) return false
    if (typed.startsWith('*.')) return domain === typed.slice(2) || domain.endsWith(typed.slice(1))
    if (!typed.includes('@')) return domain === typed
    // anna+orders@x matches an entry anna@x; an entry that names a tag matches that tag only.
    return sent === typed || `${local.split('+')[0]}@${domain}` === typed
  }
  const isList = (typed: string) => sender.listId !== null && typed === `<${sender.listId}>`

  // Aligned, relaxed: here every organisation's domain has two labels.
  const organisation = (domain: string) => domain.split('.').slice(-2).join('.')
  const proven = (domain: string): boolean => {
    const { dmarc, spf, dkim } = sender.authentication
    // An explicit failure outranks everything.
    if (dmarc.result === 'fail') return false
    if (dmarc.result === 'pass' && dmarc.domain === domain) return true
    if (spf.result === 'pass' && organisation(spf.domain) === organisation(domain)) return true
    return dkim.some(one => one.result === 'pass' && organisation(one.domain) === organisation(domain))
  }
  // A list's own domain: what stands behind the first label of its id.
  const listProven = (): boolean => {
    const domain = organisation((sender.listId ?? '').split('.').slice(1).join('.'))
    const { dmarc, spf, dkim } = sender.authentication
    return [dmarc, spf, ...dkim].some(
      one => one.result === 'pass' && one.domain !== '' && organisation(one.domain) === domain,
    )
  }
  const allProven = sender.from.length > 0 && sender.from.every(({ domain }) => proven(domain))
  const claimsToBeUs = sender.from.some(
    ({ domain }) => domain === ownDomain || domain.endsWith(`.${ownDomain}`),
  )

  const verdictOf = (list: readonly SenderEntry[], tie: 'safe' | 'blocked'): 'safe' | 'blocked' | null => {
    const live = list.filter(({ until }) => until === null || until > now)
    let best: { rank: number; standing: 'safe' | 'blocked' } | null = null
    const offer = (rank: number, standing: 'safe' | 'blocked') => {
      if (best === null || rank > best.rank || (rank === best.rank && standing === tie))
        best = { rank, standing }
    }
    // Blocked: header From, envelope sender, Sender, or the list; one is enough.
    const readDomains = sender.from.map(({ domain }) => domain)
    const unread = (sender.fromDomains ?? []).filter(domain => !readDomains.includes(domain))
    const everywhere = [...froms, ...[sender.envelopeFrom, sender.sender].flatMap(a => (a ? [text(a)] : []))]
    for (const entry of live) {
      if (entry.standing !== 'blocked') continue
      const typed = patternText(entry.pattern)
      // A domain in a From that can't be read is enough for a block of that domain.
      const byDomain = !typed.includes('@') && unread.some(domain => fits(typed, `?@${domain}`))
      if (isList(typed) || byDomain || everywhere.some(sent => fits(typed, sent)))
        offer(rankOf(typed), 'blocked')
    }
    // Safe: authenticated, or marked "also without authentication" unless it claims to be us. Mail of a list: the
    // list's own domain is proven. A From that can't be read wholly makes nothing safe.
    const counts = (entry: SenderEntry) => {
      if (sender.fromWhole === false || (claimsToBeUs && !allProven)) return false
      if (entry.withoutAuthentication) return true
      return entry.pattern.kind === 'list' ? listProven() : allProven
    }
    const safe = live.filter(({ standing }) => standing === 'safe')
    for (const entry of safe) {
      const typed = patternText(entry.pattern)
      if (isList(typed) && counts(entry)) offer(rankOf(typed), 'safe')
    }
    // Several From addresses: safe needs all safe; the one that is covered least narrowly speaks for all.
    const perFrom = froms.map(sent => safe.filter(entry => fits(patternText(entry.pattern), sent)))
    const counting = perFrom.map(found => found.filter(counts))
    if (counting.length > 0 && counting.every(found => found.length > 0)) {
      const narrowest = counting.map(found => Math.max(...found.map(e => rankOf(patternText(e.pattern)))))
      const weakest = counting[narrowest.indexOf(Math.min(...narrowest))] ?? []
      for (const entry of weakest) offer(rankOf(patternText(entry.pattern)), 'safe')
    }
    return (best as { standing: 'safe' | 'blocked' } | null)?.standing ?? null
  }

  // 2. Binding organisation entries. 3. The mailbox's own. 4. Other organisation entries.
  const binding = verdictOf(
    register.organisation.filter(e => e.binding),
    'blocked',
  )
  if (binding) return { state: binding === 'safe' ? 'inbox' : 'quarantined', by: 'binding' }
  const own = verdictOf(register.mailbox, 'safe')
  // A blocked entry: personal → junk; where the score alone would have been stricter, the stricter of the two.
  const strict =
    mailbox.filtering &&
    (facts.unreadable || score >= mailbox.limits.quarantined || score >= mailbox.limits.nearCertain)
  if (own) return { state: own === 'safe' ? 'inbox' : strict ? 'quarantined' : 'junk', by: 'personal' }
  const ours = verdictOf(
    register.organisation.filter(e => !e.binding),
    'blocked',
  )
  if (ours) return { state: ours === 'safe' ? 'inbox' : 'quarantined', by: 'organisation' }
  // 5. Mail rules that discard, junk or let in, in their order: the first that says so decides. A rule that stops ends its list.
  const stopped = new Set<string>()
  for (const rule of facts.rules) {
    if (stopped.has(rule.owner)) continue
    // As with an own block, the stricter of the rule and the score.
    if (rule.hold === 'junk') return { state: strict ? 'quarantined' : 'junk', by: 'rules' }
    if (rule.hold !== null) return { state: rule.hold === 'let-in' ? 'inbox' : rule.hold, by: 'rules' }
    if (rule.stop) stopped.add(rule.owner)
  }
  // 6. Filtering switched off.
  if (!mailbox.filtering) return { state: 'inbox', by: 'switched-off' }
  // 7. The score against the limits.
  const { junk, quarantined } = mailbox.limits
  if (facts.unreadable || score >= quarantined) return { state: 'quarantined', by: 'score' }
  if (score >= junk) return { state: 'junk', by: 'score' }
  return { state: facts.bulk && mailbox.usesSetAside ? 'aside' : 'inbox', by: 'score' }
}

const domains = [
  'x.example',
  'mail.x.example',
  'a.mail.x.example',
  'other.example',
  ownDomain,
  'notx.example',
]
const locals = ['anna', 'anna+orders', 'ben', 'ben+orders']
const sender = fc
  .tuple(fc.constantFrom(...locals), fc.constantFrom(...domains))
  .map(([local, domain]) => address(`${local}@${domain}`))
const someEntry = (owner: SenderEntry['owner']): fc.Arbitrary<SenderEntry> =>
  fc.record({
    id: fc.nat({ max: 1_000_000 }),
    pattern: fc
      .oneof(
        fc.tuple(fc.constantFrom(...locals), fc.constantFrom(...domains)).map(parts => parts.join('@')),
        fc.constantFrom(...domains),
        fc.constantFrom(...domains).map(domain => `*.${domain}`),
        fc.constant('<news.x.example>'),
      )
      .map(pattern),
    standing: fc.constantFrom('safe' as const, 'blocked' as const),
    owner: fc.constant(owner),
    binding: owner.kind === 'organisation' ? fc.boolean() : fc.constant(false),
    withoutAuthentication: fc.boolean(),
    until: fc.constantFrom(null, null, now - 1, now, now + 1),
  })
const results = ['pass', 'fail', 'none'] as const
const someSender: fc.Arbitrary<SenderFacts> = fc.record({
  from: fc.array(sender, { minLength: 0, maxLength: 3 }),
  fromDomains: fc.array(fc.constantFrom(...domains), { maxLength: 3 }),
  fromWhole: fc.boolean(),
  envelopeFrom: fc.option(sender),
  sender: fc.option(sender),
  listId: fc.constantFrom(null, 'news.x.example', 'other.x.example'),
  authentication: fc.record({
    dmarc: fc.record({ result: fc.constantFrom(...results), domain: fc.constantFrom(...domains) }),
    spf: fc.record({ result: fc.constantFrom(...results), domain: fc.constantFrom(...domains) }),
    dkim: fc.array(fc.record({ result: fc.constantFrom(...results), domain: fc.constantFrom(...domains) }), {
      maxLength: 2,
    }),
  }),
})
const someFacts: fc.Arbitrary<DeliveryFacts> = fc.record({
  sender: someSender,
  harm: fc.constantFrom(null, null, null, { name: 'a.exe', danger: 'executable' }),
  score: fc.constantFrom(0, 39.9, 40, 59.9, 60, 80, 100),
  bulk: fc.boolean(),
  unreadable: fc.constantFrom(false, false, false, true),
  rules: fc.oneof(
    { weight: 2, arbitrary: fc.constant([]) },
    fc.array(
      fc.record({
        id: fc.nat(),
        name: fc.constant('Timetables'),
        owner: fc.constantFrom('mailbox' as const, 'organisation' as const),
        hold: fc.constantFrom(null, 'let-in' as const, 'junk' as const, 'discarded' as const),
        place: fc.constantFrom(null, 'inbox' as const, 'moved' as const, 'aside' as const),
        folder: fc.constant('Timetables'),
        important: fc.boolean(),
        stop: fc.boolean(),
      }),
      { maxLength: 3 },
    ),
  ),
})
const someMailbox: fc.Arbitrary<MailboxPolicy> = fc.record({
  mailboxId: fc.constant(1),
  limits: fc.constant({ junk: 40, quarantined: 60, nearCertain: 80 }),
  usesSetAside: fc.boolean(),
  filtering: fc.boolean(),
})
const hers = { kind: 'mailbox', mailboxId: 1 } as const
const organisation = { kind: 'organisation' } as const
const someRegister = fc.record({
  organisation: fc.array(someEntry(organisation), { maxLength: 6 }),
  mailbox: fc.array(someEntry(hers), { maxLength: 6 }),
})
const policy = { ownDomains: [ownDomain] }

describe('the decision path', () => {
  test('agrees with the description read sentence by sentence', () => {
    const seen = new Map<string, number>()
    fc.assert(
      fc.property(someFacts, someMailbox, someRegister, (facts, mailbox, register) => {
        const decision = decide(facts, mailbox, register, { policy, now })
        const expected = plainly(facts, mailbox, register)
        seen.set(expected.by, (seen.get(expected.by) ?? 0) + 1)
        expect({ state: decision.state, by: decision.decidedBy }).toEqual(expected)
      }),
      { numRuns: 6000 },
    )
    // Every stage decided some of them: agreement about nothing would prove nothing.
    expect([...seen.keys()].sort()).toEqual(
      ['binding', 'harm', 'organisation', 'personal', 'rules', 'score', 'switched-off'].sort(),
    )
    for (const times of seen.values()) expect(times).toBeGreaterThan(60)
  })

  test('every entry that matched is named in the path once: decided, overruled or refused', () => {
    let named = 0
    fc.assert(
      fc.property(someFacts, someMailbox, someRegister, (facts, mailbox, drawn) => {
        const numbered = (entries: readonly SenderEntry[], from: number) =>
          entries.map((entry, i) => ({ ...entry, id: from + i }))
        const register = {
          organisation: numbered(drawn.organisation, 0),
          mailbox: numbered(drawn.mailbox, 100),
        }
        const { path, state } = decide(facts, mailbox, register, { policy, now })
        const lists = path.flatMap(line => ('overruled' in line ? [line] : []))
        expect(path.map(({ stage }) => stage)).toEqual([
          'harm',
          'binding',
          'personal',
          'organisation',
          'rules',
          'switched-off',
          'score',
          'placing',
        ])
        expect(lists.filter(line => line.decided !== null).length).toBeLessThanOrEqual(1)
        if (state === 'sealed') expect(lists.every(line => line.decided === null)).toBe(true)
        for (const line of lists) {
          const found = [
            ...(line.decided === null ? [] : [line.decided]),
            ...line.overruled,
            ...line.refused.map(({ entry }) => entry),
          ].map(({ id }) => id)
          const asked =
            line.stage === 'personal'
              ? register.mailbox
              : register.organisation.filter(({ binding }) => binding === (line.stage === 'binding'))
          const near = asked.filter(entry => plainlyMatches(entry, facts.sender))
          // "Safe needs all safe": with a From address that no safe entry covers, none of them is about the message.
          const covered = facts.sender.from.every(from =>
            near.some(
              entry =>
                entry.standing === 'safe' &&
                plainlyMatches(entry, { ...facts.sender, from: [from], listId: null }),
            ),
          )
          const isOfList = ({ pattern: { kind } }: SenderEntry) => kind === 'list'
          const matching = near
            .filter(entry => entry.standing === 'blocked' || covered || isOfList(entry))
            .map(({ id }) => id)
          expect([...found].sort((a, b) => a - b)).toEqual(matching)
          named += matching.length
        }
      }),
      { numRuns: 1500 },
    )
    expect(named).toBeGreaterThan(300)
  })
})

/** Whether a live entry is about a message, by texts alone: for a block one place is enough, a safe entry is about all of From. */
function plainlyMatches({ pattern: wanted, standing, until }: SenderEntry, sender: SenderFacts): boolean {
  if (until !== null && until <= now) return false
  const typed = patternText(wanted)
  if (sender.listId !== null && typed === `<${sender.listId}>`) return true
  const fits = ({ local, tag, domain }: Pick<Address, 'local' | 'tag' | 'domain'>) => {
    if (typed.startsWith('*.')) return domain === typed.slice(2) || domain.endsWith(typed.slice(1))
    if (!typed.includes('@')) return domain === typed
    return typed === `${local}@${domain}` || (tag !== null && typed === `${local}+${tag}@${domain}`)
  }
  if (standing === 'safe') return sender.from.some(fits)
  const read = sender.from.map(({ domain }) => domain)
  const unread = (sender.fromDomains ?? []).filter(domain => !read.includes(domain))
  return (
    [...sender.from, sender.envelopeFrom, sender.sender].some(one => one !== null && fits(one)) ||
    (!typed.includes('@') && unread.some(domain => fits({ local: '', tag: null, domain })))
  )
}

describe('a register that is indexed', () => {
  test('decides as one that is looked through entry by entry', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(someEntry(organisation), someEntry(hers), someEntry({ kind: 'mailbox', mailboxId: 2 })),
          {
            maxLength: 20,
          },
        ),
        fc.array(someFacts, { maxLength: 6 }),
        someMailbox,
        (entries, all, mailbox) => {
          const numbered = entries.map((entry, id) => ({ ...entry, id }))
          const index = indexRegister(numbered)
          const scanned: Register = {
            organisation: numbered.filter(({ owner }) => owner.kind === 'organisation'),
            mailbox: numbered.filter(({ owner }) => owner.kind === 'mailbox' && owner.mailboxId === 1),
          }
          for (const facts of all) {
            const found = decide(facts, mailbox, index.lookUp(facts.sender, 1), { policy, now })
            const plain = decide(facts, mailbox, scanned, { policy, now })
            expect({ state: found.state, by: found.decidedBy }).toEqual({
              state: plain.state,
              by: plain.decidedBy,
            })
          }
        },
      ),
      { numRuns: 1500 },
    )
  })
})

describe('near misses', () => {
  const facts = (from: string, more: Partial<SenderFacts> = {}): DeliveryFacts => ({
    sender: {
      from: from === '' ? [] : from.split(', ').map(address),
      envelopeFrom: null,
      sender: null,
      listId: null,
      authentication: {
        ...noAuthentication,
        // A-labels, as a trusted host would give them.
        dmarc: { result: 'pass', domain: from === '' ? '' : address(from.split(', ')[0] ?? '').domain },
      },
      ...more,
    },
    harm: null,
    score: 50,
    bulk: false,
    unreadable: false,
    rules: [],
  })
  const box: MailboxPolicy = {
    mailboxId: 1,
    limits: { junk: 40, quarantined: 40, nearCertain: 80 },
    usesSetAside: false,
    filtering: true,
  }
  let id = 0
  const entry = (
    text: string,
    standing: 'safe' | 'blocked',
    owner: 'ours' | 'hers',
    more: Partial<SenderEntry> = {},
  ) => ({
    id: (id += 1),
    pattern: pattern(text),
    standing,
    owner: owner === 'ours' ? organisation : hers,
    binding: false,
    withoutAuthentication: false,
    until: null,
    ...more,
  })
  type Line = readonly [string, 'safe' | 'blocked', 'ours' | 'hers', Partial<SenderEntry>?]
  test.each<readonly [string, readonly Line[], DeliveryFacts, string]>([
    [
      'a tag that is named matches that tag only',
      [['anna+orders@x.example', 'safe', 'hers']],
      facts('anna+news@x.example'),
      'score',
    ],
    [
      'a tag that is not named matches too',
      [['anna@x.example', 'safe', 'hers']],
      facts('anna+orders@x.example'),
      'personal',
    ],
    ['a subdomain is not the domain', [['x.example', 'safe', 'hers']], facts('anna@mail.x.example'), 'score'],
    [
      'a wildcard takes in the domain itself',
      [['*.x.example', 'safe', 'hers']],
      facts('anna@x.example'),
      'personal',
    ],
    [
      'and what lies far below it',
      [['*.x.example', 'safe', 'hers']],
      facts('anna@a.mail.x.example'),
      'personal',
    ],
    ['but stops at the label', [['*.x.example', 'safe', 'hers']], facts('anna@notx.example'), 'score'],
    [
      'and does not begin in the middle',
      [['*.x.example', 'safe', 'hers']],
      facts('anna@x.example.test'),
      'score',
    ],
    [
      'one of two From addresses safe is not enough',
      [['anna@x.example', 'safe', 'hers']],
      facts('anna@x.example, ben@x.example'),
      'score',
    ],
    ['both are', [['x.example', 'safe', 'hers']], facts('anna@x.example, ben@x.example'), 'personal'],
    [
      'one of two blocked is',
      [['anna@x.example', 'blocked', 'hers']],
      facts('ben@x.example, anna@x.example'),
      'personal',
    ],
    [
      'a block looks at the envelope',
      [['bounce@x.example', 'blocked', 'hers']],
      facts('anna@y.example', { envelopeFrom: address('bounce@x.example') }),
      'personal',
    ],
    [
      'a safe entry does not',
      [['bounce@x.example', 'safe', 'hers']],
      facts('anna@y.example', { envelopeFrom: address('bounce@x.example') }),
      'score',
    ],
    [
      'a block looks at Sender',
      [['desk@x.example', 'blocked', 'hers']],
      facts('anna@y.example', { sender: address('desk@x.example') }),
      'personal',
    ],
    [
      'a mailing list by its id',
      [['<news.x.example>', 'safe', 'hers']],
      facts('anna@x.example', { listId: 'news.x.example' }),
      'personal',
    ],
    [
      'not by the domain its id looks like',
      [['news.x.example', 'safe', 'hers']],
      facts('anna@x.example', { listId: 'news.x.example' }),
      'score',
    ],
    [
      'not by another id',
      [['<news.x.example>', 'safe', 'hers']],
      facts('anna@x.example', { listId: 'old.news.x.example' }),
      'score',
    ],
    [
      'IDN typed in its own script matches its A-labels',
      [['bücher.example', 'safe', 'hers']],
      facts('anna@xn--bcher-kva.example'),
      'personal',
    ],
    [
      'and the other way round',
      [['xn--bcher-kva.example', 'safe', 'hers']],
      facts('anna@bücher.example'),
      'personal',
    ],
    [
      'an expired entry matches nothing',
      [['x.example', 'safe', 'hers', { until: now }]],
      facts('anna@x.example'),
      'score',
    ],
    [
      'one that expires in a moment still does',
      [['x.example', 'safe', 'hers', { until: now + 1 }]],
      facts('anna@x.example'),
      'personal',
    ],
    [
      'binding beats the colleague',
      [
        ['x.example', 'blocked', 'ours', { binding: true }],
        ['anna@x.example', 'safe', 'hers'],
      ],
      facts('anna@x.example'),
      'binding',
    ],
    [
      'not binding does not',
      [
        ['x.example', 'blocked', 'ours'],
        ['anna@x.example', 'safe', 'hers'],
      ],
      facts('anna@x.example'),
      'personal',
    ],
    [
      'a safe entry without proof says nothing',
      [['x.example', 'safe', 'hers']],
      facts('anna@x.example', { authentication: noAuthentication }),
      'score',
    ],
    [
      'unless it asks for none',
      [['x.example', 'safe', 'hers', { withoutAuthentication: true }]],
      facts('anna@x.example', { authentication: noAuthentication }),
      'personal',
    ],
    [
      'which never counts for our own domain',
      [[ownDomain, 'safe', 'ours', { withoutAuthentication: true }]],
      facts(`anna@${ownDomain}`, { authentication: noAuthentication }),
      'score',
    ],
    [
      'nor for what lies below it',
      [[`*.${ownDomain}`, 'safe', 'ours', { withoutAuthentication: true }]],
      facts(`anna@sub.${ownDomain}`, { authentication: noAuthentication }),
      'score',
    ],
    [
      'proof for another domain is none',
      [['x.example', 'safe', 'hers']],
      facts('anna@x.example', {
        authentication: { ...noAuthentication, spf: { result: 'pass', domain: 'y.example' } },
      }),
      'score',
    ],
    [
      'proof for a subdomain of the same organisation is (relaxed alignment)',
      [['x.example', 'safe', 'hers']],
      facts('anna@x.example', {
        authentication: { ...noAuthentication, spf: { result: 'pass', domain: 'bounce.x.example' } },
      }),
      'personal',
    ],
    [
      'nobody in From: no safe entry counts',
      [['x.example', 'safe', 'hers', { withoutAuthentication: true }]],
      facts(''),
      'score',
    ],
  ])('%s', (_, lines, given, by) => {
    const entries = lines.map(([text, standing, owner, more]) => entry(text, standing, owner, more))
    const register = {
      organisation: entries.filter(({ owner }) => owner.kind === 'organisation'),
      mailbox: entries.filter(({ owner }) => owner.kind === 'mailbox'),
    }
    expect(decide(given, box, register, { policy, now }).decidedBy).toBe(by)
  })
  test('opposite and equally specific: safe wins in a colleague’s list, blocked in the organisation’s (common practice)', () => {
    const both = (owner: 'ours' | 'hers') => [
      entry('x.example', 'safe', owner),
      entry('x.example', 'blocked', owner),
    ]
    const decided = (register: Register) =>
      decide(facts('anna@x.example'), box, register, { policy, now }).state
    expect(decided({ organisation: [], mailbox: both('hers') })).toBe('inbox')
    expect(decided({ organisation: both('ours'), mailbox: [] })).toBe('quarantined')
  })
})

describe('patterns that cover one another', () => {
  test.each([
    ['x.example', 'anna@x.example', true],
    ['x.example', 'anna@mail.x.example', false],
    ['x.example', '*.x.example', false],
    ['*.x.example', 'x.example', true],
    ['*.x.example', '*.mail.x.example', true],
    ['*.mail.x.example', '*.x.example', false],
    ['*.x.example', 'anna@notx.example', false],
    ['anna@x.example', 'anna+orders@x.example', true],
    ['anna+orders@x.example', 'anna@x.example', false],
    ['*.x.example', '<news.x.example>', false],
    ['<news.x.example>', '<news.x.example>', true],
  ])('%s over %s: %s', (wider, narrower, covers) => {
    expect(patternCovers(pattern(wider), pattern(narrower))).toBe(covers)
  })
  test('the wider patterns are those that cover, up to the organisation, nearest first', () => {
    expect(widerPatterns(pattern('anna+orders@a.mail.x.example')).map(patternText)).toEqual([
      'anna@a.mail.x.example',
      'a.mail.x.example',
      '*.a.mail.x.example',
      '*.mail.x.example',
      '*.x.example',
    ])
    expect(widerPatterns(pattern('*.x.co.uk')).map(patternText)).toEqual([])
    expect(widerPatterns(pattern('<news.x.example>'))).toEqual([])
  })
})
