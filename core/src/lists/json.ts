import { no, yes, type Parsed } from '../address/index.ts'
import { parsePattern, patternText, type Standing } from '../senders/index.ts'
import { shorten, type FileProblem, type LineProblem, type ListedEntry, type ListLine } from './line.ts'
import type { WrittenEntry } from './text.ts'
import { isDay, tidyPattern } from './tidy.ts'

/** A list of texts or of objects with `pattern`, or an object that holds one as `entries`. */
export function readJson(text: string): Parsed<readonly ListLine[], FileProblem> {
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch (error) {
    return no({ code: 'bad-json', text: (error as Error).message })
  }
  const list = Array.isArray(data) ? data : (data as { entries?: unknown } | null)?.entries
  if (!Array.isArray(list)) return no({ code: 'bad-json', text: 'there is no list of entries in it' })
  return yes(
    list.map((item: unknown, i): ListLine => ({
      line: i + 1,
      part: 0,
      typed: shorten(typeof item === 'string' ? item : (JSON.stringify(item) ?? '')),
      entry: readItem(item),
    })),
  )
}

function readItem(item: unknown): Parsed<ListedEntry, LineProblem> {
  if (typeof item === 'string') return readObject({ pattern: item })
  if (typeof item === 'object' && item !== null) return readObject(item as Record<string, unknown>)
  return no({ code: 'no-text' })
}

function readObject(item: Record<string, unknown>): Parsed<ListedEntry, LineProblem> {
  if (typeof item.pattern !== 'string') return no({ code: 'no-text' })
  const pattern = parsePattern(tidyPattern(item.pattern))
  if (!pattern.ok) return no(pattern.problem)
  const { standing = null, until = null } = item
  if (standing !== null && standing !== 'safe' && standing !== 'blocked')
    return no({ code: 'bad-standing', text: JSON.stringify(standing) })
  if (until !== null && !(typeof until === 'string' && isDay(until)))
    return no({ code: 'bad-date', text: JSON.stringify(until) })
  return yes({
    pattern: pattern.value,
    standing: standing satisfies Standing | null,
    reason: typeof item.reason === 'string' ? item.reason : '',
    until: until as string | null,
    withoutAuthentication: item.withoutAuthentication === true,
  })
}

/** The entries as JSON, one object each. */
export function writeJson(entries: Iterable<WrittenEntry>): string {
  const list = [...entries].map(({ pattern, ...rest }) => ({ pattern: patternText(pattern), ...rest }))
  return `${JSON.stringify({ list: 'senders', entries: list }, null, 2)}\n`
}
