/** A message of an mbox file, or one that is too large to be held. */
export interface MboxItem {
  /** Its bytes without the separator; `null` where it is larger than may be. */
  readonly raw: Uint8Array | null
  /** Where in the file it ends: reading can go on from here. */
  readonly end: number
  /** The message goes on behind `end`, and is left out there, too. */
  readonly goesOn: boolean
}

/** Reads an mbox file part by part. */
export interface MboxReader {
  /** Messages that have ended by now. */
  readonly push: (part: Uint8Array) => readonly MboxItem[]
  /** The last one, when the file is at its end. */
  readonly finish: () => readonly MboxItem[]
}

interface MboxOptions {
  /** Larger messages are left out. Bytes. */
  readonly most: number
  /** Where reading begins: the start of a separator, or the middle of a message that is left out (`goesOn`). */
  readonly from?: number
  readonly goesOn?: boolean
}

const newline = 0x0a

/**
 * A separator of RFC 4155 appendix A, as lenient as writers are: `From `, whoever it is from, and a date as asctime writes it, with or
 * without a zone. A line of a text that merely begins with "From " has no such date.
 */
const separator =
  /^From .*(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun),? +(?:\d{1,2} +)?(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) .*\d{4}.*$/

/** Longer lines are no separators. */
const longestSeparator = 400

const isSeparator = (line: Uint8Array): boolean => {
  // "From ": looked at by bytes, as nearly every line is none.
  if (line[0] !== 0x46 || line[1] !== 0x72 || line[2] !== 0x6f || line[3] !== 0x6d || line[4] !== 0x20)
    return false
  return line.length <= longestSeparator && separator.test(Buffer.from(line).toString('latin1').trimEnd())
}

/** Whether a file begins as an mbox does. */
export const isMbox = (start: Uint8Array): boolean => {
  const end = start.indexOf(newline)
  return isSeparator(end < 0 ? start : start.subarray(0, end))
}

/**
 * Cuts an mbox file (RFC 4155) into messages, in bounded memory: nothing larger than `most` is held, whatever its separators are. What
 * writers put before lines that look like separators (">From ") is taken off.
 */
export function createMboxReader({ most, from = 0, goesOn = false }: MboxOptions): MboxReader {
  /** Of the message that is being read; empty while it is left out. */
  let parts: Uint8Array[] = []
  let size = 0
  let leftOut = goesOn
  let hasBegun = goesOn
  /** A line that has not ended yet. */
  let rest: Uint8Array = new Uint8Array()
  let at = from
  /** The start of this line was taken already. */
  let isMidLine = false

  const close = (end: number): MboxItem[] => {
    if (!hasBegun) return []
    const raw = leftOut ? null : unquoted(parts)
    parts = []
    size = 0
    leftOut = false
    return [{ raw, end, goesOn: false }]
  }
  const take = (line: Uint8Array): MboxItem[] => {
    const start = at
    at += line.length
    const isWhole = !isMidLine
    isMidLine = line.at(-1) !== newline
    if (isWhole && isSeparator(line)) {
      const items = close(start)
      hasBegun = true
      return items
    }
    if (!hasBegun || leftOut) return []
    size += line.length
    parts.push(line)
    if (size > most) {
      parts = []
      leftOut = true
    }
    return []
  }
  return {
    push: part => {
      const all = rest.length === 0 ? part : joined([rest, part])
      const items: MboxItem[] = []
      let line = 0
      for (;;) {
        const end = all.indexOf(newline, line)
        if (end < 0) break
        items.push(...take(all.subarray(line, end + 1)))
        line = end + 1
      }
      rest = all.subarray(line)
      // A line that does not end is no separator; it goes where the rest of its message does.
      if (rest.length > longestSeparator && !couldBegin(rest)) {
        items.push(...take(rest))
        rest = new Uint8Array()
      }
      // What is left out may be all of the file: reading can go on from here all the same.
      if (leftOut && items.length === 0) items.push({ raw: null, end: at, goesOn: true })
      return items
    },
    finish: () => {
      const last = rest.length > 0 ? take(rest) : []
      rest = new Uint8Array()
      return [...last, ...close(at)]
    },
  }
}

const couldBegin = (rest: Uint8Array): boolean => rest.length <= longestSeparator && rest[0] === 0x46

const joined = (parts: readonly Uint8Array[]): Uint8Array => Buffer.concat(parts)

/** Without one ">" before "From " at the start of a line, and without the empty line that ends a message. */
function unquoted(lines: readonly Uint8Array[]): Uint8Array {
  const last = lines.at(-1)
  const isEmpty = last !== undefined && Buffer.from(last).toString('latin1').trim() === ''
  return joined(
    (isEmpty ? lines.slice(0, -1) : lines).map(line => (isQuoted(line) ? line.subarray(1) : line)),
  )
}

const isQuoted = (line: Uint8Array): boolean =>
  line[0] === 0x3e && /^>+From /.test(Buffer.from(line.subarray(0, 100)).toString('latin1'))
