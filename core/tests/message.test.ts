import { spawnSync } from 'node:child_process'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseMessage, readHtml, safeView, type Message } from '@pendro/core/message'

async function parsed(raw: string | Buffer): Promise<Message> {
  const result = await parseMessage(Buffer.from(raw))
  if (!result.ok) throw new Error(JSON.stringify(result.problem))
  return result.value
}

const mail = (headers: string[], body: string) => [...headers, '', body].join('\r\n')

describe('what can not be read is a problem, never a throw', () => {
  test.each([
    ['nothing', ''],
    ['bytes', Buffer.from([0, 159, 146, 150, 10, 3])],
    ['prose', 'hello there\nthis is no message'],
  ])('%s has no headers', async (_name, raw) =>
    expect(await parseMessage(Buffer.from(raw))).toEqual({ ok: false, problem: { code: 'no-headers' } }),
  )

  test('endless nesting is refused by its limit', async () => {
    const levels = 3000
    const head = Array.from(
      { length: levels },
      (_, i) => `Content-Type: multipart/mixed; boundary="b${i}"\r\n\r\n--b${i}\r\n`,
    )
    const result = await parseMessage(Buffer.from('From: a@x.example\r\n' + head.join('')))
    expect(result).toMatchObject({ ok: false, problem: { code: 'too-many-parts' } })
  })

  test('any bytes', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 400 }), async bytes => {
        const result = await parseMessage(Buffer.concat([Buffer.from('From: a@x.example\r\n'), bytes]))
        expect(typeof result.ok).toBe('boolean')
      }),
      { numRuns: 150 },
    )
  })
})

describe('attachments go by their bytes', () => {
  const attach = (name: string, type: string, content: Buffer) =>
    mail(
      ['From: a@x.example', 'Content-Type: multipart/mixed; boundary=B'],
      `--B\r\nContent-Type: text/plain\r\n\r\nhi\r\n--B\r\nContent-Type: ${type}; name="${name}"\r\nContent-Disposition: attachment; filename="${name}"\r\nContent-Transfer-Encoding: base64\r\n\r\n${content.toString('base64')}\r\n--B--`,
    )
  const program = Buffer.concat([Buffer.from('MZ'), Buffer.alloc(200)])
  const lockedZip = Buffer.from('504b0304140001000800000000000000000000000000000000000000010000006100', 'hex')
  test.each([
    ['setup.exe', 'application/octet-stream', program, 'executable'],
    ['invoice.pdf.exe', 'application/pdf', program, 'disguised'],
    ['photo.jpg', 'image/jpeg', program, 'disguised'],
    ['notes.vbs', 'text/plain', Buffer.from('x'), 'script'],
    ['prices.xlsm', 'application/zip', Buffer.from('x'), 'macro'],
    ['papers.zip', 'application/zip', lockedZip, 'encrypted-archive'],
    ['exe.txt', 'text/plain', Buffer.from('exe'), null],
    ['executive.pdf', 'application/pdf', Buffer.from('%PDF-1.4\n'), null],
  ])('%s as %s', async (name, type, content, danger) => {
    const { attachments } = await parsed(attach(name, type, content))
    expect(attachments).toHaveLength(1)
    expect(attachments[0]).toMatchObject({ name, danger, size: content.length })
  })
})

// Python's email package, on the machine, as a second opinion on the same bytes.
const python = `import sys, json, email, email.policy
m = email.message_from_bytes(sys.stdin.buffer.read(), policy=email.policy.default)
b = m.get_body(preferencelist=('plain',))
print(json.dumps({'subject': m['subject'], 'names': [p.get_filename() for p in m.iter_attachments()], 'text': b.get_content().strip()}))`
const havePython = spawnSync('python3', ['--version']).status === 0

describe.skipIf(!havePython)('agrees with Python email (skipped where python3 is missing)', () => {
  test.each([
    ['quoted-printable, latin1', 'iso-8859-1', 'quoted-printable', 'Sm=F8rbr=F8d og kaffe=0D=0Aved kaia'],
    ['base64, utf-8', 'utf-8', 'base64', Buffer.from('Łódź – prom o 07:40').toString('base64')],
    ['windows-1252 quotes', 'windows-1252', 'quoted-printable', '=93Ferry=94 =80 12'],
  ])('%s', async (_name, charset, encoding, body) => {
    const raw = mail(
      [
        'From: a@x.example',
        'Subject: =?utf-8?Q?Fartsplan_v=C3=A5r?=',
        'MIME-Version: 1.0',
        'Content-Type: multipart/mixed; boundary=Q',
      ],
      `--Q\r\nContent-Type: text/plain; charset=${charset}\r\nContent-Transfer-Encoding: ${encoding}\r\n\r\n${body}\r\n--Q\r\nContent-Type: application/pdf\r\nContent-Disposition: attachment;\r\n filename*0*=utf-8''ferje%20;\r\n filename*1=plan.pdf\r\n\r\n%PDF-1.4\r\n--Q--\r\n`,
    )
    const theirs = JSON.parse(spawnSync('python3', ['-c', python], { input: raw, encoding: 'utf8' }).stdout)
    const ours = await parsed(raw)
    expect({
      subject: ours.subject,
      names: ours.attachments.map(({ name }) => name),
      text: ours.text.trim().replace(/\r\n/g, '\n'),
    }).toEqual({ ...theirs, text: theirs.text.replace(/\r\n/g, '\n') })
  })
})

describe('text and links of HTML', () => {
  test('hidden text and script are not the text', () => {
    const { text, hiddenText, links } = readHtml(
      '<head><title>t</title></head><p>Dear <b>Ingrid</b>,</p><div style="display:none">secret words</div><script>alert(1)</script>' +
        '<a href="https://a.example/x?y=1">look <i>here</i></a><br><img src=x>end<a name=top>top</a>',
    )
    expect(text).toBe('Dear Ingrid,\n\nlook here\nendtop')
    expect(hiddenText).toBe('secret words')
    // What stands apart on the page is parted in what is not seen, too.
    expect(readHtml('<p style="display:none">one</p><div hidden>two</div>').hiddenText).toMatch(/^one\s+two$/)
    expect(links).toEqual([{ text: 'look here', href: 'https://a.example/x?y=1', host: 'a.example' }])
  })
  test('font-size:0.9em is not hidden', () =>
    expect(readHtml('<p style="font-size:0.9em">small</p>').hiddenText).toBe(''))
})

describe('safe view', () => {
  const clean = (html: string) => safeView(html, new Map()).html
  test.each([
    '<script>alert(1)</script>',
    '<img src=x onerror=alert(1)>',
    '<svg onload=alert(1)><a xlink:href="javascript:alert(1)">x</a></svg>',
    '<a href="javascript:alert(1)">x</a>',
    '<iframe src="https://a.example"></iframe>',
    '<form action="https://a.example"><input name=a></form>',
    '<meta http-equiv=refresh content="0;url=https://a.example">',
    '<link rel=stylesheet href="https://a.example/x.css">',
    '<style>@import "https://a.example/x.css"</style>',
    '<p style="background:url(https://a.example/p.png)">x</p>',
    '<p style="background-color:url(https://a.example/p.png)">x</p>',
    '<table background="https://a.example/p.png"><tr><td>x</table>',
    '<base href="https://a.example">',
    '<p id=body name=x class=y style="position:fixed;top:0">x</p>',
    '<video src="https://a.example/v"></video><audio src=x></audio><object data=x></object><embed src=x>',
    '<math><mtext><table><mglyph><style><img src=x onerror=alert(1)>',
    '<p style="width:expression(alert(1))">x</p>',
  ])('nothing active is left of %s', html =>
    // What stands in data-target is shown as text and never followed.
    expect(clean(html).replace(/ data-target="[^"]*"/g, '')).not.toMatch(
      /<(script|svg|iframe|form|input|meta|link|style|base|video|audio|object|embed|math|a)\b|\son\w+=|javascript:|url\(|expression|@import|https:\/\/|position|\b(id|class|name|background)=/i,
    ),
  )

  test('a link keeps its words and shows its true host', () => {
    const { html, linksDisarmed } = safeView(
      '<a href="https://files.dropshelf.example/p?q">proofs, 4 pages</a>',
      new Map(),
    )
    expect(html).toBe('<span data-target="files.dropshelf.example">proofs, 4 pages</span>')
    expect(linksDisarmed).toBe(1)
  })
  test('a forged target is dropped', () =>
    expect(clean('<span data-target="bank.example">x</span>')).toBe('<span>x</span>'))
  test('embedded pictures stay, remote ones are counted, SVG is none', () => {
    const pictures = new Map([
      ['logo@x', { type: 'image/png', content: Buffer.from('png') }],
      ['bad@x', { type: 'image/svg+xml', content: Buffer.from('<svg/>') }],
    ])
    const { html, picturesLeftOut } = safeView(
      '<img src="cid:logo@x"><img src="cid:bad@x" alt="our logo"><img src="https://a.example/p.png">',
      pictures,
    )
    expect(html).toContain('src="data:image/png;base64,cG5n"')
    expect(html).toContain('[picture: our logo]')
    expect(picturesLeftOut).toBe(2)
  })
})

describe('raw 8-bit characters in headers', () => {
  test.each([
    ['UTF-8 (RFC 6532 §3.2)', 'Zażółć gęślą', Buffer.from('Zażółć gęślą', 'utf8')],
    [
      'windows-1252, an old habit',
      'Gebühr “heute” €',
      Buffer.from([
        0x47, 0x65, 0x62, 0xfc, 0x68, 0x72, 0x20, 0x93, 0x68, 0x65, 0x75, 0x74, 0x65, 0x94, 0x20, 0x80,
      ]),
    ],
  ])('%s', async (_name, want, bytes) => {
    const parsed = await parseMessage(
      Buffer.concat([Buffer.from('From: a@x.example\r\nSubject: '), bytes, Buffer.from('\r\n\r\nhi')]),
    )
    expect(parsed.ok && parsed.value.subject).toBe(want)
  })
})
