import { spawnSync } from 'node:child_process'
import { describe, expect, test } from 'vitest'
import { verifyAuthentication, type Resolve } from '@pendro/core/authentication'

type Zone = Readonly<Record<string, Readonly<Record<string, readonly string[]>>>>

const failure = (code: string) => Object.assign(new Error(code), { code })

/** A resolver over a table; the names that were asked are noted. */
function resolverOf(zone: Zone, asked: string[] = []): Resolve {
  return async (name, type) => {
    asked.push(name)
    const values = zone[name.toLowerCase()]?.[type]
    if (values?.[0] === 'TIMEOUT') throw failure('ETIMEOUT')
    if (!values) throw failure('ENOTFOUND')
    if (type === 'TXT') return values.map(text => [text])
    return type === 'MX' ? values.map((exchange, i) => ({ exchange, priority: i })) : values
  }
}

interface Asked {
  readonly zone: Zone
  readonly from?: string
  readonly ip?: string
  readonly helo?: string
}

async function spfOf({ zone, from = 'anna@x.example', ip = '192.0.2.3', helo = 'mail.x.example' }: Asked) {
  const asked: string[] = []
  const { spf } = await verifyAuthentication({
    raw: Buffer.from('Subject: x\r\n\r\nx\r\n'),
    fromDomain: '',
    envelopeFrom: from,
    connection: { ip, helo },
    resolve: resolverOf(zone, asked),
    now: 0,
  })
  return { result: spf.result, asked }
}

// RFC 7208 §7.4: the sender, the client and what each macro expands to. A suffix makes each a name that can be asked.
describe('macros: RFC 7208 §7.4', () => {
  const reverse: Zone = {
    '3.2.0.192.in-addr.arpa': { PTR: ['mx.example.org'] },
    'mx.example.org': { A: ['192.0.2.3'] },
  }
  test.each<[macro: string, expanded: string]>([
    ['%{s}', 'strong-bad@email.example.com'],
    ['%{o}', 'email.example.com'],
    ['%{d}', 'email.example.com'],
    ['%{d4}', 'email.example.com'],
    ['%{d3}', 'email.example.com'],
    ['%{d2}', 'example.com'],
    ['%{d1}', 'com'],
    ['%{dr}', 'com.example.email'],
    ['%{d2r}', 'example.email'],
    ['%{l}', 'strong-bad'],
    ['%{l-}', 'strong.bad'],
    ['%{lr}', 'strong-bad'],
    ['%{lr-}', 'bad.strong'],
    ['%{l1r-}', 'strong'],
    ['%{ir}.%{v}._spf.%{d2}', '3.2.0.192.in-addr._spf.example.com'],
    ['%{lr-}.lp._spf.%{d2}', 'bad.strong.lp._spf.example.com'],
    ['%{lr-}.lp.%{ir}.%{v}._spf.%{d2}', 'bad.strong.lp.3.2.0.192.in-addr._spf.example.com'],
    ['%{ir}.%{v}.%{l1r-}.lp._spf.%{d2}', '3.2.0.192.in-addr.strong.lp._spf.example.com'],
    ['%{d2}.trusted-domains', 'example.com.trusted-domains'],
    // Beyond the section: the validated name (§7.3), the HELO name, and the escapes.
    ['%{p}', 'mx.example.org'],
    ['%{h}', 'mail.x.example'],
    ['a%%b%-c', 'a%b%20c'],
    // An upper-case letter asks for URL escapes (§7.3).
    ['%{S}', 'strong-bad%40email.example.com'],
  ])('%s is %s', async (macro, expanded) => {
    const { asked } = await spfOf({
      from: 'strong-bad@email.example.com',
      zone: { ...reverse, 'email.example.com': { TXT: [`v=spf1 exists:${macro}.zone.test -all`] } },
    })
    expect(asked).toContain(`${expanded}.zone.test`)
  })

  test('an IPv6 client, nibble by nibble', async () => {
    const { asked } = await spfOf({
      from: 'strong-bad@email.example.com',
      ip: '2001:db8::cb01',
      zone: { 'email.example.com': { TXT: ['v=spf1 exists:%{ir}.%{v}._spf.%{d2} -all'] } },
    })
    expect(asked).toContain(
      '1.0.b.c.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.b.d.0.1.0.0.2.ip6._spf.example.com',
    )
  })

  test('a name nobody validated is unknown, whatever the client says', async () => {
    const { asked } = await spfOf({
      zone: {
        'x.example': { TXT: ['v=spf1 exists:%{p}.zone.test -all'] },
        '3.2.0.192.in-addr.arpa': { PTR: ['trusted.example'] },
      },
    })
    expect(asked).toContain('unknown.zone.test')
  })
})

/** Records, all of x.example, and what they come to for 192.0.2.3. */
const records: readonly (readonly [record: string, result: string])[] = [
  ['v=spf1 ip4:192.0.2.3 -all', 'pass'],
  ['V=SPF1 IP4:192.0.2.0/24 -ALL', 'pass'],
  ['v=spf1  ip4:192.0.2.3   -all ', 'pass'],
  ['v=spf1', 'neutral'],
  ['v=spf1 ?all', 'neutral'],
  ['v=spf1 ~all', 'softfail'],
  ['v=spf1 -all', 'fail'],
  ['v=spf1 unknown=%{d}.x -all', 'fail'],
  // No record of this version at all.
  ['v=spf10 -all', 'none'],
  ['v=spf1-all', 'none'],
  [' v=spf1 -all', 'none'],
  ['v=spf2 -all', 'none'],
  // Syntax: an error anywhere is one of the whole, also behind what would have matched (§4.6).
  ['v=spf1 ip4:192.0.2.3 foo -all', 'permerror'],
  ['v=spf1 +all moo', 'permerror'],
  ['v=spf1 ip4:192.0.2.3 ip4:192.0.2.999', 'permerror'],
  ['v=spf1 ip4 -all', 'permerror'],
  ['v=spf1 ip4: -all', 'permerror'],
  ['v=spf1 ip4=192.0.2.3 -all', 'fail'],
  ['v=spf1 ip4:192.0.2.3/33 -all', 'permerror'],
  ['v=spf1 ip4:192.0.2.3/032 -all', 'permerror'],
  ['v=spf1 ip4:192.0.2.0/ -all', 'permerror'],
  ['v=spf1 ip4:192.0.2 -all', 'permerror'],
  ['v=spf1 ip6:192.0.2.3 -all', 'permerror'],
  ['v=spf1 ip6:2001:db8::/129 -all', 'permerror'],
  ['v=spf1 all:x.example', 'permerror'],
  ['v=spf1 all/8', 'permerror'],
  ['v=spf1 include -all', 'permerror'],
  ['v=spf1 include: -all', 'permerror'],
  ['v=spf1 include:x.example/24 -all', 'permerror'],
  ['v=spf1 exists:x -all', 'permerror'],
  ['v=spf1 a:x.example/33 -all', 'permerror'],
  ['v=spf1 a//129 -all', 'permerror'],
  ['v=spf1 a:/24 -all', 'permerror'],
  ['v=spf1 mx: -all', 'permerror'],
  ['v=spf1 ptr/24 -all', 'permerror'],
  ['v=spf1 --all', 'permerror'],
  ['v=spf1 -', 'permerror'],
  ['v=spf1 a:x.example. -all', 'fail'],
  ['v=spf1 exists:%{d} -all', 'fail'],
  ['v=spf1 exists:%{z}.x.example -all', 'permerror'],
  ['v=spf1 exists:%d.x.example -all', 'permerror'],
  ['v=spf1 exists:%{x%{d}.x.example -all', 'permerror'],
  ['v=spf1 exists:%.x.example -all', 'permerror'],
  ['v=spf1 exists:%{}.x.example -all', 'permerror'],
  ['v=spf1 redirect=a.example redirect=a.example', 'permerror'],
  ['v=spf1 exp=a.example exp=a.example -all', 'permerror'],
  ['v=spf1 redirect= -all', 'permerror'],
  ['v=spf1 redirect=', 'permerror'],
  ['v=spf1 redirect=nothing.example', 'permerror'],
  ['v=spf1 include:nothing.example -all', 'permerror'],
  ['v=spf1 redirect=passes.example', 'pass'],
  ['v=spf1 redirect=passes.example -all', 'fail'],
  ['v=spf1 include:passes.example -all', 'pass'],
  ['v=spf1 include:fails.example ?all', 'neutral'],
  ['v=spf1 include:broken.example -all', 'permerror'],
  ['v=spf1 include:slow.example -all', 'temperror'],
  ['v=spf1 include:x.example -all', 'permerror'],
  // Of an include the qualifier is that of the directive.
  ['v=spf1 -include:passes.example +all', 'fail'],
  ['v=spf1 a:v1.example a:v2.example a:v3.example +all', 'permerror'],
  ['v=spf1 a:v1.example a:v2.example +all', 'pass'],
]
const zoneOf = (record: string): Zone => ({
  'x.example': { TXT: [record] },
  'passes.example': { TXT: ['v=spf1 ip4:192.0.2.3 -all'] },
  'fails.example': { TXT: ['v=spf1 -all'] },
  'broken.example': { TXT: ['v=spf1 ip4:192.0.2.3 oops'] },
  'slow.example': { TXT: ['TIMEOUT'] },
})

describe('records: syntax and limits of RFC 7208 §4.6, §5 and §7.1', () => {
  test.each(records)('%s is %s', async (record, result) => {
    expect((await spfOf({ zone: zoneOf(record) })).result).toBe(result)
  })
  // Errors by the grammar of §7.1 and the letters of §7.2 that python3-spf lets pass; so they stand apart from the table.
  test.each(['%{c}', '%{r}', '%{t}', '%{d0}', '%{dx}', '%{d'])('a macro that is none: %s', async macro => {
    expect((await spfOf({ zone: zoneOf(`v=spf1 exists:${macro}.x.example -all`) })).result).toBe('permerror')
  })
  test('ten look-ups are enough, eleven too many', async () => {
    const chain = (n: number): Zone =>
      Object.fromEntries(
        Array.from({ length: n + 1 }, (_, i) => [
          i === 0 ? 'x.example' : `i${i}.example`,
          { TXT: [i === n ? 'v=spf1 ip4:192.0.2.3 -all' : `v=spf1 include:i${i + 1}.example -all`] },
        ]),
      )
    expect((await spfOf({ zone: chain(10) })).result).toBe('pass')
    expect((await spfOf({ zone: chain(11) })).result).toBe('permerror')
  })
  test('two records are none that counts', async () => {
    expect((await spfOf({ zone: { 'x.example': { TXT: ['v=spf1 +all', 'v=spf1 +all'] } } })).result).toBe(
      'permerror',
    )
  })
  test('an empty reverse-path is checked by its HELO name', async () => {
    const zone: Zone = { 'mail.x.example': { TXT: ['v=spf1 ip4:192.0.2.3 -all'] } }
    expect((await spfOf({ from: '', zone })).result).toBe('pass')
    expect((await spfOf({ from: '', zone, helo: '[192.0.2.3]' })).result).toBe('none')
  })
})

// Debian's python3-spf 2.0.14, its look-ups answered from the same table. It needs a DNS library to be imported, and
// gets an empty one.
const python = `
import json, sys, types
empty = types.ModuleType('DNS')
empty.Type = types.SimpleNamespace(SPF=99)
empty.DiscoverNameServers = lambda: None
empty.DNSError = Exception
sys.modules['DNS'] = empty
sys.modules['dns'] = None
import spf
def ask(zone):
    def look(name, qtype, strict=True, timeout=20):
        values = zone.get(name.lower().rstrip('.'), {}).get(qtype, [])
        if values == ['TIMEOUT']:
            raise spf.TempError('DNS')
        if qtype == 'TXT':
            return [((name, qtype), [value.encode()]) for value in values]
        return [((name, qtype), value) for value in values]
    return look
out = []
for zone in json.load(sys.stdin):
    spf.DNSLookup = ask(zone)
    out.append(spf.check2(i='192.0.2.3', s='anna@x.example', h='mail.x.example')[0])
print(json.dumps(out))
`
const havePythonSpf =
  spawnSync('/usr/bin/python3', ['-c', python], { input: '[]', encoding: 'utf8' }).stdout?.trim() === '[]'

test.skipIf(!havePythonSpf)('agrees with python3-spf on every record (skipped where it is missing)', () => {
  const zones = records.map(([record]) => zoneOf(record))
  const done = spawnSync('/usr/bin/python3', ['-c', python], {
    input: JSON.stringify(zones),
    encoding: 'utf8',
  })
  const theirs = JSON.parse(done.stdout) as string[]
  const differences = records.flatMap(([record, ours], i) =>
    theirs[i] === ours ? [] : [`${record}: ours ${ours}, theirs ${theirs[i]}`],
  )
  expect(differences).toEqual([])
})
