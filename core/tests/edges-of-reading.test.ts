// Edges of what reads messages, addresses and lists, which mutation testing found nobody to notice (docs/mutation.md).
import { describe, expect, test } from 'vitest'
import { findLookalike } from '@pendro/core/address'
import { parseAuthenticationResults } from '@pendro/core/authentication'
import { threadOf } from '@pendro/core/automatic-reply'
import { clusterKey } from '@pendro/core/clusters'
import { senderFacts } from '@pendro/core/judgement'
import { languageOf } from '@pendro/core/language'
import { readContacts, readList, tidyPattern } from '@pendro/core/lists'
import { conditionsKey, readRules } from '@pendro/core/mail-rules'
import {
  parseMessage,
  readHtml,
  ruleView,
  readStatusNotification,
  safeView,
  type Message,
} from '@pendro/core/message'
import { ownWords } from '@pendro/core/whereabouts'
import { parsePattern } from '@pendro/core/senders'
import { isDay } from '../src/lists/tidy.ts'
import { textLinks } from '../src/message/html-text.ts'
import { capNesting } from '../src/message/nesting.ts'

async function parsed(...lines: readonly string[]): Promise<Message> {
  const result = await parseMessage(Buffer.from([...lines, '', ''].join('\r\n')))
  if (!result.ok) throw new Error(JSON.stringify(result.problem))
  return result.value
}

describe('contrast as WCAG counts it', () => {
  const hidden = (ground: string, colour: string) =>
    readHtml(`<p>seen</p><p style="background:${ground};color:${colour}">secret</p>`).hiddenText !== ''
  // By the formula of WCAG 2.2 (relative luminance, contrast ratio), by hand: 1.29, 1.30, 1.06; 1.29, 1.31.
  test.each([
    ['#000000', '#202020', true],
    ['#000000', '#212121', false],
    ['#000000', '#0a0a0a', true],
    ['#0a0a0a', '#000000', true],
    ['#ffffff', '#e3e3e3', true],
    ['#ffffff', '#e1e1e1', false],
    ['#fff url(a.png)', '#fff', true],
    ['url(a.png)\n#fff', '#fff', true],
    ['url(a.png)', '#fff', false],
  ])('on %j a text in %s is hidden: %s', (ground, colour, is) => expect(hidden(ground, colour)).toBe(is))
  // CSS Color 4 §7 gives these: red, orange, yellow, lime, blue, purple, a grey.
  test.each([
    ['hsl(0, 100%, 50%)', '#ff0000'],
    ['hsl(39, 100%, 50%)', '#ffa600'],
    ['hsl(60, 100%, 50%)', '#ffff00'],
    ['hsl(120, 100%, 50%)', '#00ff00'],
    ['hsl(240, 100%, 50%)', '#0000ff'],
    ['hsl(300, 100%, 25%)', '#800080'],
    ['hsl(90, 0%, 50%)', '#808080'],
  ])('%s on %s is the same colour', (hue, hex) => {
    expect(hidden(hex, hue)).toBe(true)
    for (const apart of ['#000000', '#ffffff']) expect(hidden(apart, hue)).toBe(hidden(apart, hex))
  })
  test('attributes: of font and body alone, as browsers read them', () => {
    const text = (html: string) => readHtml(html).hiddenText
    expect(text('<body text="white">seen<p style="color:black">read</p></body>')).toBe('seen')
    expect(text('<p>seen</p><font color="white">secret</font>')).toBe('secret')
    expect(text('<p>seen</p><p color="white">read</p><p text="white">read</p>')).toBe('')
  })
})

describe('HTML', () => {
  test('characters written as entities are read as they look', () =>
    expect(readHtml('<p>caf&eacute; &amp; b&#97;r</p>').text).toBe('café & bar'))
  test('attributes of what stands too deep go with it, whatever they hold', () => {
    const deep = '<b>'.repeat(120)
    expect(capNesting(`${deep}<i title="a > b" class=x>word</i>`)).toBe(`${deep} word `)
  })
  test('a picture is put in for its cid alone', () => {
    const picture = { type: 'image/png', content: Buffer.from('x') }
    const pictures = new Map([
      ['logo', picture],
      [':logo', picture],
    ])
    const shown = (source: string) => safeView(`<img src="${source}">`, pictures).html
    expect(shown('cid:logo')).toContain('data:image/png')
    expect(shown('CID:logo')).toContain('data:image/png')
    for (const source of ['xxx:logo', 'xcid:logo', 'logo', 'data:logo'])
      expect(shown(source)).not.toContain('data:image/png')
  })
})

describe('From', () => {
  test('an address of a host’s number is read as it stands, and is none to go by', async () => {
    const message = await parsed('From: Anna <anna@[192.0.2.1]>')
    expect(message.from).toMatchObject([{ name: 'Anna', text: 'anna@[192.0.2.1]', address: null }])
    const open = await parsed('From: Anna <anna@[192.0.2.1>, bo@x.example')
    expect(open.fromWhole).toBe(false)
  })
  test.each([
    ['an empty place in a list', 'a@x.example,, b@x.example', true],
    ['a comma at its end', 'a@x.example,', true],
    ['a group', 'Both: a@x.example, b@x.example;', true],
    ['one that never closes', 'Anna <a@x.example', false],
    ['a name alone', 'a@x.example, Anna', false],
  ])('%s: read whole %j: %s', async (_what, from, whole) =>
    expect((await parsed(`From: ${from}`)).fromWhole).toBe(whole),
  )
  test('a name alone is a name, and gives no address to go by', async () => {
    const message = await parsed('From: Anna Berg')
    expect(message.from).toMatchObject([{ name: 'Anna Berg', text: '', address: null }])
    expect(senderFacts(message, null)).toMatchObject({ from: [], fromWhole: false, sender: null })
  })
})

describe('results of authentication (RFC 8601)', () => {
  const read = (text: string) => parseAuthenticationResults(`mx.harbour.example; ${text}`)?.results
  test('a word that a comment parts from its value is still its own', () => {
    expect(read('dkim=pass (good) header.d(x)=x.example')?.[0]?.properties.get('header.d')).toBe('x.example')
    expect(read('spf=pass smtp.mailfrom=a@x.example (b) header.from=y.example')?.[0]?.properties).toEqual(
      new Map([
        ['smtp.mailfrom', 'a@x.example'],
        ['header.from', 'y.example'],
      ]),
    )
  })
  test.each(['dkim=pass header.d', 'dkim=pass =x.example', 'dkim=pass header.d=', 'dkim=pass header.d x'])(
    '%j is nothing to go by',
    text => expect(read(text) ?? []).toEqual([]),
  )
})

describe('threads', () => {
  test('of two ids of its own the first counts', () => {
    const headers = [
      { name: 'Message-ID', value: '<one@x.example> <two@x.example>' },
      { name: 'In-Reply-To', value: '<was@x.example> <before@x.example>' },
    ]
    expect(threadOf(headers)).toEqual(['<was@x.example>', '<one@x.example>'])
  })
})

describe('language', () => {
  const german = 'Der Fahrplan der Fähre hat sich geändert und gilt von morgen an bis zum Ende der Woche'
  test('is told from sixty letters on, of the first four thousand characters', async () => {
    expect(await languageOf(german)).toBe('de')
    expect(await languageOf(german.slice(0, 60))).toBe('de')
    expect(await languageOf(german.slice(0, 59))).toBeNull()
    expect(await languageOf(`${'7 '.repeat(2000)}${german}`)).toBeNull()
  })
  test('digits and marks are no letters', async () =>
    expect(await languageOf(`Fähre ${'17:30, '.repeat(40)}`)).toBeNull())
  test('a language that no business mail is in is taken for one of those', async () => {
    const latin = 'Gallia est omnis divisa in partes tres, quarum unam incolunt Belgae, aliam Aquitani'
    const esperanto = 'Chiuj homoj estas denaske liberaj kaj egalaj lau digno kaj rajtoj kaj posedas racion'
    for (const text of [latin, esperanto])
      expect(['la', 'eo', 'tk', 'vo', 'ber']).not.toContain(await languageOf(text))
  })
})

describe('lists', () => {
  const lines = (text: string, name: string) => {
    const list = readList(Buffer.from(text), { name })
    return list.ok ? [...list.value.lines] : []
  }
  const card = (...more: string[]) => ['BEGIN:VCARD', 'VERSION:4.0', ...more, 'END:VCARD']
  test('cards: what only looks like an end is none, and an end alone is nothing', () => {
    const anna = card('FN:Anna', 'EMAIL:anna@x.example')
    const bo = card('FN:Bo', 'NOTE:a', ' END:VCARD', 'EMAIL:bo@x.example')
    expect(lines([...anna, 'END:VCARD', ...bo, 'END:VCARD'].join('\n'), 'a.vcf')).toMatchObject([
      { line: 1, typed: 'Anna <anna@x.example>', entry: { ok: true } },
      { line: 7, typed: 'Bo <bo@x.example>', entry: { ok: true } },
    ])
  })
  test('cards: the line behind the beginning tells which one was cut off', () => {
    const cut = ['BEGIN:VCARD', 'FN:Cut off']
    const text = [...cut, ...card('FN:Anna', 'EMAIL:anna@x.example'), ...cut].join('\n')
    expect(lines(text, 'a.vcf').map(({ line, typed }) => [line, typed])).toEqual([
      [1, 'FN:Cut off'],
      [3, 'Anna <anna@x.example>'],
      [8, 'FN:Cut off'],
    ])
    expect(lines([...card('FN:A', 'EMAIL:a@x.example'), 'BEGIN:VCARD'].join('\n'), 'a.vcf')[1]).toMatchObject(
      {
        typed: '',
      },
    )
  })
  test('plain text: what stands before "until" is the sender, and blanks around a line are nothing', () => {
    expect(lines('   blocked  x.example until 2026-12-01   ', 'a.txt')[0]?.entry).toMatchObject({
      value: { until: '2026-12-01', standing: 'blocked' },
    })
    expect(lines('\n\n  # a note\n x.example  # why  \n', 'a.txt')).toMatchObject([
      { line: 4, entry: { value: { reason: 'why' } } },
    ])
    expect(lines(`x.example\n${'y'.repeat(2000)}.example`, 'a.txt').map(({ entry }) => entry.ok)).toEqual([
      true,
      false,
    ])
  })
  test.each([
    ['2026-02-28', true],
    ['2026-02-29', false],
    ['2026-02-28 ', false],
    [' 2026-02-28', false],
    ['2026-02-281', false],
    ['02026-02-28', false],
    ['2026-13-01', false],
  ])('%j is a day: %s', (text, is) => expect(isDay(text)).toBe(is))
  test.each([
    ['Anna <anna@x.example>', 'anna@x.example'],
    ['  Anna < anna@x.example >', 'anna@x.example'],
    ['<list.x.example>', '<list.x.example>'],
    ['a<b>Anna <anna@x.example>', 'a<b>Anna <anna@x.example>'],
    ['mailto:', ''],
    ['mailto:anna@x.example?subject=x', 'anna@x.example'],
  ])('pasted %j is %j', (typed, want) => expect(tidyPattern(typed)).toBe(want))
  test.each(['<.x.example>', '<x.example.>', '<x..example>', '<x example.org>', '<x.example >', '<x>'])(
    '%j is a list-id: only where it is a dot-atom (RFC 2919 §2)',
    text => expect(parsePattern(text).ok).toBe(text === '<x.example >'),
  )
})

describe('names that look alike', () => {
  test.each([
    ['cardign.example', 'carding.example', 'one-letter'],
    ['carding.test', 'carding.example', 'one-letter'],
    ['cardings.example', 'carding.example', 'one-letter'],
    ['cardigns.example', 'carding.example', null],
    ['carding-login.example', 'carding.example', 'name-within'],
    ['discarding.example', 'carding.example', null],
    ['abcdefxx.example', 'cacdefxx.example', null],
    ['abcdefxx.example', 'bccdefxx.example', null],
  ])('%s beside %s: %s', (domain, known, by) => expect(findLookalike(domain, [known])?.by ?? null).toBe(by))
})

describe('words of one’s own', () => {
  test.each([
    ['a signature of two marks and a blank', 'Yes.\n-- \nAnna', 'Yes.'],
    ['of two marks', 'Yes.\n--\nAnna', 'Yes.'],
    ['of three marks is text', 'Yes.\n---\nAnna', 'Yes.\n---\nAnna'],
    ['at the very top is no signature', '-- \nAnna', '-- \nAnna'],
    ['many empty lines are one', 'Yes.\n\n\n\n\nNo.', 'Yes.\n\nNo.'],
  ])('%s', (_what, text, want) => expect(ownWords(text)).toBe(want))
})

describe('texts that are one', () => {
  const key = (text: string) => clusterKey({ subject: 'Offer', text, messageId: null })
  test('a greeting is shorter than sixty characters', () => {
    const line = (length: number) => `Dear ${'a'.repeat(length - 6)},`
    expect(key(`${line(59)}\nthe boat leaves`)).toBe(key('the boat leaves'))
    expect(key(`${line(60)}\nthe boat leaves`)).not.toBe(key('the boat leaves'))
  })
  test('a greeting behind empty lines is a greeting; an address leaves nothing behind', () => {
    expect(key('\n\n  Dear Anna,\nthe boat leaves')).toBe(key('the boat leaves'))
    expect(key('see anna@x.example the boat leaves')).toBe(key('see the boat leaves'))
    expect(key('see https://a.example/x the boat leaves')).toBe(key('see the boat leaves'))
    expect(key('see (https://a.example/x the boat leaves')).toBe(key('see the boat leaves'))
    expect(key('see xhttps://a.example/x leaves')).not.toBe(key('see leaves'))
  })
})

describe('mail rules', () => {
  test('what rules read of a message is its beginning', async () => {
    const message = await parsed('From: a@x.example', '', 'word '.repeat(20_000))
    expect(ruleView(message, 1000).body).toHaveLength(32_000)
  })
  test('Sieve: a part of an address alone is not told, and what is cut is shown', () => {
    const gaps = (script: string) => {
      const read = readRules(script)
      return JSON.stringify(read)
    }
    expect(gaps('require "fileinto"; if address :localpart :is "from" "anna" { fileinto "A"; }')).toContain(
      '"localpart"',
    )
    const long = 'x'.repeat(100)
    expect(gaps(`require "fileinto"; if header :is "${long}" "a" { fileinto "A"; }`)).toContain(
      `"${'x'.repeat(60)}"`,
    )
  })
  test('rules are alike whatever order their conditions stand in; all or any counts where there are several', () => {
    const on = (field: 'from' | 'subject', value: string) => ({ field, test: 'is' as const, values: [value] })
    const [a, b] = [on('from', 'a@x.example'), on('subject', 'Offer')]
    const key = (needs: 'all' | 'any', ...conditions: ReturnType<typeof on>[]) =>
      conditionsKey({ needs, conditions })
    expect(key('all', a, b)).toBe(key('all', b, a))
    expect(key('all', a, b)).not.toBe(key('any', a, b))
    expect(key('all', a)).toBe(key('any', a, a))
    expect(key('all', a)).not.toBe(key('all', b))
  })
})

describe('a delivery status notification', () => {
  const report = (type: string, original: string) =>
    readStatusNotification(
      Buffer.from(
        [
          'Content-Type: multipart/report; report-type=delivery-status; boundary=B',
          '',
          '--B',
          'Content-Type: message/delivery-status',
          '',
          'Reporting-MTA: dns; mx.x.example',
          '',
          'Final-Recipient: rfc822; anna@x.example',
          'Action: failed (for good)',
          'Status: 5.1.1',
          '',
          '--B',
          `Content-Type: ${type}`,
          '',
          original,
          '--B--',
          '',
        ].join('\r\n'),
      ),
    )
  test('what came back tells of the message, where it is one or its header', async () => {
    const original = 'Subject: Offer\r\nMessage-ID: <1@x.example>\r\n'
    const returned = async (type: string) =>
      [...((await report(type, original))?.returned.keys() ?? [])].sort()
    expect(await returned('text/rfc822-headers')).toEqual(['message-id', 'subject'])
    expect(await returned('message/rfc822')).toEqual(['message-id', 'subject'])
    for (const other of ['text/rfc822-headers-x', 'xmessage/rfc822', 'text/plain'])
      expect(await returned(other)).toEqual([])
    expect((await report('text/plain', ''))?.recipients).toMatchObject([
      { action: 'failed', status: '5.1.1' },
    ])
  })
  test('what can’t be read as mail at all is none', async () =>
    expect(await readStatusNotification(Buffer.from('Content-Type: multipart/report; boundary='))).toBeNull())
})

describe('address books', () => {
  test('the name of a file says what it is where its beginning does not', () => {
    const book = Buffer.from('anna@x.example,Anna\nbo@x.example,Bo\n')
    expect(readContacts({ bytes: book, name: 'book.csv' })).toMatchObject({
      addresses: ['anna@x.example', 'bo@x.example'],
      leftLines: 0,
    })
    expect(readContacts({ bytes: book, name: 'book.txt' }).leftLines).toBe(2)
  })
})

describe('files', () => {
  const lines = (bytes: Uint8Array, name = 'a.txt') => {
    const list = readList(bytes, { name })
    return list.ok ? [...list.value.lines].map(({ typed, entry }) => [typed, entry.ok]) : list.problem
  }
  test('UTF-16 either way by its mark, and no other file for it', () => {
    const little = Buffer.from('\ufeffx.example', 'utf16le')
    expect(lines(little)).toEqual([['x.example', true]])
    expect(lines(Buffer.from(little).swap16())).toEqual([['x.example', true]])
    const old = (...bytes: number[]) => lines(Buffer.from([...bytes, ...Buffer.from('.example')]))
    expect(old(0xff)).toEqual([['ÿ.example', true]])
    expect(old(0x78, 0xfe)).toEqual([['xþ.example', true]])
    expect(old(0xfe)).toEqual([['þ.example', true]])
    expect(old(0x78, 0xff)).toEqual([['xÿ.example', true]])
  })
  test.each([
    [0, false],
    [8, false],
    [9, true],
    [10, true],
    [11, false],
    [12, true],
    [13, true],
    [14, false],
    [26, false],
    [27, true],
    [28, false],
    [31, false],
    [32, true],
  ])('a file with the character %d is text: %s', (character, is) =>
    expect(lines(Buffer.concat([Buffer.from('x.example\n# '), Buffer.from([character])]))).toEqual(
      is ? [['x.example', true]] : { code: 'binary', at: 12 },
    ),
  )
  test('what was typed is shown, cut after four hundred characters', () => {
    const of = (length: number) => {
      const found = lines(Buffer.from('y'.repeat(length)))
      return Array.isArray(found) ? String(found[0]?.[0]) : ''
    }
    expect(of(400)).toBe('y'.repeat(400))
    expect(of(401)).toBe(`${'y'.repeat(399)}…`)
  })
  test.each([
    ['"anna@x.example"', 'anna@x.example'],
    ["'anna@x.example'", 'anna@x.example'],
    ['"', '"'],
    ['""', ''],
    ['"anna b"@x.example', '"anna b"@x.example'],
    ['z"anna@x.example"', 'z"anna@x.example"'],
    ['Anna<anna@x.example>', 'anna@x.example'],
    ['  Anna   <anna@x.example>', 'anna@x.example'],
    ['"anna" "bo"', '"anna" "bo"'],
    ['"anna@x.example" x', '"anna@x.example" x'],
    ['"anna@x.example\'', '"anna@x.example\''],
    ['mailto:anna%40x.example', 'anna@x.example'],
    ['mailto:%', '%'],
    ["'=x.example", '=x.example'],
    ['x.example,;,', 'x.example'],
  ])('pasted %s is %s', (typed, want) => expect(tidyPattern(typed)).toBe(want))
})

describe('links at the end of a sentence', () => {
  test.each([
    ['see https://x.example/a.', 'https://x.example/a'],
    ['see https://x.example/a?!', 'https://x.example/a'],
    ['see https://x.example/a,;:', 'https://x.example/a'],
    ['see https://x.example/a.b', 'https://x.example/a.b'],
    ['see https://x.example/', 'https://x.example/'],
  ])('%j', (text, link) => expect(textLinks(text).map(({ text: written }) => written)).toEqual([link]))
})

describe('what is declared', () => {
  const hidden = (style: string) => readHtml(`<p>seen</p><p style="${style}">secret</p>`).hiddenText !== ''
  test.each([
    ['font-size:3px', true],
    ['font-size:4px', false],
    ['font-size:2.9pt', true],
    ['font-size:3.1pt', false],
    ['font-size:0.2em', true],
    ['font-size:0.4em', false],
    ['font-size:', false],
    ['font-size', false],
    [':font-size', false],
    ['x:font-size:1px', false],
    ['background:#fff;color:#fff;colorx', true],
    ['background:#fff;color:#000;colorx', false],
    ['font-size:1px;font-size:14px', false],
    ['font-size:14px;font-size:1px', true],
  ])('%s hides: %s', (style, is) => expect(hidden(style)).toBe(is))
})
