import packaged from 'email-providers/all.json' with { type: 'json' }
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { clusterKey } from '@pendro/core/clusters'
import { parseAddress } from '@pendro/core/address'
import {
  byWeight,
  decide,
  evidence,
  findLimitsProblem,
  junkScore,
  noText,
  senderFacts,
  weighForMailbox,
  weighMessage,
  weights,
  type DeliveryFacts,
  type MailboxPolicy,
  type OrganisationPolicy,
  type Register,
  type SenderKnowledge,
  isSharedProvider,
} from '@pendro/core/judgement'
import { readTrusted } from '@pendro/core/authentication'
import { parseMessage, type Message } from '@pendro/core/message'
import { noAuthentication, parsePattern, type SenderEntry, type SenderFacts } from '@pendro/core/senders'
import {
  changesNothing,
  findCaution,
  isBindingByDefault,
  planChange,
  reach,
  type ProposedEntry,
  type SeenDeliveries,
} from '@pendro/core/rulings'

const policy: OrganisationPolicy = {
  ownDomains: ['vindholm.example'],
  trustedHosts: ['mx.vindholm.example'],
  gateways: ['127.0.0.0/8'],
  forbidden: ['executable', 'script', 'disguised'],
  fileHosts: ['dropshelf.example'],
  sharedProviders: ['freepost.example'],
}
const unknown: SenderKnowledge = {
  writtenToAddress: 0,
  writtenToDomain: 0,
  answered: null,
  seenAddress: 0,
  seenDomain: 0,
  ruledWanted: 0,
  ruledJunk: 0,
  imitates: null,
}
const trusted = ({ headers }: Message) =>
  readTrusted(headers, { ip: '127.0.0.1', helo: '' }, policy).authentication ?? noAuthentication
const receivedAt = Date.parse('2026-11-20T08:00:00Z')

async function findings(
  headers: string[],
  body: string,
  knowledge: Partial<SenderKnowledge> = {},
  recipients = 1,
) {
  const parsed = await parseMessage(Buffer.from([...headers, '', body].join('\r\n')))
  if (!parsed.ok) throw new Error(parsed.problem.code)
  const sender = senderFacts(parsed.value, null, trusted(parsed.value))
  const all = weighMessage({
    message: parsed.value,
    sender,
    context: {
      policy,
      knowledge: { ...unknown, ...knowledge },
      text: noText,
      knownDomains: ['vindholm.example', 'halyard-print.example'],
      recipients,
      receivedAt,
    },
  })
  return all.map(({ finding }) => finding)
}
const plain = [
  'From: Anna <anna@x.example>',
  'Date: Fri, 20 Nov 2026 08:00:00 +0000',
  'Message-ID: <1@x.example>',
]
const html = [...plain, 'Content-Type: text/html']
const results = (text: string) =>
  `Authentication-Results: mx.vindholm.example; ${text}\r\nReceived: from x (x [192.0.2.1]) by mx.vindholm.example; Fri, 20 Nov 2026 08:00:00 +0000`

describe('evidence, and its near misses', () => {
  test.each([
    ['dmarc-pass', [...plain, results('dmarc=pass header.from=x.example')], 'hi'],
    ['aligned-pass', [...plain, results('spf=pass smtp.mailfrom=x.example')], 'hi'],
    ['authentication-fail', [...plain, results('dmarc=fail header.from=x.example')], 'hi'],
    ['authentication-error', [...plain, results('dmarc=temperror header.from=x.example')], 'hi'],
    ['authentication-none', plain, 'hi'],
    [
      'authentication-none',
      [...plain, 'Authentication-Results: mx.elsewhere.example; dmarc=pass header.from=x.example'],
      'hi',
    ],
    ['own-domain-fail', ['From: it@vindholm.example', ...plain.slice(1)], 'hi'],
    ['link-differs', html, '<a href="https://evil.example/x">www.bank.example/login</a>'],
    ['link-numeric-host', html, '<a href="http://192.0.2.9/x">here</a>'],
    ['link-punycode', html, '<a href="https://xn--bcher-kva.example">here</a>'],
    ['link-file-host', html, '<a href="https://files.dropshelf.example/1">proofs</a>'],
    ['link-elsewhere', html, '<a href="https://other.example/1">read more</a>'],
    ['hidden-text', html, `<div style="display:none">${'lorem ipsum '.repeat(8)}</div>hi`],
    ['reply-to-elsewhere', [...plain, 'Reply-To: me@away.example'], 'hi'],
    ['no-message-id', plain.slice(0, 2), 'hi'],
    ['date-far-off', [plain[0] ?? '', 'Date: Fri, 13 Nov 2026 08:00:00 +0000', plain[2] ?? ''], 'hi'],
    ['bulk', [...plain, 'List-Unsubscribe: <https://x.example/off>'], 'hi'],
    ['no-from', plain.slice(1), 'hi'],
    ['lookalike-own', ['From: it@vindh0lm.example', ...plain.slice(1)], 'hi'],
    ['lookalike-known', ['From: a@halyard-prlnt.example', ...plain.slice(1)], 'hi'],
    ['link-lookalike', html, '<a href="https://vindholm-login.example/x">sign in</a>'],
    ['several-senders', ['From: a@x.example, b@y.example', ...plain.slice(1)], 'hi'],
    ['odd-headers', [...plain, 'Subject: one', 'Subject: two'], 'hi'],
    ['odd-headers', [...plain, `X-Long: ${'y'.repeat(50_000)}`], 'hi'],
    [
      'crowded-to',
      [...plain, `To: ${Array.from({ length: 300 }, (_, i) => `a${i}@x.example`).join(', ')}`],
      'hi',
    ],
  ])('%s in %j', async (finding, headers, body) => expect(await findings(headers, body)).toContain(finding))

  test.each([
    ['link-differs', html, '<a href="https://www.bank.example/a">bank.example</a>'],
    ['link-differs', html, '<a href="https://evil.example/x">click here.</a>'],
    ['link-elsewhere', html, '<a href="https://shop.x.example/">shop</a>'],
    ['link-file-host', html, '<a href="https://notdropshelf.example/1">x</a>'],
    ['reply-to-elsewhere', [...plain, 'Reply-To: desk@news.x.example'], 'hi'],
    ['date-far-off', plain, 'hi'],
    ['own-domain-fail', ['From: it@notvindholm.example', ...plain.slice(1)], 'hi'],
    ['hidden-text', html, '<div style="display:none">preview</div>hi'],
    ['lookalike-own', ['From: it@sub.vindholm.example', ...plain.slice(1)], 'hi'],
    ['lookalike-own', ['From: it@windholt.example', ...plain.slice(1)], 'hi'],
    ['link-lookalike', html, '<a href="https://www.halyard-print.example/x">proof</a>'],
    ['several-senders', plain, 'hi'],
    ['odd-headers', plain, 'hi'],
    ['crowded-to', [...plain, 'To: a@x.example, b@x.example'], 'hi'],
  ])('no %s in %j %s', async (finding, headers, body) =>
    expect(await findings(headers, body)).not.toContain(finding),
  )

  test.each([
    [{ writtenToAddress: 2, writtenToDomain: 9 }, 'correspondence-address'],
    [{ writtenToDomain: 9 }, 'correspondence-domain'],
    [{ answered: 'Docking' }, 'answers-colleague'],
    [{ seenDomain: 3 }, 'first-from-address'],
    [{ seenDomain: 9, seenAddress: 9 }, 'seen-often'],
    [{ ruledJunk: 1 }, 'sender-ruled-junk'],
    [{ imitates: 'Ingrid Solvang' }, 'imitates-colleague'],
  ])('known %j gives %s', async (knowledge, finding) =>
    expect(await findings(plain, 'hi', knowledge)).toContain(finding),
  )
  test('many recipients', async () => expect(await findings(plain, 'hi', {}, 8)).toContain('many-recipients'))
})

describe('score', () => {
  test('property: the shown weights add up to the shown score, whatever the order', () => {
    const names = Object.keys(weights) as (keyof typeof weights)[]
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.constantFrom(...names), fc.double({ min: 0, max: 2, noNaN: true })), {
          maxLength: 12,
        }),
        pairs => {
          const all = pairs.map(([name, times]) => evidence(name, { times }))
          const shown = all.reduce((sum, { weight }) => sum + Number(weight.toFixed(2)), 0)
          expect(junkScore(all)).toBeCloseTo(100 / (1 + Math.exp(-shown)), 0)
          expect(junkScore(byWeight(all))).toBe(junkScore(all))
        },
      ),
    )
  })
  test('no evidence is even; each weight moves it its own way', () => {
    expect(junkScore([])).toBe(50)
    for (const [finding, weight] of Object.entries(weights)) {
      expect(Math.sign(junkScore([evidence(finding as keyof typeof weights)]) - 50)).toBe(Math.sign(weight))
    }
    const nobody: SenderFacts = {
      from: [],
      envelopeFrom: null,
      sender: null,
      listId: null,
      authentication: noAuthentication,
    }
    const near = (written: number) => weighForMailbox({ written, isContact: false }, nobody)
    expect(near(0)).toEqual([])
    expect(near(9)[0]?.weight).toBeLessThan(near(1)[0]?.weight ?? 0)
  })
})

describe('same text, one cluster', () => {
  const key = (subject: string, text: string) => clusterKey({ subject, text, messageId: '<1@x>' })
  const first = key('Parcel 4711 unpaid', 'Dear Ingrid,\nyour parcel waits: https://a.example/1')
  test('greeting, number, address and reply mark do not matter', () =>
    expect(key('Re: Parcel 9 unpaid', 'Hello Aksel,\nyour parcel waits: https://b.example/22')).toBe(first))
  test('other words do', () =>
    expect(key('Parcel 4711 unpaid', 'Dear Ingrid,\nyour letter waits')).not.toBe(first))
  test('empty messages are not all alike', () =>
    expect(clusterKey({ subject: '', text: '', messageId: '<1@x>' })).not.toBe(
      clusterKey({ subject: '1', text: '', messageId: '<2@x>' }),
    ))
})

const read = (text: string) => {
  const [parsed, sender] = [parsePattern(text), parseAddress('anna@x.example')]
  if (!parsed.ok || !sender.ok) throw new Error(text)
  return { pattern: parsed.value, sender: sender.value }
}
let id = 0
const entry = (
  standing: 'safe' | 'blocked',
  owner: 'us' | 'hers',
  more: Partial<SenderEntry> = {},
  text = 'anna@x.example',
): SenderEntry => ({
  id: (id += 1),
  pattern: read(text).pattern,
  standing,
  owner: owner === 'us' ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId: 1 },
  binding: false,
  withoutAuthentication: false,
  until: null,
  ...more,
})
const facts = (more: Partial<DeliveryFacts> = {}): DeliveryFacts => ({
  sender: {
    from: [read('x.example').sender],
    envelopeFrom: null,
    sender: null,
    listId: null,
    authentication: { ...noAuthentication, dmarc: { result: 'pass', domain: 'x.example' } },
  },
  harm: null,
  score: 50,
  bulk: false,
  unreadable: false,
  rules: [],
  ...more,
})
const mailbox = (more: Partial<MailboxPolicy> = {}): MailboxPolicy => ({
  mailboxId: 1,
  limits: { junk: 40, quarantined: 60, nearCertain: 80 },
  usesSetAside: false,
  filtering: true,
  ...more,
})
const none: Register = { organisation: [], mailbox: [] }
const context = { policy, now: receivedAt }
const harm = { name: 'a.exe', danger: 'executable' }

describe('decision path: the first stage that decides wins', () => {
  const binding = { binding: true }
  test.each([
    [
      'harm beats every list',
      facts({ harm }),
      { organisation: [entry('safe', 'us', binding)], mailbox: [entry('safe', 'hers')] },
      'harm',
      'sealed',
    ],
    [
      'a binding block beats her safe entry',
      facts(),
      { organisation: [entry('blocked', 'us', binding)], mailbox: [entry('safe', 'hers')] },
      'binding',
      'quarantined',
    ],
    [
      'a binding safe entry beats her block',
      facts(),
      { organisation: [entry('safe', 'us', binding)], mailbox: [entry('blocked', 'hers')] },
      'binding',
      'inbox',
    ],
    [
      'her block beats a plain organisation safe entry',
      facts(),
      { organisation: [entry('safe', 'us')], mailbox: [entry('blocked', 'hers')] },
      'personal',
      'junk',
    ],
    [
      'her safe entry cancels her block',
      facts(),
      { organisation: [], mailbox: [entry('blocked', 'hers'), entry('safe', 'hers')] },
      'personal',
      'inbox',
    ],
    [
      'organisation: block wins the tie',
      facts(),
      { organisation: [entry('safe', 'us'), entry('blocked', 'us')], mailbox: [] },
      'organisation',
      'quarantined',
    ],
    [
      'a safe entry skips the score',
      facts({ score: 99 }),
      { organisation: [entry('safe', 'us')], mailbox: [] },
      'organisation',
      'inbox',
    ],
    ['nothing matched: the score', facts({ score: 61 }), none, 'score', 'quarantined'],
  ] as const)('%s', (_name, f, register, by, state) =>
    expect(decide(f, mailbox(), register, context)).toMatchObject({ decidedBy: by, state }),
  )

  test.each([
    [39.9, {}, 'inbox', false],
    [40, {}, 'junk', false],
    [59.9, {}, 'junk', false],
    [60, {}, 'quarantined', false],
    [80, {}, 'quarantined', true],
    [99, { filtering: false }, 'inbox', false],
    [45, { limits: { junk: 50, quarantined: 50, nearCertain: 90 } }, 'inbox', false],
  ] as const)('score %s with %j → %s', (score, more, state, leftOut) =>
    expect(decide(facts({ score }), mailbox(more), none, context)).toMatchObject({ state, leftOut }),
  )

  test('a colleague’s own block is told in the digest, the organisation’s is not', () => {
    const by = (register: Register) => decide(facts(), mailbox(), register, context)
    expect(by({ organisation: [], mailbox: [entry('blocked', 'hers')] })).toMatchObject({
      state: 'junk',
      leftOut: false,
    })
    expect(by({ organisation: [entry('blocked', 'us')], mailbox: [] })).toMatchObject({
      state: 'quarantined',
      leftOut: true,
    })
    expect(by({ organisation: [entry('blocked', 'us', binding)], mailbox: [] }).leftOut).toBe(true)
  })
  test('wanted bulk mail is set aside where that is used', () => {
    expect(
      decide(facts({ score: 5, bulk: true }), mailbox({ usesSetAside: true }), none, context).state,
    ).toBe('aside')
    expect(decide(facts({ score: 5, bulk: true }), mailbox(), none, context).state).toBe('inbox')
  })
  test('filtering switched off: harm and lists still count', () => {
    const off = mailbox({ filtering: false })
    expect(decide(facts({ harm }), off, none, context).state).toBe('sealed')
    expect(
      decide(facts(), off, { organisation: [], mailbox: [entry('blocked', 'hers')] }, context).state,
    ).toBe('junk')
  })
  test('every stage leaves a line, and what was overruled is named', () => {
    const [ours, hers] = [entry('blocked', 'us', binding), entry('safe', 'hers')]
    const { path } = decide(facts(), mailbox(), { organisation: [ours], mailbox: [hers] }, context)
    expect(path.map(({ stage, outcome }) => `${stage} ${outcome}`)).toEqual([
      'harm clear',
      'binding decided',
      'personal late',
      'organisation late',
      'rules late',
      'switched-off late',
      'score late',
      'placing late',
    ])
    expect(path[2]).toMatchObject({ decided: null, overruled: [hers] })
  })
  test('a safe entry not honoured says so and the score decides', () => {
    const unproven = facts({ sender: { ...facts().sender, authentication: noAuthentication }, score: 70 })
    const decision = decide(
      unproven,
      mailbox(),
      { organisation: [], mailbox: [entry('safe', 'hers')] },
      context,
    )
    expect(decision).toMatchObject({ state: 'quarantined', decidedBy: 'score' })
    expect(decision.path[2]).toMatchObject({ refused: [{ why: 'not-authenticated' }] })
  })
  test('property: without harm or entries a higher score never gets nearer the inbox', () => {
    const rank = { inbox: 0, aside: 1, moved: 1, junk: 2, quarantined: 3, sealed: 4, discarded: 4 }
    const percent = fc.integer({ min: 0, max: 1000 }).map(n => n / 10)
    fc.assert(
      fc.property(percent, percent, fc.boolean(), (a, b, bulk) => {
        const state = (score: number) =>
          rank[decide(facts({ score, bulk }), mailbox({ usesSetAside: true }), none, context).state]
        expect(state(Math.min(a, b))).toBeLessThanOrEqual(state(Math.max(a, b)))
      }),
    )
  })
  test.each([
    [{ junk: 40, quarantined: 40, nearCertain: 80 }, null],
    [{ junk: 50, quarantined: 40, nearCertain: 80 }, 'order'],
    [{ junk: 40, quarantined: 90, nearCertain: 80 }, 'order'],
    [{ junk: 0, quarantined: 40, nearCertain: 80 }, 'range'],
    [{ junk: 40, quarantined: NaN, nearCertain: 80 }, 'range'],
  ])('limits %j: %s', (limits, want) => expect(findLimitsProblem(limits)).toBe(want))
})

describe('a ruling leaves no contradiction', () => {
  const propose = (
    standing: 'safe' | 'blocked',
    owner: 'us' | 'hers',
    more: Partial<SenderEntry> = {},
  ): ProposedEntry => {
    const { id: _id, ...rest } = entry(standing, owner, more)
    return rest
  }
  test('the opposite entry of the same list ends; other lists and patterns stay', () => {
    const [block, ours, other] = [
      entry('blocked', 'hers'),
      entry('blocked', 'us'),
      entry('blocked', 'hers', {}, 'x.example'),
    ]
    expect(planChange([propose('safe', 'hers')], [block, ours, other], 0)).toMatchObject({
      add: [{ standing: 'safe' }],
      end: [block],
    })
  })
  test('what is there already is not added again, and new conditions replace old ones', () => {
    const there = entry('safe', 'hers')
    expect(planChange([propose('safe', 'hers')], [there], 0)).toEqual({ add: [], end: [] })
    expect(planChange([propose('safe', 'hers', { until: 99 })], [there], 0)).toMatchObject({
      add: [{ until: 99 }],
      end: [there],
    })
  })
  test('an expired entry is as none; a repeated proposal counts once', () => {
    const expired = entry('safe', 'hers', { until: 5 })
    expect(planChange([propose('safe', 'hers'), propose('safe', 'hers')], [expired], 10)).toMatchObject({
      add: [{}],
      end: [],
    })
  })
  test('property: afterwards no list holds two live entries for one pattern that it held once', () => {
    const arbitrary = fc.record({
      standing: fc.constantFrom('safe', 'blocked'),
      owner: fc.constantFrom('us', 'hers'),
      text: fc.constantFrom('anna@x.example', 'x.example', '*.x.example'),
    })
    fc.assert(
      fc.property(
        fc.array(arbitrary, { maxLength: 6 }),
        fc.array(arbitrary, { minLength: 1, maxLength: 4 }),
        (had, wanted) => {
          let register: SenderEntry[] = []
          for (const e of [...had, ...wanted]) {
            const { id: newId, ...proposal } = entry(e.standing as 'safe', e.owner as 'us', {}, e.text)
            const { add, end } = planChange([proposal], register, 0)
            register = [...register.filter(x => !end.includes(x)), ...add.map(x => ({ ...x, id: newId }))]
          }
          const keys = register.map(e => `${JSON.stringify(e.owner)} ${JSON.stringify(e.pattern)}`)
          expect(new Set(keys).size).toBe(keys.length)
        },
      ),
    )
  })
  test.each([
    ['safe', 'freepost.example', 'shared-provider'],
    ['safe', '*.freepost.example', 'shared-provider'],
    ['blocked', 'freepost.example', null],
    ['safe', 'me@freepost.example', null],
    ['safe', 'vindholm.example', 'own-domain'],
    ['safe', '*.crew.vindholm.example', 'own-domain'],
    ['safe', 'notvindholm.example', null],
  ] as const)('%s for %s: caution %s', (standing, text, want) =>
    expect(findCaution({ standing, pattern: read(text).pattern }, policy)).toBe(want),
  )
  test('only organisation blocks bind by default', () =>
    expect([
      isBindingByDefault('blocked', { kind: 'organisation' }),
      isBindingByDefault('safe', { kind: 'organisation' }),
      isBindingByDefault('blocked', { kind: 'mailbox', mailboxId: 1 }),
    ]).toEqual([true, false, false]))
})

describe('reach', () => {
  const seen = (
    mailboxId: number,
    more: Partial<DeliveryFacts> = {},
    calledByPerson: SeenDeliveries['calledByPerson'] = null,
    count = 1,
  ): SeenDeliveries => ({
    facts: facts({ score: 70, ...more }),
    mailbox: mailbox({ mailboxId }),
    count,
    calledByPerson,
  })
  const safe = { add: [entry('safe', 'us')], end: [] }

  test('counts what would have changed, for whom, and what it was taken for', () => {
    const history = [
      seen(1, {}, null, 3),
      seen(1, { score: 10 }),
      seen(2, { score: 95 }),
      seen(3, {}, 'junk'),
      seen(3, { score: 95 }, 'wanted'),
      seen(4, { harm }),
    ]
    expect(reach(safe, [], history, context)).toMatchObject({
      looked: 8,
      letThrough: { wanted: 1, doubtful: 3, harmful: 2 },
      keptBack: { wanted: 0, doubtful: 0, harmful: 0 },
      elsewhere: 0,
      colleagues: 3,
    })
  })
  test('names the block that overrules, and counts what lacks authentication', () => {
    const hers = entry('blocked', 'hers')
    const unproven = { ...facts().sender, authentication: noAuthentication }
    expect(reach(safe, [hers], [seen(1), seen(2, { sender: unproven })], context)).toMatchObject({
      letThrough: { wanted: 0, doubtful: 0, harmful: 0 },
      refused: 1,
      overruledBy: [{ entry: hers, deliveries: 1 }],
    })
  })
  test('a personal proposal touches its own mailbox only, and an ended entry no longer counts', () => {
    const hers = entry('blocked', 'hers')
    const change = { add: [entry('safe', 'hers')], end: [hers] }
    expect(reach(change, [hers], [seen(1), seen(2)], context)).toMatchObject({
      looked: 1,
      letThrough: { doubtful: 1 },
      colleagues: 1,
    })
  })
  test('another place among the kept is neither let through nor kept back', () => {
    const change = { add: [entry('blocked', 'us', { binding: true })], end: [] }
    expect(
      reach(change, [], [seen(1), seen(2, { score: 95 }), seen(3, { score: 45 })], context),
    ).toMatchObject({
      letThrough: { wanted: 0, doubtful: 0, harmful: 0 },
      keptBack: { wanted: 0, doubtful: 0, harmful: 0 },
      elsewhere: 2,
      moves: [
        { from: 'quarantined', to: 'left-out', deliveries: 1 },
        { from: 'junk', to: 'left-out', deliveries: 1 },
      ],
      colleagues: 2,
    })
  })
  test('ending an entry that a wider one stands in for changes nothing', () => {
    const [address, domain] = [entry('safe', 'us'), entry('safe', 'us', {}, 'x.example')]
    const found = reach({ add: [], end: [address] }, [address, domain], [seen(1), seen(2)], context)
    expect(found.looked).toBe(2)
    expect(changesNothing(found)).toBe(true)
    expect(changesNothing(reach({ add: [], end: [address] }, [address], [seen(1)], context))).toBe(false)
  })
})

test('domains at which anybody has an address are known without being listed', () => {
  const none = { sharedProviders: ['freepost.example'] }
  expect(packaged.length).toBeGreaterThan(1000)
  for (const provider of packaged.filter(name => name.split('.').length === 2).slice(0, 50)) {
    expect(isSharedProvider(provider, none)).toBe(true)
    expect(isSharedProvider(`eu.${provider}`, none)).toBe(true)
    expect(isSharedProvider(`not-${provider}`, none)).toBe(false)
  }
  expect(isSharedProvider('freepost.example', none)).toBe(true)
  expect(isSharedProvider('eu.freepost.example', none)).toBe(true)
  expect(isSharedProvider('notfreepost.example', none)).toBe(false)
  expect(isSharedProvider('harbour.example', none)).toBe(false)
  expect(isSharedProvider('com', none)).toBe(false)
})
