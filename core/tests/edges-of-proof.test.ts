// Edges of what proof is made of, which mutation testing found nobody to notice (docs/mutation.md).
import { describe, expect, test } from 'vitest'
import {
  isInNetworks,
  isNetwork,
  parseAuthenticationResults,
  verifyAuthentication,
  type Resolve,
} from '@pendro/core/authentication'
import { evaluateDmarc, parseDmarcRecord } from '../src/authentication/dmarc.ts'
import { checkSpf, parseSpfRecord } from '../src/authentication/spf.ts'

const failure = (code: string) => Object.assign(new Error(code), { code })
type Zone = Readonly<Record<string, Readonly<Record<string, readonly unknown[]>>>>
const resolverOf =
  (zone: Zone, asked: string[] = []): Resolve =>
  (name, type) => {
    asked.push(`${type} ${name}`)
    const values = zone[name.toLowerCase()]?.[type]
    if (values?.[0] instanceof Error) return Promise.reject(values[0])
    if (!values) return Promise.reject(failure('ENOTFOUND'))
    return Promise.resolve(
      type === 'TXT'
        ? values.map(text => [text])
        : type === 'MX'
          ? values.map(exchange => ({ exchange, priority: 1 }))
          : values,
    ) as ReturnType<Resolve>
  }

describe('SPF records, term by term (RFC 7208 §4.6.1, §5, §7.1, §12)', () => {
  test.each([
    'all',
    '-ALL',
    'include:x.example',
    'include:%{d}',
    'include:a%{l1r-}',
    'exists:%{i}._spf.x.example',
    'exists:a%%b.example',
    'exists:a%_b%-c.example',
    'exists:%{d2r.-+,/_=}.example',
    'ptr',
    'ptr:x.example',
    'a',
    'a:x.example',
    'a/24',
    'a//64',
    'a/24//64',
    'a:x.example/24//64',
    'a:%{d/}/0',
    'mx:x.example/32//128',
    'ip4:192.0.2.0/24',
    'ip4:192.0.2.0',
    'ip6:2001:db8::/32',
    'ip6:2001:db8::1',
    'redirect=x.example',
    'exp=%{d}',
    'a:b.c-d.e-f9.',
    'what=%{d}ever',
  ])('%s is one', term => expect(() => parseSpfRecord(`v=spf1 ${term}`)).not.toThrow())
  test.each([
    'all:x',
    'all/24',
    'include',
    'include:',
    'include:x.example/24',
    'include:localhost',
    'include:x.1',
    'include:x.-a',
    'include:x.a-',
    'include:a b',
    'exists',
    'exists:%',
    'exists:%x',
    'exists:%{d',
    'exists:%{c}.example',
    'exists:%{t}.example',
    'exists:%{d0}.example',
    'exists:%{d1000}.example',
    'exists:%{dx}.example',
    'exists:%{d}}%',
    'exists:bücher.example',
    'ptr:',
    'ptr/24',
    'ptrx.example',
    'a:',
    'a:/24',
    'ax',
    'a/33',
    'a/024',
    'a//129',
    'a//064',
    'a/',
    'a//',
    'mx/-1',
    'ip4:192.0.2',
    'ip4:192.0.2.0/33',
    'ip4:192.0.2.0/',
    'ip4:192.0.2.0/08',
    'ip4:2001:db8::1',
    'ip4',
    'ip6:192.0.2.1',
    'ip6:2001:db8::/129',
    'ip6:fe80::1%eth0',
    'redirect=',
    'redirect=localhost',
    'redirect=x.example redirect=y.example',
    'exp=x.example exp=y.example',
    'what=a%{z}',
    'what',
    '++all',
    '+',
    '=x',
  ])('%s is none', term => expect(() => parseSpfRecord(`v=spf1 ${term}`)).toThrow())
  test('what is read: sign, mechanism, domain, and how many bits count', () => {
    expect(parseSpfRecord('v=spf1 ~A:x.example/24//64 ?ip6:2001:db8::/32 ip4:192.0.2.7 -mx')).toEqual({
      directives: [
        { qualifier: '~', mechanism: 'a', spec: 'x.example', network: '', bits4: 24, bits6: 64 },
        { qualifier: '?', mechanism: 'ip6', spec: '', network: '2001:db8::', bits4: 32, bits6: 32 },
        { qualifier: '+', mechanism: 'ip4', spec: '', network: '192.0.2.7', bits4: 32, bits6: 32 },
        { qualifier: '-', mechanism: 'mx', spec: '', network: '', bits4: 32, bits6: 128 },
      ],
      redirect: null,
    })
    expect(parseSpfRecord('v=spf1 redirect=x.example').redirect).toBe('x.example')
    expect(parseSpfRecord('v=spf1 redirect=x.example -all').redirect).toBeNull()
    expect(parseSpfRecord('v=spf1 a redirect=x.example').redirect).toBe('x.example')
  })
})

describe('SPF, asked', () => {
  const question = { domain: 'x.example', localPart: 'anna', helo: 'mail.x.example', ip: '192.0.2.3' }
  const ask = (record: string, zone: Zone = {}, more: Partial<typeof question> = {}) =>
    checkSpf({
      ...question,
      ...more,
      resolve: resolverOf({ 'x.example': { TXT: [record], ...zone['x.example'] }, ...without(zone) }),
    })
  const without = (zone: Zone) =>
    Object.fromEntries(Object.entries(zone).filter(([name]) => name !== 'x.example'))

  test('of two records neither counts; another text beside one is none; more than 4,000 characters are too many', async () => {
    const two = resolverOf({ 'x.example': { TXT: ['v=spf1 -all', 'v=spf1 +all'] } })
    expect(await checkSpf({ ...question, resolve: two })).toEqual({
      result: 'permerror',
      why: 'several records at x.example',
    })
    const other = resolverOf({ 'x.example': { TXT: ['v=spf10 +all', 'some=thing', 'V=SPF1 -all'] } })
    expect((await checkSpf({ ...question, resolve: other })).result).toBe('fail')
    const of = (length: number) => ask(`v=spf1 +all${' '.repeat(length - 11)}`)
    expect((await of(4000)).result).toBe('pass')
    expect(await of(4001)).toEqual({ result: 'permerror', why: 'record too long' })
  })
  test('redirect: to another record, never to nowhere', async () => {
    const there = { 'y.example': { TXT: ['v=spf1 ip4:192.0.2.0/24 -all'] } }
    expect((await ask('v=spf1 redirect=y.example', there)).result).toBe('pass')
    expect((await ask('v=spf1 redirect=y.example', there, { ip: '198.51.100.1' })).result).toBe('fail')
    expect(await ask('v=spf1 redirect=z.example')).toEqual({
      result: 'permerror',
      why: 'redirect to z.example',
    })
    expect((await ask('v=spf1 redirect=%{d9}%%.example')).result).toBe('permerror')
  })
  test('include: what passes there matches here, what fails there does not, and nowhere is an error', async () => {
    const of = (there: string) => ask('v=spf1 include:y.example ?all', { 'y.example': { TXT: [there] } })
    expect((await of('v=spf1 ip4:192.0.2.3 -all')).result).toBe('pass')
    expect((await of('v=spf1 -all')).result).toBe('neutral')
    expect((await of('no record')).result).toBe('permerror')
  })
  test('a and mx, by address and by length of prefix', async () => {
    const zone = {
      'x.example': { A: ['192.0.2.200'], MX: ['mail.x.example', 'other.x.example'] },
      'mail.x.example': { A: ['198.51.100.7'] },
      'other.x.example': { A: ['192.0.2.3'], AAAA: ['2001:db8::3'] },
    }
    const result = async (record: string, ip = '192.0.2.3') => (await ask(record, zone, { ip })).result
    expect(await result('v=spf1 a -all')).toBe('fail')
    expect(await result('v=spf1 a/24 -all')).toBe('pass')
    expect(await result('v=spf1 a/24 -all', '192.0.3.3')).toBe('fail')
    expect(await result('v=spf1 mx -all')).toBe('pass')
    expect(await result('v=spf1 mx:y.example -all')).toBe('fail')
    expect(await result('v=spf1 mx -all', '2001:db8::3')).toBe('pass')
    expect(await result('v=spf1 mx//64 -all', '2001:db8::ffff')).toBe('pass')
    expect(await result('v=spf1 mx -all', '2001:db8::ffff')).toBe('fail')
  })
  test('ip4 and ip6 speak of their own kind; a mapped address is of the fourth version', async () => {
    const result = async (record: string, ip: string) => (await ask(record, {}, { ip })).result
    expect(await result('v=spf1 ip4:192.0.2.0/24 -all', '::ffff:192.0.2.9')).toBe('pass')
    expect(await result('v=spf1 ip6:::ffff:c000:200/120 -all', '192.0.2.9')).toBe('fail')
    expect(await result('v=spf1 ip6:2001:db8::/32 -all', '2001:db8:1::1')).toBe('pass')
    expect(await result('v=spf1 ip6:2001:db8::/32 -all', '2001:db9::1')).toBe('fail')
    expect(await result('v=spf1 ip4:192.0.2.0/24 -all', '2001:db8::1')).toBe('fail')
  })
  test('exists: any address at a name made of macros', async () => {
    const zone = { '3.2.0.192.in-addr.anna.x.example': { A: ['127.0.0.2'] } }
    expect((await ask('v=spf1 exists:%{ir}.%{v}.%{l}.%{d} -all', zone)).result).toBe('pass')
    expect((await ask('v=spf1 exists:%{ir}.%{v}.%{l}.%{d} -all', zone, { localPart: 'bo' })).result).toBe(
      'fail',
    )
  })
  test('ptr: a name that leads back, at or below the domain; errors match nothing', async () => {
    const zone = (name: string, back: readonly unknown[]): Zone => ({
      '3.2.0.192.in-addr.arpa': { PTR: [name] },
      'mail.x.example': { A: back },
      'mail.elsewhere.example': { A: back },
    })
    const result = async (name: string, back: readonly unknown[], record = 'v=spf1 ptr -all') =>
      (await ask(record, zone(name, back))).result
    expect(await result('MAIL.x.example.', ['192.0.2.3'])).toBe('pass')
    expect(await result('mail.x.example', ['192.0.2.4'])).toBe('fail')
    expect(await result('mail.elsewhere.example', ['192.0.2.3'])).toBe('fail')
    expect(await result('mail.elsewhere.example', ['192.0.2.3'], 'v=spf1 ptr:elsewhere.example -all')).toBe(
      'pass',
    )
    expect(await result('mail.x.example', [failure('ETIMEOUT')])).toBe('fail')
    const broken = { '3.2.0.192.in-addr.arpa': { PTR: [failure('ETIMEOUT')] } }
    expect((await ask('v=spf1 ptr -all', broken)).result).toBe('fail')
    const six: Zone = {
      [`${'8.b.d.0.1.0.0.2'.padStart(63, '0.')}.ip6.arpa`]: { PTR: ['six.x.example'] },
      'six.x.example': { AAAA: ['2001:db8::'] },
    }
    expect((await ask('v=spf1 ptr -all', six, { ip: '2001:db8::' })).result).toBe('pass')
  })
  test('look-ups: ten are asked, the eleventh is too many; so is the third that finds nothing', async () => {
    const named = (n: number) => Array.from({ length: n }, (_, i) => `a:a${i}.x.example`).join(' ')
    const zone = Object.fromEntries(
      Array.from({ length: 11 }, (_, i) => [`a${i}.x.example`, { A: ['198.51.100.9'] }]),
    )
    expect((await ask(`v=spf1 ${named(10)} -all`, zone)).result).toBe('fail')
    expect(await ask(`v=spf1 ${named(11)} -all`, zone)).toEqual({
      result: 'permerror',
      why: 'more than 10 look-ups',
    })
    expect((await ask(`v=spf1 ${named(2)} -all`)).result).toBe('fail')
    expect((await ask(`v=spf1 ${named(3)} -all`)).result).toBe('permerror')
  })
  test('a name server that fails is no answer of the domain', async () => {
    expect(await ask('v=spf1 a:y.example -all', { 'y.example': { A: [failure('ETIMEOUT')] } })).toEqual({
      result: 'temperror',
      why: 'A of y.example',
    })
    expect(
      await checkSpf({ ...question, resolve: resolverOf({ 'x.example': { TXT: [failure('ESERVFAIL')] } }) }),
    ).toMatchObject({ result: 'temperror' })
    expect((await checkSpf({ ...question, domain: 'x..example', resolve: resolverOf({}) })).result).toBe(
      'none',
    )
  })
})

describe('SPF of a message', () => {
  const verify = async (
    envelopeFrom: string,
    ip: string,
    record = 'v=spf1 ip4:192.0.2.3 -all',
    helo = 'mail.y.example',
  ) => {
    const { spf, notes } = (await verifyAuthentication({
      raw: Buffer.from('Subject: x\r\n\r\nx\r\n'),
      fromDomain: '',
      envelopeFrom,
      connection: { ip, helo },
      resolve: resolverOf({ 'x.example': { TXT: [record] }, 'mail.y.example': { TXT: ['v=spf1 -all'] } }),
      now: 0,
    })) as { spf: { result: string; domain: string }; notes?: unknown }
    return { spf, notes: JSON.stringify(notes ?? '') }
  }
  test('is of the envelope’s domain, or of the name in EHLO where there is none', async () => {
    expect((await verify('anna@x.example', '192.0.2.3')).spf).toEqual({ result: 'pass', domain: 'x.example' })
    expect((await verify('anna@x.example', '192.0.2.4')).spf).toEqual({ result: 'fail', domain: 'x.example' })
    expect((await verify('', '192.0.2.3')).spf).toEqual({ result: 'fail', domain: 'mail.y.example' })
  })
  test('no address of a client, or no domain, and there is nothing to ask', async () => {
    expect((await verify('anna@x.example', '')).spf).toEqual({ result: 'none', domain: 'x.example' })
    expect((await verify('anna@x.example', 'not an address')).spf.result).toBe('none')
    expect((await verify('', '192.0.2.3', '', 'no domain at all')).spf).toEqual({
      result: 'none',
      domain: '',
    })
  })
})

describe('what is noted of a check', () => {
  test('SPF: whose domain, which client, what came of it, and why where there is a reason, cut', async () => {
    const notes = async (record: string) =>
      (
        await verifyAuthentication({
          raw: Buffer.from('Subject: x\r\n\r\nx\r\n'),
          fromDomain: '',
          envelopeFrom: 'anna@x.example',
          connection: { ip: '192.0.2.3', helo: 'mail.y.example' },
          resolve: resolverOf({ 'x.example': { TXT: [record] } }),
          now: 0,
        })
      ).notes
    expect(await notes('v=spf1 -all')).toEqual(['SPF x.example, 192.0.2.3: fail'])
    expect(await notes('v=spf1 what')).toEqual([
      expect.stringMatching(/^SPF x\.example, 192\.0\.2\.3: permerror \(.+\)$/),
    ])
    const [long = ''] = (await notes(`v=spf1 ${'y'.repeat(500)}`)) ?? []
    expect(long.length).toBeLessThan(250)
  })
})

describe('DMARC (RFC 7489 §6.3, §6.6.3)', () => {
  test.each([
    ['v=DMARC1; p=none', true],
    ['v = DMARC1 ; p=none', true],
    ['v=DMARC1', true],
    ['v=DMARC10; p=none', false],
    ['xv=DMARC1; p=none', false],
    ['v=dmarc1; p=none', false],
    ['p=none; v=DMARC1', false],
    ['', false],
  ])('%j is a record: %s', (text, is) => expect(parseDmarcRecord(text) !== null).toBe(is))
  test('tags: alignment is relaxed unless it says s, values are read without case and blanks', () => {
    expect(parseDmarcRecord('v=DMARC1; P = Reject ; adkim= S; aspf=r; what; =x; rua=')).toMatchObject({
      dkim: 'strict',
      spf: 'relaxed',
      policy: 'reject',
    })
    expect(parseDmarcRecord('v=DMARC1; aspf=s')).toMatchObject({
      dkim: 'relaxed',
      spf: 'strict',
      policy: 'none',
    })
  })
  const dmarc = (from: string, zone: Zone, spf = { result: 'pass' as const, domain: 'x.example' }) =>
    evaluateDmarc(from, { spf, dkim: [] }, resolverOf(zone))
  const record = (text: string) => ({ TXT: [text] })
  test('is looked for at the domain, then at its organisation’s; other texts there are none, several are none', async () => {
    const at = { '_dmarc.x.example': record('v=DMARC1; p=none') }
    expect(await dmarc('x.example', at)).toEqual({
      result: 'pass',
      note: 'DMARC x.example: v=DMARC1; p=none',
    })
    expect((await dmarc('mail.x.example', at)).result).toBe('pass')
    expect(await dmarc('x.example', {})).toEqual({ result: 'none', note: 'DMARC x.example: none' })
    const both = { '_dmarc.x.example': { TXT: ['v=DMARC1; p=none', 'v=DMARC1; p=none'] } }
    expect((await dmarc('x.example', both)).result).toBe('none')
    const own = { ...at, '_dmarc.mail.x.example': record('something else') }
    expect((await dmarc('mail.x.example', own)).result).toBe('pass')
    const strict = { ...at, '_dmarc.mail.x.example': record('v=DMARC1; aspf=s') }
    expect((await dmarc('mail.x.example', strict)).result).toBe('fail')
  })
  test('a name server that fails leaves it open, and says how', async () => {
    expect(await dmarc('x.example', { '_dmarc.x.example': { TXT: [failure('ETIMEOUT')] } })).toEqual({
      result: 'temperror',
      note: 'DMARC x.example: temperror (ETIMEOUT)',
    })
    expect(await dmarc('x.example', { '_dmarc.x.example': { TXT: [new Error('odd')] } })).toMatchObject({
      note: 'DMARC x.example: temperror (unknown)',
    })
  })
  test('what could not be finished might have passed only where it speaks for the domain', async () => {
    const at = { '_dmarc.x.example': record('v=DMARC1; p=none') }
    const of = (domain: string) =>
      evaluateDmarc(
        'x.example',
        { spf: { result: 'none', domain: '' }, dkim: [{ result: 'temperror', domain }] },
        resolverOf(at),
      )
    expect((await of('mail.x.example')).result).toBe('temperror')
    expect((await of('y.example')).result).toBe('fail')
    expect((await of('')).result).toBe('fail')
  })
})

describe('networks', () => {
  test.each([
    ['192.0.2.0/24', true],
    ['192.0.2.7', true],
    ['2001:db8::/32', true],
    ['192.0.2.0/33', false],
    ['2001:db8::/129', false],
    ['192.0.2.0/', false],
    ['192.0.2.0/24/8', false],
    ['192.0.2.0/1x', false],
    ['x', false],
    ['', false],
  ])('%j is one: %s', (text, is) => expect(isNetwork(text)).toBe(is))
  test.each([
    ['192.0.2.9', ['192.0.2.0/24'], true],
    ['::ffff:192.0.2.9', ['192.0.2.0/24'], true],
    ['192.0.3.9', ['192.0.2.0/24'], false],
    ['192.0.2.9', ['nonsense', '192.0.2.9'], true],
    ['192.0.2.9', ['nonsense'], false],
    ['2001:db8::1', ['2001:db8::/32'], true],
    ['2001:db9::1', ['2001:db8::/32'], false],
    ['2001:db8::1', ['2001:db8::1'], true],
    ['2001:db8::2', ['2001:db8::1'], false],
    ['', ['0.0.0.0/0'], false],
    ['192.0.2.9', [], false],
  ])('%s in %j: %s', (ip, networks, is) => expect(isInNetworks(ip, networks)).toBe(is))
})

describe('results of a gateway (RFC 8601 §2.2)', () => {
  const read = (text: string) => parseAuthenticationResults(text)
  test('none says that nothing was found out; a method called none is one', () => {
    expect(read('mx.harbour.example; none')?.results).toEqual([])
    expect(read('mx.harbour.example; NONE')?.results).toEqual([])
    expect(read('mx.harbour.example; spf=none')?.results).toHaveLength(1)
    expect(read('mx.harbour.example;; spf=pass;')?.results).toHaveLength(1)
  })
})
