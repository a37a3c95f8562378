import { spawnSync } from 'node:child_process'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  isInNetworks,
  isNetwork,
  parseAuthenticationResults,
  readTrusted,
  toAuthentication,
  type Trust,
} from '@pendro/core/authentication'
import { parseMessage } from '@pendro/core/message'
import { isAuthenticated } from '@pendro/core/senders'

const trust: Trust = { trustedHosts: ['mx.harbour.example'], gateways: ['192.0.2.0/28', '2001:db8:1::/48'] }
const gateway = { ip: '192.0.2.3', helo: 'mx.harbour.example' }

async function read(lines: readonly string[], connection = gateway, given = trust) {
  const parsed = await parseMessage(Buffer.from([...lines, 'From: anna@x.example', '', 'hi'].join('\r\n')))
  if (!parsed.ok) throw new Error(parsed.problem.code)
  return readTrusted(parsed.value.headers, connection, given)
}

const by = 'by mx.harbour.example with ESMTPS; Fri, 20 Nov 2026 08:00:00 +0000'
const received = `Received: from mail.x.example (mail.x.example [198.51.100.77]) ${by}`
const results = (text: string) => `Authentication-Results: mx.harbour.example; ${text}`

describe('what a sender can write is no proof (RFC 8601 §5, domain.md §1)', () => {
  const passes = results('dmarc=pass header.from=x.example')
  const proves = async (lines: readonly string[], connection = gateway) => {
    const { authentication } = await read(lines, connection)
    return authentication !== null && isAuthenticated('x.example', authentication)
  }
  test.each<[string, readonly string[], boolean]>([
    ['the gateway’s own, above its Received', [passes, received], true],
    ['below it: the sender wrote it', [received, passes], false],
    ['no Received of that host at all', [passes], false],
    [
      'a Received of another host only',
      [passes, 'Received: from a (a [198.51.100.1]) by forged.example; Fri, 20 Nov 2026 08:00:00 +0000'],
      false,
    ],
    ['of a host nobody named', [passes.replace('mx.harbour', 'mx.forged'), received], false],
    [
      'a host that only begins alike',
      [passes.replace('mx.harbour.example', 'mx.harbour.example.evil.example'), received],
      false,
    ],
    [
      'the host with a trailing dot and capitals',
      [passes.replace('mx.harbour.example', 'MX.Harbour.Example.'), received],
      true,
    ],
    [
      'the first field counts, for all methods',
      [results('spf=fail smtp.mailfrom=x.example'), passes, received],
      false,
    ],
    [
      'a local part in quotes that looks like results',
      [
        results(
          'spf=pass smtp.mailfrom="x\\";dmarc=pass header.from=x.example;\\""@evil.example; dmarc=fail header.from=x.example',
        ),
        received,
      ],
      false,
    ],
    ['a pass in a comment', [results('dmarc=fail (dmarc=pass) header.from=x.example'), received], false],
    [
      'dmarc=fail outranks spf=pass',
      [results('spf=pass smtp.mailfrom=x.example; dmarc=fail header.from=x.example'), received],
      false,
    ],
    [
      'dmarc=fail outranks a dmarc=pass before it',
      [results('dmarc=pass header.from=x.example; dmarc=fail header.from=x.example'), received],
      false,
    ],
    ['dmarc=pass without header.from', [results('dmarc=pass'), received], false],
    ['dmarc=pass for another domain', [results('dmarc=pass header.from=y.example'), received], false],
    ['a quote that never closes', [results('spf="; dmarc=pass header.from=x.example'), received], false],
    [
      'version 2 of the grammar',
      ['Authentication-Results: mx.harbour.example 2; dmarc=pass header.from=x.example', received],
      false,
    ],
    [
      'version 1',
      ['Authentication-Results: mx.harbour.example 1; dmarc=pass header.from=x.example', received],
      true,
    ],
    [
      '"by" in a comment of a forged Received',
      [passes, 'Received: from x (by mx.harbour.example) by forged.example'],
      false,
    ],
  ])('%s', async (_name, lines, want) => expect(await proves(lines)).toBe(want))

  test.each<[string, string, boolean]>([
    ['in the network', '192.0.2.15', true],
    ['just outside it', '192.0.2.16', false],
    ['an IPv4-mapped address', '::ffff:192.0.2.3', true],
    ['IPv6 in the network', '2001:db8:1::7', true],
    ['IPv6 outside it', '2001:db8:2::7', false],
    ['straight from a stranger', '198.51.100.77', false],
    ['loopback, which nobody listed', '127.0.0.1', false],
    ['no address', '', false],
  ])('the connection is %s', async (_name, ip, want) =>
    expect(await proves([passes, received], { ip, helo: 'mx.harbour.example' })).toBe(want),
  )
  test('no network listed: nobody’s word counts', async () =>
    expect(
      (await read([passes, received], gateway, { trustedHosts: ['mx.harbour.example'] })).authentication,
    ).toBeNull())
})

describe('who handed it over (RFC 5321 §4.4)', () => {
  const hop = (from: string, host = 'mx.harbour.example') =>
    `Received: from ${from} by ${host} with ESMTP; Fri, 20 Nov 2026 08:00:00 +0000`
  test.each<[string, readonly string[], string]>([
    ['name and address', [hop('mail.x.example (mail.x.example [198.51.100.9])')], '198.51.100.9'],
    [
      'the address the client gave itself is none',
      [hop('[203.0.113.5] (unknown [198.51.100.77])')],
      '198.51.100.77',
    ],
    [
      'an address in the name of the reverse look-up',
      [hop('x ([203.0.113.5].evil.example [198.51.100.77])')],
      '198.51.100.77',
    ],
    ['only what the client said', [hop('[203.0.113.5]')], ''],
    [
      'a name that opens a parenthesis of its own',
      [hop('(x[203.0.113.5])y (unknown [198.51.100.77])')],
      '198.51.100.77',
    ],
    [
      'the name behind the address, itself an address',
      [hop('x.example ([198.51.100.77] helo=[203.0.113.5])')],
      '198.51.100.77',
    ],
    [
      'the name behind the address, bare',
      [hop('x.example ([198.51.100.77] [203.0.113.5])')],
      '198.51.100.77',
    ],
    [
      'no name for the address, and what the client said in parentheses',
      [hop('[198.51.100.77] (helo=[203.0.113.5])')],
      '',
    ],
    ['what the client said, told as such', [hop('x (HELO [203.0.113.5]) ([198.51.100.77])')], ''],
    ['a remark behind it', [hop('x (x [198.51.100.77] (may be forged))')], '198.51.100.77'],
    ['a comment that never closes', [hop('x (by (unknown [203.0.113.5])')], ''],
    ['IPv6', [hop('x (x [IPv6:2001:db8:9::1])')], '2001:db8:9::1'],
    ['no address', [hop('x (x)')], ''],
    [
      'hops of the gateway itself are passed over',
      [
        hop('localhost (localhost [127.0.0.1])'),
        hop('mx.harbour.example (mx.harbour.example [192.0.2.4])'),
        hop('mail.x.example (x [198.51.100.9])'),
      ],
      '198.51.100.9',
    ],
    [
      'what stands below a stranger’s field is not believed',
      [hop('a (a [198.51.100.1])', 'forged.example'), hop('b (b [203.0.113.9])')],
      '',
    ],
    [
      'an address behind "by"',
      ['Received: from x by mx.harbour.example (y [203.0.113.5]); Fri, 20 Nov 2026 08:00:00 +0000'],
      '',
    ],
  ])('%s', async (_name, lines, want) => expect((await read(lines)).client.ip).toBe(want))
  test('not from a gateway: the connection is the client, whatever is written', async () => {
    const stranger = { ip: '198.51.100.77', helo: 'evil.example' }
    expect((await read([received], stranger)).client).toEqual(stranger)
  })
})

describe('networks', () => {
  test.each([
    ['192.0.2.0/24', true],
    ['192.0.2.7', true],
    ['2001:db8::/32', true],
    ['192.0.2.0/33', false],
    ['192.0.2.0/24/8', false],
    ['mx.harbour.example', false],
    ['', false],
    ['192.0.2', false],
  ])('%j', (text, want) => expect(isNetwork(text)).toBe(want))
  test('a network that can’t be read holds nobody', () =>
    expect(isInNetworks('192.0.2.1', ['192.0.2.0/99'])).toBe(false))
})

// Debian's python3-authres reads the same grammar; it is asked where the machine has it.
const authres = `import sys, json, authres
out=[]
for line in json.load(sys.stdin):
  try:
    h=authres.AuthenticationResultsHeader.parse('Authentication-Results: '+line)
    out.append([h.authserv_id, [[r.method, r.result] for r in h.results]])
  except Exception as e: out.append(None)
print(json.dumps(out))`
const haveAuthres = spawnSync('/usr/bin/python3', ['-c', 'import authres']).status === 0

describe.skipIf(!haveAuthres)('agrees with python3-authres (skipped where it is missing)', () => {
  test('on fields put together from the grammar', () => {
    const word = fc.stringMatching(/^[a-z0-9-]{1,8}$/)
    const value = fc.oneof(
      word.map(w => `${w}.example`),
      word.map(w => `${w}@x.example`),
      word.map(w => `"${w} ; spf=pass"`),
    )
    const result = fc
      .tuple(
        fc.constantFrom('spf', 'dkim', 'dmarc'),
        fc.constantFrom('pass', 'fail', 'neutral'),
        fc.option(value),
        fc.boolean(),
      )
      .map(
        ([method, said, v, comment]) =>
          `${method}=${said}${comment ? ' (a; b=c)' : ''}${v === null ? '' : ` smtp.mailfrom=${v}`}`,
      )
    const fields = fc.sample(
      fc.array(result, { minLength: 1, maxLength: 4 }).map(all => `mx.x.example; ${all.join('; ')}`),
      200,
    )
    const theirs = JSON.parse(
      spawnSync('/usr/bin/python3', ['-c', authres], { input: JSON.stringify(fields), encoding: 'utf8' })
        .stdout,
    )
    const ours = fields.map(field => {
      const parsed = parseAuthenticationResults(field)
      return parsed && [parsed.authservId, parsed.results.map(({ method, result: said }) => [method, said])]
    })
    for (const [i, their] of (theirs as unknown[]).entries())
      if (their !== null) expect([fields[i], ours[i]]).toEqual([fields[i], their])
  })
})

test('any field: read or refused, never thrown, and nothing is proven for a domain it does not name', () =>
  fc.assert(
    fc.property(fc.string({ maxLength: 300 }), text => {
      const parsed = parseAuthenticationResults(`mx.harbour.example; ${text}`)
      if (parsed && !/victim/.test(text))
        expect(isAuthenticated('victim.example', toAuthentication(parsed))).toBe(false)
    }),
    { numRuns: 500 },
  ))
