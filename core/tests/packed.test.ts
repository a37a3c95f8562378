import { beforeAll, describe, expect, test } from 'vitest'
import { findHarm } from '@pendro/core/judgement'
import { parseMessage } from '@pendro/core/message'
import { readPacked } from '../src/message/packed.ts'
import { pack, program, rar } from './packing.ts'

async function dangerOf(name: string, content: Buffer): Promise<string | null> {
  const raw = [
    'From: a@x.example',
    'MIME-Version: 1.0',
    `Content-Type: application/octet-stream; name="${name}"`,
    'Content-Transfer-Encoding: base64',
    `Content-Disposition: attachment; filename="${name}"`,
    '',
    content.toString('base64').replace(/.{76}/g, '$&\r\n'),
    '',
  ].join('\r\n')
  const parsed = await parseMessage(Buffer.from(raw))
  if (!parsed.ok) throw new Error(JSON.stringify(parsed.problem))
  const all = [
    'executable',
    'script',
    'macro',
    'encrypted-archive',
    'unreadable-archive',
    'program-in-archive',
    'bomb',
    'disguised',
  ]
  return findHarm(parsed.value.attachments, all as never)?.danger ?? null
}

describe('archives that ask for a library: what they hold decides, whatever they are called', () => {
  let plain: Buffer
  beforeAll(async () => {
    plain = await pack('a.7z', { 'notes.txt': 'hello', 'minutes.pdf': '%PDF-1.4' })
  })

  test('documents in them are no harm', async () => {
    expect(await dangerOf('minutes.7z', plain)).toBe(null)
    expect(await dangerOf('minutes.rar', rar('notes.txt', Buffer.from('hello')))).toBe(null)
  })

  test.each<[string, () => Promise<Buffer>, string]>([
    ['a program by its name', () => pack('a.7z', { 'invoice.exe': program }), 'program-in-archive'],
    ['a script by its name', () => pack('a.7z', { 'read me.js': 'x()' }), 'program-in-archive'],
    ['a program without an ending', () => pack('a.7z', { invoice: program }), 'program-in-archive'],
    [
      'an archive in an archive',
      async () => pack('b.7z', { 'inner.7z': await pack('a.7z', { 'invoice.exe': program }) }),
      'program-in-archive',
    ],
    [
      'a RAR in a 7z',
      async () => pack('b.7z', { 'inner.rar': rar('invoice.scr', program) }),
      'program-in-archive',
    ],
    ['a RAR', () => Promise.resolve(rar('invoice.exe', program)), 'program-in-archive'],
    [
      'a RAR with a program without an ending',
      () => Promise.resolve(rar('invoice', program)),
      'program-in-archive',
    ],
    [
      'a compressed tar',
      async () => pack('a.tar.xz', { 'a.tar': await pack('a.tar', { 'run.vbs': 'x' }) }),
      'program-in-archive',
    ],
    ['a bzip2', async () => pack('a.bz2', { 'invoice.exe': program }), 'program-in-archive'],
    ['encrypted contents', () => pack('a.7z', { 'invoice.doc': 'x' }, ['-psecret']), 'encrypted-archive'],
    [
      'encrypted contents, a program by name',
      () => pack('a.7z', { 'invoice.exe': program }, ['-psecret']),
      'program-in-archive',
    ],
    [
      'encrypted names',
      () => pack('a.7z', { 'invoice.exe': program }, ['-psecret', '-mhe=on']),
      'encrypted-archive',
    ],
    [
      'what fills the disk and does not say so',
      () => pack('a.bz2', { zeros: Buffer.alloc(30_000_000) }),
      'bomb',
    ],
    ['what fills the disk', () => pack('a.7z', { 'zeros.bin': Buffer.alloc(30_000_000) }), 'bomb'],
  ])('%s', async (_what, make, danger) => {
    expect(await dangerOf('papers.dat', await make())).toBe(danger)
  })

  test('what is cut or broken is unreadable, and harms nobody', async () => {
    expect(await dangerOf('cut.7z', plain.subarray(0, plain.length - 20))).toBe('unreadable-archive')
    const broken = Buffer.from(plain)
    broken.fill(0xff, 12, 40)
    expect(await dangerOf('broken.7z', broken)).toBe('unreadable-archive')
    expect(await dangerOf('only-a-mark.7z', Buffer.from('377abcaf271c', 'hex'))).toBe('unreadable-archive')
    expect(await dangerOf('only-a-mark.rar', Buffer.from('526172211a0700', 'hex'))).toBe('unreadable-archive')
  })

  test('a text that begins like an archive is a text', async () => {
    for (const text of ['BZhang wrote to us', 'MSCF is short for it', 'a --lh- b', 'xar! said the gull']) {
      const parsed = await parseMessage(Buffer.from(`From: a@x.example\r\n\r\n${text}\r\n`))
      expect(parsed.ok && parsed.value.attachments).toEqual([])
    }
  })

  test('many archives in one message cost no more than the budget of one', async () => {
    const one = await pack('a.7z', { 'notes.txt': 'hello' })
    const many = await pack(
      'all.7z',
      Object.fromEntries(Array.from({ length: 100 }, (_, i) => [`n${i}.7z`, one])),
    )
    const nested = await pack(
      'out.7z',
      Object.fromEntries(Array.from({ length: 20 }, (_, i) => [`m${i}.7z`, many])),
    )
    expect(await dangerOf('nested.7z', nested)).toBe('unreadable-archive')
  })
})

describe('what a 7z holds, as it is read', () => {
  const files = { 'docs/notes.txt': 'hello', 'docs/deep/minutes.pdf': '%PDF-1.4', 'top.txt': 'x' }
  test('files by their paths, and folders are none', async () => {
    const read = await readPacked(await pack('a.7z', files), {
      bytes: 1000,
      wanted: name => name.endsWith('.txt'),
    })
    expect([...(read?.names ?? [])].sort()).toEqual(['docs/deep/minutes.pdf', 'docs/notes.txt', 'top.txt'])
    expect(read).toMatchObject({ encrypted: false, cut: false, expanded: 14 })
    expect(read?.contents.map(({ name, content }) => [name, content.toString()]).sort()).toEqual([
      ['docs/notes.txt', 'hello'],
      ['top.txt', 'x'],
    ])
  })
  test('what is larger than it may be is listed, and nothing of it unpacked', async () => {
    const read = await readPacked(await pack('a.7z', files), { bytes: 13, wanted: () => true })
    expect(read).toMatchObject({ cut: true, contents: [] })
    expect(read?.names).toHaveLength(3)
  })
  test('what is compressed alone has no name', async () => {
    const read = await readPacked(await pack('a.bz2', { 'notes.txt': 'hello' }), {
      bytes: 1000,
      wanted: () => false,
    })
    expect(read?.names).toEqual([''])
  })
})
