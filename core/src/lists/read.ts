import iconv from 'iconv-lite'
import { no, yes, type Parsed } from '../address/index.ts'
import { readCsv } from './csv.ts'
import { readJson } from './json.ts'
import type { FileProblem, ListFormat, ListLine } from './line.ts'
import { readSieve } from './sieve.ts'
import { readText } from './text.ts'
import { readVcards } from './vcard.ts'

/** A list that was read: its form and its lines. */
export interface ReadList {
  readonly format: ListFormat
  readonly lines: readonly ListLine[]
}

/** Reads a list from the bytes of a file; its format is found out from name and content unless given. */
export function readList(
  bytes: Uint8Array,
  { name, format }: { name: string; format?: ListFormat | undefined },
): Parsed<ReadList, FileProblem> {
  const decoded = decodeList(bytes)
  if (!decoded.ok) return decoded
  const text = decoded.value
  if (text.trim() === '') return no({ code: 'empty' })
  const found = format ?? guessFormat(name, text)
  const lines = readAs(found, text)
  return lines.ok ? yes({ format: found, lines: lines.value }) : lines
}

function readAs(format: ListFormat, text: string): Parsed<readonly ListLine[], FileProblem> {
  switch (format) {
    case 'text':
      return yes([...readText(text.split(/\r\n|\n|\r/))])
    case 'csv':
      return yes([...readCsv(text)])
    case 'json':
      return readJson(text)
    case 'vcard':
      return yes([...readVcards(text)])
    case 'sieve':
      return yes([...readSieve(text)])
  }
}

function guessFormat(name: string, text: string): ListFormat {
  const start = text.trimStart().slice(0, 2000)
  if (/^BEGIN:VCARD/i.test(start)) return 'vcard'
  if (/^[[{]/.test(start)) return 'json'
  if (/^require\s*\[/.test(start) || /\.(sieve|siv)$/i.test(name)) return 'sieve'
  if (/\.(csv|tsv)$/i.test(name)) return 'csv'
  const [first = ''] = start.split(/\r\n|\n|\r/)
  return /^"?(pattern|sender|address|e-?mail|domain)"?\s*[,;\t]/i.test(first) ? 'csv' : 'text'
}

/**
 * The text of a file: UTF-16 by its mark, else UTF-8, and a line that is not UTF-8 as windows-1252. Lists
 * grow by copying from everywhere: one line in another encoding must not spoil the rest.
 */
export function decodeList(bytes: Uint8Array): Parsed<string, FileProblem> {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (buffer[0] === 0xff && buffer[1] === 0xfe) return yes(iconv.decode(buffer, 'utf-16le'))
  if (buffer[0] === 0xfe && buffer[1] === 0xff) return yes(iconv.decode(buffer, 'utf-16be'))
  // No text has control characters other than tab, line feed, form feed and carriage return.
  const control = buffer.findIndex(byte => byte < 9 || byte === 11 || (byte > 13 && byte < 32 && byte !== 27))
  if (control >= 0) return no({ code: 'binary', at: control })
  const strict = new TextDecoder('utf-8', { fatal: true })
  try {
    return yes(strict.decode(buffer))
  } catch {
    // decoded line by line below
  }
  const lines: string[] = []
  for (let start = 0; start <= buffer.length;) {
    const found = buffer.indexOf(10, start)
    const end = found < 0 ? buffer.length : found
    lines.push(decodeLine(buffer.subarray(start, end), strict))
    start = end + 1
  }
  return yes(lines.join('\n'))
}

function decodeLine(bytes: Buffer, strict: InstanceType<typeof TextDecoder>): string {
  try {
    return strict.decode(bytes)
  } catch {
    return iconv.decode(bytes, 'windows-1252')
  }
}
