import { spawnSync } from 'node:child_process'
import fc from 'fast-check'
import { Parser } from 'htmlparser2'
import { describe, expect, test, vi } from 'vitest'
import { writeLetter } from '@pendro/demo/letter'
import { makeMail } from '@pendro/demo/mail'
import { makeColleagues } from '@pendro/demo/organisation'
import { chanceOf } from '@pendro/demo/random'
import { isBulk, junkScore, noText, provenance, senderFacts, weighMessage } from '@pendro/core/judgement'
import { readTrusted } from '@pendro/core/authentication'
import { noAuthentication } from '@pendro/core/senders'
import { parseMessage, safeView, type Message } from '@pendro/core/message'
import { addressText, parseMailboxes } from '@pendro/core/address'

// Generous: it guards against never ending, and says nothing about speed.
const longer = Number(process.env.PENDRO_FUZZ_TIMES ?? 1)
vi.setConfig({ testTimeout: 60_000 * longer })

const policy = {
  ownDomains: ['vindholm.example'],
  trustedHosts: ['mx1.vindholm.example'],
  forbidden: [],
  fileHosts: [],
  sharedProviders: [],
}
const knowledge = {
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
  readTrusted(headers, { ip: '127.0.0.1', helo: '' }, { ...policy, gateways: ['127.0.0.0/8'] })
    .authentication ?? noAuthentication

/** Everything that happens to a message before it is stored; gives what the sheet would show. */
async function judgeAny(raw: Buffer): Promise<{ score: number; html: string } | { problem: string }> {
  const parsed = await parseMessage(raw)
  if (!parsed.ok) return { problem: parsed.problem.code }
  const message = parsed.value
  const sender = senderFacts(message, null, trusted(message))
  const evidence = weighMessage({
    message,
    sender,
    context: {
      policy,
      knowledge,
      text: noText,
      knownDomains: ['vindholm.example'],
      recipients: 1,
      receivedAt: 0,
    },
  })
  isBulk(message)
  provenance(sender)
  return {
    score: junkScore(evidence),
    html: message.html === null ? '' : safeView(message.html, new Map()).html,
  }
}

/** Elements and attributes that could do something, by a parser's reading. */
function activeParts(html: string): readonly string[] {
  const found: string[] = []
  const parser = new Parser({
    onopentag(name, attributes) {
      if (/^(script|iframe|svg|math|style|form|meta|link|base|object|embed|a)$/.test(name)) found.push(name)
      for (const [key, value] of Object.entries(attributes)) {
        if (
          /^on|^(href|id|class|name|srcset|background)$/.test(key) ||
          (key === 'src' && !value.startsWith('data:image/'))
        )
          found.push(`${name}[${key}]`)
        if (key === 'style' && /url|expression|position|javascript/i.test(value))
          found.push(`${name}[style=${value}]`)
      }
    },
  })
  parser.end(html)
  return found
}

const sane = (result: Awaited<ReturnType<typeof judgeAny>>) => {
  if ('problem' in result) expect(['no-headers', 'too-many-parts', 'unreadable']).toContain(result.problem)
  else {
    expect(result.score).toBeGreaterThanOrEqual(0)
    expect(result.score).toBeLessThanOrEqual(100)
    expect(result.html).not.toMatch(/<(script|iframe|object|embed|form|svg|meta|link|base)\b/i)
  }
}

describe('whatever comes in, it is judged or told why not', () => {
  test('mutated messages of the demo', async () => {
    const chance = chanceOf(longer === 1 ? 11 : Date.now())
    const colleagues = makeColleagues(chance)
    const mail = makeMail(colleagues, chance, { now: new Date('2026-11-20T12:00:00Z'), days: 1 })
    const letters = await Promise.all(
      chance.some(mail, 40).map(async h => (await writeLetter(h.draft, h.at, h.serial)).raw),
    )
    const bits = [
      '\0',
      '\r\n\r\n',
      '--',
      '=?utf-8?q?',
      '<![CDATA[',
      '\xff\xfe',
      'Content-Type: multipart/mixed; boundary=',
      '<svg onload=',
      '%00',
      '(((((',
      ';'.repeat(50),
    ]
    for (let i = 0; i < 300 * longer; i += 1) {
      let raw = chance.pick(letters)
      for (let n = chance.between(1, 6); n > 0; n -= 1) {
        const at = chance.between(0, raw.length)
        const kind = chance.between(0, 3)
        if (kind === 0)
          raw = Buffer.concat([
            raw.subarray(0, at),
            Buffer.from(chance.pick(bits), 'latin1'),
            raw.subarray(at),
          ])
        else if (kind === 1)
          raw = Buffer.concat([
            raw.subarray(0, at),
            raw.subarray(Math.min(raw.length, at + chance.between(1, 200))),
          ])
        else if (kind === 2)
          raw = Buffer.concat([
            raw.subarray(0, at),
            Buffer.from([chance.between(0, 255)]),
            raw.subarray(at + 1),
          ])
        else raw = Buffer.concat([raw, raw.subarray(at)])
      }
      sane(await judgeAny(raw))
    }
  })
  test('any bytes', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 2000 }), async bytes =>
        sane(await judgeAny(Buffer.from(bytes))),
      ),
      { numRuns: 200 * longer },
    )
  })
  test('any HTML', () => {
    const piece = fc.constantFrom(
      '<',
      '>',
      '<a href="',
      '<img src=x onerror=alert(1)',
      '</',
      '<!--',
      '-->',
      '<style>',
      'javascript:',
      '"',
      "'",
      '&#x6a;',
      '<svg>',
      '<table background=',
      ' style="position:fixed"',
      '\u0000',
      'text',
      '<p>',
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), parts => {
        expect(activeParts(safeView(parts.join(''), new Map()).html)).toEqual([])
      }),
      { numRuns: 400 * longer },
    )
  })
})

const head = 'From: a@x.example\r\nDate: Fri, 20 Nov 2026 08:00:00 +0000\r\nMessage-ID: <1@x.example>\r\n'

describe('bait for slow programs: each ends', () => {
  test.each<[string, string]>([
    [
      '100,000 recipients in To',
      `${head}To: ${Array.from({ length: 100_000 }, (_, i) => `a${i}@x.example`).join(', ')}\r\n\r\nhi`,
    ],
    ['a header line of 50,000 characters', `${head}Subject: ${'a '.repeat(25_000)}\r\n\r\nhi`],
    ['a name of nothing but quotes and brackets', `From: ${'"<('.repeat(20_000)}\r\n\r\nhi`],
    ['an address of 100,000 dots', `From: a@${'.'.repeat(100_000)}x\r\n\r\nhi`],
    [
      'an Authentication-Results of comments in comments',
      `${head}Authentication-Results: mx1.vindholm.example; ${'('.repeat(30_000)}\r\n\r\nhi`,
    ],
    ['a List-Id without an end', `${head}List-Id: ${'<'.repeat(50_000)}\r\n\r\nhi`],
    ['encoded words without an end', `${head}Subject: ${'=?utf-8?q?='.repeat(10_000)}\r\n\r\nhi`],
    ['HTML 20,000 levels deep', `${head}Content-Type: text/html\r\n\r\n${'<div>'.repeat(20_000)}x`],
    [
      'a style of 100,000 characters',
      `${head}Content-Type: text/html\r\n\r\n<p style="${'color:red;'.repeat(10_000)}font:${'a('.repeat(10_000)}">x</p>`,
    ],
    [
      '50,000 links',
      `${head}Content-Type: text/html\r\n\r\n${'<a href="https://a.example/x">www.b.example</a>'.repeat(50_000)}`,
    ],
    [
      'hosts of hyphens',
      `${head}Content-Type: text/html\r\n\r\n${`<a href="https://${'a-'.repeat(100)}b.example">x</a>`.repeat(500)}`,
    ],
  ])('%s', async (_name, text) => sane(await judgeAny(Buffer.from(text, 'latin1'))), 60_000)
})

// A second opinion on the same bytes: Python's own email package, where the machine has Python.
const hasPython = spawnSync('python3', ['-c', 'import email'], { stdio: 'ignore' }).status === 0
const python = `
import sys, json, email, email.policy
from email.header import decode_header, make_header
out = []
for raw in json.load(sys.stdin):
    m = email.message_from_bytes(bytes.fromhex(raw), policy=email.policy.default)
    out.append({
        'subject': str(m['subject'] or ''),
        'from': [a.addr_spec.lower() for a in m['from'].addresses] if m['from'] else [],
        'names': [p.get_filename() for p in m.walk() if p.get_content_disposition() == 'attachment'],
        'text': next((p.get_content() for p in m.walk() if p.get_content_type() == 'text/plain' and p.get_content_disposition() != 'attachment'), ''),
    })
json.dump(out, sys.stdout)
`
test.skipIf(!hasPython)(
  'Python’s email package reads the demo’s messages as we do (skipped where there is no python3)',
  async () => {
    const chance = chanceOf(12)
    const colleagues = makeColleagues(chance)
    const mail = makeMail(colleagues, chance, { now: new Date('2026-11-20T12:00:00Z'), days: 3 })
    const raws = await Promise.all(
      chance.some(mail, 120).map(async h => (await writeLetter(h.draft, h.at, h.serial)).raw),
    )
    const done = spawnSync('python3', ['-c', python], {
      input: JSON.stringify(raws.map(raw => raw.toString('hex'))),
      encoding: 'utf8',
      maxBuffer: 100_000_000,
    })
    expect(done.stderr).toBe('')
    const theirs = JSON.parse(done.stdout) as {
      subject: string
      from: string[]
      names: string[]
      text: string
    }[]
    const plain = (text: string) => text.replace(/\s+/g, ' ').trim()
    for (const [i, raw] of raws.entries()) {
      const parsed = await parseMessage(raw)
      if (!parsed.ok) throw new Error(parsed.problem.code)
      const { subject, from, attachments, text } = parsed.value
      expect({
        subject: plain(subject),
        from: from.map(f => (f.address ? addressText(f.address) : '')),
        names: attachments.map(a => a.name),
        text: plain(text),
      }).toEqual({
        ...theirs[i],
        subject: plain(theirs[i]?.subject ?? ''),
        text: plain(theirs[i]?.text ?? ''),
        from: theirs[i]?.from.map(address =>
          addressText(parseMailboxes(address)[0]?.address ?? { local: '', tag: null, domain: '' }),
        ),
      })
    }
  },
)
