// Edges of parts of messages, lists and words, which mutation testing found nobody to notice (docs/mutation.md).
import { describe, expect, test } from 'vitest'
import { parseMailboxes, readFromFields } from '@pendro/core/address'
import {
  cachedResolver,
  isInNetworks,
  isNetwork,
  parseAuthenticationResults,
  readTrusted,
  withTimeLimit,
} from '@pendro/core/authentication'
import { writeArf } from '@pendro/core/formats'
import { writeRules, type RuleAction, type RuleCondition } from '@pendro/core/mail-rules'
import { parseMessage, type HeaderField } from '@pendro/core/message'
import { noAuthentication, parsePattern, type SenderEntry } from '@pendro/core/senders'
import { findCover, findSlips, sendingElsewhere, sortByText } from '@pendro/core/upkeep'
import { readWhen } from '@pendro/core/whereabouts'
import { weighAuthentication } from '../src/judgement/evidence/authentication.ts'
import { weighHeaders } from '../src/judgement/evidence/headers.ts'
import { classify, heldOut } from '../src/judgement/text/classify.ts'
import { leastMessages } from '../src/judgement/text/knowledge.ts'
import { listTar, mostEntries, readZip } from '../src/message/archives.ts'
import { findTrueType, freshBudget } from '../src/message/attachments.ts'
import { readTokens } from '../src/whereabouts/when-words.ts'
import { pack } from './packing.ts'

describe('addresses', () => {
  // RFC 5322 §3.4.1: a domain literal; `\\]` in it is a quoted pair (obs-dtext).
  test.each([
    ['a@[192.0.2.1], b@x.example', 1],
    ['a@[192.0.2.1]b@x.example', 0],
    ['a@[x\\]y], b@x.example', 1],
    ['b@x.example, a@[192.0.2.1', 1],
    ['[, b@x.example', 0],
  ])('%s has %i address at a domain', (text, n) => {
    expect(parseMailboxes(text).filter(({ address }) => address?.domain === 'x.example')).toHaveLength(n)
  })
  test('a literal is told as it stands, and is no domain', () => {
    expect(parseMailboxes('Anna <a@[192.0.2.1]>')).toEqual([
      { name: 'Anna', text: 'a@[192.0.2.1]', address: null },
    ])
    expect(readFromFields(['a@[192.0.2.1]'])).toMatchObject({
      whole: false,
      domains: [],
    })
  })
  test('a From that is too long, or has a literal without an end, is not read wholly', () => {
    expect(readFromFields(['a@x.example']).whole).toBe(true)
    expect(readFromFields([`a@x.example (${'x'.repeat(9000)})`]).whole).toBe(false)
    // 8 kB are read, 13 letters each.
    expect(parseMailboxes('a@b.example, '.repeat(5000)).length).toBeLessThanOrEqual(631)
    expect(readFromFields(['a@x.example, b@[192.0.2.1']).whole).toBe(false)
  })
})

describe('look-ups', () => {
  test('are the same in small letters and capitals, and another for each kind', async () => {
    const asked: string[] = []
    const resolve = cachedResolver(
      async (name, type) => asked.push(`${type} ${name}`),
      1000,
      () => 0,
    )
    await resolve('Straße.example', 'TXT')
    await resolve('STRAßE.EXAMPLE', 'TXT')
    // Another name, which capitals would make the same.
    await resolve('strasse.example', 'TXT')
    await resolve('straße.example', 'MX')
    expect(asked).toEqual(['TXT Straße.example', 'TXT strasse.example', 'MX straße.example'])
  })
  test('an answer within its time leaves no timer behind', async () => {
    const before = process.getActiveResourcesInfo().filter(name => name === 'Timeout').length
    await withTimeLimit(async () => 'yes', 60_000)('x.example', 'TXT')
    await new Promise(done => setImmediate(done))
    expect(process.getActiveResourcesInfo().filter(name => name === 'Timeout').length).toBe(before)
  })
})

describe('what a listed gateway says', () => {
  const field = (name: string, value: string): HeaderField => ({ name, value }) as HeaderField
  const trust = { trustedHosts: ['mx.harbour.example'], gateways: ['192.0.2.0/28'] }
  const said = (results: string, received: string, ...more: string[]) =>
    readTrusted(
      [
        field('Authentication-Results', `mx.harbour.example; ${results}`),
        field('Received', received),
        ...more.map(value => field('Received', value)),
      ],
      { ip: '192.0.2.3', helo: 'mx' },
      trust,
    )
  const from = 'from mail.x.example (mail.x.example [198.51.100.77])'
  test('the field is quoted with the evidence, and not all of a long one', () => {
    const { authentication } = said('dmarc=pass header.from=x.example', `${from} by mx.harbour.example; x`)
    expect(authentication?.notes).toEqual([
      'Authentication-Results: mx.harbour.example; dmarc=pass header.from=x.example',
    ])
    const long = said(
      `dmarc=pass header.from=x.example; ${'spf=none '.repeat(200)}`,
      `${from} by mx.harbour.example; x`,
    )
    expect(long.authentication?.notes?.[0]).toHaveLength('Authentication-Results: '.length + 600)
  })
  test.each([
    [`${from} by mx.harbour.example; x`, true],
    ['by mx.harbour.example with HTTP; x', true],
    [`${from}  by \t mx.harbour.example; x`, true],
    [`${from} nearby mx.harbour.example; x`, false],
    [`${from} (${'x'.repeat(2000)}) by mx.harbour.example; x`, false],
    [from, false],
  ])('%j was written by it: %s', (received, is) => {
    expect(said('dmarc=pass header.from=x.example', received).authentication !== null).toBe(is)
  })
  test('who handed it over is nobody where the topmost trusted field does not say', () => {
    const { client } = said(
      'dmarc=none',
      'from somewhere by mx.harbour.example; x',
      'from inner.x.example ([203.0.113.9]) by mx.harbour.example with SMTP; x',
    )
    expect(client).toEqual({ ip: '', helo: '' })
  })
  test.each([
    ['192.0.2.0/32', true],
    ['192.0.2.0/33', false],
    ['2001:db8::/128', true],
    ['2001:db8::/129', false],
    ['192.0.2.0/8x', false],
    ['192.0.2.0/x8', false],
    ['192.0.2.0/', false],
  ])('%s is a network: %s', (text, is) => expect(isNetwork(text)).toBe(is))
  test('however many lists of networks are asked about, each is its own', () => {
    const lists = Array.from({ length: 120 }, (_, i) => [`10.${i}.0.0/16`])
    for (const turn of [1, 2])
      lists.forEach((list, i) => {
        expect([turn, isInNetworks(`10.${i}.9.9`, list)]).toEqual([turn, true])
        expect([turn, isInNetworks(`10.${i + 1}.9.9`, list)]).toEqual([turn, false])
      })
  })
})

test('a report by e-mail is parted by empty lines alone (RFC 5965 §2, RFC 2046 §5.1.1)', () => {
  const text = writeArf({
    type: 'abuse',
    raw: Buffer.from('From: a@x.example\r\n\r\nhi'),
    boundary: 'b-1',
    messageId: '<r@harbour.example>',
    from: 'reports@harbour.example',
    to: 'abuse@x.example',
    subject: 'Report',
    words: 'One message.',
    originalFrom: '',
    originalTo: [],
    reportedDomains: [],
    arrivedAt: 0,
    now: 0,
  }).toString()
  const [, ...parts] = text.split('--b-1')
  expect(parts).toHaveLength(4)
  expect(text).toContain(
    '\r\n\r\n--b-1\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nOne message.\r\n\r\n--b-1\r\n',
  )
  expect(text).toContain('Content-Disposition: inline\r\n\r\nFrom: a@x.example\r\n\r\nhi\r\n--b-1--\r\n')
})

describe('a sender that can’t be read', () => {
  const weighed = async (from: string) => {
    const parsed = await parseMessage(Buffer.from(`From: ${from}\r\nSubject: x\r\n\r\nhi`))
    if (!parsed.ok) throw new Error(parsed.problem.code)
    return {
      message: parsed.value,
      sender: { from: [], authentication: noAuthentication },
      context: { knowledge: {}, receivedAt: 0, policy: { ownDomains: [] } },
    } as unknown as Parameters<typeof weighHeaders>[0]
  }
  test('is shown as it stands, and proves nothing', async () => {
    const given = await weighed('nobody at all')
    const [found] = weighHeaders(given)
    expect([found?.finding, found?.raw]).toEqual(['no-from', [['From', 'nobody at all']]])
    expect(weighAuthentication(given)).toEqual([])
  })
})

describe('rules as Sieve (RFC 5228)', () => {
  const does = (more: Partial<RuleAction>): RuleAction => ({
    hold: null,
    place: null,
    important: false,
    stop: false,
    ...more,
  })
  const rule = (conditions: readonly RuleCondition[], action: RuleAction, name = 'a') => ({
    name,
    needs: 'all' as const,
    conditions,
    action,
  })
  const subject = (test: 'is' | 'contains' | 'begins' | 'matches', ...values: string[]): RuleCondition => ({
    field: 'subject',
    test,
    values,
  })
  const kind: RuleCondition = { field: 'kind', test: 'is', values: ['pdf'] }
  test('one condition that can’t be told leaves the whole rule out', () => {
    const { script, left } = writeRules([
      rule([subject('is', 'x'), kind], does({ hold: 'junk', stop: true })),
    ])
    expect([script, left]).toEqual([expect.not.stringContaining('if '), [{ name: 'a', why: 'kind' }]])
  })
  test.each([
    ['is', ':is'],
    ['contains', ':contains'],
    ['begins', ':matches'],
    ['matches', ':matches'],
  ] as const)('%s is %s', (how, tag) => {
    const { script } = writeRules([rule([subject(how, 'berth')], does({ hold: 'discarded', stop: true }))])
    expect(script).toContain(`header ${tag} "subject" "berth${how === 'begins' ? '*' : ''}"`)
  })
  test('what is discarded stops there, what stays is kept by name, and only what is used is required', () => {
    const discarded = writeRules([rule([subject('is', 'x')], does({ hold: 'discarded', stop: true }))]).script
    expect(discarded).toContain('{\n  discard;\n  stop;\n}')
    expect(discarded).not.toContain('require')
    const kept = writeRules([
      rule([subject('is', 'x')], does({ place: { kind: 'inbox' }, stop: true })),
    ]).script
    expect(kept).toContain('{\n  keep;\n  stop;\n}')
    const marks = writeRules([rule([subject('is', 'x')], does({ important: true, stop: true }))]).script
    expect(marks).toMatch(/^require \["imap4flags"\];\n/)
  })
  test('a dollar sign before a brace is one, and no variable', () => {
    const { script } = writeRules([
      rule([subject('is', 'a\uE000b ${c}')], does({ hold: 'junk', stop: true })),
    ])
    expect(script).toContain('"ab ${c}"')
  })
})

describe('archives', () => {
  const block = (name: string, size: string, more: { prefix?: string; content?: number } = {}) => {
    const head = Buffer.alloc(512)
    head.write(name, 0)
    head.write(size, 124)
    head.write(more.prefix ?? '', 345)
    return Buffer.concat([head, Buffer.alloc(more.content ?? 0, 0x20)])
  }
  // POSIX ustar: a header of 512 bytes, content in blocks of 512, sizes in octal.
  test('names of a tar, one after the other, as far as there are headers', () => {
    const first = block('a.txt', '00000000003', { content: 512 })
    expect(listTar(first.subarray(0, 512))).toEqual(['a.txt'])
    expect(listTar(first.subarray(0, 511))).toEqual([])
    expect(listTar(Buffer.concat([first, block('b.txt', '', { prefix: 'docs' })]))).toEqual([
      'a.txt',
      'docs/b.txt',
    ])
    expect(listTar(Buffer.concat([block('a', '00000001001', { content: 1024 }), block('b', '0')]))).toEqual([
      'a',
      'b',
    ])
    expect(listTar(Buffer.concat([block('a', '-1'), block('b', '0')]))).toEqual(['a'])
    expect(listTar(Buffer.concat([block('a', 'many'), block('b', '0')]))).toEqual(['a'])
    expect(listTar(Buffer.concat([block('a', '0'), block('', '0'), block('c', '0')]))).toEqual(['a'])
  })
  test('so many names and no more', () => {
    const one = block('a', '0')
    expect(listTar(Buffer.concat(Array.from({ length: mostEntries }, () => one)))).toHaveLength(mostEntries)
    expect(listTar(Buffer.concat(Array.from({ length: mostEntries + 1 }, () => one)))).toHaveLength(
      mostEntries,
    )
  })
  const zip = (files: Readonly<Record<string, Buffer | string>>) => pack('a.zip', files, ['-tzip'])
  const nothing = { bytes: 0, wanted: () => false }
  test('a local header that is elsewhere than said adds no name', async () => {
    const content = await zip({ 'notes.txt': 'hello' })
    const at = content.indexOf(Buffer.from('504b0102', 'hex'))
    for (const offset of [0xfffffff0, content.length - 29, content.length, 4]) {
      // PKWARE APPNOTE 4.3.12: the offset of the local header, 42 bytes behind the mark.
      content.writeUInt32LE(offset >>> 0, at + 42)
      expect((await readZip(content, nothing))?.names).toEqual(['notes.txt'])
    }
  })
  test('a name is cut before it is kept, and is text where it has no flag for UTF-8', async () => {
    const long = `${'n'.repeat(200)}/${'m'.repeat(200)}.txt`
    const names = (await readZip(await zip({ [long]: 'x' }), nothing))?.names ?? []
    expect(names.every(name => typeof name === 'string' && name.length <= 300)).toBe(true)
  })
  test('an entry packed in a way nobody knows was not seen', async () => {
    const content = await zip({ 'notes.txt': 'hello' })
    // Compression method, 10 bytes behind the mark of the directory's entry: 99 is none.
    content.writeUInt16LE(99, content.indexOf(Buffer.from('504b0102', 'hex')) + 10)
    expect(await readZip(content, { bytes: 100, wanted: () => true })).toMatchObject({
      cut: true,
      contents: [],
    })
  })
})

describe('what an attachment is', () => {
  const of = (content: Buffer, name = 'a.bin') =>
    findTrueType({ names: [name], type: 'application/octet-stream', content }, freshBudget())
  const mz = (length: number, zeroAt: number | null) => {
    const content = Buffer.alloc(length, 0x41)
    content.write('MZ')
    if (length >= 64) content.writeUInt32LE(0x41414141, 0x3c)
    if (zeroAt !== null) content[zeroAt] = 0
    return content
  }
  // A program by its mark has zeros near its beginning; a text that begins with these letters has none.
  test.each([
    [63, null, null],
    [63, 5, 'application/x-msdownload'],
    [64, null, null],
    [64, 10, 'application/x-msdownload'],
    [2000, 511, 'application/x-msdownload'],
    [2000, 512, null],
  ])('%i bytes from MZ with a zero at %s are %s', async (length, zeroAt, type) => {
    expect((await of(mz(length, zeroAt))).trueType).toBe(type ?? 'application/octet-stream')
  })
  test('a bundle of attachments in one (MS-OXTNEF) is known by its mark', async () => {
    expect((await of(Buffer.concat([Buffer.from('789f3e22', 'hex'), Buffer.alloc(20)]))).trueType).toBe(
      'application/ms-tnef',
    )
  })
  test('what there was no room to look into says so without words', async () => {
    const spent = { ...freshBudget(), parts: 0 }
    const given = { names: ['a.zip'], type: 'application/zip', content: Buffer.from('x') }
    expect(await findTrueType(given, spent)).toMatchObject({ danger: 'unreadable-archive', note: '' })
  })
})

const pattern = (text: string) => {
  const found = parsePattern(text)
  if (!found.ok) throw new Error(text)
  return found.value
}

describe('entries that are covered', () => {
  let ids = 0
  const entry = (text: string, standing: 'safe' | 'blocked', mailboxId = 0): SenderEntry => ({
    id: (ids += 1),
    pattern: pattern(text),
    standing,
    owner: mailboxId === 0 ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId },
    binding: false,
    withoutAuthentication: false,
    until: null,
  })
  const coverOf = (one: SenderEntry, ...others: SenderEntry[]) => {
    const live = [one, ...others]
    return findCover(one, sortByText(live, 0), sendingElsewhere(live))?.id ?? null
  }
  test('a colleague’s by one of their own, the organisation’s by its own alone', () => {
    const [own, ours] = [entry('x.example', 'blocked', 1), entry('x.example', 'blocked')]
    expect(coverOf(entry('anna@x.example', 'blocked', 1), own)).toBe(own.id)
    expect(coverOf(entry('anna@x.example', 'blocked'), own)).toBe(null)
    expect(coverOf(entry('anna@x.example', 'blocked'), ours)).toBe(ours.id)
    expect(coverOf(entry('anna@x.example', 'blocked', 2), own)).toBe(null)
  })
  test('a wider one that says the opposite covers nothing', () => {
    expect(coverOf(entry('anna@x.example', 'safe'), entry('x.example', 'blocked'))).toBe(null)
  })
  test('what stands between two keeps the narrower needed, an entry for a mailing list too', () => {
    const wide = entry('*.x.example', 'safe')
    expect(coverOf(entry('anna@b.x.example', 'safe'), wide)).toBe(wide.id)
    expect(coverOf(entry('anna@b.x.example', 'safe'), wide, entry('b.x.example', 'blocked'))).toBe(null)
    expect(coverOf(entry('anna@b.x.example', 'safe'), wide, entry('<news.x.example>', 'blocked'))).toBe(null)
    expect(coverOf(entry('anna@b.x.example', 'safe'), wide, entry('b.y.example', 'blocked'))).toBe(wide.id)
    const list = entry('<news.x.example>', 'safe')
    expect(coverOf(entry('<news.x.example>', 'safe'), list, entry('b.x.example', 'blocked'))).toBe(list.id)
  })
})

describe('slips', () => {
  const slip = (text: string, ...frequent: string[]) => findSlips(frequent)(pattern(text))
  test('of an address among those of its domain, of a domain among domains', () => {
    expect(slip('ingridd@x.example', 'ingrid@x.example')).toBe('ingrid@x.example')
    expect(slip('ingridd@x.example', 'ingrid@y.example')).toBe(null)
    expect(slip('harbuor.example', 'harbour.example')).toBe('harbour.example')
    expect(slip('harbour.example', 'harbour.example', 'harbuor.example')).toBe(null)
    expect(slip('ingridd@x.example', 'ngridd@x.example')).toBe('ngridd@x.example')
  })
  test('the length of a name is that before the sign, of a domain all of it', () => {
    expect(slip('anna@longdomain.example', 'annb@longdomain.example')).toBe(null)
    expect(slip('ab.test', 'abc.test')).toBe('abc.test')
    expect(slip('a.no', 'ab.no')).toBe(null)
    expect(slip('abd.no', 'abc.no')).toBe('abc.no')
    expect(slip('ab.no', 'ac.no')).toBe(null)
  })
})

describe('times as people type them', () => {
  const now = Date.parse('2026-11-26T11:00:00Z')
  const at = (text: string) => {
    const found = readWhen(text, { now, timeZone: 'UTC' })
    return found.ok && found.value
      ? new Date((found.value.from + found.value.to) / 2).toISOString().slice(0, 16)
      : null
  }
  test('a dash of any length parts two', () => {
    for (const dash of ['-', '–', '—'])
      expect(readTokens(`9${dash}10`)?.map(({ kind }) => kind)).toEqual(['number', 'to', 'number'])
  })
  test('with half of the day a number is an hour, alone or with minutes', () => {
    expect(at('yesterday 3 pm')).toBe(at('yesterday 15:00'))
    expect(at('yesterday 3 a.m.')).toBe(at('yesterday 03:00'))
    expect(at('yesterday 12 am')).toBe(at('yesterday 00:00'))
    expect(at('yesterday 9 am')).toBe(at('yesterday 09:00'))
  })
  test('words may be far apart, and end in a point', () => {
    expect(readTokens('last    week')).toEqual(readTokens('last week'))
    expect(readTokens('last week.')).toEqual(readTokens('last week'))
    expect(readTokens('on Tuesday.')).toEqual(readTokens('on Tuesday'))
    // Known as a whole alone.
    expect(readTokens('i   formiddag')).toEqual(readTokens('i formiddag'))
    expect(readTokens('i   formiddag.')?.length).toBe(readTokens('i formiddag')?.length)
    expect(readTokens('')).toEqual([])
  })
})

describe('results in quotes (RFC 8601 §2.2, RFC 2045 §5.1)', () => {
  const of = (text: string) => parseAuthenticationResults(`mx.example; ${text}`)
  test('a value may be quoted, with what is none outside of quotes', () => {
    const valueIn = (text: string) => of(text)?.results[0]?.properties.get('smtp.mailfrom')
    expect(valueIn('spf=pass smtp.mailfrom="a;b=c/d"@x.example')).toBe('a;b=c/d@x.example')
    // What stands after a space is another word; what does not belongs to the value.
    expect(valueIn('spf=pass smtp.mailfrom="a b"@x.example policy.x=y')).toBe('a b@x.example')
    expect(valueIn('spf=pass smtp.mailfrom=a "b"')).toBe(undefined)
    expect(valueIn('spf=pass smtp.mailfrom="a b"c@x.example')).toBe('a bc@x.example')
    expect(valueIn('spf=pass smtp.mailfrom="a b" c@x.example')).toBe(undefined)
    expect(parseAuthenticationResults('"mx.example"; spf=pass')?.authservId).toBe('mx.example')
    expect(of('"spf"=pass')).toBe(null)
    expect(of('spf="pass"')).toBe(null)
    expect(of('spf=pass reason="all ; good"')?.results[0]?.properties.get('reason')).toBe('all ; good')
  })
})

describe('what is known of words', () => {
  const count = (wanted: number, junk: number) => ({ wanted, junk })
  const known = (wanted: number, junk: number) =>
    ({
      total: count(wanted, junk),
      tokens: new Map([['ferry', count(wanted, 1)]]),
      calibration: { slope: 1, intercept: 0 },
      linear: null,
    }) as unknown as Parameters<typeof classify>[1]
  test('too little of either side says nothing; just enough does', () => {
    const least = leastMessages
    expect(classify(['ferry'], known(200, least - 1))).toBe(null)
    expect(classify(['ferry'], known(200, least))).not.toBe(null)
    expect(classify(['ferry'], known(least, 200))).not.toBe(null)
    expect(classify(['ferry'], known(least - 1, 200))).toBe(null)
    expect(classify([], known(200, 200))).toBe(null)
  })
  test('half of it counts with two known words, and of a text the part that is known', () => {
    const tokens = new Map(['ferry', 'berth', 'crew'].map(word => [word, count(5, 5)]))
    const heard = (...words: string[]) =>
      heldOut({ tokens: words, isJunk: false }, { total: count(9, 9), tokens }).heard
    expect(heard()).toBe(0)
    expect(heard('ferry', 'berth')).toBeCloseTo(2 / 4)
    expect(heard('ferry', 'ferry', 'other', 'another', 'third')).toBeCloseTo((1 / 3) * (1 / 4))
    expect(heard('ferry', 'berth', 'crew')).toBeCloseTo(3 / 5)
  })
})
