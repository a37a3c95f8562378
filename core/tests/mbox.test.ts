import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { createMboxReader, isMbox, type MboxItem } from '@pendro/core/formats'

const from = 'From anna@x.example Mon Nov 23 08:12:00 2026'
const bytes = (text: string) => Buffer.from(text, 'latin1')

function read(file: Uint8Array, { most = 10_000, size = file.length || 1, ...more } = {}): MboxItem[] {
  const reader = createMboxReader({ most, ...more })
  const items: MboxItem[] = []
  for (let i = 0; i < file.length; i += size) items.push(...reader.push(file.subarray(i, i + size)))
  return [...items, ...reader.finish()]
}
const texts = (items: readonly MboxItem[]) =>
  items
    .filter(({ goesOn }) => !goesOn)
    .map(({ raw }) => (raw === null ? null : Buffer.from(raw).toString('latin1')))

describe('an mbox file is cut into messages', () => {
  test.each<[what: string, file: string, messages: readonly (string | null)[]]>([
    ['nothing', '', []],
    ['one', `${from}\nSubject: A\n\nText.\n`, ['Subject: A\n\nText.\n']],
    ['one without an end of line', `${from}\nSubject: A\n\nText.`, ['Subject: A\n\nText.']],
    [
      'two',
      `${from}\nSubject: A\n\nText.\n\n${from}\nSubject: B\n\nText.\n\n`,
      ['Subject: A\n\nText.\n', 'Subject: B\n\nText.\n'],
    ],
    [
      'lines that end in CR LF',
      `${from}\r\nSubject: A\r\n\r\nText.\r\n\r\n`,
      ['Subject: A\r\n\r\nText.\r\n'],
    ],
    [
      'no empty line before a separator',
      `${from}\nA: 1\n\nText.\n${from}\nB: 2\n\n`,
      ['A: 1\n\nText.\n', 'B: 2\n'],
    ],
    ['a zone in it', `From anna@x.example Mon Nov 23 08:12:00 +0100 2026\nA: 1\n\nx\n`, ['A: 1\n\nx\n']],
    ['a zone by its name', `From anna@x.example Mon Nov 23 08:12:00 UTC 2026\nA: 1\n\nx\n`, ['A: 1\n\nx\n']],
    ['nobody it is from', `From - Mon Nov 23 08:12:00 2026\nA: 1\n\nx\n`, ['A: 1\n\nx\n']],
    ['a day of one digit', `From MAILER-DAEMON Mon Nov  2 08:12:00 2026\nA: 1\n\nx\n`, ['A: 1\n\nx\n']],
    [
      'the date as a field of mail writes it',
      `From a@x.example Mon, 23 Nov 2026 08:12:00 +0000\nA: 1\n\nx\n`,
      ['A: 1\n\nx\n'],
    ],
    [
      'a text that begins so',
      `${from}\nA: 1\n\nFrom Monday on we close at noon.\n`,
      ['A: 1\n\nFrom Monday on we close at noon.\n'],
    ],
    [
      'one that looks like a date',
      `${from}\nA: 1\n\nFrom here to Nov 2026.\n`,
      ['A: 1\n\nFrom here to Nov 2026.\n'],
    ],
    [
      'quoted lines',
      `${from}\nA: 1\n\n>From here\n>>From there\n> From\n`,
      ['A: 1\n\nFrom here\n>From there\n> From\n'],
    ],
    ['a file that is none', 'Subject: A\n\nText.\n', []],
    ['words before the first separator', `words\n\n${from}\nA: 1\n\nx\n`, ['A: 1\n\nx\n']],
    ['an empty message', `${from}\n\n${from}\nA: 1\n\nx\n`, ['', 'A: 1\n\nx\n']],
  ])('%s', (_, file, messages) => {
    expect(texts(read(bytes(file)))).toEqual(messages)
  })

  test('what is too large is left out, and the next is read; nothing larger is held', () => {
    const file = bytes(`${from}\nA: 1\n\n${'x'.repeat(70)}\n${'y'.repeat(70)}\n\n${from}\nB: 2\n\nshort\n`)
    expect(texts(read(file, { most: 100, size: 30 }))).toEqual([null, 'B: 2\n\nshort\n'])
  })
  test('a line that never ends is held no longer than it could be a separator', () => {
    const file = bytes(`${from}\nA: 1\n\n${'x'.repeat(5000)}${from}\n\n${from}\nB: 2\n\nshort\n`)
    expect(texts(read(file, { most: 1000, size: 37 }))).toEqual([null, 'B: 2\n\nshort\n'])
  })
  test('without any separator it ends all the same, and says how far it is', () => {
    const items = read(bytes(`${from}\n${'x\n'.repeat(5000)}`), { most: 100, size: 1000 })
    expect(texts(items)).toEqual([null])
    expect(items.filter(({ goesOn }) => goesOn).length).toBeGreaterThan(5)
  })

  const line = fc.oneof(
    fc.constantFrom('', from, '>From me', 'From now on', 'Subject: x', '\r', 'F', 'From '),
    fc.string({ maxLength: 20 }).map(text => text.replace(/[^\x20-\x7e]/g, '.')),
  )
  const file = fc.array(line, { maxLength: 40 }).map(lines => bytes(lines.join('\n')))
  test('it does not matter in which parts it comes', () => {
    fc.assert(
      fc.property(file, fc.integer({ min: 1, max: 50 }), (content, size) => {
        expect(texts(read(content, { size, most: 60 }))).toEqual(texts(read(content, { most: 60 })))
      }),
    )
  })
  test('broken off after any message, it goes on there and comes to the same', () => {
    fc.assert(
      fc.property(file, fc.nat({ max: 20 }), fc.integer({ min: 1, max: 50 }), (content, n, size) => {
        const all = read(content, { size, most: 60 })
        const stop = all[n]
        if (!stop) return
        const rest = read(content.subarray(stop.end), {
          size,
          most: 60,
          from: stop.end,
          goesOn: stop.goesOn,
        } as object)
        expect([...texts(all.slice(0, n + 1)), ...texts(rest)]).toEqual(texts(all))
      }),
    )
  })

  // A second reader that others wrote: Python's mailbox module.
  test('Python’s mailbox writes it and finds the same messages', () => {
    const folder = mkdtempSync(join(tmpdir(), 'pendro-mbox-'))
    const path = join(folder, 'sent')
    const script = `
import mailbox, json, sys
box = mailbox.mbox(sys.argv[1])
for n in range(30):
    message = mailbox.mboxMessage(f"Subject: {n}\\nFrom: a{n}@x.example\\n\\nText {n}.\\nFrom here on it is quoted.\\n" + "line\\n" * (n * 7))
    message.set_from(f"a{n}@x.example", True)
    box.add(message)
box.flush()
print(json.dumps([[m["Subject"], m.get_payload()] for m in mailbox.mbox(sys.argv[1])]))
`
    const theirs = JSON.parse(execFileSync('python3', ['-c', script, path]).toString()) as [string, string][]
    const content = execFileSync('cat', [path])
    expect(isMbox(content)).toBe(true)
    const ours = texts(read(content, { size: 100 }))
    expect(ours).toHaveLength(30)
    // Python leaves the quotes of the text as they are.
    const unquoted = (text: string) => text.replace(/^>From /gm, 'From ')
    expect(ours.map(text => text?.split('\n\n').slice(1).join('\n\n').trimEnd())).toEqual(
      theirs.map(([, text]) => unquoted(text).trimEnd()),
    )
    rmSync(folder, { recursive: true })
  })
  test.each([
    [from, true],
    [`${from}\nSubject: A`, true],
    ['Subject: A', false],
    ['From', false],
    ['', false],
  ])('whether %j is how an mbox begins: %s', (start, is) => {
    expect(isMbox(bytes(start))).toBe(is)
  })
})
