/** Elements inside each other: honest mail has some thirty, layout tables included (common practice). */
const deepest = 120
const longest = 3_000_000

const voidElement = /^(?:area|base|br|col|embed|hr|img|input|link|meta|source|track|wbr|!|\?)/i

/**
 * HTML whose elements are not nested deeper than a parser should be asked to go: tags beyond the depth are left out, their
 * text stays. Parsers keep a stack, and some move all of it for each tag: 60,000 open elements took 7 s. One pass over
 * the tags; what is taken out here only makes less of it active, and everything is sanitised afterwards.
 */
export function capNesting(html: string): string {
  const text = html.length > longest ? html.slice(0, longest) : html
  const kept: string[] = []
  let depth = 0
  let from = 0
  let at = text.indexOf('<')
  while (at >= 0) {
    const isClose = text[at + 1] === '/'
    const first = text[at + (isClose ? 2 : 1)] ?? ''
    if (!/[a-z!?]/i.test(first)) {
      at = text.indexOf('<', at + 1)
      continue
    }
    if (isClose) {
      if (depth > deepest) {
        const end = text.indexOf('>', at)
        kept.push(text.slice(from, at))
        from = end < 0 ? text.length : end + 1
      }
      if (depth > 0) depth -= 1
    } else if (!voidElement.test(text.slice(at + 1, at + 8))) {
      depth += 1
      if (depth > deepest) {
        const end = text.indexOf('>', at)
        kept.push(text.slice(from, at), ' ')
        from = end < 0 ? text.length : end + 1
        at = from - 1
      }
    }
    at = text.indexOf('<', Math.max(at + 1, from))
  }
  if (kept.length === 0) return text
  kept.push(text.slice(from))
  return kept.join('')
}
