import type { StandbySheet } from '@pendro/contract'

/** What a letter begins with. */
export interface Beginning {
  readonly to: readonly string[]
  readonly cc: readonly string[]
  readonly subject: string
  readonly html: string
}

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, c => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c] ?? c)

/** Plain text as an editor has it: a paragraph a line. */
const htmlOf = (text: string): string =>
  text
    .split(/\r?\n/)
    .map(line => `<p>${escaped(line)}</p>`)
    .join('')

/** “Re: ” once, whatever a subject begins with already (RFC 5322 §3.6.5). */
const answerSubject = (subject: string): string =>
  `Re: ${subject.replace(/^(?:\s*(?:re|aw|sv|vs|odp)\s*:)+\s*/i, '')}`
/** The same for what is passed on (common practice). */
const forwardSubject = (subject: string): string =>
  `Fwd: ${subject.replace(/^(?:\s*(?:fwd?|wg|vs|videresendt|pd)\s*:)+\s*/i, '')}`

const same = (a: string, b: string) => a.toLowerCase() === b.toLowerCase()

/**
 * An answer: to whom it is to go, and what is quoted. `all`: to everybody it was sent to as well, but not to whoever answers.
 * @param wrote The line above what is quoted.
 */
export function answerTo(
  { subject, replyTo, to, cc, text }: StandbySheet,
  { own, all, wrote }: { readonly own: string; readonly all: boolean; readonly wrote: string },
): Beginning {
  const first = replyTo.filter(address => !same(address, own))
  // Whoever answers their own letter goes on writing to the same people.
  const main = first.length > 0 ? first : to
  const others = [...to, ...cc].filter(
    (address, i, list) =>
      !same(address, own) &&
      !main.some(one => same(one, address)) &&
      list.findIndex(one => same(one, address)) === i,
  )
  return {
    to: main,
    cc: all ? others : [],
    subject: answerSubject(subject),
    html: `<p></p><p></p><p>${escaped(wrote)}</p><blockquote>${htmlOf(text.trim())}</blockquote>`,
  }
}

/** What is passed on goes with the letter whole. */
export const forwardOf = ({ subject }: StandbySheet): Beginning => ({
  to: [],
  cc: [],
  subject: forwardSubject(subject),
  html: '<p></p>',
})

/** Addresses that were typed, parted by commas, semicolons or spaces, each once; a name in front of one is left out. */
export function addressesTyped(text: string): readonly string[] {
  const found = text
    .split(/[,;\s]+/)
    .map(part => part.replace(/^[<"']+|[>"']+$/g, ''))
    .filter(part => part.includes('@'))
  return found.filter((address, i) => found.findIndex(one => same(one, address)) === i)
}
