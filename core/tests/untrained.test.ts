import { describe, expect, test } from 'vitest'
import {
  junkScore,
  noText,
  rangeOf,
  realShares,
  senderFacts,
  weighMessage,
  weights,
  type Finding,
  type OrganisationPolicy,
  type SenderKnowledge,
} from '@pendro/core/judgement'
import { parseMessage } from '@pendro/core/message'
import { noAuthentication } from '@pendro/core/senders'

// What a new installation does on its first day: nothing learned, nobody known. Letters of our own making, each of a kind that people
// call the help desk about (common practice); the limits are the shipped ones.

const policy: OrganisationPolicy = {
  ownDomains: ['vindholm.example'],
  trustedHosts: [],
  gateways: [],
  forbidden: ['executable'],
  fileHosts: ['dropshelf.example'],
  sharedProviders: ['freepost.example'],
}
const stranger: SenderKnowledge = {
  writtenToAddress: 0,
  writtenToDomain: 0,
  answered: null,
  seenAddress: 0,
  seenDomain: 0,
  ruledWanted: 0,
  ruledJunk: 0,
  imitates: null,
}
const [kept, nearCertain] = [40, 80] as const

interface Letter {
  readonly from?: string
  readonly headers?: readonly string[]
  readonly body?: string
  readonly html?: boolean
  readonly proof?: 'pass' | 'none' | 'fail'
  readonly knowledge?: Partial<SenderKnowledge>
  readonly recipients?: number
}

async function scoreOf(letter: Letter): Promise<number> {
  const { from = 'Anna <anna@x.example>', headers = [], body = 'Hi, are you coming on Sunday?' } = letter
  const lines = [
    `From: ${from}`,
    'To: b@vindholm.example',
    'Subject: Sunday',
    'Date: Fri, 20 Nov 2026 08:00:00 +0000',
    'Message-ID: <1@x.example>',
    ...(letter.html ? ['Content-Type: text/html'] : []),
    ...headers,
    '',
    body,
  ]
  const parsed = await parseMessage(Buffer.from(lines.join('\r\n')))
  if (!parsed.ok) throw new Error(parsed.problem.code)
  const result = letter.proof ?? 'none'
  const domain = parsed.value.from[0]?.address?.domain ?? ''
  return junkScore(
    weighMessage({
      message: parsed.value,
      sender: senderFacts(parsed.value, null, { ...noAuthentication, dmarc: { result, domain } }),
      context: {
        policy,
        knowledge: { ...stranger, ...letter.knowledge },
        text: noText,
        knownDomains: ['vindholm.example', 'halyard-print.example'],
        recipients: letter.recipients ?? 1,
        receivedAt: Date.parse('2026-11-20T08:00:00Z'),
      },
    }),
  )
}

const elsewhere = '<p>Read it <a href="https://news.example/1">here</a>.</p>'
const list = [
  'List-Id: <talk.lists.example>',
  'List-Unsubscribe: <https://lists.example/off>',
  'Precedence: list',
]

describe('wanted mail of the first day stays under the limit', () => {
  test.each<[what: string, letter: Letter]>([
    ['a question by a person nobody knows', {}],
    ['the same, proven', { proof: 'pass' }],
    ['a letter with a link to somewhere else', { body: elsewhere, html: true }],
    [
      'a proven newsletter with links elsewhere',
      { body: elsewhere, html: true, headers: list, proof: 'pass' },
    ],
    ['a mailing list that proves nothing', { body: elsewhere, html: true, headers: list }],
    [
      'a list whose answers go to the list',
      { headers: [...list, 'Reply-To: talk@lists.example'], proof: 'pass' },
    ],
    [
      'a proven newsletter by a service, whose links show one name and count clicks at another',
      {
        body: '<a href="https://click.example/1">www.x.example</a>',
        html: true,
        headers: list,
        proof: 'pass',
      },
    ],
    [
      'a proven invoice by a file host',
      { body: '<a href="https://dropshelf.example/1">invoice</a>', html: true, proof: 'pass' },
    ],
    ['a proven notice to ten of us', { recipients: 10, proof: 'pass' }],
    ['a newsletter seen twenty times', { headers: list, knowledge: { seenAddress: 20, seenDomain: 20 } }],
    [
      'an old acquaintance without proof',
      { knowledge: { seenAddress: 20, seenDomain: 20, writtenToAddress: 3 } },
    ],
  ])('%s', async (_, letter) => expect(await scoreOf(letter)).toBeLessThan(kept))
})

describe('what is odd beside being new and unproven is kept back, and not taken for near-certain at once', () => {
  test.each<[what: string, letter: Letter]>([
    ['a file host', { body: '<a href="https://dropshelf.example/1">your proof</a>', html: true }],
    [
      'a link that shows one name and leads to another',
      { body: '<a href="https://evil.example/1">www.bank.example</a>', html: true },
    ],
  ])('%s', async (_, letter) => {
    const score = await scoreOf(letter)
    expect(score).toBeGreaterThanOrEqual(kept)
    expect(score).toBeLessThan(nearCertain)
  })
  test('proof and acquaintance each take the edge off', async () => {
    const letter: Letter = { body: '<a href="https://dropshelf.example/1">your proof</a>', html: true }
    expect(await scoreOf({ ...letter, proof: 'pass' })).toBeLessThan(kept)
    expect(await scoreOf({ ...letter, knowledge: { writtenToAddress: 1 } })).toBeLessThan(kept)
  })
})

describe('forgeries are kept back on the first day, too', () => {
  test.each<[what: string, letter: Letter]>([
    ['a number for a name', { body: '<a href="http://192.0.2.9/x">here</a>', html: true }],
    ['our own name without proof', { from: 'IT <it@vindholm.example>' }],
    ['a domain like ours', { from: 'IT <it@vindh0lm.example>' }],
    ['a link like ours', { body: '<a href="https://vindholm-login.example/x">sign in</a>', html: true }],
    [
      'a colleague’s name from elsewhere, answers to a third',
      { knowledge: { imitates: 'Ingrid Solvang' }, headers: ['Reply-To: x@away.example'], proof: 'fail' },
    ],
  ])('%s', async (_, letter) => expect(await scoreOf(letter)).toBeGreaterThanOrEqual(kept))
})

describe('weights and what is known of real mail', () => {
  test.each(Object.keys(realShares) as Finding[])('%s keeps inside its range', finding => {
    const [from, to] = rangeOf(finding) ?? [NaN, NaN]
    expect(weights[finding]).toBeGreaterThanOrEqual(from)
    expect(weights[finding]).toBeLessThanOrEqual(to)
  })
  test('what is as frequent in wanted as in junk mail weighs nothing', () => {
    expect(rangeOf('link-elsewhere')).toEqual([0, 0])
    expect(rangeOf('bulk')?.[1]).toBe(0)
    expect(rangeOf('lookalike-own')).toBeNull()
  })
})
