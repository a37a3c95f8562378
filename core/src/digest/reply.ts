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
  /** Of it, what is struck through: lines somebody crossed out. */
  readonly struckText?: string
}

/** What tells that a program wrote a reply (RFC 3834). */
export type AutomaticSign =
  | 'auto-submitted'
  | 'precedence'
  | 'list'
  | 'empty-sender'
  | 'robot-sender'
  | 'subject'

/**
 * Words with which mail programs and people begin the subject of a notice of absence, in the languages of our digests and
 * in French (common practice; no list is official). Alone, or before a colon, a dash or a bracket.
 */
const noticeWords = [
  'auto(?:matic|mated)?[ -]?(?:reply|response|answer)',
  'auto',
  'out[ -]of[ -](?:the[ -])?office(?: (?:auto(?:matic)?[ -]?)?(?:reply|response|notice))?',
  'vacation (?:reply|response|notice|message)',
  'away from (?:the office|my (?:desk|mail|e-?mail))',
  "(?:i am|i’m|i'm) (?:away|on holiday|on vacation|on leave|out of (?:the )?office)",
  'absence notice',
  'automatisk (?:svar|melding)',
  'auto(?:matisk )?svar',
  'fraværsmelding',
  'fravær',
  '(?:ikke på|ute av) kontoret',
  'ferie(?:melding|svar)?',
  'automatische (?:antwort|rückmeldung|mitteilung|nachricht)',
  'abwesenheit(?:snotiz|smeldung|snachricht|sinfo)?',
  'abwesend',
  'nicht im (?:büro|haus)',
  'außer haus',
  'automatyczna odpowiedź',
  'odpowiedź automatyczna',
  'nieobecność(?: w biurze)?',
  'poza biurem',
  'réponse automatique',
  "message d[’']absence",
  'absence du bureau',
  'absent(?:e)? du bureau',
  "notification d[’']absence",
]
const noticeSubject = new RegExp(`^\\s{0,20}(?:${noticeWords.join('|')})\\s{0,5}(?::|-|–|—|\\(|\\[|$)`, 'iu')

/**
 * Why a message looks as if no person had sent it; `null` when nothing says so. RFC 3834 §2 (Auto-Submitted,
 * the reverse-path, senders that are no people) and §5, RFC 5230 §4.6 (List-*, Precedence).
 */
export function findAutomaticSign({
  headers,
  envelopeFrom,
  subject,
}: Pick<Reply, 'headers' | 'envelopeFrom' | 'subject'>): AutomaticSign | null {
  const field = (name: string) =>
    headers
      .find(h => h.name.toLowerCase() === name)
      ?.value.trim()
      .toLowerCase()
  // 'no' may carry a comment or parameters.
  const submitted = field('auto-submitted')?.split(/[\s;(]/)[0]
  if (submitted !== undefined && submitted !== 'no') return 'auto-submitted'
  if (/^(bulk|junk|list|auto[_-]?reply)\b/.test(field('precedence') ?? '')) return 'precedence'
  // Older than the standard, and still written.
  if (
    /^(?!no\b|false\b|0\b)./.test(
      field('x-autoreply') ?? field('x-autorespond') ?? field('x-mail-autoreply') ?? '',
    )
  )
    return 'auto-submitted'
  if (headers.some(h => /^list-(id|post|unsubscribe|help|subscribe|owner|archive)$/i.test(h.name)))
    return 'list'
  if (envelopeFrom === '') return 'empty-sender'
  if (
    /^(?:mailer-daemon|postmaster|no-?reply|owner-[^@]*|[^@]*-(?:request|relay|owner))@/i.test(
      envelopeFrom.slice(0, 400),
    )
  )
    return 'robot-sender'
  return noticeSubject.test(subject.slice(0, 500)) ? 'subject' : null
}

/** A reply as it was understood. */
export type ReadReply =
  | { readonly kind: 'automatic'; readonly sign: AutomaticSign }
  /** A word asks for a fresh digest, and no reference is left. */
  | { readonly kind: 'fresh' }
  /** No reference is left: nothing is released, and the answer says what to do. */
  | { readonly kind: 'nothing-left'; readonly slips: readonly string[] }
  | ({ readonly kind: 'asked' } & FoundReferences)

/** A reply that is longer is cut: everything a digest holds fits in a tenth of it. */
const mostCharacters = 2_000_000

/**
 * What a reply to a digest asks for (domain.md §6): all references still in it, wherever they stand, quoted or
 * not; common practice: lines deleted from a reply are not released. The text part speaks; a program that
 * sends HTML alone, or leaves the quoted text out of the text part, is read by its HTML. The subject counts, too: a
 * reference may be mailed alone.
 */
export function readReply(reply: Reply): ReadReply {
  const sign = findAutomaticSign(reply)
  if (sign !== null) return { kind: 'automatic', sign }
  const inText = findReferences(reply.text.slice(0, mostCharacters))
  const inHtml = findReferences(reply.htmlText.slice(0, mostCharacters))
  const found =
    inText.references.length + inText.perhaps.length > 0 || reply.htmlText === '' ? inText : inHtml
  // Somebody who mails one reference alone puts it where there is room first.
  const inSubject = findReferences(reply.subject.slice(0, 500))
  // Crossed out and nowhere left standing: taken back.
  const out = findReferences((reply.struckText ?? '').slice(0, mostCharacters))
  const standing = new Set([...inHtml.references, ...inHtml.perhaps])
  const crossed = new Set([...out.references, ...out.perhaps].filter(one => !standing.has(one)))
  const both = (kind: keyof FoundReferences) => [...new Set([...found[kind], ...inSubject[kind]])]
  const references = both('references').filter(one => !crossed.has(one))
  const perhaps = both('perhaps').filter(one => !crossed.has(one) && !references.includes(one))
  const slips = both('slips')
  if (references.length + perhaps.length > 0) return { kind: 'asked', references, perhaps, slips }
  return asksForDigest(reply) ? { kind: 'fresh' } : { kind: 'nothing-left', slips }
}

/** What digests call themselves in their languages; alone, it asks for one. */
const freshWord =
  /^(?:(?:a |please |ny |neue? |nowe )?(?:fresh |new )?)?(?:digest|oversikt(?:en)?|oversikt over e-?post|übersicht|zestawienie)[.!]?$/iu

/** The subject, or the first line that somebody wrote, is the word and nothing else; what is quoted does not ask. */
function asksForDigest({ subject, text, htmlText }: Reply): boolean {
  const isWord = (line: string) => freshWord.test(line.trim().slice(0, 60))
  const first = (text.trim() === '' ? htmlText : text)
    .slice(0, 4000)
    .split(/\r?\n/)
    .map(line => line.trim())
    .find(line => line !== '')
  return isWord(subject.slice(0, 200)) || (first !== undefined && isWord(first))
}
