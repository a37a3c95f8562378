import { cutLinear } from './headers.ts'

/** A file inside a TNEF stream. */
interface Enclosed {
  readonly name: string
  readonly content: Buffer
}

const mostFiles = 50

/**
 * The files in a TNEF stream ("winmail.dat"), as its published format has it (MS-OXTNEF §2.1.3.3): attributes in a row,
 * each with its level, id, length, data and checksum. One pass; ends where the grammar breaks.
 */
export function readTnef(content: Buffer): readonly Enclosed[] {
  const files: { name: string; content: Buffer }[] = []
  let at = 6
  let open: { name: string; content: Buffer } | null = null
  const close = () => {
    if (open && (open.name !== '' || open.content.length > 0)) files.push(open)
    open = null
  }
  while (at + 9 <= content.length && files.length < mostFiles) {
    const level = content[at]
    const id = content.readUInt32LE(at + 1)
    const length = content.readUInt32LE(at + 5)
    const data = content.subarray(at + 9, at + 9 + length)
    if ((level !== 1 && level !== 2) || data.length < length) break
    at += 9 + length + 2
    if (id === 0x00069002) {
      // attAttachRendData begins each attachment
      close()
      open = { name: '', content: Buffer.alloc(0) }
    }
    if (level !== 2) continue
    open ??= { name: '', content: Buffer.alloc(0) }
    if (id === 0x00018010) open.name ||= text(data)
    if (id === 0x0006800f) open.content = data
    // attAttachment: MAPI properties; the long file name is text in them.
    if (id === 0x00069005) open.name = longName(data) ?? open.name
  }
  close()
  return files
}

const text = (data: Buffer) => cutLinear(data.toString('latin1').split('\0')[0] ?? '', 300)

/** PidTagAttachLongFilename (0x3707) as PtypString8 or PtypString, found by its tag: name and size precede the value. */
function longName(data: Buffer): string | null {
  for (const [type, encoding] of [
    [0x001e, 'latin1'],
    [0x001f, 'utf16le'],
  ] as const) {
    const tag = Buffer.alloc(4)
    tag.writeUInt16LE(type, 0)
    tag.writeUInt16LE(0x3707, 2)
    const found = data.indexOf(tag)
    if (found < 0 || found + 12 > data.length) continue
    const length = data.readUInt32LE(found + 8)
    if (length === 0 || length > 2000) continue
    return cutLinear(
      data
        .subarray(found + 12, found + 12 + length)
        .toString(encoding)
        .split('\0')[0] ?? '',
      300,
    )
  }
  return null
}
