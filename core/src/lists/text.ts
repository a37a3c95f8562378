import { no, yes, type Parsed } from '../address/index.ts'
import { parsePattern, patternText, type Standing } from '../senders/index.ts'
import { shorten, type LineProblem, type ListedEntry, type ListLine } from './line.ts'
import { splitSenders, tidyPattern } from './tidy.ts'

/**
 * One sender a line, or several parted by commas. `safe` or `blocked` before it says what it is, `until
 * YYYY-MM-DD` behind it how long; the rest behind a `#` is the reason. Lines that begin with `#` are skipped.
 */
export function* readText(lines: Iterable<string>): Generator<ListLine> {
  let line = 0
  for (const whole of lines) {
    line += 1
    const source = whole.trim()
    if (source === '' || source.startsWith('#')) continue
    const { body, reason } = splitComment(source)
    const parts = splitSenders(body)
    // A line of commas alone still gets its answer.
    for (const [part, typed] of (parts.length > 0 ? parts : [body]).entries())
      yield { line, part, typed: shorten(typed), entry: readSender(typed, reason) }
  }
}

// A '#' belongs to an address unless a space stands before it.
function splitComment(source: string): { body: string; reason: string } {
  const at = source.slice(0, 5000).search(/\s#/)
  return at < 0
    ? { body: source, reason: '' }
    : { body: source.slice(0, at).trim(), reason: source.slice(at).trim().slice(1).trim() }
}

function readSender(typed: string, reason: string): Parsed<ListedEntry, LineProblem> {
  const said = /^(safe|blocked)\s+(.*)$/i.exec(typed.slice(0, 1500))
  const rest = said?.[2] ?? typed.slice(0, 1500)
  const limited = /^(.*\S)\s+until\s+(\d{4}-\d{2}-\d{2})$/i.exec(rest)
  const pattern = parsePattern(tidyPattern(limited?.[1] ?? rest))
  if (!pattern.ok) return no(pattern.problem)
  return yes({
    pattern: pattern.value,
    standing: (said?.[1]?.toLowerCase() as Standing | undefined) ?? null,
    reason,
    until: limited?.[2] ?? null,
    withoutAuthentication: false,
  })
}

/** The entries as text, one a line. */
export function writeText(entries: Iterable<WrittenEntry>): string {
  let text = '# Sender list. One entry a line; what follows a # is the reason.\n'
  for (const { pattern, standing, until, reason } of entries) {
    const end = until === null ? '' : ` until ${until}`
    text += `${standing} ${patternText(pattern)}${end}${reason === '' ? '' : ` # ${oneLine(reason)}`}\n`
  }
  return text
}

/** A reason without line breaks. */
export const oneLine = (text: string) => text.replace(/\s+/g, ' ').trim()

/** An entry as it goes out. */
export interface WrittenEntry extends ListedEntry {
  readonly standing: Standing
  /** Name of the colleague; '' for the organisation. */
  readonly keptBy: string
  readonly binding: boolean
}
