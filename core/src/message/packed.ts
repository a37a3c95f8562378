import SevenZip from '7z-wasm'
import { mostContents, mostEntries, type ArchiveDirectory, type Wanted } from './archives.ts'

/** First bytes of the archives and images that 7-Zip's library opens; zip and gzip are read without it. */
const starts: readonly Buffer[] = [
  '377abcaf271c', // 7z
  '526172211a07', // RAR, 4 and 5
  '4d53434600000000', // cabinet
  'fd377a585a00', // xz
  '60ea', // ARJ
  '4d5357494d000000', // WIM
  '7861722100', // XAR
].map(hex => Buffer.from(hex, 'hex'))
/** bzip2 and LZH: letters that could begin a text count only with what follows them. */
const lettered = /^BZh[1-9]1AY&SY|^[^]{2}-lh[0-9d]-/
/** ISO 9660 puts its mark behind 16 empty sectors. */
const imageMark = 32769

/** Whether bytes begin as an archive that 7-Zip's library opens. */
export const isPacked = (content: Buffer): boolean =>
  starts.some(start => content.subarray(0, start.length).equals(start)) ||
  lettered.test(content.subarray(0, 12).toString('latin1')) ||
  content.subarray(imageMark, imageMark + 5).toString('latin1') === 'CD001'

/** What the library says, line by line; more than this of it is not kept. */
const mostLines = 60_000

interface Opened {
  readonly lines: readonly string[]
  /** 'failed': could not be opened, or needs a password to be listed. 'too-much': would have written more than it may. */
  readonly outcome: 'done' | 'failed' | 'too-much'
  readonly files: Awaited<ReturnType<typeof SevenZip>>['FS']
}

class TooMuch extends Error {}

/**
 * A fresh library each time, with a file system of its own in memory: nothing of one archive is left for the next. `bytes`:
 * what it may write there, whatever the archive says of its size.
 */
async function run(content: Buffer, bytes: number, ...args: readonly string[]): Promise<Opened> {
  const lines: string[] = []
  const print = (line: string) => {
    if (lines.length < mostLines) lines.push(line.slice(0, 400))
  }
  const library = await SevenZip({ print, printErr: print })
  const { FS: files } = library
  files.writeFile('/given', content)
  const write = files.write.bind(files)
  let left = bytes
  files.write = (stream, buffer, offset, length, position, canOwn) => {
    // 1 and 2 are what it prints
    if ((stream as { fd?: number }).fd !== 1 && (stream as { fd?: number }).fd !== 2) left -= length
    if (left < 0) throw new TooMuch()
    return write(stream, buffer, offset, length, position, canOwn)
  }
  try {
    // It gives its exit code; the declaration says it gives nothing.
    const code = library.callMain([...args, '-bd', '-p-', '/given']) as unknown
    return { lines, outcome: code === 0 ? 'done' : 'failed', files }
  } catch {
    return { lines, outcome: left < 0 ? 'too-much' : 'failed', files }
  }
}

/** Archives whose list of names is encrypted, too: marks of 7z (coder 06F10701), RAR 4 (flag 0x80) and RAR 5 (header 4). */
function hidesNames(content: Buffer): boolean {
  const mark = content.subarray(0, 8).toString('latin1')
  if (mark.startsWith('7z')) return content.subarray(-4096).includes(Buffer.from('06f10701', 'hex'))
  if (mark.startsWith('Rar!\x1a\x07\x00'))
    return content.length > 11 && (content.readUInt16LE(10) & 0x80) !== 0
  return mark.startsWith('Rar!\x1a\x07\x01') && content[13] === 4
}

const endless = Number.MAX_SAFE_INTEGER

/**
 * Reads a 7z, RAR, cabinet, ISO image and the like, and unpacks what is wanted within its bytes; `null` when it can't be
 * read. Names that are encrypted make it encrypted. Without end is what says it is small and is not.
 */
export async function readPacked(
  content: Buffer,
  { bytes, wanted }: Wanted,
): Promise<ArchiveDirectory | null> {
  const { lines, outcome } = await run(content, 0, 'l', '-slt', '-ba')
  const entries = readListing(lines)
  if (outcome !== 'done' || entries.length === 0)
    return hidesNames(content) ? { names: [], encrypted: true, expanded: 0, cut: false, contents: [] } : null
  const kept = entries.slice(0, mostEntries)
  const directory = {
    names: kept.map(({ name }) => name),
    encrypted: kept.some(({ encrypted }) => encrypted),
    expanded: kept.reduce((sum, { size }) => sum + size, 0),
    cut: entries.length > mostEntries,
  }
  const isWanted = kept.some(({ name, encrypted }) => !encrypted && wanted(name))
  if (!isWanted) return { ...directory, contents: [] }
  if (directory.expanded > bytes || directory.cut) return { ...directory, cut: true, contents: [] }
  const unpacked = await run(content, bytes, 'x', '-y', '-o/out')
  if (unpacked.outcome === 'too-much') return { ...directory, expanded: endless, contents: [] }
  const { found, cut } = filesBelow(unpacked.files, '/out', wanted)
  return { ...directory, contents: found, cut }
}

interface Entry {
  readonly name: string
  readonly size: number
  readonly encrypted: boolean
}

/** 'Key = value' lines, an empty line between entries. */
function readListing(lines: readonly string[]): readonly Entry[] {
  const entries: Entry[] = []
  let fields = new Map<string, string>()
  const close = () => {
    // What is compressed alone, without an archive around it, has no name.
    const isFile = !/^D/.test(fields.get('Attributes') ?? '') && fields.get('Folder') !== '+'
    if (fields.size > 0 && isFile)
      entries.push({
        name: (fields.get('Path') ?? '').slice(0, 300),
        size: Number(fields.get('Size') ?? 0) || 0,
        encrypted: fields.get('Encrypted') === '+',
      })
    fields = new Map()
  }
  for (const line of lines) {
    const found = /^([A-Z][\w ]{0,30}) = (.*)$/.exec(line)
    if (line === '') close()
    else if (found) fields.set(found[1] ?? '', found[2] ?? '')
  }
  close()
  return entries
}

function filesBelow(
  files: Opened['files'],
  folder: string,
  wanted: (name: string) => boolean,
): { readonly found: ArchiveDirectory['contents']; readonly cut: boolean } {
  const found: { name: string; content: Buffer }[] = []
  let cut = false
  const look = (path: string) => {
    let names: string[]
    try {
      names = files.readdir(path).filter(name => name !== '.' && name !== '..')
    } catch {
      return
    }
    for (const name of names) {
      const full = `${path}/${name}`
      // A link leads nowhere here, and is not followed.
      const { mode } = files.lstat(full)
      if (files.isDir(mode)) look(full)
      else if (files.isFile(mode)) {
        const short = full.slice(folder.length + 1)
        if (!wanted(short)) continue
        if (found.length === mostContents) cut = true
        else found.push({ name: short, content: Buffer.from(files.readFile(full)) })
      }
    }
  }
  look(folder)
  return { found, cut }
}
