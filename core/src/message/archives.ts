import yauzl from 'yauzl'

/** What the directory of a ZIP archive says; nothing is unpacked. */
export interface ZipDirectory {
  readonly names: readonly string[]
  readonly encrypted: boolean
  /** Bytes all entries would have together. */
  readonly expanded: number
  /** There are more entries than were looked at. */
  readonly cut: boolean
}

const mostEntries = 2000

/** Reads the central directory (PKWARE APPNOTE 4.3.12); `null` when it can't be read. Bounded in entries. */
export function readZipDirectory(content: Uint8Array): Promise<ZipDirectory | null> {
  return new Promise(resolve => {
    yauzl.fromBuffer(
      Buffer.from(content.buffer, content.byteOffset, content.byteLength),
      { lazyEntries: true, validateEntrySizes: true },
      (error, zip) => {
        if (error || !zip) return resolve(null)
        const names: string[] = []
        let encrypted = false
        let expanded = 0
        const finish = (cut: boolean) => resolve({ names, encrypted, expanded, cut })
        zip.on('error', () => resolve(names.length > 0 ? { names, encrypted, expanded, cut: true } : null))
        zip.on('end', () => finish(false))
        zip.on('entry', (entry: yauzl.Entry) => {
          names.push(String(entry.fileName).slice(0, 300))
          encrypted ||= (entry.generalPurposeBitFlag & 1) === 1
          expanded += entry.uncompressedSize
          if (names.length >= mostEntries) return finish(true)
          zip.readEntry()
        })
        zip.readEntry()
      },
    )
  })
}
