import Papa from 'papaparse'
import { no, yes, type Parsed } from '../address/index.ts'
import { parsePattern, patternText, type Standing } from '../senders/index.ts'
import { shorten, type LineProblem, type ListedEntry, type ListLine } from './line.ts'
import { oneLine, type WrittenEntry } from './text.ts'
import { isDay, tidyPattern } from './tidy.ts'

type Column = 'pattern' | 'standing' | 'reason' | 'until' | 'without authentication'

/** What a heading may say for a column: other tables call the sender by other names. */
const headings: Readonly<Record<string, Column>> = {
  pattern: 'pattern',
  sender: 'pattern',
  address: 'pattern',
  email: 'pattern',
  'e-mail': 'pattern',
  domain: 'pattern',
  standing: 'standing',
  reason: 'reason',
  note: 'reason',
  until: 'until',
  'without authentication': 'without authentication',
}

/**
 * RFC 4180, with commas, semicolons or tabs. With a heading row columns are found by name; without one the
 * first cell is the sender and the second, where it says so, its standing.
 */
export function* readCsv(text: string): Generator<ListLine> {
  const { data } = Papa.parse<string[]>(text, { skipEmptyLines: false, delimitersToGuess: [',', ';', '\t'] })
  const first = data[0]?.map(cell => headings[cell.trim().toLowerCase()] ?? null) ?? []
  const headed = first.includes('pattern')
  const places: readonly (Column | null)[] = headed ? first : ['pattern', 'standing', 'reason']
  let line = 0
  for (const row of data) {
    const at = line + 1
    // Cells may hold line breaks: the next row begins that much later.
    line += 1 + row.reduce((breaks, cell) => breaks + (cell.match(/\r\n|\n|\r/g)?.length ?? 0), 0)
    if ((headed && at === 1) || row.every(cell => cell.trim() === '')) continue
    const cell = (column: Column) => row[places.indexOf(column)]?.trim() ?? ''
    yield { line: at, part: 0, typed: shorten(row.join(', ')), entry: readRow(cell, headed) }
  }
}

function readRow(cell: (column: Column) => string, headed: boolean): Parsed<ListedEntry, LineProblem> {
  const pattern = parsePattern(tidyPattern(cell('pattern')))
  if (!pattern.ok) return no(pattern.problem)
  const said = cell('standing').toLowerCase()
  const standing = said === 'safe' || said === 'blocked' ? (said satisfies Standing) : null
  if (standing === null && said !== '' && headed) return no({ code: 'bad-standing', text: cell('standing') })
  const until = cell('until')
  if (until !== '' && !isDay(until)) return no({ code: 'bad-date', text: until })
  return yes({
    pattern: pattern.value,
    standing,
    // Without headings a second cell that is no standing is a note.
    reason: standing === null && !headed ? cell('standing') : unguarded(cell('reason')),
    until: until === '' ? null : until,
    withoutAuthentication: /^(yes|true|1)$/i.test(cell('without authentication')),
  })
}

const unguarded = (text: string) => (/^'[=+\-@\t\r]/.test(text) ? text.slice(1) : text)

/** Cells that a spreadsheet would calculate (`=1+1`, `@SUM`) go out with an apostrophe before them. */
export function writeCsv(entries: Iterable<WrittenEntry>): string {
  const rows = [...entries].map(entry => ({
    pattern: patternText(entry.pattern),
    standing: entry.standing,
    'kept by': entry.keptBy === '' ? 'organisation' : entry.keptBy,
    binding: entry.binding ? 'yes' : 'no',
    'without authentication': entry.withoutAuthentication ? 'yes' : 'no',
    until: entry.until ?? '',
    reason: oneLine(entry.reason),
  }))
  const fields = ['pattern', 'standing', 'kept by', 'binding', 'without authentication', 'until', 'reason']
  return `${Papa.unparse({ fields, data: rows }, { escapeFormulae: true, newline: '\r\n' })}\r\n`
}
