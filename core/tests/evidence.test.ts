import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { clusterKey } from '@pendro/core/clusters'
import {
  boundOf,
  crowdShift,
  noText,
  provenance,
  reviewRank,
  senderFacts,
  tokensOf,
  uncalibrated,
  weighForMailbox,
  weighMessage,
  weights,
  type OrganisationPolicy,
  type SenderKnowledge,
  type TextKnowledge,
} from '@pendro/core/judgement'
import { writeArf } from '@pendro/core/formats'
import { parseMessage, type Attachment, type Message } from '@pendro/core/message'
import { noAuthentication, provenList, type Authentication, type SenderFacts } from '@pendro/core/senders'

const at = (domain: string, local = 'a') => ({ local, tag: null, domain })

const policy: OrganisationPolicy = {
  ownDomains: ['vindholm.example'],
  trustedHosts: [],
  gateways: [],
  forbidden: [],
  fileHosts: [],
  sharedProviders: [],
}

const nothingKnown: SenderKnowledge = {
  writtenToAddress: 0,
  writtenToDomain: 0,
  answered: null,
  seenAddress: 1,
  seenDomain: 1,
  ruledWanted: 0,
  ruledJunk: 0,
  imitates: null,
}

async function read(headers: readonly string[] = [], body = 'Hello there'): Promise<Message> {
  const usual = [
    'From: Anna <anna@x.example>',
    'To: b@vindholm.example',
    'Subject: Hello',
    'Message-ID: <1@x.example>',
  ]
  const parsed = await parseMessage(Buffer.from([...usual, ...headers, '', body].join('\r\n')))
  if (!parsed.ok) throw new Error(parsed.problem.code)
  return parsed.value
}

interface Given {
  readonly headers?: readonly string[]
  readonly message?: Partial<Message>
  readonly knowledge?: Partial<SenderKnowledge>
  readonly text?: TextKnowledge
  readonly recipients?: number
  readonly authentication?: Authentication
}

/** What is found in a message, by name. */
async function found({
  headers = [],
  message = {},
  knowledge = {},
  text = noText,
  recipients = 1,
  authentication = noAuthentication,
}: Given) {
  const whole = { ...(await read(headers)), ...message }
  const all = weighMessage({
    message: whole,
    sender: senderFacts(whole, null, authentication),
    context: {
      policy,
      knowledge: { ...nothingKnown, ...knowledge },
      text,
      knownDomains: ['vindholm.example'],
      recipients,
      receivedAt: Date.parse('2026-11-20T08:00:00Z'),
    },
  })
  return new Map(all.map(one => [one.finding as string, one]))
}

describe('who really handed a message in', () => {
  const pass = (domain: string) => ({ result: 'pass' as const, domain })
  const none = { result: 'none' as const, domain: '' }
  const proof = (given: Partial<Authentication>): Authentication => ({ ...noAuthentication, ...given })
  const facts = (given: Partial<SenderFacts>): SenderFacts => ({
    from: [at('fjordfuel.example')],
    envelopeFrom: at('fjordfuel.example', 'bounce'),
    sender: null,
    listId: null,
    authentication: noAuthentication,
    ...given,
  })
  const elsewhere = at('mailservice.example', 'bounce')
  test.each<[what: string, given: Partial<SenderFacts>, expected: object]>([
    ['nobody is named', { from: [] }, { kind: 'nobody' }],
    [
      'itself, signed',
      { authentication: proof({ dkim: [pass('fjordfuel.example')] }) },
      { kind: 'itself', domain: 'fjordfuel.example' },
    ],
    [
      'itself, by its network',
      { authentication: proof({ spf: pass('post.fjordfuel.example') }) },
      { kind: 'itself', domain: 'fjordfuel.example' },
    ],
    [
      'itself, by DMARC alone',
      { authentication: proof({ dmarc: pass('fjordfuel.example') }) },
      { kind: 'itself', domain: 'fjordfuel.example' },
    ],
    [
      'a signature of somebody else',
      { authentication: proof({ dkim: [pass('other.example')] }) },
      { kind: 'unproven', domain: 'fjordfuel.example' },
    ],
    [
      'a signature that fails',
      { authentication: proof({ dkim: [{ result: 'fail', domain: 'fjordfuel.example' }] }) },
      { kind: 'unproven', domain: 'fjordfuel.example' },
    ],
    [
      'a network of somebody else',
      { authentication: proof({ spf: pass('other.example') }) },
      { kind: 'unproven', domain: 'fjordfuel.example' },
    ],
    [
      'a network that is not theirs',
      { authentication: proof({ spf: { result: 'softfail', domain: 'fjordfuel.example' } }) },
      { kind: 'unproven', domain: 'fjordfuel.example' },
    ],
    [
      'a service, signed for them',
      { envelopeFrom: elsewhere, authentication: proof({ dkim: [pass('mail.fjordfuel.example')] }) },
      { kind: 'service-signed', domain: 'fjordfuel.example', service: 'mailservice.example' },
    ],
    [
      'a service, allowed',
      { envelopeFrom: elsewhere, authentication: proof({ dmarc: pass('fjordfuel.example') }) },
      { kind: 'service-allowed', domain: 'fjordfuel.example', service: 'mailservice.example' },
    ],
    [
      'a service that nothing allows',
      { envelopeFrom: elsewhere, authentication: proof({ spf: pass('mailservice.example') }) },
      { kind: 'service-unproven', domain: 'fjordfuel.example', service: 'mailservice.example' },
    ],
    [
      'a list that rewrote nothing',
      { envelopeFrom: elsewhere, listId: 'talk.club.example' },
      { kind: 'list', domain: 'fjordfuel.example', list: 'talk.club.example' },
    ],
    [
      'a list whose signature holds',
      {
        envelopeFrom: elsewhere,
        listId: 'talk.club.example',
        authentication: proof({ dkim: [none, pass('fjordfuel.example')] }),
      },
      { kind: 'service-signed', domain: 'fjordfuel.example', service: 'mailservice.example' },
    ],
    [
      'a list of the sender itself',
      { listId: 'talk.club.example', authentication: proof({ dkim: [pass('fjordfuel.example')] }) },
      { kind: 'itself', domain: 'fjordfuel.example' },
    ],
    ['no envelope at all', { envelopeFrom: null }, { kind: 'unproven', domain: 'fjordfuel.example' }],
    [
      'a host below',
      { envelopeFrom: at('bounces.fjordfuel.example') },
      { kind: 'unproven', domain: 'fjordfuel.example' },
    ],
    [
      'another script, as people write it',
      { from: [at('xn--bcher-kva.example')], envelopeFrom: null },
      { kind: 'unproven', domain: 'bücher.example' },
    ],
  ])('%s', (_what, given, expected) => expect(provenance(facts(given))).toEqual(expected))
})

describe('what sender lists look at', () => {
  test('is what was read of From, Sender and the envelope, and nothing twice', async () => {
    const message = await read(['Sender: Post <post@x.example>', 'List-Id: <talk.club.example>'])
    expect(senderFacts(message, at('x.example', 'bounce'))).toEqual({
      from: [at('x.example', 'anna')],
      envelopeFrom: at('x.example', 'bounce'),
      sender: at('x.example', 'post'),
      listId: 'talk.club.example',
      authentication: noAuthentication,
    })
  })
  test('says when From could not be read whole, and which domains it names beside', async () => {
    const message = { ...(await read()), fromWhole: false, fromDomains: ['x.example', 'y.example'] }
    expect(senderFacts(message, null)).toMatchObject({
      fromWhole: false,
      fromDomains: ['x.example', 'y.example'],
    })
    expect(senderFacts({ ...message, fromDomains: ['x.example'] }, null)).not.toHaveProperty('fromDomains')
    expect(senderFacts(message, null).sender).toBeNull()
  })
})

describe('attachments that are not harmful by themselves', () => {
  const file = (given: Partial<Attachment> = {}): Attachment => ({
    name: 'plan.pdf',
    declaredType: 'application/pdf',
    trueType: 'application/pdf',
    size: 10,
    contentId: null,
    inline: false,
    danger: null,
    note: '',
    ...given,
  })
  const names = async (...attachments: Attachment[]) =>
    [...(await found({ message: { attachments } })).keys()].filter(name => name.startsWith('attachment'))
  test.each<[what: string, given: Partial<Attachment>, said: string[]]>([
    ['as it says', {}, []],
    ['macros', { danger: 'macro' }, ['attachment-macro']],
    ['behind a password', { danger: 'encrypted-archive' }, ['attachment-encrypted-archive']],
    ['can’t be looked into', { danger: 'unreadable-archive' }, ['attachment-unreadable-archive']],
    ['a zip', { declaredType: 'application/zip', trueType: 'application/zip' }, ['attachment-archive']],
    ['a tar', { declaredType: 'application/x-tar', trueType: 'application/x-tar' }, ['attachment-archive']],
    [
      'a zip with a program, which is told elsewhere',
      { trueType: 'application/zip', danger: 'program-in-archive' },
      [],
    ],
    ['a PDF that is none', { trueType: 'text/html' }, ['attachment-lies']],
    ['a picture that is a text', { declaredType: 'image/png', trueType: 'text/html' }, ['attachment-lies']],
    ['a picture that is another picture', { declaredType: 'image/png', trueType: 'image/jpeg' }, []],
    [
      'a sound that is none',
      { declaredType: 'audio/mpeg', trueType: 'application/octet-stream' },
      ['attachment-lies'],
    ],
    [
      'a film that is none',
      { declaredType: 'video/mp4', trueType: 'application/octet-stream' },
      ['attachment-lies'],
    ],
    [
      'a text that is none',
      { declaredType: 'text/plain', trueType: 'application/octet-stream' },
      ['attachment-lies'],
    ],
    ['a document that is another', { declaredType: 'application/msword', trueType: 'application/rtf' }, []],
    ['named to be taken for something else', { disguise: true }, ['attachment-lies']],
    ['named so, and harmful: told as that', { disguise: true, danger: 'executable' }, []],
  ])('%s', async (_what, given, said) => expect(await names(file(given))).toEqual(said))

  test('say which, what was declared, what it is by its bytes, and what is inside where somebody looked', async () => {
    const lies = file({ name: 'a.pdf', trueType: 'text/html', note: 'a page' })
    const one = (await found({ message: { attachments: [file(), lies] } })).get('attachment-lies')
    expect(one).toEqual({
      finding: 'attachment-lies',
      weight: weights['attachment-lies'],
      facts: { name: 'a.pdf', trueType: 'text/html' },
      raw: [
        ['', 'a.pdf', 'name'],
        ['', 'application/pdf', 'declared'],
        ['', 'text/html', 'by-content'],
        ['', 'a page', 'inside'],
      ],
    })
    const archives = [1, 2].map(() => file({ declaredType: 'application/zip', trueType: 'application/zip' }))
    expect((await found({ message: { attachments: archives } })).get('attachment-archive')?.facts).toEqual({
      count: 2,
    })
  })
})

describe('what is known of a sender', () => {
  test.each<[what: string, known: Partial<SenderKnowledge>, said: Record<string, object>]>([
    [
      'nobody of its domain',
      { seenAddress: 0, seenDomain: 0 },
      { 'first-from-domain': { domain: 'x.example' } },
    ],
    [
      'others of its domain',
      { seenAddress: 0, seenDomain: 3 },
      { 'first-from-address': { domain: 'x.example', count: 3 } },
    ],
    ['once or twice', { seenAddress: 4, seenDomain: 4 }, {}],
    ['often', { seenAddress: 5, seenDomain: 9 }, { 'seen-often': { count: 5 } }],
    ['called wanted', { ruledWanted: 1 }, { 'sender-ruled-wanted': { count: 1 } }],
    [
      'called junk, and wanted',
      { ruledWanted: 2, ruledJunk: 3 },
      { 'sender-ruled-wanted': { count: 2 }, 'sender-ruled-junk': { count: 3 } },
    ],
  ])('%s', async (_what, knowledge, said) => {
    const all = await found({ knowledge })
    const names = [
      'first-from-domain',
      'first-from-address',
      'seen-often',
      'sender-ruled-wanted',
      'sender-ruled-junk',
    ]
    expect(
      Object.fromEntries(names.flatMap(name => (all.has(name) ? [[name, all.get(name)?.facts]] : []))),
    ).toEqual(said)
  })
  const proof: Authentication = { ...noAuthentication, dmarc: { result: 'pass', domain: 'x.example' } }
  test('in the address book: wanted, and half as much without proof; nothing beside letters to them', async () => {
    const weight = async (given: Given) => (await found(given)).get('in-contacts')?.weight
    expect(await weight({ knowledge: { isContact: true }, authentication: proof })).toBe(
      weights['in-contacts'],
    )
    expect(await weight({ knowledge: { isContact: true } })).toBe(weights['in-contacts'] / 2)
    expect(await weight({ knowledge: { isContact: true, writtenToAddress: 1 } })).toBeUndefined()
    expect(await weight({ knowledge: {} })).toBeUndefined()
  })
  test('in one mailbox alone: its contacts, unless its colleague wrote to them', () => {
    const sender = {
      from: [at('x.example')],
      envelopeFrom: null,
      sender: null,
      listId: null,
      authentication: proof,
    }
    const near = (written: number, isContact: boolean) =>
      weighForMailbox({ written, isContact }, sender).map(({ finding, weight }) => [finding, weight])
    expect(near(0, true)).toEqual([['in-contacts', weights['in-contacts']]])
    expect(near(1, true)).toEqual([['correspondence-mailbox', weights['correspondence-mailbox']]])
    expect(near(0, false)).toEqual([])
  })
  test.each([
    ['called wanted', { list: { wanted: 3, junk: 0 } }, true],
    ['called junk as often', { list: { wanted: 3, junk: 3 } }, false],
    [
      'its sender was called wanted, which says it already',
      { list: { wanted: 1, junk: 0 }, ruledWanted: 1 },
      false,
    ],
    ['never ruled on', { list: { wanted: 0, junk: 0 } }, false],
    ['not proven', { list: null }, false],
  ])('a mailing list, %s', async (_, knowledge, is) =>
    expect(
      (await found({ knowledge, headers: ['List-Id: Crew <crew.lists.x.example>'] })).has('known-list'),
    ).toBe(is),
  )
  test.each([
    ['crew.lists.x.example', 'x.example', 'crew.lists.x.example'],
    ['crew.lists.x.example', 'lists.x.example', 'crew.lists.x.example'],
    ['crew.lists.x.example', 'y.example', null],
    ['x.example', '', null],
  ])('a list %s by the proof of “%s” is %s', (list, domain, known) => {
    const dkim = [{ result: 'pass' as const, domain }]
    expect(provenList(list, { ...noAuthentication, dkim })).toBe(known)
    expect(provenList(list, noAuthentication)).toBeNull()
    expect(provenList(null, { ...noAuthentication, dkim })).toBeNull()
  })
  test('more rulings weigh more, and each further one less', async () => {
    const weight = async (ruledJunk: number) =>
      (await found({ knowledge: { ruledJunk } })).get('sender-ruled-junk')?.weight ?? 0
    const [one, two, three] = [await weight(1), await weight(2), await weight(3)]
    expect(one).toBeCloseTo(weights['sender-ruled-junk'], 1)
    expect(two).toBeGreaterThan(one)
    expect(three - two).toBeLessThan(two - one)
  })
})

describe('marks of bulk mail, and of hidden text', () => {
  test.each<[what: string, headers: string[], raw: unknown]>([
    ['none', [], undefined],
    ['a list', ['List-Id: <talk.club.example>'], [['List-Id', '<talk.club.example>']]],
    [
      'a way out',
      ['List-Unsubscribe: <https://x.example/u>'],
      [['List-Unsubscribe', '<https://x.example/u>']],
    ],
    ['said so', ['Precedence: Bulk'], [['Precedence', 'Bulk']]],
    ['said so in another word', ['Precedence: list'], [['Precedence', 'list']]],
    ['called junk by itself', ['Precedence: junk'], [['Precedence', 'junk']]],
    ['first class', ['Precedence: first-class'], undefined],
    ['a word that begins so', ['Precedence: bulky'], undefined],
  ])('%s', async (_what, headers, raw) => expect((await found({ headers })).get('bulk')?.raw).toEqual(raw))

  test('from eight colleagues on it went to many', async () => {
    expect((await found({ recipients: 7 })).has('many-recipients')).toBe(false)
    expect((await found({ recipients: 8 })).get('many-recipients')?.facts).toEqual({ count: 8 })
  })

  test('a preview line is not hidden text; more is, and is shown', async () => {
    expect((await found({ message: { hiddenText: 'x'.repeat(40) } })).has('hidden-text')).toBe(false)
    const one = (await found({ message: { hiddenText: 'y'.repeat(41) } })).get('hidden-text')
    expect(one).toMatchObject({ facts: { length: 41 }, raw: [['', 'y'.repeat(41), 'hidden']] })
  })
})

describe('what the words say', () => {
  const lessons = (
    tokens: Record<string, [wanted: number, junk: number]>,
    total = { wanted: 50, junk: 50 },
  ): TextKnowledge => ({
    total,
    tokens: new Map(Object.entries(tokens).map(([token, [wanted, junk]]) => [token, { wanted, junk }])),
    calibration: { slope: 1, intercept: 0, linear: 0, offset: 0 },
    linear: null,
  })
  test('towards junk and towards wanted, with the words that mattered and their counts', async () => {
    const message = { subject: 'Prize inside', text: 'claim your prize today' }
    const junk = (
      await found({ message, text: lessons({ 's:prize': [0, 40], claim: [1, 30], today: [20, 20] }) })
    ).get('words-junk')
    expect(junk?.facts.words).toBe('“prize”, “claim”')
    expect(junk?.weight).toBeGreaterThan(0)
    expect(junk?.raw?.[0]).toEqual([
      'prize',
      expect.stringMatching(/^\+\d\.\d\d$/),
      'word',
      { place: 'subject', wanted: 0, junk: 40 },
    ])
    const wanted = (await found({ message, text: lessons({ 's:prize': [40, 0], claim: [30, 1] }) })).get(
      'words-wanted',
    )
    expect(wanted?.facts.words).toBe('“prize”, “claim”')
    expect(wanted?.weight).toBeLessThan(0)
    expect(wanted?.raw?.[0]?.[1]).toMatch(/^−/)
  })
  test.each<[what: string, text: TextKnowledge]>([
    ['nothing learned', noText],
    ['too few lessons', lessons({ claim: [0, 9] }, { wanted: 9, junk: 50 })],
    ['too few on the other side', lessons({ claim: [0, 9] }, { wanted: 50, junk: 9 })],
    ['none of its words known', lessons({ other: [0, 40] })],
    ['words that say as much for one as for the other', lessons({ claim: [20, 20] })],
  ])('%s: nothing', async (_what, text) => {
    const all = await found({ message: { subject: 'x', text: 'claim' }, text })
    expect(all.has('words-junk') || all.has('words-wanted')).toBe(false)
  })
  test('at most four words are named, and never more than the text may weigh', async () => {
    const words = ['alpha', 'bravo', 'charlie', 'delta', 'echo', 'foxtrot']
    const text = lessons(Object.fromEntries(words.map(word => [word, [0, 50] as [number, number]])))
    const one = (await found({ message: { subject: '', text: words.join(' ') }, text })).get('words-junk')
    expect(String(one?.facts.words).split(', ')).toHaveLength(4)
    expect(one?.weight).toBeCloseTo(boundOf({ wanted: 50, junk: 50 }) * weights['words-junk'], 1)
    expect(uncalibrated.slope).toBeLessThan(1)
  })
  test('are taken from subject, sender, links and text, each as its own kind, in any script', async () => {
    const message = {
      subject: 'Ærlig TALT talt',
      text: 'Grüße from https://skip.example/path here, hi',
      from: [{ name: 'Nell Carding', text: '', address: at('print.example') }],
      links: [{ href: 'https://go.example/offer-now?x=hidden', host: 'go.example', text: '' }],
    } as unknown as Message
    expect(tokensOf(message)).toEqual([
      's:ærlig',
      's:talt',
      's:talt',
      'f:nell',
      'f:carding',
      'f:print',
      'f:example',
      'u:example',
      'u:offer-now',
      'p:A',
      'grüße',
      'from',
      'here',
    ])
    const many = Array.from(
      { length: 400 },
      (_, i) =>
        `word${'abcdefghij'[i % 10]}${'abcdefghij'[Math.floor(i / 10) % 10]}${'abcd'[Math.floor(i / 100)]}`,
    )
    expect(tokensOf({ ...message, subject: '', from: [], links: [], text: many.join(' ') })).toHaveLength(300)
  })
})

describe('likeliest to be wanted first', () => {
  const limits = { junk: 40, quarantined: 50, nearCertain: 80 }
  const rank = (
    findings: readonly [string, number][],
    decidedBy: Parameters<typeof reviewRank>[0]['decision']['decidedBy'] = 'score',
    quarantined = 50,
  ) =>
    reviewRank({
      evidence: findings.map(([finding, weight]) => ({ finding: finding as 'bulk', weight, facts: {} })),
      decision: { decidedBy },
      limits: { ...limits, quarantined },
    })
  test('is the score against the mailbox’s own limit', () => {
    expect(
      rank([
        ['bulk', 1.25],
        ['seen-often', -0.5],
      ]),
    ).toBe(0.75)
    expect(rank([['bulk', 1]], 'score', 80)).toBeCloseTo(1 - Math.log(4), 2)
    // A limit nobody reaches is no reason to divide by nothing.
    expect(Number.isFinite(rank([], 'score', 100))).toBe(true)
  })
  test('with what is known of the sender, and who had decided', () => {
    expect(rank([['answers-colleague', 0]])).toBe(-2)
    expect(rank([['lookalike-own', 0]])).toBe(2)
    expect(rank([['bulk', 0]], 'personal')).toBe(2.5)
    expect([rank([], 'binding'), rank([], 'organisation'), rank([], 'rules')]).toEqual([5, 5, 0])
  })
  test('mass mail stands further back, the more so the more of it there is', () => {
    expect([0, 1, 2, 4, 16].map(crowdShift)).toEqual([0, 0, 0.35, 0.7, 1.4])
  })
})

describe('the same text', () => {
  const key = (subject: string, text: string, messageId: string | null = '1') =>
    clusterKey({ subject, text, messageId })
  const one = key('Your parcel', 'Dear Anna,\nit waits at the quay.')
  test.each<[what: string, subject: string, text: string, same: boolean]>([
    ['to somebody else', 'Your parcel', 'Dear Bo,\nit waits at the quay.', true],
    ['another number, another case', 'YOUR parcel 7', 'Hello!\nIt waits at the quay 12.', true],
    ['as an answer', 'Re: AW: Fwd: Your parcel', 'it waits at the quay.', true],
    ['another address in it', 'Your parcel', 'it waits a@b.example at the quay https://x.example/7', true],
    [
      'a greeting that is a sentence of its own',
      'Your parcel',
      `${'word '.repeat(12)},\nit waits at the quay.`,
      false,
    ],
    ['no greeting', 'Your parcel', 'Anna\nit waits at the quay.', false],
    ['another word', 'Your parcel', 'Dear Anna,\nit waits at the pier.', false],
    ['another subject', 'My parcel', 'Dear Anna,\nit waits at the quay.', false],
    ['a subject that begins like an answer', 'Reparcel', 'it waits at the quay.', false],
  ])('%s', (_what, subject, text, same) => expect(key(subject, text) === one).toBe(same))

  test('messages without words are like no other', () => {
    expect(key('', '7', '1')).not.toBe(key('', '7', '2'))
    expect(key('', '', null)).toBe(key('12', '', null))
    expect(key('a', '', '1')).toBe(key('a', '', '2'))
  })
  test('words of subject and text do not run into each other', () => {
    expect(key('a b', 'c')).not.toBe(key('a', 'b c'))
  })
  test('is 16 bytes in hexadecimal, whatever comes', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.string({ unit: 'binary' }), (subject, text) => {
        expect(key(subject, text)).toMatch(/^[0-9a-f]{32}$/)
      }),
    )
  })
})

describe('a feedback report (ARF, RFC 5965 §3)', () => {
  const given = {
    type: 'abuse' as const,
    subject: 'Report\r\nBcc: x@y.example',
    words: 'It came\nas it is.',
    raw: Buffer.from('From: a@x.example\r\nSubject: Ærlig\r\n\r\nHi\r\n'),
    from: 'digest@vindholm.example',
    to: 'abuse@x.example',
    originalFrom: 'bounce@x.example',
    originalTo: ['anna@vindholm.example', 'bo@vindholm.example'],
    arrivedAt: Date.parse('2026-11-20T08:00:00Z'),
    reportedDomains: ['x.example'],
    boundary: 'b-1',
    messageId: '<r1@vindholm.example>',
    now: Date.parse('2026-11-21T08:00:00Z'),
  }
  test('says who reports what, for people and for programs, and carries the message as it came', () => {
    const text = writeArf(given).toString('utf8')
    const lines = text.split('\r\n')
    for (const line of [
      'From: digest@vindholm.example',
      'To: abuse@x.example',
      'Subject: Report Bcc: x@y.example',
      'Date: Sat, 21 Nov 2026 08:00:00 +0000',
      'Message-ID: <r1@vindholm.example>',
      'MIME-Version: 1.0',
      'Content-Type: multipart/report; report-type=feedback-report; boundary="b-1"',
      'It came as it is.',
      'Content-Type: message/feedback-report',
      'Feedback-Type: abuse',
      'Version: 1',
      'Original-Mail-From: <bounce@x.example>',
      'Original-Rcpt-To: <anna@vindholm.example>',
      'Original-Rcpt-To: <bo@vindholm.example>',
      'Arrival-Date: Fri, 20 Nov 2026 08:00:00 +0000',
      'Reported-Domain: x.example',
      'Content-Type: message/rfc822',
    ])
      expect(lines).toContain(line)
    expect(text).toContain(given.raw.toString('utf8'))
    // Three parts, each begun by the boundary, and one end (RFC 2046 §5.1.1).
    expect(text.split('\r\n--b-1\r\n')).toHaveLength(4)
    expect(text.trimEnd().endsWith('--b-1--')).toBe(true)
    expect(lines.some(line => line.startsWith('Bcc:'))).toBe(false)
  })
  test('leaves out what is not known, and refuses a boundary that stands in the message', () => {
    expect(writeArf({ ...given, originalFrom: '' }).toString()).not.toContain('Original-Mail-From')
    expect(() => writeArf({ ...given, raw: Buffer.from('x\r\n--b-1\r\n') })).toThrow(RangeError)
  })
})

/** What a staffer is shown beside the words: the header or the link itself, whole and with its name. */
describe('the raw text beside a finding', () => {
  test('answers that go elsewhere: both headers', async () => {
    const headers = ['Reply-To: Claims <claims@elsewhere.example>']
    expect((await found({ headers })).get('reply-to-elsewhere')).toMatchObject({
      facts: { domain: 'elsewhere.example' },
      raw: [
        ['Reply-To', 'Claims <claims@elsewhere.example>'],
        ['From', 'Anna <anna@x.example>'],
      ],
    })
  })
  test('a domain that looks like ours: it, and what makes it look so', async () => {
    const like = { ...at('vindh0lm.example'), tag: null }
    const message = { from: [{ name: 'Anna', address: like }] } as unknown as Partial<Message>
    const one = (await found({ message })).get('lookalike-own')
    expect(one?.facts).toEqual({ domain: 'vindh0lm.example', known: 'vindholm.example' })
    expect(one?.raw).toEqual([
      ['', 'vindh0lm.example', 'domain'],
      ['', 'vindholm.example', 'resembles'],
      ['', '', 'same-shapes'],
    ])
  })
  test('a name of a colleague: whose it is, and the header', async () => {
    expect(
      (await found({ knowledge: { imitates: 'Ingrid Solvang' } })).get('imitates-colleague'),
    ).toMatchObject({
      facts: { name: 'Ingrid Solvang' },
      raw: [['From', 'Anna <anna@x.example>']],
    })
  })
  test('a link to a domain that looks like one of ours, and one in another script: the link itself', async () => {
    const link = async (host: string, name: string) => {
      const whole = await read(['Content-Type: text/html'], `<a href="https://${host}/x">here</a>`)
      return (await found({ message: whole })).get(name)?.raw
    }
    expect(await link('vindh0lm.example', 'link-lookalike')).toEqual([
      ['here', 'https://vindh0lm.example/x'],
      ['', 'vindholm.example', 'resembles'],
      ['', '', 'same-shapes'],
    ])
    expect(await link('xn--vndholm-2ya.example', 'link-punycode')).toEqual([
      ['here', 'https://xn--vndholm-2ya.example/x'],
    ])
  })
  test('a link that shows another host: what is shown and where it goes', async () => {
    const body = '<a href="https://b.example/x">www.a.example/offer</a>'
    const whole = await read(['Content-Type: text/html; charset=utf-8'], body)
    const one = (await found({ message: whole })).get('link-differs')
    expect(one).toMatchObject({ facts: { shown: 'www.a.example', target: 'b.example' } })
    expect(one?.raw?.[0]?.slice(0, 2)).toEqual(['www.a.example/offer', 'https://b.example/x'])
  })
})
