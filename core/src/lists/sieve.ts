import { no, yes, type Parsed } from '../address/index.ts'
import {
  parsePattern,
  patternText,
  specificity,
  type SenderPattern,
  type Standing,
} from '../senders/index.ts'
import { shorten, type LineProblem, type ListedEntry, type ListLine } from './line.ts'
import { oneLine, type WrittenEntry } from './text.ts'
import { isDay } from './tidy.ts'

const head = `require ["fileinto", "envelope", "date", "relational"];
# Sender list as a Sieve script (RFC 5228). Sieve can't ask whether a sender was proven: a safe entry
# here counts for anybody who writes that name into From.
`
const mark = '# entry '

/** A script in which the first entry that matches decides: the narrowest first, safe before blocked. */
export function writeSieve(entries: Iterable<WrittenEntry>): string {
  const ranked = [...entries].sort(
    (a, b) =>
      specificity(b.pattern) - specificity(a.pattern) ||
      Number(b.standing === 'safe') - Number(a.standing === 'safe'),
  )
  return `${head}${ranked.map(rule).join('')}`
}

type Ruled = Pick<WrittenEntry, 'pattern' | 'standing' | 'reason' | 'until' | 'withoutAuthentication'>

function rule(entry: Ruled): string {
  return `${mark}${JSON.stringify(markOf(entry))}\n${body(entry)}`
}

const markOf = ({ pattern, standing, until, withoutAuthentication, reason }: Ruled) => ({
  pattern: patternText(pattern),
  standing,
  until,
  withoutAuthentication,
  reason: oneLine(reason),
})

function body({ pattern, standing, until }: Ruled): string {
  const tests = testsOf(pattern, standing)
  const matches = tests.length === 1 ? tests[0] : `anyof (${tests.join(',\n  ')})`
  // RFC 5260 §4: the day as the mail server's clock has it.
  const whole =
    until === null ? matches : `allof (${matches},\n  currentdate :value "le" "date" ${quoted(until)})`
  const act = standing === 'safe' ? 'keep;' : 'fileinto "Junk";'
  return `if ${whole} {\n  ${act}\n  stop;\n}\n`
}

/** A block also looks at Sender and at the envelope (domain.md §2). */
function testsOf(pattern: SenderPattern, standing: Standing): readonly string[] {
  if (pattern.kind === 'list') return [`header :contains "list-id" ${quoted(`<${pattern.listId}>`)}`]
  const on = (test: string) =>
    standing === 'safe'
      ? [`address ${test.replace('@', '"from"')}`]
      : [`address ${test.replace('@', '["from", "sender"]')}`, `envelope ${test.replace('@', '"from"')}`]
  switch (pattern.kind) {
    case 'address': {
      const { local, tag, domain } = pattern.address
      const text = patternText(pattern)
      // 'anna@x' takes in 'anna+orders@x' (RFC 5233), without asking for that extension.
      return tag === null
        ? [
            ...on(`:all :is @ ${quoted(text)}`),
            ...on(`:all :matches @ ${quoted(`${wild(local)}+*@${domain}`)}`),
          ]
        : on(`:all :is @ ${quoted(text)}`)
    }
    case 'domain':
      return on(`:domain :is @ ${quoted(pattern.domain)}`)
    case 'subtree':
      return [
        ...on(`:domain :is @ ${quoted(pattern.domain)}`),
        ...on(`:domain :matches @ ${quoted(`*.${pattern.domain}`)}`),
      ]
  }
}

// RFC 5228 §2.4.2: only the quote and the backslash are escaped.
const quoted = (text: string) => `"${text.replace(/[\\"]/g, '\\$&')}"`
// §2.7.1: '*' and '?' of the text itself.
const wild = (text: string) => text.replace(/[*?\\]/g, '\\$&')

/** Reads back what `writeSieve` wrote; a rule that no longer says what its mark says is told, not taken. */
export function* readSieve(text: string): Generator<ListLine> {
  const lines = text.split(/\r\n|\n|\r/)
  for (const [i, line] of lines.entries()) {
    if (!line.startsWith(mark)) continue
    const end = lines.findIndex((other, at) => at > i && other.startsWith(mark))
    const written = lines.slice(i + 1, end < 0 ? undefined : end).join('\n')
    const entry = readMark(line.slice(mark.length))
    yield { line: i + 1, part: 0, typed: shorten(line.slice(mark.length)), entry: checked(entry, written) }
  }
}

function checked(entry: Parsed<ListedEntry, LineProblem>, written: string): Parsed<ListedEntry, LineProblem> {
  if (!entry.ok) return entry
  const { standing } = entry.value
  if (standing === null) return no({ code: 'bad-standing', text: '' })
  const expected = body({ ...entry.value, standing })
  return written.trim() === expected.trim() ? entry : no({ code: 'changed-by-hand' })
}

function readMark(text: string): Parsed<ListedEntry, LineProblem> {
  let data: Record<string, unknown>
  try {
    data = JSON.parse(text) as Record<string, unknown>
  } catch {
    return no({ code: 'changed-by-hand' })
  }
  const pattern = parsePattern(String(data?.pattern ?? ''))
  if (!pattern.ok) return no(pattern.problem)
  const { standing, until } = data
  if (standing !== 'safe' && standing !== 'blocked')
    return no({ code: 'bad-standing', text: String(standing) })
  if (until !== null && !(typeof until === 'string' && isDay(until)))
    return no({ code: 'bad-date', text: String(until) })
  return yes({
    pattern: pattern.value,
    standing,
    reason: typeof data.reason === 'string' ? data.reason : '',
    until: until as string | null,
    withoutAuthentication: data.withoutAuthentication === true,
  })
}
