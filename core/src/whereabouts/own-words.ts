/** A line that says who wrote what is quoted below it, in any language: it ends in a colon and names a time or an address. */
const announces = /^.{3,200}:\s{0,3}$/
const mostLines = 2000

/**
 * What somebody wrote in a reply, without what they quoted (common practice: quoted lines begin with '>', the line above
 * tells whose they are). A signature is left out, too (RFC 3676 §4.3). A reply that is nothing but quotation is given whole.
 */
export function ownWords(text: string): string {
  const lines = text.split(/\r?\n/).slice(0, mostLines)
  const signature = lines.findIndex(line => line === '-- ' || line === '--')
  const body = signature > 0 ? lines.slice(0, signature) : lines
  const kept = body.filter(
    (line, i) => !isQuoted(line) && !(announces.test(line) && isQuoted(nextWords(body, i))),
  )
  const own = kept
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim()
  return own === '' ? text.trim() : own
}

const isQuoted = (line: string) => /^\s{0,3}>/.test(line)

/** The next line that is not empty. */
function nextWords(lines: readonly string[], i: number): string {
  for (let at = i + 1; at < lines.length; at += 1) {
    const line = lines[at] ?? ''
    if (line.trim() !== '') return line
  }
  return ''
}
