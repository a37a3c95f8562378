import { findReferences, type FoundReferences } from './reference.ts'

interface Field {
  readonly name: string
  readonly value: string
}

/** A reply as it came in. */
export interface Reply {
  readonly headers: readonly Field[]
  /** '' for the empty reverse-path. */
  readonly envelopeFrom: string
  readonly subject: string
  /** The text part, or '' when there is none. */
  readonly text: string
  /** The HTML part as text, or ''. */
  readonly htmlText: string
}

export type AutomaticSign =
  'auto-submitted' | 'precedence' | 'list' | 'empty-sender' | 'robot-sender' | 'subject'

/** Words with which mail programs begin the subject of a notice of absence, in the languages of our digests. */
const noticeSubject =
  /^\s*(?:auto(?:matic)?[ -]?(?:reply|response)|auto|out of (?:the )?office|automatisk svar|autosvar|fraværsmelding|fravær|automatische antwort|abwesenheit(?:snotiz)?|abwesend|odpowiedź automatyczna|automatyczna odpowiedź|nieobecność)\s*(?::|-|–|\()/iu

/**
 * Why a message looks as if no person had sent it; `null` when nothing says so. RFC 3834 §2 (Auto-Submitted,
 * the reverse-path, senders that are no people) and §5, RFC 5230 §4.6 (List-*, Precedence).
 */
export function findAutomaticSign({
  headers,
  envelopeFrom,
  subject,
}: Omit<Reply, 'text' | 'htmlText'>): AutomaticSign | null {
  const field = (name: string) =>
    headers
      .find(h => h.name.toLowerCase() === name)
      ?.value.trim()
      .toLowerCase()
  // 'no' may carry a comment or parameters.
  const submitted = field('auto-submitted')?.split(/[\s;(]/)[0]
  if (submitted !== undefined && submitted !== 'no') return 'auto-submitted'
  if (/^(bulk|junk|list)\b/.test(field('precedence') ?? '')) return 'precedence'
  if (headers.some(h => /^list-(id|post|unsubscribe|help|subscribe|owner|archive)$/i.test(h.name)))
    return 'list'
  if (envelopeFrom === '') return 'empty-sender'
  if (
    /^(?:mailer-daemon|postmaster|no-?reply|owner-[^@]*|[^@]*-(?:request|relay|owner))@/i.test(envelopeFrom)
  )
    return 'robot-sender'
  return noticeSubject.test(subject) ? 'subject' : null
}

export type ReadReply =
  | { readonly kind: 'automatic'; readonly sign: AutomaticSign }
  /** No reference is left: nothing is released, and the answer says what to do. */
  | { readonly kind: 'nothing-left'; readonly slips: readonly string[] }
  | ({ readonly kind: 'asked' } & FoundReferences)

/** A reply that is longer is cut: everything a digest holds fits in a tenth of it. */
const mostCharacters = 2_000_000

/**
 * What a reply to a digest asks for (domain.md §6): all references still in it, wherever they stand, quoted or
 * not; common practice: lines deleted from a reply are not released. The text part speaks; a program that
 * sends HTML alone, or leaves the quoted text out of the text part, is read by its HTML.
 */
export function readReply(reply: Reply): ReadReply {
  const sign = findAutomaticSign(reply)
  if (sign !== null) return { kind: 'automatic', sign }
  const inText = findReferences(reply.text.slice(0, mostCharacters))
  const found =
    inText.references.length > 0 || reply.htmlText === ''
      ? inText
      : findReferences(reply.htmlText.slice(0, mostCharacters))
  return found.references.length > 0
    ? { kind: 'asked', ...found }
    : { kind: 'nothing-left', slips: found.slips }
}
