import { describe, expect, test } from 'vitest'
import {
  cachedResolver,
  evaluateDmarc,
  isAligned,
  parseDmarcRecord,
  verifyAuthentication,
  withTimeLimit,
  type Resolve,
} from '@pendro/core/authentication'

type Records = Readonly<
  Record<string, Readonly<Partial<Record<'TXT' | 'A' | 'MX' | 'PTR', readonly string[]>>>>
>

const failure = (code: string) => Object.assign(new Error(code), { code })

function zone(records: Records, failing: readonly string[] = []): Resolve {
  return async (name, type) => {
    if (failing.includes(name)) throw failure('ETIMEOUT')
    const found = records[name.toLowerCase()]
    if (!found) throw failure('ENOTFOUND')
    const values = found[type as 'TXT']
    if (!values) throw failure('ENODATA')
    if (type === 'TXT') return values.map(text => [text])
    return type === 'MX' ? values.map((exchange, i) => ({ exchange, priority: i })) : values
  }
}

const lines = (...text: string[]) => Buffer.from(text.join('\r\n'))
const noClient = { ip: '', helo: '' }

const joe = [
  'From: Joe SixPack <joe@football.example.com>',
  'To: Suzie Q <suzie@shopping.example.net>',
  'Subject: Is dinner ready?',
  'Date: Fri, 11 Jul 2003 21:00:37 -0700 (PDT)',
  'Message-ID: <20030712040037.46341.5F8J@football.example.com>',
  '',
  'Hi.',
  '',
  'We lost the game.  Are you hungry yet?',
  '',
  'Joe.',
  '',
]

describe('DKIM', () => {
  // RFC 8463 appendix A: one message, an Ed25519 and an RSA signature.
  const keys: Records = {
    'brisbane._domainkey.football.example.com': {
      TXT: ['v=DKIM1; k=ed25519; p=11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo='],
    },
    'test._domainkey.football.example.com': {
      TXT: [
        'v=DKIM1; k=rsa; p=MIGfMA0GCSqGSIb3DQEBAQUAA4GNADCBiQKBgQDkHlOQoBTzWRiGs5V6NpP3idY6Wk08a5qhdR6wy5bdOKb2jLQiY/J16JYi0Qvx/byYzCNb3W91y3FutACDfzwQ/BC/e/8uBsCR+yz1Lxj+PL6lHvqMKrM3rG4hstT5QjvHO9PzoxZyVYLzBfO2EeC3Ip3G+2kryOTIKT+l/K4w3QIDAQAB',
      ],
    },
  }
  const signatures = [
    'DKIM-Signature: v=1; a=ed25519-sha256; c=relaxed/relaxed;',
    ' d=football.example.com; i=@football.example.com;',
    ' q=dns/txt; s=brisbane; t=1528637909; h=from : to :',
    ' subject : date : message-id : from : subject : date;',
    ' bh=2jUSOH9NhtVGCQWNr9BrIAPreKQjO6Sn7XIkfJVOzv8=;',
    ' b=/gCrinpcQOoIfuHNQIbq4pgh9kyIK3AQUdt9OdqQehSwhEIug4D11Bus',
    ' Fa3bT3FY5OsU7ZbnKELq+eXdp1Q1Dw==',
    'DKIM-Signature: v=1; a=rsa-sha256; c=relaxed/relaxed;',
    ' d=football.example.com; i=@football.example.com;',
    ' q=dns/txt; s=test; t=1528637909; h=from : to : subject :',
    ' date : message-id : from : subject : date;',
    ' bh=2jUSOH9NhtVGCQWNr9BrIAPreKQjO6Sn7XIkfJVOzv8=;',
    ' b=F45dVWDfMbQDGHJFlXUNB2HKfbCeLRyhDXgFpEL8GwpsRe0IeIixNTe3',
    ' DhCVlUrSjV4BwcVcOF6+FF3Zo9Rpo1tFOeS9mPYQTnGdaSGsgeefOsk2Jz',
    ' dA+L10TeYt9BgDfQNZtKdN1WO//KgIqXP7OdEFE4LjFYNcUxZQ4FADY+8=',
  ]
  const check = (raw: Buffer, resolve: Resolve) =>
    verifyAuthentication({
      raw,
      fromDomain: 'football.example.com',
      envelopeFrom: '',
      connection: noClient,
      resolve,
      now: Date.parse('2018-06-11'),
    })

  test('RFC 8463 appendix A: both signatures pass', async () => {
    const { dkim } = await check(lines(...signatures, ...joe), zone(keys))
    expect(dkim).toEqual([
      { result: 'pass', domain: 'football.example.com' },
      { result: 'pass', domain: 'football.example.com' },
    ])
  })
  test.each<[string, string[], Resolve, string]>([
    [
      'a letter of the body changed',
      [...signatures, ...joe.map(line => line.replace('hungry', 'angry'))],
      zone(keys),
      'neutral',
    ],
    [
      'a signed header changed',
      [...signatures, ...joe.map(line => line.replace('dinner', 'supper'))],
      zone(keys),
      'fail',
    ],
    ['no key in the zone', [...signatures, ...joe], zone({}), 'neutral'],
    ['the name server does not answer', [...signatures, ...joe], zone(keys, Object.keys(keys)), 'temperror'],
  ])('%s: no pass', async (_name, text, resolve, want) => {
    const { dkim } = await check(lines(...text), resolve)
    expect(dkim.map(({ result }) => result)).toEqual([want, want])
  })
  test('no signature, no result', async () =>
    expect((await check(lines(...joe), zone(keys))).dkim).toEqual([]))
})

// RFC 7208 appendix A: the zone, and A.1's records with the clients that pass and that do not.
describe('SPF: RFC 7208 appendix A.1', () => {
  const hosts: Records = {
    'example.com': { MX: ['mail-a.example.com', 'mail-b.example.com'], A: ['192.0.2.10', '192.0.2.11'] },
    'amy.example.com': { A: ['192.0.2.65'] },
    'bob.example.com': { A: ['192.0.2.66'] },
    'mail-a.example.com': { A: ['192.0.2.129'] },
    'mail-b.example.com': { A: ['192.0.2.130'] },
    'example.org': { MX: ['mail-c.example.org'] },
    'mail-c.example.org': { A: ['192.0.2.140'] },
    '65.2.0.192.in-addr.arpa': { PTR: ['amy.example.com'] },
    '140.2.0.192.in-addr.arpa': { PTR: ['mail-c.example.org'] },
    '4.0.0.10.in-addr.arpa': { PTR: ['bob.example.com'] },
  }
  test.each<[string, readonly string[], readonly string[]]>([
    ['v=spf1 +all', ['192.0.2.1', '203.0.113.9'], []],
    ['v=spf1 a -all', ['192.0.2.10', '192.0.2.11'], ['192.0.2.12']],
    ['v=spf1 a:example.org -all', [], ['192.0.2.10', '192.0.2.140']],
    ['v=spf1 mx -all', ['192.0.2.129', '192.0.2.130'], ['192.0.2.140']],
    ['v=spf1 mx:example.org -all', ['192.0.2.140'], ['192.0.2.129']],
    ['v=spf1 mx mx:example.org -all', ['192.0.2.129', '192.0.2.130', '192.0.2.140'], ['192.0.2.65']],
    ['v=spf1 mx/30 mx:example.org/30 -all', ['192.0.2.128', '192.0.2.131', '192.0.2.143'], ['192.0.2.132']],
    ['v=spf1 ptr -all', ['192.0.2.65'], ['192.0.2.140', '10.0.0.4']],
    ['v=spf1 ip4:192.0.2.128/28 -all', ['192.0.2.129'], ['192.0.2.65']],
  ])('%s', async (record, pass, fail) => {
    const resolve = zone({ ...hosts, 'example.com': { ...hosts['example.com'], TXT: [record] } })
    const result = async (ip: string) =>
      (
        await verifyAuthentication({
          raw: lines(...joe),
          fromDomain: '',
          envelopeFrom: 'strong-bad@example.com',
          connection: { ip, helo: 'mail.example.com' },
          resolve,
          now: 0,
        })
      ).spf.result
    for (const ip of pass) expect([ip, await result(ip)]).toEqual([ip, 'pass'])
    for (const ip of fail) expect([ip, await result(ip)]).toEqual([ip, 'fail'])
  })
  test('a name server that does not answer is neither pass nor fail', async () => {
    const { spf, dmarc } = await verifyAuthentication({
      raw: lines(...joe),
      fromDomain: 'example.com',
      envelopeFrom: 'a@example.com',
      connection: { ip: '192.0.2.1', helo: 'x' },
      resolve: zone({}, ['example.com', '_dmarc.example.com']),
      now: 0,
    })
    expect([spf.result, dmarc.result]).toEqual(['temperror', 'temperror'])
  })
})

describe('alignment: strict and relaxed, by cases in which they differ', () => {
  // RFC 7489 appendix B.1.1 and B.1.2, examples 1 to 3 of each.
  test.each([
    ['example.com', 'example.com', true, true],
    ['example.com', 'child.example.com', false, true],
    ['child.example.com', 'example.net', false, false],
    ['child.example.com', 'example.com', false, true],
    ['child.example.com', 'sample.net', false, false],
    // near misses of our own
    ['a.example.com', 'b.example.com', false, true],
    ['a.co.uk', 'b.co.uk', false, false],
    ['example.com', 'badexample.com', false, false],
  ])('From %s, authenticated %s: strict %s, relaxed %s', (from, authenticated, strict, relaxed) => {
    expect(isAligned(from, authenticated, 'strict')).toBe(strict)
    expect(isAligned(from, authenticated, 'relaxed')).toBe(relaxed)
  })

  const pass = (domain: string) => ({ result: 'pass' as const, domain })
  const none = { result: 'none' as const, domain: '' }
  test.each<
    [string, string, { spf: ReturnType<typeof pass> | typeof none; dkim: ReturnType<typeof pass>[] }, string]
  >([
    ['v=DMARC1; p=reject', 'example.com', { spf: pass('bounces.example.com'), dkim: [] }, 'pass'],
    ['v=DMARC1; p=reject; aspf=s', 'example.com', { spf: pass('bounces.example.com'), dkim: [] }, 'fail'],
    ['v=DMARC1; p=reject; aspf=s', 'example.com', { spf: pass('example.com'), dkim: [] }, 'pass'],
    // the strict mode of one must not become that of the other
    ['v=DMARC1; p=reject; aspf=s', 'example.com', { spf: none, dkim: [pass('mail.example.com')] }, 'pass'],
    ['v=DMARC1; p=reject; adkim=s', 'example.com', { spf: none, dkim: [pass('mail.example.com')] }, 'fail'],
    [
      'v=DMARC1; p=reject; adkim=s',
      'example.com',
      { spf: none, dkim: [pass('mail.example.com'), pass('example.com')] },
      'pass',
    ],
    ['v=DMARC1; p=none', 'example.com', { spf: pass('example.net'), dkim: [] }, 'fail'],
  ])('%s: From %s with %j is %s', async (record, from, found, want) => {
    expect((await evaluateDmarc(from, found, zone({ [`_dmarc.${from}`]: { TXT: [record] } }))).result).toBe(
      want,
    )
  })

  test.each([
    [
      'the organisational domain’s record counts below it',
      'deep.sub.example.com',
      { '_dmarc.example.com': { TXT: ['v=DMARC1; p=none'] } },
      'pass',
    ],
    [
      'two records are none',
      'example.com',
      { '_dmarc.example.com': { TXT: ['v=DMARC1; p=none', 'v=DMARC1; p=reject'] } },
      'none',
    ],
    ['other text is no record', 'example.com', { '_dmarc.example.com': { TXT: ['v=spf1 -all'] } }, 'none'],
    ['no record', 'example.com', {}, 'none'],
  ])('%s', async (_name, from, records, want) => {
    expect((await evaluateDmarc(from, { spf: pass('example.com'), dkim: [] }, zone(records))).result).toBe(
      want,
    )
  })
  test('a signature that could not be checked is no failure', async () => {
    const found = { spf: none, dkim: [{ result: 'temperror' as const, domain: 'example.com' }] }
    expect(
      (
        await evaluateDmarc(
          'example.com',
          found,
          zone({ '_dmarc.example.com': { TXT: ['v=DMARC1; p=reject'] } }),
        )
      ).result,
    ).toBe('temperror')
  })
  test.each(['v=DMARC1;p=none', 'v=DMARC1; p=none; adkim=r', 'v = DMARC1 ; p=quarantine'])(
    '%s is a record',
    text => expect(parseDmarcRecord(text)).not.toBeNull(),
  )
  test.each(['', 'p=none; v=DMARC1', 'v=DMARC2; p=none', 'v=dmarc1; p=none'])('%j is none', text =>
    expect(parseDmarcRecord(text)).toBeNull(),
  )
})

describe('look-ups', () => {
  test('answers are kept, also that there is none; failures are asked again; time runs out', async () => {
    let asked = 0
    let now = 0
    const resolve = cachedResolver(
      async name => {
        asked += 1
        if (name === 'none.example') throw failure('ENOTFOUND')
        if (name === 'away.example') throw failure('ETIMEOUT')
        return [name]
      },
      1000,
      () => now,
    )
    const ask = (name: string) => resolve(name, 'TXT').catch((error: { code: string }) => error.code)
    for (const name of [
      'a.example',
      'A.example',
      'none.example',
      'none.example',
      'away.example',
      'away.example',
    ])
      await ask(name)
    expect(asked).toBe(4)
    now = 1001
    await ask('a.example')
    expect(asked).toBe(5)
  })
  test('one that never answers is given up', async () => {
    await expect(withTimeLimit(() => new Promise(() => {}), 10)('x.example', 'TXT')).rejects.toMatchObject({
      code: 'ETIMEOUT',
    })
  })
})
