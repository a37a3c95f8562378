import yauzl from 'yauzl'

/** What an archive holds; of a ZIP the names of its directory and of its local headers, and the contents that were wanted. */
export interface ArchiveDirectory {
  readonly names: readonly string[]
  readonly encrypted: boolean
  /** Bytes all entries would have together. */
  readonly expanded: number
  /** There is more than was looked at: more entries, or contents that were wanted and not unpacked. */
  readonly cut: boolean
  readonly contents: readonly { readonly name: string; readonly content: Buffer }[]
}

/** Most entries of one archive that are looked at. What lies behind them is unseen, and that is a danger of its own. */
export const mostEntries = 2000
/** Most files of one archive that are unpacked. */
export const mostContents = 200

/** Entry by entry, and no entry larger than it says. */
const reading = { lazyEntries: true, validateEntrySizes: true, strictFileNames: false, decodeStrings: true }

/** What of an archive is to be unpacked, and how much. */
export interface Wanted {
  /** Of all that is unpacked together. */
  readonly bytes: number
  readonly wanted: (name: string) => boolean
}

/**
 * Reads the central directory (PKWARE APPNOTE 4.3.12) and unpacks the entries that are wanted, within their bytes;
 * `null` when it can't be read. Names of local headers (4.3.7) are added where they differ: some programs go by these.
 */
export function readZip(content: Buffer, { bytes, wanted }: Wanted): Promise<ArchiveDirectory | null> {
  return new Promise(resolve => {
    yauzl.fromBuffer(content, reading, (error, zip) => {
      if (error || !zip) return resolve(null)
      const names = new Set<string>()
      const contents: { name: string; content: Buffer }[] = []
      let entries = 0
      let encrypted = false
      let expanded = 0
      let left = bytes
      let unseen = false
      const finish = (cut: boolean) => resolve({ names: [...names], encrypted, expanded, cut, contents })
      zip.on('error', () => (names.size > 0 ? finish(true) : resolve(null)))
      zip.on('end', () => finish(unseen))
      zip.on('entry', (entry: yauzl.Entry) => {
        // Counted before it is kept: a million entries of one name are a million entries.
        if (entries === mostEntries) return finish(true)
        entries += 1
        const name = String(entry.fileName).slice(0, 300)
        names.add(name)
        names.add(localName(content, entry))
        const isLocked = (entry.generalPurposeBitFlag & 1) === 1
        encrypted ||= isLocked
        expanded += entry.uncompressedSize
        const fits = entry.uncompressedSize <= left && contents.length < mostContents
        if (isLocked || name.endsWith('/') || !wanted(name)) return zip.readEntry()
        if (!fits) {
          unseen = true
          return zip.readEntry()
        }
        left -= entry.uncompressedSize
        unpack(zip, entry).then(
          unpacked => {
            contents.push({ name, content: unpacked })
            zip.readEntry()
          },
          () => {
            unseen = true
            zip.readEntry()
          },
        )
      })
      zip.readEntry()
    })
  })
}

function unpack(zip: yauzl.ZipFile, entry: yauzl.Entry): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    zip.openReadStream(entry, (error, stream) => {
      if (error || !stream) return reject(error ?? new Error('no stream'))
      const chunks: Buffer[] = []
      stream.on('data', (chunk: Buffer) => chunks.push(chunk))
      stream.on('error', reject)
      stream.on('end', () => resolve(Buffer.concat(chunks)))
    })
  })
}

function localName(content: Buffer, { relativeOffsetOfLocalHeader: at, fileName }: yauzl.Entry): string {
  if (at + 30 > content.length || content.readUInt32LE(at) !== 0x04034b50) return String(fileName)
  const length = content.readUInt16LE(at + 26)
  return content.subarray(at + 30, at + 30 + Math.min(length, 300)).toString('utf8')
}

/**
 * Names in a tar archive (POSIX ustar) whose header sums may be wrong: some programs open such a one. Bounded, and ends at
 * the first block that is no header.
 */
export function listTar(content: Buffer): readonly string[] {
  const names: string[] = []
  for (let at = 0; at + 512 <= content.length && names.length < mostEntries;) {
    const text = (from: number, length: number) =>
      content
        .subarray(at + from, at + from + length)
        .toString('utf8')
        .split('\0')[0] ?? ''
    const name = text(0, 100)
    if (name === '') break
    const prefix = text(345, 155)
    names.push(prefix === '' ? name : `${prefix}/${name}`)
    const size = Number.parseInt(text(124, 12).trim() || '0', 8)
    if (!(size >= 0)) break
    at += 512 + Math.ceil(size / 512) * 512
  }
  return names
}
