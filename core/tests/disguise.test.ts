import { gzipSync } from 'node:zlib'
import { describe, expect, test } from 'vitest'
import { findHarm } from '@pendro/core/judgement'
import { parseMessage, type Message } from '@pendro/core/message'

async function parsed(lines: readonly string[]): Promise<Message> {
  const result = await parseMessage(Buffer.from(['From: a@x.example', ...lines].join('\r\n'), 'latin1'))
  if (!result.ok) throw new Error(JSON.stringify(result.problem))
  return result.value
}

const forbidden = ['executable', 'script', 'disguised', 'program-in-archive', 'bomb']
const program = Buffer.concat([
  Buffer.from('MZ'),
  Buffer.alloc(0x3a),
  Buffer.from([0x40, 0, 0, 0]),
  Buffer.from('PE\0\0'),
  Buffer.alloc(100),
])
const base64 = (content: Buffer) => content.toString('base64')
const part = (head: readonly string[], content: Buffer) => [
  'Content-Type: multipart/mixed; boundary=B',
  '',
  '--B',
  'Content-Type: text/plain',
  '',
  'See the file.',
  '--B',
  ...head,
  'Content-Transfer-Encoding: base64',
  '',
  base64(content),
  '--B--',
]
const words = Buffer.from('just words')

/** A stored ZIP with one entry (PKWARE APPNOTE 4.3), its directory and local name given apart. */
function zip(name: string, content: Buffer, localName = name): Buffer {
  const crc = crc32(content)
  const local = Buffer.alloc(30)
  local.writeUInt32LE(0x04034b50, 0)
  local.writeUInt16LE(20, 4)
  local.writeUInt32LE(crc, 14)
  local.writeUInt32LE(content.length, 18)
  local.writeUInt32LE(content.length, 22)
  local.writeUInt16LE(Buffer.byteLength(localName), 26)
  const head = Buffer.concat([local, Buffer.from(localName), content])
  const central = Buffer.alloc(46)
  central.writeUInt32LE(0x02014b50, 0)
  central.writeUInt16LE(20, 4)
  central.writeUInt16LE(20, 6)
  central.writeUInt32LE(crc, 16)
  central.writeUInt32LE(content.length, 20)
  central.writeUInt32LE(content.length, 24)
  central.writeUInt16LE(Buffer.byteLength(name), 28)
  const directory = Buffer.concat([central, Buffer.from(name)])
  const end = Buffer.alloc(22)
  end.writeUInt32LE(0x06054b50, 0)
  end.writeUInt16LE(1, 8)
  end.writeUInt16LE(1, 10)
  end.writeUInt32LE(directory.length, 12)
  end.writeUInt32LE(head.length, 16)
  return Buffer.concat([head, directory, end])
}

function crc32(bytes: Buffer): number {
  let crc = -1
  for (const byte of bytes) {
    crc ^= byte
    for (let i = 0; i < 8; i += 1) crc = (crc >>> 1) ^ (0xedb88320 & -(crc & 1))
  }
  return (crc ^ -1) >>> 0
}

function tar(name: string, content: Buffer): Buffer {
  const head = Buffer.alloc(512)
  head.write(name, 0)
  head.write(content.length.toString(8).padStart(11, '0'), 124)
  head.write('ustar\0', 257)
  return Buffer.concat([head, content, Buffer.alloc(512 - (content.length % 512)), Buffer.alloc(1024)])
}

function uuencode(name: string, content: Buffer): string {
  const lines: string[] = []
  for (let at = 0; at < content.length; at += 45) {
    const piece = content.subarray(at, at + 45)
    let line = String.fromCharCode(32 + piece.length)
    for (let i = 0; i < piece.length; i += 3) {
      const n = ((piece[i] ?? 0) << 16) | ((piece[i + 1] ?? 0) << 8) | (piece[i + 2] ?? 0)
      for (const shift of [18, 12, 6, 0])
        line += String.fromCharCode(32 + ((n >> shift) & 63)).replace(' ', '`')
    }
    lines.push(line)
  }
  return [`begin 644 ${name}`, ...lines, '`', 'end'].join('\r\n')
}

/** TNEF (MS-OXTNEF §2.1.3) with one attachment. */
function tnef(name: string, content: Buffer): Buffer {
  const attribute = (id: number, data: Buffer) => {
    const head = Buffer.alloc(9)
    head[0] = 2
    head.writeUInt32LE(id, 1)
    head.writeUInt32LE(data.length, 5)
    return Buffer.concat([head, data, Buffer.alloc(2)])
  }
  return Buffer.concat([
    Buffer.from('789f3e220100', 'hex'),
    attribute(0x00069002, Buffer.alloc(14)),
    attribute(0x00018010, Buffer.from(`${name}\0`)),
    attribute(0x0006800f, content),
  ])
}

const named = (name: string, type = 'application/octet-stream') => [`Content-Type: ${type}; name="${name}"`]
const message = (lines: readonly string[]) =>
  Buffer.from(['From: b@y.example', ...lines].join('\r\n'), 'latin1')

describe('a program does not slip by, whatever it is dressed as (domain.md §3, stage 1)', () => {
  test.each<[string, readonly string[]]>([
    ['text/plain with a name, no disposition', part(named('invoice.exe', 'text/plain'), program)],
    ['text/plain without a name', part(['Content-Type: text/plain'], program)],
    ['text/html without a name', part(['Content-Type: text/html'], program)],
    [
      'inline, no name',
      part(['Content-Type: application/octet-stream', 'Content-Disposition: inline'], program),
    ],
    ['a picture by type', part(named('photo.jpg', 'image/jpeg'), program)],
    [
      'the whole message is the program',
      ['Content-Type: application/octet-stream', 'Content-Transfer-Encoding: base64', '', base64(program)],
    ],
    ['declared a program, content not', part(['Content-Type: application/x-msdownload'], words)],
    ['a trailing dot', part(named('invoice.exe.'), words)],
    ['trailing spaces', part(named('invoice.exe   '), words)],
    ['two endings', part(named('invoice.pdf.exe'), words)],
    ['many spaces between the endings', part(named(`invoice.pdf${' '.repeat(80)}.exe`), words)],
    [
      'a zero-width space in the ending',
      part(
        [
          'Content-Type: application/octet-stream',
          "Content-Disposition: attachment; filename*=utf-8''invoice.e%E2%80%8Bxe",
        ],
        words,
      ),
    ],
    [
      'turned round (U+202E)',
      part(
        [
          'Content-Type: application/pdf',
          "Content-Disposition: attachment; filename*=utf-8''invoice%E2%80%AEfdp.exe",
        ],
        words,
      ),
    ],
    [
      'full-width letters',
      part(["Content-Disposition: attachment; filename*=utf-8''invoice.%EF%BD%85%EF%BD%98%EF%BD%85"], words),
    ],
    [
      'an encoded word',
      part(['Content-Disposition: attachment; filename="=?utf-8?Q?invoice=2Eexe?="'], words),
    ],
    [
      'RFC 2231 in pieces',
      part(['Content-Disposition: attachment; filename*0=invo; filename*1=ice.exe'], words),
    ],
    [
      'two names that differ',
      part(
        [
          'Content-Type: application/pdf; name="invoice.pdf"',
          'Content-Disposition: attachment; filename="invoice.exe"',
        ],
        words,
      ),
    ],
    [
      'the other way round',
      part(
        [
          'Content-Type: application/pdf; name="invoice.exe"',
          'Content-Disposition: attachment; filename="invoice.pdf"',
        ],
        words,
      ),
    ],
    [
      'filename and filename*',
      part(["Content-Disposition: attachment; filename=a.pdf; filename*=utf-8''a.exe"], words),
    ],
    [
      'a second Content-Disposition',
      part(
        [
          'Content-Disposition: attachment; filename=a.pdf',
          'Content-Disposition: attachment; filename=a.exe',
        ],
        words,
      ),
    ],
    [
      'in Content-Description',
      part(['Content-Type: application/octet-stream', 'Content-Description: invoice.exe'], words),
    ],
    ['behind a path', part(named('C:\\\\papers\\\\invoice.exe'), words)],
    ['a stream name', part(named('invoice.exe:x.txt'), words)],
    ['capitals', part(named('INVOICE.EXE'), words)],
    ['a comment before the value', part(['Content-Disposition: attachment; filename=(x)invoice.exe'], words)],
    ['a missing semicolon', part(['Content-Type: application/octet-stream name=invoice.exe'], words)],
    ['a space before the colon', part(['Content-Disposition : attachment; filename=invoice.exe'], words)],
    ...[
      'scr',
      'pif',
      'com',
      'bat',
      'cmd',
      'js',
      'jse',
      'vbs',
      'wsf',
      'hta',
      'lnk',
      'ps1',
      'msi',
      'jar',
      'reg',
      'cpl',
      'iso',
      'vhd',
      'url',
      'chm',
      'settingcontent-ms',
      'xll',
      'appx',
    ].map((ending): [string, readonly string[]] => [`.${ending}`, part(named(`invoice.${ending}`), words)]),
    [
      'a shortcut by content',
      part(
        named('invoice.pdf'),
        Buffer.concat([Buffer.from('4c0000000114020000000000c000000000000046', 'hex'), Buffer.alloc(60)]),
      ),
    ],
    ['in a ZIP', part(named('papers.zip'), zip('invoice.exe', words))],
    ['in a ZIP, by content under an innocent name', part(named('papers.zip'), zip('invoice', program))],
    ['in a ZIP, by its local name only', part(named('papers.zip'), zip('invoice.txt', words, 'invoice.exe'))],
    ['in a ZIP in a ZIP', part(named('papers.zip'), zip('more.zip', zip('invoice.exe', words)))],
    ['in a ZIP that is called a picture', part(named('photo.jpg', 'image/jpeg'), zip('invoice.js', words))],
    [
      'in a ZIP behind a picture',
      part(
        named('photo.jpg', 'image/jpeg'),
        Buffer.concat([
          Buffer.from('ffd8ffe000104a464946', 'hex'),
          Buffer.alloc(200),
          zip('invoice.exe', words),
        ]),
      ),
    ],
    ['in a tar', part(named('papers.tar'), tar('invoice.exe', words))],
    ['in a gzip', part(named('invoice.exe.gz'), gzipSync(words))],
    ['in a gzip, by content', part(named('papers.gz'), gzipSync(program))],
    ['in a tar in a gzip', part(named('papers.tgz'), gzipSync(tar('invoice.vbs', words)))],
    [
      'in an attached message',
      part(['Content-Type: message/rfc822'], message(part(named('invoice.exe'), words))),
    ],
    [
      'in an attached message without a type',
      part(named('forwarded.eml', 'application/octet-stream'), message(part(named('invoice.exe'), words))),
    ],
    ['uuencoded in the text', ['Content-Type: text/plain', '', 'Hello', '', uuencode('invoice.exe', words)]],
    ['uuencoded under an innocent name', ['Content-Type: text/plain', '', uuencode('a.txt', program)]],
    ['in TNEF', part(named('winmail.dat', 'application/ms-tnef'), tnef('invoice.exe', words))],
    ['in TNEF, by content', part(named('winmail.dat', 'application/ms-tnef'), tnef('a.txt', program))],
    [
      'in a digest',
      [
        'Content-Type: multipart/digest; boundary=D',
        '',
        '--D',
        '',
        ...part(named('invoice.exe'), words),
        '--D--',
      ],
    ],
  ])('%s', async (_name, lines) => {
    const { attachments } = await parsed(lines)
    expect(findHarm(attachments, forbidden)).not.toBeNull()
  })

  test.each<[string, readonly string[]]>([
    ['a text that begins with MZ', ['Content-Type: text/plain', '', 'MZ-4711 is the number of your order.']],
    [
      'a picture',
      part(named('photo.png', 'image/png'), Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex')),
    ],
    ['a document', part(named('executive summary.pdf', 'application/pdf'), Buffer.from('%PDF-1.4\n'))],
    ['an exe in the middle of a name', part(named('setup.exe.txt', 'text/plain'), words)],
    [
      'a name with a host',
      part(named('minutes of www.x.example.pdf', 'application/pdf'), Buffer.from('%PDF-1.4\n')),
    ],
    ['a ZIP of documents', part(named('papers.zip'), zip('invoice.pdf', Buffer.from('%PDF-1.4\n')))],
    [
      'an attached message with a picture',
      part(['Content-Type: message/rfc822'], message(part(named('a.png', 'image/png'), words))),
    ],
    ['"begin" in a text', ['Content-Type: text/plain', '', 'begin with the first page', 'end']],
    [
      'emoji and joiners in a name',
      part(
        [
          "Content-Disposition: attachment; filename*=utf-8''%F0%9F%91%A8%E2%80%8D%F0%9F%91%A9%E2%80%8D%F0%9F%91%A7.png",
        ],
        words,
      ),
    ],
  ])('%s is no program', async (_name, lines) => {
    const { attachments } = await parsed(lines)
    expect(findHarm(attachments, forbidden)).toBeNull()
  })
})

describe('names are shown as they are', () => {
  test.each([
    ['invoice%E2%80%AEfdp.txt', 'invoice·fdp.txt'],
    ['invoice%E2%80%8B.pdf', 'invoice·.pdf'],
    ['a%00b.pdf', 'a·b.pdf'],
    ['%F0%9F%91%A8%E2%80%8D%F0%9F%91%A9.png', '\u{1f468}\u200d\u{1f469}.png'],
  ])('%s', async (written, shown) => {
    const { attachments } = await parsed(
      part([`Content-Disposition: attachment; filename*=utf-8''${written}`], words),
    )
    expect(attachments[0]?.name).toBe(shown)
  })
})

test('everything together costs no more than its budget: a thousand nested messages', async () => {
  let inner = message(part(named('a.txt'), words))
  for (let i = 0; i < 12; i += 1) inner = message(part(['Content-Type: message/rfc822'], inner))
  const { attachments } = await parsed(part(['Content-Type: message/rfc822'], inner))
  // Deeper than anybody looks: it can't be checked, and says so.
  expect(attachments[0]?.danger).toBe('unreadable-archive')
})

describe('a name that turns round is made to deceive, whatever it ends in (UAX #9)', () => {
  const named = async (name: string) => {
    const encoded = encodeURIComponent(name)
    const head = ['Content-Type: image/png', `Content-Disposition: attachment; filename*=UTF-8''${encoded}`]
    const { attachments } = await parsed(part(head, Buffer.from('89504e470d0a1a0a', 'hex')))
    return attachments[0]
  }
  test.each([
    ['an override', 'photo\u202egpj.png', 'photo·gpj.png', true],
    ['an embedding', 'photo\u202bgpj.png', 'photo·gpj.png', true],
    ['an isolate', 'a\u2067b\u2069.png', 'a·b·.png', true],
    [
      'the mark of a name in Hebrew',
      '\u05ea\u05de\u05d5\u05e0\u05d4\u200f 1.png',
      '\u05ea\u05de\u05d5\u05e0\u05d4· 1.png',
      false,
    ],
    [
      'letters from right to left alone',
      '\u0635\u0648\u0631\u0629.png',
      '\u0635\u0648\u0631\u0629.png',
      false,
    ],
    ['a dot in the middle of a word', 'col·legi.png', 'col·legi.png', false],
  ])('%s', async (_, name, shown, disguise) =>
    expect(await named(name)).toMatchObject({ name: shown, disguise, danger: null }),
  )
})

describe('what no mark tells: a page or no PDF, whatever is declared (WHATWG MIME Sniffing §7.1)', () => {
  const typeOf = async (declared: string, content: string | Buffer) => {
    const head = [`Content-Type: ${declared}`, 'Content-Disposition: attachment; filename=a.dat']
    return (await parsed(part(head, Buffer.from(content)))).attachments[0]?.trueType
  }
  test.each([
    ['application/pdf', '<!DOCTYPE html><p>Sign in', 'text/html'],
    ['application/pdf', ' \r\n\t<HTML >', 'text/html'],
    ['application/octet-stream', '\ufeff<script>', 'text/html'],
    ['application/octet-stream', '<!-- a page -->', 'text/html'],
    // Not one of its tags, or not ended as one.
    ['application/octet-stream', '<htmlx>', 'application/octet-stream'],
    ['application/x-made-up', 'see <html>', 'application/x-made-up'],
    // Text is what it says; what is written in XML is no page.
    ['text/plain', '<html>', 'text/plain'],
    ['image/svg+xml', '<!-- drawn --><svg>', 'image/svg+xml'],
    ['application/pdf', 'just words', 'application/octet-stream'],
    ['application/pdf', `${'x'.repeat(1019)}%PDF-1.4`, 'application/pdf'],
    ['application/pdf', `${'x'.repeat(1020)}%PDF-1.4`, 'application/octet-stream'],
    ['application/pdf', '', 'application/pdf'],
  ])('%s: %j is %s', async (declared, content, found) => expect(await typeOf(declared, content)).toBe(found))
})
