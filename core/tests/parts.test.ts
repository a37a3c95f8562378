// What the parts of a message hold: charsets, names, flowed text, files in a text, TNEF, PDF, deep HTML.
import { Parser } from 'htmlparser2'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { embeddedPictures, parseMessage, pdfText, readHtml, type Message } from '@pendro/core/message'
import { textLinks } from '../src/message/html-text.ts'
import { decodeText, findUuencoded } from '../src/message/mime.ts'
import { capNesting } from '../src/message/nesting.ts'
import { readTnef } from '../src/message/tnef.ts'

async function parsed(lines: readonly string[], encoding: BufferEncoding = 'latin1'): Promise<Message> {
  const result = await parseMessage(Buffer.from(lines.join('\r\n'), encoding))
  if (!result.ok) throw new Error(JSON.stringify(result.problem))
  return result.value
}

describe('text in its charset', () => {
  test.each([
    ['iso-8859-1', 'e66c', 'æl'],
    ['WINDOWS-1252 ', '80', '€'],
    ['koi8-r', 'd2d5', 'ру'],
    ['iso-2022-jp', '1b2442467c1b2842', '日'],
    ['utf-16le', '6100', 'a'],
    // No name, a plain one and an unknown one: UTF-8 where it is, else windows-1252.
    ['', 'c3a6', 'æ'],
    ['', 'e6', 'æ'],
    ['us-ascii', 'c3a6', 'æ'],
    ['ascii', 'e6', 'æ'],
    ['x-nobody-knows', 'c3a6', 'æ'],
    ['x-nobody-knows', 'e6', 'æ'],
  ])('%j', (charset, hex, want) => expect(decodeText(Buffer.from(hex, 'hex'), charset)).toBe(want))
})

describe('flowed text (RFC 3676 §4)', () => {
  const flowed = async (type: string, ...body: string[]) =>
    (await parsed(['From: a@x.example', `Content-Type: text/plain; ${type}`, '', ...body])).text
  test('a line that ends in a blank goes on, the signature mark does not, and stuffing is taken off', async () =>
    expect(
      await flowed('format=flowed', 'The boat ', 'leaves', 'at ', 'noon ', ' From here', '-- ', 'Ina'),
    ).toBe('The boat leaves\nat noon From here\n-- \nIna'))
  test('with DelSp=yes the blank belongs to the break', async () =>
    expect(await flowed('format=flowed; delsp=yes', 'quay ', 'side', 'end')).toBe('quayside\nend'))
  test('fixed text keeps its lines', async () =>
    expect(await flowed('format=fixed', 'The boat ', 'leaves')).toBe('The boat \nleaves'))
})

describe('parts', () => {
  const multipart = (kind: string, ...parts: (readonly string[])[]) => [
    'From: a@x.example',
    `Content-Type: multipart/${kind}; boundary=B`,
    '',
    ...parts.flatMap(part => ['--B', ...part]),
    '--B--',
  ]
  test('of a digest, what says nothing is a message and what says text is text (RFC 2046 §5.1.5)', async () => {
    const message = await parsed(
      multipart('digest', ['', 'Subject: one', '', 'hi'], ['Content-Type: text/plain', '', 'plain']),
    )
    expect(message.attachments.map(({ declaredType }) => declaredType)).toEqual(['message/rfc822'])
    expect(message.text.trim()).toBe('plain')
  })
  test('what says nothing elsewhere is plain text', async () => {
    const message = await parsed(multipart('mixed', ['', 'only words']))
    expect([message.text.trim(), message.attachments]).toEqual(['only words', []])
  })
  test('of alternatives the words are said once, and a blank form is not the text', async () => {
    const html = ['Content-Type: text/html', '', '<p>Seen</p>']
    const both = await parsed(multipart('alternative', ['Content-Type: text/plain', '', 'Seen'], html))
    expect(both.text.trim()).toBe('Seen')
    const blank = await parsed(multipart('alternative', ['Content-Type: text/plain', '', '  '], html))
    expect(blank.text.trim()).toBe('Seen')
  })
  test('several pages are one, their words in order', async () => {
    const message = await parsed(
      multipart(
        'mixed',
        ['Content-Type: text/plain', '', 'before'],
        ['Content-Type: text/html', '', '<p>one</p>'],
        ['Content-Type: text/html', '', '<p>two</p>'],
      ),
    )
    expect(message.text.split(/\s+/)).toEqual(['before', 'one', 'two'])
    expect(message.html).toMatch(/one[^]*two/)
  })
  test('a text with a name that is no text by it is a file; a named page without disposition is the page', async () => {
    const csv = await parsed(multipart('mixed', ['Content-Type: text/csv; name=list.csv', '', 'a,b']))
    expect([csv.text.trim(), csv.attachments.map(({ name }) => name)]).toEqual(['', ['list.csv']])
    const page = await parsed(
      multipart('mixed', ['Content-Type: text/html; name=page.html', '', '<p>page</p>']),
    )
    expect(page.text.trim()).toBe('page')
  })
  test('what is decoded: base64 with noise, quoted-printable, uuencode, and what is none of them', async () => {
    const body = async (encoding: string, ...lines: string[]) =>
      (
        await parsed(['From: a@x.example', `Content-Transfer-Encoding: ${encoding}`, '', ...lines])
      ).text.trim()
    expect(await body('base64', 'aGVs*bG8=')).toBe('hello')
    expect(await body('BASE64', 'aGVsbG8=')).toBe('hello')
    expect(await body('quoted-printable', 'hel=6C=', 'o')).toBe('hello')
    for (const name of ['x-uuencode', 'x-uue', 'uuencode'])
      expect(await body(name, 'begin 644 a.txt', '%:&5L;&\\', '`', 'end')).toBe('hello')
    expect(await body('uuencode', 'no such thing')).toBe('no such thing')
    expect(await body('7bit', 'aGVsbG8=')).toBe('aGVsbG8=')
  })
  test('defects are named', async () => {
    expect((await parsed(['From: a@x.example', '', 'hi'])).defects).toEqual(['no-date', 'no-message-id'])
    const many = ['From: a@x.example', 'From: b@x.example', 'Date: x', 'Message-ID: <1@x>']
    expect((await parsed([...many, 'Subject: a', 'Subject: b', '', ''])).defects).toEqual([
      'several-from-fields',
      'several-subject-fields',
    ])
    expect((await parsed(['Date: x', 'Message-ID: <1@x>', 'Subject: a', '', ''])).defects).toEqual([
      'no-from',
    ])
  })
  test('a From that is longer than anybody reads is not whole; another long field changes nothing', async () => {
    const long = 'x'.repeat(9000)
    expect((await parsed([`From: "${long}" <a@x.example>`, '', ''])).fromWhole).toBe(false)
    expect(
      (await parsed(['From: a@x.example', `X-From: ${long}`, `From-Where: ${long}`, '', ''])).fromWhole,
    ).toBe(true)
  })
  test('pictures by their content id, with and without brackets', async () => {
    const raw = multipart(
      'related',
      ['Content-Type: text/html', '', '<img src="cid:a@x">'],
      ['Content-Type: image/png', 'Content-ID: <a@x>', 'Content-Transfer-Encoding: base64', '', 'cG5n'],
      ['Content-Type: image/gif', 'Content-ID: bare@x', '', 'gif'],
      ['Content-Type: image/gif; name=none.gif', '', 'gif'],
    )
    const pictures = await embeddedPictures(Buffer.from(raw.join('\r\n')))
    expect(
      [...pictures].map(([id, { type, content }]) => [id, type, Buffer.from(content).toString().trim()]),
    ).toEqual([
      ['a@x', 'image/png', 'png'],
      ['bare@x', 'image/gif', 'gif'],
    ])
    const message = await parsed(raw)
    expect(message.attachments.map(({ inline }) => inline)).toEqual([true, true, true])
  })
})

describe('names of files, in every form that some program reads', () => {
  const names = async (...head: string[]) => {
    const message = await parsed([
      'From: a@x.example',
      'Content-Type: multipart/mixed; boundary=B',
      '',
      '--B',
      ...head,
      '',
      'x',
      '--B--',
    ])
    return message.attachments[0]?.name
  }
  test.each([
    [
      'in Content-Disposition before Content-Type',
      ['Content-Type: a/b; name=type.bin', 'Content-Disposition: attachment; filename=shown.bin'],
      'shown.bin',
    ],
    ['in Content-Type alone', ['Content-Type: application/pdf; name="plan b.pdf"'], 'plan b.pdf'],
    ['as an encoded word', ['Content-Disposition: attachment; filename="=?utf-8?Q?k=C3=B8.pdf?="'], 'kø.pdf'],
    ['as RFC 2231 has it', ["Content-Disposition: attachment; filename*=utf-8''k%C3%B8.pdf"], 'kø.pdf'],
    ['in pieces', ['Content-Disposition: attachment; filename*0="pl"; filename*1="an.pdf"'], 'plan.pdf'],
    [
      'in Content-Description, where it ends like a file',
      ['Content-Type: application/pdf', 'Content-Description: plan.pdf'],
      'plan.pdf',
    ],
    [
      'none in Content-Description that is words',
      ['Content-Type: application/pdf', 'Content-Description: The plan'],
      '',
    ],
    [
      'none in a field of another name',
      ['Content-Type: application/pdf', 'X-Content-Disposition: attachment; filename=no.pdf'],
      '',
    ],
  ])('%s', async (_what, head, want) => expect(await names(...head)).toBe(want))
})

describe('files written into a text (uuencode)', () => {
  const encoded = ['%:&5L;&\\', '`']
  const file = (name: string) => [`begin 644 ${name}`, ...encoded, 'end']
  test('each with its name, and what is around them is none', () =>
    expect(
      findUuencoded(['hi', ...file('a b.txt'), 'begin at noon', 'begin 99 x', ...file('two')].join('\n')).map(
        ({ name, content }) => [name, content.toString()],
      ),
    ).toEqual([
      ['a b.txt', 'hello'],
      ['two', 'hello'],
    ]))
  test('one that never ends is a file, one that holds nothing is none', () => {
    expect(findUuencoded(['begin 0644 a', ...encoded].join('\n')).map(({ name }) => name)).toEqual(['a'])
    expect(findUuencoded('begin 644 a\n')).toEqual([])
  })
  test('at most ten', () =>
    expect(
      findUuencoded(Array.from({ length: 14 }, (_, i) => file(`f${i}`).join('\n')).join('\n')),
    ).toHaveLength(10))
  test('any bytes come back as they were', () =>
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 200 }), bytes => {
        const lines: string[] = []
        for (let at = 0; at < bytes.length; at += 45) {
          const piece = Buffer.from(bytes.slice(at, at + 45))
          let line = String.fromCharCode(32 + piece.length)
          for (let i = 0; i < piece.length; i += 3) {
            const n = ((piece[i] ?? 0) << 16) | ((piece[i + 1] ?? 0) << 8) | (piece[i + 2] ?? 0)
            for (const shift of [18, 12, 6, 0])
              line += String.fromCharCode(32 + ((n >> shift) & 63)).replace(' ', '`')
          }
          lines.push(line)
        }
        const [found] = findUuencoded(['begin 644 x', ...lines, 'end'].join('\r\n'))
        expect(found?.content).toEqual(Buffer.from(bytes))
      }),
      { numRuns: 60 },
    ))
})

describe('TNEF (MS-OXTNEF §2.1.3)', () => {
  const attribute = (id: number, data: Buffer, level = 2) => {
    const head = Buffer.alloc(9)
    head[0] = level
    head.writeUInt32LE(id, 1)
    head.writeUInt32LE(data.length, 5)
    return Buffer.concat([head, data, Buffer.alloc(2)])
  }
  const start = Buffer.from('789f3e220100', 'hex')
  const render = attribute(0x00069002, Buffer.alloc(14))
  const title = (name: string) => attribute(0x00018010, Buffer.from(`${name}\0rest`))
  const data = (text: string) => attribute(0x0006800f, Buffer.from(text))
  const stream = (...parts: Buffer[]) => readTnef(Buffer.concat([start, ...parts]))
  const seen = (files: ReturnType<typeof readTnef>) =>
    files.map(({ name, content }) => [name, content.toString()])

  test('files in a row, each with its name and bytes', () =>
    expect(seen(stream(render, title('a.txt'), data('one'), render, title('b.txt'), data('two')))).toEqual([
      ['a.txt', 'one'],
      ['b.txt', 'two'],
    ]))
  test('attributes of the message are passed over, a subject is no file', () =>
    expect(
      seen(stream(attribute(0x00018004, Buffer.from('subject\0'), 1), render, title('a'), data('x'))),
    ).toEqual([['a', 'x']]))
  test('the first short name counts', () =>
    expect(seen(stream(render, title('first'), title('second'), data('x')))).toEqual([['first', 'x']]))
  test.each([
    ['as bytes', 0x001e, 'latin1'],
    ['as UTF-16', 0x001f, 'utf16le'],
  ] as const)('the long name stands in the properties, %s', (_how, type, encoding) => {
    const value = Buffer.from('a long name.docx\0', encoding)
    const tag = Buffer.alloc(12)
    tag.writeUInt16LE(type, 0)
    tag.writeUInt16LE(0x3707, 2)
    tag.writeUInt32LE(1, 4)
    tag.writeUInt32LE(value.length, 8)
    const properties = Buffer.concat([Buffer.from([9, 9, 9, 9, 8]), tag, value, Buffer.from('more')])
    expect(seen(stream(render, title('ALONGN~1.DOC'), data('x'), attribute(0x00069005, properties)))).toEqual(
      [['a long name.docx', 'x']],
    )
    // A length that can't be: the short name stays.
    properties.writeUInt32LE(0xffff, 5 + 8)
    expect(seen(stream(render, title('SHORT'), data('x'), attribute(0x00069005, properties)))).toEqual([
      ['SHORT', 'x'],
    ])
  })
  test('what breaks the grammar ends it; what was read is kept', () => {
    expect(seen(stream(render, title('a'), data('x'), attribute(0x0006800f, Buffer.from('y'), 7)))).toEqual([
      ['a', 'x'],
    ])
    const cut = Buffer.concat([start, render, title('a'), data('xyz')]).subarray(0, -4)
    expect(seen(readTnef(cut))).toEqual([['a', '']])
  })
  test('the last attribute counts even if it holds nothing and its sum is missing', () => {
    const bare = Buffer.concat([start, data('x'), attribute(0x0006800f, Buffer.alloc(0))]).subarray(0, -2)
    expect(readTnef(bare)).toEqual([])
  })
  test('at most fifty files', () =>
    expect(stream(...Array.from({ length: 60 }, (_, i) => [render, title(`f${i}`)]).flat())).toHaveLength(50))
})

/** A PDF (ISO 32000-1 §7.5) whose pages say a word each, without its table of offsets: readers rebuild that. */
function pdf(words: readonly string[]): Buffer {
  const objects = [
    '<</Type/Catalog/Pages 2 0 R>>',
    `<</Type/Pages/Count ${words.length}/Kids[${words.map((_, i) => `${4 + 2 * i} 0 R`).join(' ')}]>>`,
    '<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>',
    ...words.flatMap((word, i) => {
      const lines = word.split('\n').map(line => `(${line}) Tj 0 -9 Td`)
      const text = `BT /F 6 Tf 20 280 Td ${lines.join(' ')} ET`
      return [
        `<</Type/Page/Parent 2 0 R/MediaBox[0 0 300 300]/Resources<</Font<</F 3 0 R>>>>/Contents ${5 + 2 * i} 0 R>>`,
        `<</Length ${text.length}>>\nstream\n${text}\nendstream`,
      ]
    }),
  ]
  const body = objects.map((object, i) => `${i + 1} 0 obj\n${object}\nendobj\n`).join('')
  return Buffer.from(`%PDF-1.4\n${body}trailer\n<</Root 1 0 R/Size ${objects.length + 1}>>\n%%EOF`)
}

describe('the words of a PDF', () => {
  test('page by page, the first twenty', async () => {
    expect(await pdfText(pdf(['  Berth', 'plan']))).toBe('Berth\n\nplan')
    const pages = Array.from({ length: 23 }, (_, i) => `page${i}`)
    expect(await pdfText(pdf(pages))).toBe(pages.slice(0, 20).join('\n\n'))
  })
  test('and no more than 20,000 characters', async () => {
    const text = await pdfText(pdf(Array.from({ length: 20 }, () => `${'word'.repeat(15)}\n`.repeat(25))))
    expect(text).toHaveLength(20_000)
  })
  test('none where it holds none, is broken, or is longer than anybody reads', async () => {
    expect(await pdfText(pdf(['']))).toBeNull()
    expect(await pdfText(pdf(['', 'plan', '']))).toBe('plan')
    expect(await pdfText(Buffer.from('%PDF-1.4 broken'))).toBeNull()
    expect(await pdfText(pdf(Array.from({ length: 501 }, () => 'x')))).toBeNull()
  })
})

describe('HTML is never deeper than a parser should go', () => {
  /** Deepest stack of elements as a parser sees it, void ones aside, and all text. */
  function walk(html: string) {
    let depth = 0
    let deepest = 0
    let text = ''
    const parser = new Parser({
      onopentag: () => {
        depth += 1
        deepest = Math.max(deepest, depth)
      },
      onclosetag: () => {
        depth -= 1
      },
      ontext: piece => {
        text += piece
      },
    })
    parser.end(html)
    return { deepest, text: text.replace(/ /g, '') }
  }
  const nested = (depth: number) => `${'<b>'.repeat(depth)}word${'</b>'.repeat(depth)}`

  test('120 stay as they are, the 121st goes and its text stays', () => {
    expect(capNesting(nested(120))).toBe(nested(120))
    expect(walk(capNesting(nested(121)))).toEqual({ deepest: 120, text: 'word' })
    expect(capNesting(nested(121))).toBe(`${'<b>'.repeat(120)} word ${'</b>'.repeat(120)}`)
  })
  test.each([
    ['elements that hold nothing', '<br><hr/><img src=x><INPUT><wbr>'.repeat(60)],
    ['comments and declarations', '<!-- x --><!doctype html><?xml?>'.repeat(60)],
    ['elements beside each other', '<i>x</i>'.repeat(400)],
    ['what is no tag', 'a < b <3 <- '.repeat(200)],
  ])('%s do not add up', (_what, html) => expect(capNesting(html)).toBe(html))
  test('closing more than was open changes nothing for what follows', () => {
    const html = `${'</b>'.repeat(300)}${nested(120)}`
    expect(capNesting(html)).toBe(html)
  })
  test('an element left open at the end loses no text before it', () =>
    expect(walk(capNesting(`${'<b>'.repeat(121)}word<b`))).toEqual({ deepest: 120, text: 'word' }))
  // Each of these once made the depth look less than it was.
  test.each([
    ['closing what is not open', '<b></i>'],
    ['a closing tag in an attribute', '<b title="</b>">'],
    ['a closing tag in a comment', '<b><!--</b>-->'],
    ['a closing tag in a title', '<b><title></b></title>'],
    ['a name that only begins like one that holds nothing', '<brx>'],
    ['an element closed before its time', '<p><div></p>'],
    ['foreign elements', '<svg><b/>'],
    ['elements that close themselves, which HTML has not', '<b/>'],
  ])('%s does not hide the depth', (_what, piece) => {
    expect(walk(capNesting(piece.repeat(1000))).deepest).toBeLessThanOrEqual(120)
    // The same way in as mail takes: no stack overflows, no link is lost.
    expect(readHtml(`${piece.repeat(20_000)}<i>word</i>`).text).toContain('word')
  })
  test('what stands behind the deep place is read as before', () => {
    const page = `${nested(400)}<p><a href="https://a.example/">here</a></p>`
    expect(capNesting(page).endsWith('<p><a href="https://a.example/">here</a></p>')).toBe(true)
    expect(readHtml(page).links.map(({ host }) => host)).toEqual(['a.example'])
  })
  test('any mix of tags and words: the depth holds, each word stays', () =>
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc.constantFrom(
              '<b>',
              '<p>',
              '<div class="</b>">',
              '</b>',
              '</p>',
              '</div>',
              '<br>',
              '<!-- </b> -->',
              '<b><b><b>',
              'word',
              ' ',
            ),
            fc.integer({ min: 1, max: 150 }).map(n => '<i>'.repeat(n)),
          ),
          { maxLength: 60 },
        ),
        pieces => {
          const html = pieces.join('')
          const { deepest, text } = walk(capNesting(html))
          // A closing tag of a paragraph that is not open is one that opens and closes.
          expect(deepest).toBeLessThanOrEqual(121)
          expect(text).toBe(walk(html).text)
          expect(capNesting(capNesting(html))).toBe(capNesting(html))
        },
      ),
      { numRuns: 200 },
    ))
})

describe('links and words of a page', () => {
  test('addresses in a text, without what ends the sentence; at most 500', () => {
    expect(
      textLinks('See https://a.example/x?y=(1), http://b.example/!? and "https://c.example/z".'),
    ).toEqual([
      { href: 'https://a.example/x?y=(1', text: 'https://a.example/x?y=(1', host: 'a.example' },
      { href: 'http://b.example/', text: 'http://b.example/', host: 'b.example' },
      { href: 'https://c.example/z', text: 'https://c.example/z', host: 'c.example' },
    ])
    expect(textLinks('https://a.example/ '.repeat(510))).toHaveLength(500)
  })
  test('a link ends where it closes, even around other elements; one in the other is two', () => {
    expect(readHtml('<a href=" https://a.example/ ">one <b>two</b></a> three').links).toEqual([
      { href: 'https://a.example/', text: 'one two', host: 'a.example' },
    ])
  })
  test('what is struck through is told apart, by element and by style', () => {
    const html =
      '<p>keep <s>out</s> <del>gone</del> <span style="text-decoration:line-through">too</span> end</p>'
    expect(readHtml(html).struckText.split(/\s+/)).toEqual(['out', 'gone', 'too'])
    expect(readHtml(html).text).toContain('out')
    expect(readHtml(html, { leaveStruck: true }).text).not.toMatch(/out|gone|too/)
  })
  test.each([
    ['<p>a</p><p>b</p>', 'a\n\nb'],
    ['<dl><dt>a</dt><dd>b</dd></dl>', 'a b'],
    ['a<br>b', 'a\nb'],
    ['<p>a</p>\n\n\n\n<p>b</p>', 'a\n\nb'],
    ['<noscript>x</noscript><template>y</template>z', 'z'],
    ['a \t  b', 'a b'],
  ])('%s', (html, text) => expect(readHtml(html).text).toBe(text))
})
