/**
 * What people paste where a pattern is meant: `mailto:` links, `Name <address>`, quotes around it, commas
 * and semicolons behind it, the apostrophe that keeps a spreadsheet from calculating. The pattern alone.
 */
export function tidyPattern(typed: string): string {
  // No pattern is longer; what is cut here is refused by what it begins with.
  let text = typed
    .slice(0, 600)
    .trim()
    .replace(/[,;]+$/, '')
    .trim()
  if (/^'[=+\-@]/.test(text)) text = text.slice(1)
  if (/^(["']).*\1$/.test(text) && !text.slice(1, -1).includes(text.charAt(0)))
    text = text.slice(1, -1).trim()
  const link = /^mailto:([^?]*)/i.exec(text)
  if (link) text = decode(link[1] ?? '')
  // '<list-id>' on its own is a pattern; with a name before it, it is an address.
  const named = /^[^<>]+<([^<>]+@[^<>]+)>$/.exec(text)
  return (named?.[1] ?? text).trim()
}

function decode(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

/** Several senders on one line, parted by commas or semicolons outside quotes and angle brackets. */
export function splitSenders(line: string): readonly string[] {
  return (
    line
      .match(/(?:"[^"]*"|<[^<>]*>|[^,;"<]|["<])+/g)
      ?.map(part => part.trim())
      .filter(part => part !== '') ?? []
  )
}

/** The senders of a text somebody pasted where one is meant: lines, commas or semicolons part them, each is there once. */
export const sendersIn = (text: string): readonly string[] => [
  ...new Set(
    text
      .split(/\r\n|\r|\n/)
      .flatMap(line => splitSenders(line))
      .map(tidyPattern)
      .filter(pattern => pattern !== ''),
  ),
]
