import { spawnSync } from 'node:child_process'
import { generateKeyPairSync, type KeyObject } from 'node:crypto'
import { describe, expect, test } from 'vitest'
import { verifyAuthentication } from '@pendro/core/authentication'
import { sealArc, signDkim, type Tags } from './signer.ts'

const rsa = generateKeyPairSync('rsa', { modulusLength: 2048 })
const other = generateKeyPairSync('rsa', { modulusLength: 2048 })
const ed = generateKeyPairSync('ed25519')
const recordOf = ({ publicKey }: { publicKey: KeyObject }, tags = 'v=DKIM1; k=rsa') =>
  `${tags}; p=${publicKey.export({ type: 'spki', format: 'der' }).toString('base64')}`
const key = recordOf(rsa)
const now = Date.parse('2025-11-20T08:00:00Z')
const seconds = (at: string) => String(Date.parse(at) / 1000)

const message = [
  'From: Anna Berg <anna@x.example>',
  'To: Ingrid <ingrid@harbour.example>',
  'Subject: The new pumps',
  'Date: Thu, 20 Nov 2025 07:00:00 +0000',
  'X-Note: not signed',
  '',
  'Hello Ingrid,',
  'they arrive  on Monday. ',
  '',
  'Anna',
  '',
].join('\r\n')

type Zone = Readonly<Record<string, string>>
const zone: Zone = { 's._domainkey.x.example': key }

async function verify(
  raw: string,
  records: Zone = zone,
  fromDomain = 'x.example',
  arcSealers: string[] = [],
) {
  const asked: string[] = []
  const found = await verifyAuthentication({
    raw: Buffer.from(raw),
    fromDomain,
    envelopeFrom: '',
    connection: { ip: '', helo: '' },
    arcSealers,
    resolve: async (name, type) => {
      asked.push(`${type} ${name}`)
      const record = type === 'TXT' ? records[name.toLowerCase()] : undefined
      if (record === undefined) throw Object.assign(new Error('none'), { code: 'ENOTFOUND' })
      return [[record]]
    },
    now,
  })
  return { ...found, asked, proven: found.dkim.some(({ result }) => result === 'pass') }
}

const base: Tags = { d: 'x.example', s: 's' }
const sign = (tags: Tags = {}, text = message) => signDkim(text, rsa.privateKey, { ...base, ...tags })

// Each signature is right by its arithmetic: what is asked is whether it may count.
const signatures: readonly (readonly [what: string, tags: Tags, counts: boolean])[] = [
  ['as it should be', {}, true],
  ['all fields signed twice', { h: 'from:from:to:to:subject:subject:date:date' }, true],
  ['names in capitals', { h: 'FROM:To:SUBJECT' }, true],
  ['i= is d=', { i: '@x.example' }, true],
  ['i= is below d=', { i: 'anna@mail.x.example' }, true],
  ['q= as usual', { q: 'dns/txt' }, true],
  ['q= with another way too', { q: 'dns/other:dns/txt' }, true],
  ['a tag nobody knows', { zz: 'top' }, true],
  ['signed a week ago, for two', { t: seconds('2025-11-13'), x: seconds('2025-11-27') }, true],
  ['a clock five minutes ahead', { t: seconds('2025-11-20T08:05:00Z') }, true],
  ['v= is 2', { v: '2' }, false],
  ['v= is not there', { v: undefined }, false],
  ['rsa-sha1 (RFC 8301)', { a: 'rsa-sha1' }, false],
  ['an algorithm nobody knows', { a: 'rsa-sha512' }, false],
  ['a= is not there', { a: undefined }, false],
  ['l= covers all of the body', { l: '47' }, false],
  ['l= is 0', { l: '0' }, false],
  ['From is not signed', { h: 'to:subject:date' }, false],
  ['nothing is signed', { h: '' }, false],
  ['a field whose name begins with from', { h: 'from-not:to' }, false],
  ['h= is not there', { h: undefined }, false],
  ['i= is another domain', { i: 'anna@other.example' }, false],
  ['i= only ends like d=', { i: 'anna@notx.example' }, false],
  ['i= is above d=', { i: '@example' }, false],
  ['signed tomorrow', { t: seconds('2025-11-21') }, false],
  ['t= is no number', { t: 'soon' }, false],
  ['run out', { t: seconds('2025-11-01'), x: seconds('2025-11-19') }, false],
  ['runs out before it was signed', { t: seconds('2025-11-19'), x: seconds('2025-11-18') }, false],
  ['x= is no number', { x: 'never' }, false],
  ['keys from elsewhere', { q: 'http' }, false],
  ['d= is not there', { d: undefined }, false],
  ['d= is empty', { d: '' }, false],
  ['s= is not there', { s: undefined }, false],
  ['s= is empty', { s: '' }, false],
  ['s= with an empty label', { s: 's..t' }, false],
  ['s= with a label of 64', { s: 'a'.repeat(64) }, false],
  ['s= leads elsewhere', { s: 's._domainkey.other.example/' }, false],
  ['b= is empty', { b: '' }, false],
  ['b= is not there', { b: undefined }, false],
  ['bh= is another body’s', { bh: 'MTIzNDU2Nzg5MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTI=' }, false],
  ['bh= is empty', { bh: '' }, false],
]

describe('what a signature must be (RFC 6376 §3.5 and §6.1.1, RFC 8301, and what docs/security.md asks beyond)', () => {
  test.each(signatures)('%s', async (_what, tags, counts) => {
    expect((await verify(sign(tags))).proven).toBe(counts)
  })
  test('a tag that stands twice', async () => {
    const twice = sign({ 'd ': 'other.example' })
    expect((await verify(twice)).proven).toBe(false)
  })
  test('a signature of Ed25519 (RFC 8463)', async () => {
    const raw = ed.publicKey.export({ type: 'spki', format: 'der' }).subarray(-32).toString('base64')
    const signed = signDkim(message, ed.privateKey, { ...base, a: 'ed25519-sha256' })
    const record = `v=DKIM1; k=ed25519; p=${raw}`
    expect((await verify(signed, { 's._domainkey.x.example': record })).proven).toBe(true)
    expect((await verify(signed, { 's._domainkey.x.example': key })).proven).toBe(false)
  })
})

const keys: readonly (readonly [record: string, counts: boolean])[] = [
  [key, true],
  [recordOf(rsa, 'v=DKIM1'), true],
  [recordOf(rsa, 'k=rsa'), true],
  [recordOf(rsa, 'v=DKIM1; h=sha256; s=email; t=y; n=a note'), true],
  [recordOf(rsa, 'v=DKIM1; h=sha1:sha256; s=tlsrpt:email'), true],
  [recordOf(rsa, 'v=DKIM1; s=*'), true],
  [recordOf(rsa, 'v=DKIM1; t=s'), true],
  [recordOf(rsa, 'v=DKIM2'), false],
  [recordOf(rsa, 'k=rsa; v=DKIM2'), false],
  [recordOf(rsa, 'v=DKIM1; k=ed25519'), false],
  [recordOf(rsa, 'v=DKIM1; h=sha1'), false],
  [recordOf(rsa, 'v=DKIM1; s=tlsrpt'), false],
  [recordOf(other), false],
  ['v=DKIM1; k=rsa; p=', false],
  ['v=DKIM1; k=rsa; p=notakey', false],
  ['v=DKIM1; k=rsa', false],
  ['', false],
  ['a text about something else', false],
]

describe('what its key must be (RFC 6376 §3.6.1)', () => {
  test.each(keys.map(([record, counts]) => [record.replace(/p=(.{8}).*/, 'p=$1…'), record, counts] as const))(
    '%s',
    async (_shown, record, counts) => {
      expect((await verify(sign({ i: '@x.example' }), { 's._domainkey.x.example': record })).proven).toBe(
        counts,
      )
    },
  )
  test('t=s: i= is d= itself', async () => {
    const strict = { 's._domainkey.x.example': recordOf(rsa, 'v=DKIM1; t=y:s') }
    expect((await verify(sign({ i: '@mail.x.example' }), strict)).proven).toBe(false)
  })
  test('a key of 512 bits is none', async () => {
    const weak = generateKeyPairSync('rsa', { modulusLength: 512 })
    const signed = signDkim(message, weak.privateKey, base)
    expect((await verify(signed, { 's._domainkey.x.example': recordOf(weak) })).proven).toBe(false)
  })
})

const edits: readonly (readonly [what: string, edit: (signed: string) => string, counts: boolean])[] = [
  ['untouched', text => text, true],
  ['a field in front of it', text => `X-Hop: one\r\n${text}`, true],
  ['a field that is not signed, changed', text => text.replace('not signed', 'changed'), true],
  ['a name in other letters', text => text.replace('\r\nSubject:', '\r\nSUBJECT:'), true],
  ['a field folded', text => text.replace('The new pumps', 'The\r\n  new pumps'), true],
  ['empty lines at the end', text => `${text}\r\n\r\n`, true],
  ['spaces at the end of a line', text => text.replace('Ingrid,\r\n', 'Ingrid, \t\r\n'), true],
  ['the sender changed', text => text.replace('anna@x', 'boss@x'), false],
  ['the subject changed', text => text.replace('pumps\r\n', 'prices\r\n'), false],
  ['a word of the body changed', text => text.replace('Monday', 'Friday'), false],
  ['a line behind the body', text => `${text}Also, pay this.\r\n`, false],
  ['a second From above', text => `From: boss@x.example\r\n${text}`, false],
  ['a second From below', text => text.replace('\r\nTo:', '\r\nFrom: boss@x.example\r\nTo:'), false],
  ['a second From in other letters', text => `fRoM: boss@x.example\r\n${text}`, false],
  ['a second From, a space before its colon', text => `From : boss@x.example\r\n${text}`, false],
  ['a second Subject', text => `Subject: Pay at once\r\n${text}`, false],
]

describe('what may happen to a message on its way (RFC 6376 §3.4, §5.4.2)', () => {
  test.each(edits)('%s', async (_what, edit, counts) => {
    expect((await verify(edit(sign()))).proven).toBe(counts)
  })
  test('of many signatures the aligned ones are looked at first, and few keys are asked for', async () => {
    const noise = Array.from({ length: 50 }, (_, i) => ({ d: `n${i}.example`, s: 's' }))
    const loud = noise.reduce((text, tags) => signDkim(text, other.privateKey, tags), sign())
    const { proven, asked } = await verify(loud)
    expect(proven).toBe(true)
    expect(asked.filter(name => name.includes('_domainkey'))).toHaveLength(8)
  })
  test('another’s signature proves another', async () => {
    const foreign = signDkim(message, other.privateKey, { d: 'other.example', s: 's' })
    const { dkim } = await verify(foreign, { 's._domainkey.other.example': recordOf(other) })
    expect(dkim).toEqual([{ result: 'pass', domain: 'other.example' }])
  })
})

const claims = 'gateway.example; dmarc=pass header.from=x.example; spf=fail smtp.mailfrom=x.example'
const sealed = (text = message, given: Partial<Parameters<typeof sealArc>[2]> = {}) =>
  sealArc(text, rsa.privateKey, { domain: 'relay.example', results: claims, ...given })
const arcZone: Zone = {
  's._domainkey.relay.example': key,
  's._domainkey.second.example': key,
  's._domainkey.stranger.example': recordOf(other),
  '_dmarc.x.example': 'v=DMARC1; p=reject',
}
const second = (text: string, given: Partial<Parameters<typeof sealArc>[2]> = {}) =>
  sealArc(text, rsa.privateKey, { domain: 'second.example', results: claims, ...given })

type Chain = readonly [what: string, raw: () => string, arc: 'pass' | 'fail', counts: boolean]
const chains: readonly Chain[] = [
  ['one seal', () => sealed(), 'pass', true],
  ['two, the newest of a named sealer', () => sealed(second(message)), 'pass', true],
  ['two, the newest of somebody else', () => second(sealed()), 'pass', false],
  [
    'the sealer found a failure',
    () => sealed(message, { results: claims.replace('=pass', '=fail') }),
    'pass',
    false,
  ],
  [
    'it found another domain to pass',
    () => sealed(message, { results: claims.replace('from=x', 'from=other') }),
    'pass',
    false,
  ],
  ['it found nothing', () => sealed(message, { results: 'gateway.example; none' }), 'pass', false],
  ['the sender changed behind it', () => sealed().replace('anna@x', 'boss@x'), 'fail', false],
  ['the body changed behind it', () => sealed().replace('Monday', 'Friday'), 'fail', false],
  [
    'what it found changed',
    () => sealed(message, { results: claims.replace('=pass', '=fail') }).replace('dmarc=fail', 'dmarc=pass'),
    'fail',
    false,
  ],
  [
    'the first set changed',
    () =>
      sealed(second(message, { results: claims.replace('=pass', '=fail') })).replace(
        'dmarc=fail',
        'dmarc=pass',
      ),
    'fail',
    false,
  ],
  [
    'the first set taken out',
    () => sealed(second(message)).replace(/ARC-[\w-]+: i=1;.*\r\n/g, ''),
    'fail',
    false,
  ],
  [
    'its message signature taken out',
    () => sealed().replace(/ARC-Message-Signature: .*\r\n/, ''),
    'fail',
    false,
  ],
  ['its seal taken out', () => sealed(second(message)).replace(/ARC-Seal: i=1;.*\r\n/, ''), 'fail', false],
  ['it says the chain was broken', () => sealed(second(message), { seal: { cv: 'fail' } }), 'fail', false],
  [
    'a first seal that claims to have seen a chain',
    () => sealed(message, { seal: { cv: 'pass' } }),
    'fail',
    false,
  ],
  [
    'a second that claims to have seen none',
    () => sealed(second(message), { seal: { cv: 'none' } }),
    'fail',
    false,
  ],
  ['it does not sign From', () => sealed(message, { signature: { h: 'to:subject' } }), 'fail', false],
  [
    'it leaves the rest of the body unsigned',
    () => sealed(message, { signature: { l: '5' } }),
    'fail',
    false,
  ],
  ['a second From above', () => `From: boss@x.example\r\n${sealed()}`, 'fail', false],
  [
    'sealed with a stranger’s key',
    () => sealArc(message, other.privateKey, { domain: 'relay.example', results: claims }),
    'fail',
    false,
  ],
  [
    'a stranger’s name below the named one',
    () => sealArc(message, other.privateKey, { domain: 'stranger.example', results: claims }),
    'pass',
    false,
  ],
]

describe('ARC (RFC 8617 §5.2): shown, and believed only of named sealers', () => {
  test.each(chains)('%s', async (_what, raw, result, counts) => {
    const { arc, dmarc } = await verify(raw(), arcZone, 'x.example', ['relay.example'])
    expect(arc?.result).toBe(result)
    expect(dmarc.result).toBe(counts ? 'pass' : 'fail')
  })
  test('nobody is named, nothing counts', async () => {
    const { arc, dmarc } = await verify(sealed(), arcZone)
    expect(arc).toEqual({ result: 'pass', sealer: 'relay.example' })
    expect(dmarc.result).toBe('fail')
  })
})

// Debian's python3-dkim 1.1.4 on the same messages, where the standard alone decides: what Pendro asks beyond it
// (no l=, no second From) and what that library leaves to others (i=, times, key services) stand in the tables only.
const python = `
import json, sys, dkim
out = []
for raw, zone in json.load(sys.stdin):
    def ask(name, timeout=5):
        found = zone.get(name.decode().rstrip('.').lower())
        return None if found is None else found.encode()
    try:
        one = dkim.verify(raw.encode(), dnsfunc=ask)
    except Exception:
        one = False
    try:
        cv = dkim.arc_verify(raw.encode(), dnsfunc=ask)[0].decode()
    except Exception:
        cv = 'fail'
    out.append([bool(one), cv])
print(json.dumps(out))
`
const askPython = (given: readonly (readonly [string, Zone])[]) =>
  JSON.parse(
    spawnSync('/usr/bin/python3', ['-c', python], { input: JSON.stringify(given), encoding: 'utf8' }).stdout,
  ) as readonly (readonly [proven: boolean, arc: string])[]
const havePython = spawnSync('/usr/bin/python3', ['-c', 'import dkim']).status === 0

describe.skipIf(!havePython)('agrees with python3-dkim (skipped where it is missing)', () => {
  test('on messages that were changed on their way', () => {
    const cases = edits.filter(([what]) => !what.startsWith('a second'))
    const theirs = askPython(cases.map(([, edit]) => [edit(sign()), zone]))
    expect(theirs.map(([proven], i) => [cases[i]?.[0], proven])).toEqual(
      cases.map(([what, , counts]) => [what, counts]),
    )
  })
  test('on chains of seals', () => {
    const beyond = ['it does not sign From', 'it leaves the rest of the body unsigned', 'a second From above']
    const cases = chains.filter(([what]) => !beyond.includes(what))
    const theirs = askPython(cases.map(([, raw]) => [raw(), arcZone]))
    expect(theirs.map(([, arc], i) => [cases[i]?.[0], arc])).toEqual(
      cases.map(([what, , arc]) => [what, arc]),
    )
  })
})
