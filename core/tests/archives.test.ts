import { gzipSync } from 'node:zlib'
import { describe, expect, test } from 'vitest'
import { freshBudget, findTrueType } from '../src/message/attachments.ts'
import { readZip } from '../src/message/archives.ts'
import { pack, program, rar } from './packing.ts'

/** What is said of one file by name and bytes. */
const seen = (name: string, content: Buffer, type = 'application/octet-stream') =>
  findTrueType({ names: [name], type, content }, freshBudget())
const dangerOf = async (name: string, content: Buffer, type?: string) =>
  (await seen(name, content, type)).danger

/** A ZIP by 7-Zip's library, which is not the one that reads it here. */
const zip = (files: Readonly<Record<string, Buffer | string>>, ...options: string[]) =>
  pack('a.zip', files, ['-tzip', ...options])

describe('what a ZIP holds', () => {
  test.each<[string, Record<string, Buffer | string>, string | null]>([
    ['documents', { 'minutes.pdf': '%PDF-1.4', 'notes.txt': 'hello' }, null],
    ['a program by its name', { 'notes.txt': 'x', 'setup.exe': 'x' }, 'program-in-archive'],
    ['a script by its name', { 'read me.wsf': 'x' }, 'program-in-archive'],
    ['a program without an ending', { setup: program }, 'program-in-archive'],
    ['a text without an ending', { README: 'MZ is a mark' }, null],
    ['the macros of a document', { 'vbaProject.bin': 'x' }, 'macro'],
    ['a file that is only called alike', { 'myvbaProject.bin': 'x' }, null],
    ['a program behind the ending of a document', { 'invoice.pdf.exe': 'x' }, 'program-in-archive'],
  ])('%s', async (_what, files, danger) => {
    expect(await dangerOf('papers.zip', await zip(files))).toBe(danger)
  })

  test('a name in it that deceives makes it a disguise; one that does not, does not', async () => {
    expect((await seen('papers.zip', await zip({ 'invoice.pdf.exe': 'x' }))).disguise).toBe(true)
    expect((await seen('papers.zip', await zip({ 'setup.exe': 'x' }))).disguise).toBe(false)
  })

  test('macros lie in a folder of the document, and are found by what it holds whatever it is called', async () => {
    const document = await zip({ 'word/vbaProject.bin': 'x', 'word/document.xml': '<w/>' })
    expect(await dangerOf('letter.docx', document)).toBe('macro')
    expect(await dangerOf('letter.docx', await zip({ 'word/document.xml': '<w/>' }))).toBe(null)
  })

  test('an archive in an archive, and one in that', async () => {
    const inner = await zip({ 'setup.exe': program })
    const middle = await zip({ 'inner.zip': inner })
    expect(await dangerOf('a.zip', middle)).toBe('program-in-archive')
    expect(await dangerOf('a.zip', await zip({ 'middle.zip': middle }))).toBe('program-in-archive')
    expect(await dangerOf('a.zip', await zip({ 'inner.zip': await zip({ 'notes.txt': 'x' }) }))).toBe(null)
  })

  test('nested deeper than anybody looks is unreadable, and ends', async () => {
    let nested = await zip({ 'notes.txt': 'x' })
    for (let i = 0; i < 9; i += 1) nested = await zip({ 'inner.zip': nested })
    expect(await dangerOf('a.zip', nested)).toBe('unreadable-archive')
  })

  test('a password locks it; the names are still read', async () => {
    expect(await dangerOf('a.zip', await zip({ 'notes.txt': 'x' }, '-psecret'))).toBe('encrypted-archive')
    expect(await dangerOf('a.zip', await zip({ 'setup.exe': 'x' }, '-psecret'))).toBe('program-in-archive')
    // One byte says which: without it the same file is an ordinary one.
    expect(await dangerOf('a.zip', await zip({ 'notes.txt': 'x' }))).toBe(null)
  })

  test('the names are told, the first eight of them with the count of all', async () => {
    expect((await seen('a.zip', await zip({ 'a.txt': 'x', 'b.txt': 'x' }))).note).toBe('a.txt, b.txt')
    const many = Object.fromEntries(Array.from({ length: 9 }, (_, i) => [`${i}.txt`, 'x']))
    expect((await seen('a.zip', await zip(many))).note).toBe(
      '0.txt, 1.txt, 2.txt, 3.txt, 4.txt, 5.txt, 6.txt, 7.txt, … (9)',
    )
    const eight = Object.fromEntries(Array.from({ length: 8 }, (_, i) => [`${i}.txt`, 'x']))
    expect((await seen('a.zip', await zip(eight))).note).not.toContain('…')
  })

  test('a picture may stand in front of it, and a program in it is found', async () => {
    const picture = Buffer.concat([Buffer.from('ffd8ffe000104a464946', 'hex'), Buffer.alloc(200, 7)])
    expect(await dangerOf('photo.jpg', Buffer.concat([picture, await zip({ 'a.exe': 'x' })]))).toBe(
      'program-in-archive',
    )
    expect(await dangerOf('photo.jpg', picture)).toBe(null)
  })

  test('something may stand behind it, too', async () => {
    const made = await zip({ 'a.exe': 'x' })
    expect(await dangerOf('a.bin', Buffer.concat([Buffer.alloc(40, 65), made, Buffer.alloc(300)]))).toBe(
      'program-in-archive',
    )
    expect(await dangerOf('a.zip', Buffer.concat([made, Buffer.alloc(300)]))).toBe('program-in-archive')
  })

  test('what is two archives at once is as bad as the worse of them', async () => {
    const tar = await pack('a.tar', { 'notes.txt': 'x' })
    expect(await dangerOf('a.tar', Buffer.concat([tar, await zip({ 'a.exe': 'x' })]))).toBe(
      'program-in-archive',
    )
    const bad = await pack('a.tar', { 'a.exe': 'x' })
    expect(await dangerOf('a.tar', Buffer.concat([bad, await zip({ 'notes.txt': 'x' })]))).toBe(
      'program-in-archive',
    )
  })

  test('cut short it is unreadable; what ends with its mark and is no archive is harmless', async () => {
    const whole = await zip({ 'notes.txt': 'hello, this is a text' })
    expect(await dangerOf('a.zip', whole.subarray(0, whole.length - 30))).toBe('unreadable-archive')
    expect(
      await dangerOf('a.bin', Buffer.concat([Buffer.alloc(40, 65), Buffer.from('504b0506', 'hex')])),
    ).toBe(null)
  })

  test('what says it would fill the disk chokes whoever opens it; what is merely well compressed does not', async () => {
    expect(await dangerOf('a.zip', await zip({ 'zeros.txt': Buffer.alloc(16_000_000) }))).toBe('bomb')
    expect(await dangerOf('a.zip', await zip({ 'zeros.txt': Buffer.alloc(9_000_000) }))).toBe(null)
  })

  test('a program inside whose local header has another name than the directory', async () => {
    const made = await zip({ 'notes.txt': 'x' })
    const renamed = Buffer.from(made)
    renamed.write('setup.exe', made.indexOf('notes.txt'))
    expect(await dangerOf('a.zip', renamed)).toBe('program-in-archive')
  })
})

describe('what nobody looked at is a danger of its own', () => {
  const emptyFiles = (count: number) =>
    Object.fromEntries(Array.from({ length: count }, (_, i) => [`${String(i).padStart(5, '0')}.txt`, '']))

  test('2,100 empty files in front of a program', async () => {
    const bait = await zip({ ...emptyFiles(2100), 'zz.exe': program })
    expect(await dangerOf('photos.zip', bait)).toBe('unreadable-archive')
    expect(await dangerOf('photos.7z', await pack('a.7z', { ...emptyFiles(2100), 'zz.exe': program }))).toBe(
      'unreadable-archive',
    )
  })

  test('as many as are looked at are looked at', async () => {
    expect(await dangerOf('photos.zip', await zip(emptyFiles(2000)))).toBe(null)
    expect(await dangerOf('photos.zip', await zip(emptyFiles(2001)))).toBe('unreadable-archive')
    expect(await dangerOf('photos.zip', await zip({ ...emptyFiles(1999), 'zz.exe': '' }))).toBe(
      'program-in-archive',
    )
    expect(await dangerOf('photos.7z', await pack('a.7z', { ...emptyFiles(1999), 'zz.exe': '' }))).toBe(
      'program-in-archive',
    )
  })

  test('many entries of one name are many', async () => {
    const one = await readZip(repeated(2500), { bytes: 0, wanted: () => false })
    expect(one).toMatchObject({ names: ['a'], cut: true })
  })

  test('an empty directory appended to an archive that has entries', async () => {
    const emptyEnd = Buffer.concat([Buffer.from('504b0506', 'hex'), Buffer.alloc(18)])
    const made = await zip({ 'a.exe': program })
    expect(await dangerOf('a.zip', Buffer.concat([made, emptyEnd]))).toBe('unreadable-archive')
    // An archive of nothing is one.
    expect(await dangerOf('a.zip', emptyEnd)).toBe(null)
  })

  test('more files without an ending than are unpacked', async () => {
    const plain = (count: number) =>
      Object.fromEntries(Array.from({ length: count }, (_, i) => [`f${String(i).padStart(4, '0')}`, 'text']))
    for (const kind of ['a.zip', 'a.7z']) {
      expect(await dangerOf(kind, await pack(kind, plain(200)))).toBe(null)
      expect(await dangerOf(kind, await pack(kind, { ...plain(200), zz: program }))).toBe(
        'unreadable-archive',
      )
    }
  })

  test('a file without an ending that is larger than may be unpacked, or whose bytes are not what the directory says', async () => {
    const noise = Buffer.alloc(21_000_000)
    for (let i = 0; i < noise.length; i += 4096) noise.writeUInt32LE((i * 2654435761) % 2 ** 32, i)
    expect(await dangerOf('a.zip', await zip({ big: noise }, '-mx0'))).toBe('unreadable-archive')
    const stored = await zip({ README: 'some words that are stored' }, '-mx0')
    const wrong = Buffer.from(stored)
    // Method 8 (deflate) where the bytes are plain (APPNOTE 4.4.5), in the directory's own entry.
    const directory = wrong.lastIndexOf(Buffer.from('504b0102', 'hex'))
    wrong.writeUInt16LE(8, directory + 10)
    expect(await dangerOf('a.zip', wrong)).toBe('unreadable-archive')
  })
})

/** A ZIP of `count` stored, empty entries that are all called 'a' (APPNOTE 4.3.12 and 4.3.16); no packer makes one. */
function repeated(count: number): Buffer {
  const local = Buffer.alloc(31)
  local.writeUInt32LE(0x04034b50, 0)
  local.writeUInt16LE(1, 26)
  local.write('a', 30)
  const entry = Buffer.alloc(47)
  entry.writeUInt32LE(0x02014b50, 0)
  entry.writeUInt16LE(1, 28)
  entry.write('a', 46)
  const end = Buffer.alloc(22)
  end.writeUInt32LE(0x06054b50, 0)
  end.writeUInt16LE(count, 8)
  end.writeUInt16LE(count, 10)
  end.writeUInt32LE(47 * count, 12)
  end.writeUInt32LE(31, 16)
  return Buffer.concat([local, ...Array.from({ length: count }, () => entry), end])
}

describe('tar and gzip', () => {
  test('a tar is looked into, not only read by its names', async () => {
    expect(await dangerOf('a.tar', await pack('a.tar', { 'notes.txt': 'x' }))).toBe(null)
    expect(await dangerOf('a.tar', await pack('a.tar', { 'run.vbs': 'x' }))).toBe('program-in-archive')
    expect(await dangerOf('a.tar', await pack('a.tar', { setup: program }))).toBe('program-in-archive')
    expect(await dangerOf('a.tar', await pack('a.tar', { 'inner.zip': await zip({ 'a.exe': 'x' }) }))).toBe(
      'program-in-archive',
    )
  })

  test('a gzip is what is in it', async () => {
    expect(await dangerOf('notes.txt.gz', gzipSync('hello'))).toBe(null)
    expect(await dangerOf('setup.exe.gz', gzipSync('hello'))).toBe('program-in-archive')
    expect(await dangerOf('setup.gz', gzipSync(program))).toBe('program-in-archive')
    expect(await dangerOf('a.tgz', gzipSync(await pack('a.tar', { 'run.js': 'x' })))).toBe(
      'program-in-archive',
    )
    expect(await dangerOf('a.gz', gzipSync(Buffer.alloc(20_000_001)))).toBe('bomb')
    expect(await dangerOf('a.gz', gzipSync('hello').subarray(0, 12))).toBe('unreadable-archive')
  })

  test('a RAR that hides its names is locked, as a 7z is', async () => {
    expect(await dangerOf('a.rar', rar('notes.txt', Buffer.from('x'), 0x80))).toBe('encrypted-archive')
  })
})

describe('what a double click would run, mount or obey, each by its ending (common practice; no one list is official)', () => {
  const kinds = {
    // Windows: programs, their packages and what drives them
    windows: `app appinstaller application appref-ms appx appxbundle bat cab chm cmd command cpl diagcab dll gadget hlp
      hta inf ins isp job lnk msc msi msix msixbundle msp mst pcd prf reg scf scr sct settingcontent-ms shb shs sys url
      vsmacros webpnp website wim xnk library-ms search-ms searchconnector-ms`,
    scripts: `crx js jse jar jnlp msh msh1 msh2 mshxml ops prg ps1 ps1xml ps2 ps2xml psc1 psc2 psd1 psm1 pyc pyo pyw
      pyz vb vbe vbp vbs vsw wsc wsf wsh ws sh run`,
    // Databases and sheets that run code when they are opened
    documents: `ade adp iqy mad maf mag mam maq mar mas mat mau mav maw mda mde mdt mdw mdz one slk xbap xll`,
    images: `dmg img iso pkg deb rpm apk vhd vhdx desktop plg`,
  }
  test.each(Object.entries(kinds))('%s', async (_, endings) => {
    for (const ending of endings.split(/\s+/)) {
      const danger = await dangerOf(`a.${ending}`, Buffer.from('plain words'))
      expect([ending, danger]).toEqual([ending, ending === 'scr' ? 'disguised' : 'script'])
    }
  })
  test('macros, and their plain sisters', async () => {
    for (const ending of 'docm dotm xlsm xltm xlam pptm potm ppam ppsm sldm'.split(' '))
      expect([ending, await dangerOf(`a.${ending}`, Buffer.from('plain words'))]).toEqual([ending, 'macro'])
    for (const ending of 'docx dotx xlsx xltx pptx potx ppsx sldx txt pdf'.split(' '))
      expect([ending, await dangerOf(`a.${ending}`, Buffer.from('plain words'))]).toEqual([ending, null])
  })
  test('programs are disguised unless they say what they are', async () => {
    for (const ending of ['com', 'pif', 'scr'])
      expect([ending, await dangerOf(`a.${ending}`, Buffer.from('x'))]).toEqual([ending, 'disguised'])
    expect(await dangerOf('a.exe', Buffer.from('x'))).toBe('executable')
    expect(await dangerOf('a.pdf.exe', Buffer.from('x'))).toBe('disguised')
    expect(await dangerOf('a.pdf', Buffer.from('x'), 'application/x-dosexec')).toBe('disguised')
  })
  test('an honest document whose name only ends alike', async () => {
    for (const name of ['a.jsonx', 'bat', 'notes about.exe files.txt', 'a.pst', 'a.theme', 'a.py', 'a.bin'])
      expect([name, await dangerOf(name, Buffer.from('plain words'))]).toEqual([name, null])
  })
})

describe('the bounds of what is unpacked of a ZIP', () => {
  const all = () => true
  test('what fits to the byte is unpacked; a byte less, and something was not seen', async () => {
    const content = await zip({ 'notes.txt': 'hello' })
    expect(await readZip(content, { bytes: 5, wanted: all })).toMatchObject({
      names: ['notes.txt'],
      expanded: 5,
      cut: false,
      contents: [{ name: 'notes.txt', content: Buffer.from('hello') }],
    })
    expect(await readZip(content, { bytes: 4, wanted: all })).toMatchObject({ cut: true, contents: [] })
    expect(await readZip(content, { bytes: 4, wanted: () => false })).toMatchObject({
      cut: false,
      contents: [],
    })
  })
  test('an entry that says it is smaller than it is was not seen', async () => {
    const content = await zip({ 'notes.txt': 'hello '.repeat(500) })
    // PKWARE APPNOTE 4.3.12: the uncompressed size stands 24 bytes behind the mark of the central directory's entry.
    const at = content.indexOf(Buffer.from('504b0102', 'hex'))
    content.writeUInt32LE(3, at + 24)
    expect(await readZip(content, { bytes: 10_000, wanted: all })).toMatchObject({
      cut: true,
      contents: [],
    })
  })
  test('names with backslashes, as some programs write them, are names', async () => {
    const content = await zip({ 'docs/setup.exe': 'x' })
    const written = Buffer.from(
      content.toString('latin1').replaceAll('docs/setup.exe', 'docs\\setup.exe'),
      'latin1',
    )
    expect(await dangerOf('papers.zip', written)).toBe('program-in-archive')
  })
  test('a name is kept as far as anybody reads it', async () => {
    const name = `${'a'.repeat(240)}/${'b'.repeat(100)}.exe`
    const read = await readZip(await zip({ [name]: 'x' }), { bytes: 100, wanted: () => false })
    expect(read?.names.map(one => one.length)).toContain(300)
  })
})
