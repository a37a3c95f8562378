/** Where something that opened at a place of a text ends. */
export interface Span {
  /** The place after it; the text's length when it never closes. */
  readonly end: number
  readonly closed: boolean
}

/** The comment (RFC 5322 §3.2.2) that opens at `at`, comments in it included. One pass. */
export function skipComment(text: string, at: number): Span {
  let depth = 0
  for (let i = at; i < text.length; i += 1) {
    const c = text[i]
    if (c === '\\') i += 1
    else if (c === '(') depth += 1
    else if (c === ')') {
      depth -= 1
      if (depth === 0) return { end: i + 1, closed: true }
    }
  }
  return { end: text.length, closed: false }
}

/** The quoted string (RFC 5322 §3.2.4) that opens at `at`; `plain` without its quotes and the backslashes of its pairs. */
export function readQuoted(text: string, at: number): Span & { readonly plain: string } {
  let plain = ''
  for (let i = at + 1; i < text.length; i += 1) {
    if (text[i] === '"') return { plain, end: i + 1, closed: true }
    if (text[i] === '\\' && i + 1 < text.length) i += 1
    plain += text[i]
  }
  return { plain, end: text.length, closed: false }
}

/** A text without its comments, each of them a space; what stands behind one that never closes is part of it. */
export function withoutComments(text: string): string {
  let out = ''
  let from = 0
  for (let open = text.indexOf('('); open >= 0; open = text.indexOf('(', from)) {
    out += `${text.slice(from, open)} `
    const { end, closed } = skipComment(text, open)
    if (!closed) return out
    from = end
  }
  return out + text.slice(from)
}
