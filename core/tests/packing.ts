import SevenZip from '7z-wasm'

/** A program by its marks: 'MZ', and 'PE' where its header says it is. */
export const program = Buffer.concat([
  Buffer.from('MZ'),
  Buffer.alloc(0x3a),
  Buffer.from([0x40, 0, 0, 0]),
  Buffer.from('PE\0\0'),
  Buffer.alloc(100),
])

/** An archive made by the library: `options` as its program takes them. */
export async function pack(
  name: string,
  files: Readonly<Record<string, Buffer | string>>,
  options: readonly string[] = [],
): Promise<Buffer> {
  const library = await SevenZip({ print: () => {}, printErr: () => {} })
  const folders = new Set(
    Object.keys(files).flatMap(file =>
      file
        .split('/')
        .slice(0, -1)
        .map((_, i, all) => all.slice(0, i + 1).join('/')),
    ),
  )
  for (const folder of folders) library.FS.mkdir(folder)
  for (const [file, content] of Object.entries(files)) library.FS.writeFile(file, Buffer.from(content))
  // The folders themselves go in, too, as programs do it.
  library.callMain([
    'a',
    '-bd',
    ...options,
    name,
    ...new Set(Object.keys(files).map(file => file.split('/')[0] ?? '')),
  ])
  return Buffer.from(library.FS.readFile(name))
}

/**
 * A RAR archive of version 4 with one stored file, from the published technical note: marker, archive header, file
 * header (type 0x74, method 0x30), end. The library can read RAR and not make it.
 */
export function rar(name: string, content: Buffer, archiveFlags = 0): Buffer {
  const block = (body: Buffer) => {
    const head = Buffer.alloc(2)
    head.writeUInt16LE(crc32(body) & 0xffff)
    return Buffer.concat([head, body])
  }
  const archive = Buffer.from('73000000000000000000'.slice(0, 6) + '0d00' + '000000000000', 'hex')
  archive.writeUInt16LE(archiveFlags, 1)
  const nameBytes = Buffer.from(name)
  const file = Buffer.alloc(30)
  file.writeUInt8(0x74, 0)
  file.writeUInt16LE(0x8000, 1)
  file.writeUInt16LE(32 + nameBytes.length, 3)
  file.writeUInt32LE(content.length, 5)
  file.writeUInt32LE(content.length, 9)
  file.writeUInt8(3, 13)
  file.writeUInt32LE(crc32(content), 14)
  file.writeUInt32LE(0x5d74_0000, 18)
  file.writeUInt8(20, 22)
  file.writeUInt8(0x30, 23)
  file.writeUInt16LE(nameBytes.length, 24)
  file.writeUInt32LE(0x81a4, 26)
  return Buffer.concat([
    Buffer.from('526172211a0700', 'hex'),
    block(archive),
    block(Buffer.concat([file, nameBytes])),
    content,
    Buffer.from('c43d7b00400700', 'hex'),
  ])
}

function crc32(bytes: Buffer): number {
  let crc = ~0
  for (const byte of bytes) {
    crc ^= byte
    for (let i = 0; i < 8; i += 1) crc = (crc >>> 1) ^ (0xedb88320 & -(crc & 1))
  }
  return ~crc >>> 0
}
