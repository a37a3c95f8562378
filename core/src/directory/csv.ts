import Papa from 'papaparse'
import { no, yes, type Parsed } from '../address/index.ts'
import { decodeList, type FileProblem } from '../lists/index.ts'
import type { DirectoryField, DirectoryLine } from './entry.ts'

/** What a heading may say for a column; others are passed over, and named. */
const headings: Readonly<Record<string, DirectoryField | 'address'>> = {
  address: 'address',
  mail: 'address',
  email: 'address',
  'e-mail': 'address',
  name: 'name',
  'display name': 'name',
  kind: 'kind',
  type: 'kind',
  department: 'department',
  'time zone': 'timeZone',
  timezone: 'timeZone',
  zone: 'timeZone',
  language: 'language',
  aliases: 'aliases',
  'other addresses': 'aliases',
  minders: 'minders',
  members: 'minders',
  'mail store': 'store',
  store: 'store',
}

export interface ReadDirectory {
  readonly lines: readonly DirectoryLine[]
  /** Headings of columns that nothing is known about. */
  readonly unknown: readonly string[]
}

/** Why nothing of a table can be read. */
export type TableProblem = FileProblem | { readonly code: 'too-many'; readonly most: number }

/** More mailboxes than this come by a directory. */
export const mostLines = 100_000

/**
 * A table of mailboxes (RFC 4180; with commas, semicolons or tabs; UTF-8, UTF-16 or windows-1252). The first row names the columns,
 * `address` among them; without such a row the columns are address, name and department.
 */
export function readDirectoryCsv(bytes: Uint8Array): Parsed<ReadDirectory, TableProblem> {
  const decoded = decodeList(bytes)
  if (!decoded.ok) return decoded
  const text = decoded.value.replace(/^\ufeff/, '')
  if (text.trim() === '') return no({ code: 'empty' })
  const { data } = Papa.parse<string[]>(text, { skipEmptyLines: false, delimitersToGuess: [',', ';', '\t'] })
  const first = (data[0] ?? []).map(cell => cell.trim().toLowerCase())
  const columns = first.map(name => (Object.hasOwn(headings, name) ? (headings[name] ?? null) : null))
  const headed = columns.includes('address')
  const places = headed ? columns : (['address', 'name', 'department'] as const)
  const lines: DirectoryLine[] = []
  let at = 0
  for (const row of data) {
    const line = at + 1
    // Cells may hold line breaks: the next row begins that much later.
    at += 1 + row.reduce((breaks, cell) => breaks + (cell.match(/\r\n|\n|\r/g)?.length ?? 0), 0)
    if ((headed && line === 1) || row.every(cell => cell.trim() === '')) continue
    if (lines.length >= mostLines) return no({ code: 'too-many', most: mostLines })
    const address = row[places.indexOf('address')]?.trim() ?? ''
    const fields = Object.fromEntries(
      places.flatMap((field, place) => {
        const cell = row[place]
        return field === null || field === 'address' || cell === undefined
          ? []
          : [[field, unguarded(cell.trim())]]
      }),
    )
    lines.push({ line, address, fields })
  }
  return yes({ lines, unknown: headed ? first.filter((_, i) => columns[i] === null).filter(Boolean) : [] })
}

/** What a spreadsheet was kept from calculating has an apostrophe before it. */
const unguarded = (text: string) => (/^'[=+\-@]/.test(text) ? text.slice(1) : text)
