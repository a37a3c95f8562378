import { addressText, parseAddress, parseMailboxes, withoutTag } from '../address/index.ts'
import { isAuthenticated, type Authentication } from '../senders/index.ts'

/** One language of an automatic reply. `subject` '' is "Auto: " and the subject it answers (RFC 3834 §3.1.5). */
export interface ReplyText {
  readonly language: string
  readonly subject: string
  readonly text: string
}

/** What a mailbox answers by itself. Texts are kept while it is off. */
export interface AutomaticReply {
  /** 'away': only in its times away. */
  readonly when: 'off' | 'away' | 'always'
  /** A sender gets one in so many days (RFC 5230 §4.2). */
  readonly days: number
  /** To colleagues. */
  readonly inside: readonly ReplyText[]
  /** To everybody else; without a text they get none. */
  readonly outside: readonly ReplyText[]
}

/** What there is where nobody has set anything. */
export const noReply: AutomaticReply = { when: 'off', days: 7, inside: [], outside: [] }

/** Why a message is not answered. */
export type Unanswered =
  /** The null reverse-path: RFC 3834 §2, RFC 5321 §4.5.5. */
  | 'empty-path'
  /** Auto-Submitted other than "no": RFC 3834 §2. */
  | 'automatic'
  /** A report of delivery or of anything else: RFC 3462. */
  | 'report'
  /** Precedence of bulk, list or junk: RFC 3834 §2. */
  | 'bulk'
  /** A field of RFC 2369 or RFC 2919: RFC 5230 §4.6. */
  | 'list'
  /** Written by a program, going by its address: RFC 5230 §4.6. */
  | 'robot'
  /** None of the mailbox's addresses is among the recipients: RFC 5230 §4.5. */
  | 'not-addressed'
  /** From the mailbox itself: RFC 5230 §4.6. */
  | 'own-address'
  /** Nothing proves the return path: an answer could go to somebody who never wrote (RFC 3834 §7). */
  | 'unproven'

interface Asked {
  readonly headers: readonly { readonly name: string; readonly value: string }[]
  /** The return path; '' for the empty one. */
  readonly envelopeFrom: string
  /** All addresses of the mailbox. */
  readonly own: readonly string[]
  readonly authentication: Authentication
}

const listFields = /^list-(?:id|help|subscribe|unsubscribe|post|owner|archive)$/i
const recipientFields = /^(?:to|cc|bcc|resent-to|resent-cc|resent-bcc)$/i
/** RFC 5230 §4.6, and names that say so themselves (common practice). */
const robots =
  /^(?:mailer-daemon|postmaster|listserv|majordomo|owner-.*|.*-owner|.*-request|.*-bounces?|(?:do-?)?not?-?reply)$/i
/** So many fields are looked at; more is no letter to a person. */
const mostFields = 400

/** Whether a message that has arrived is answered; `null`: it is. */
export function whyUnanswered({ headers, envelopeFrom, own, authentication }: Asked): Unanswered | null {
  if (envelopeFrom === '') return 'empty-path'
  const sender = parseAddress(envelopeFrom)
  if (!sender.ok) return 'empty-path'
  const fields = headers.slice(0, mostFields)
  const values = (name: string) =>
    fields.filter(field => field.name.toLowerCase() === name).map(({ value }) => value.trim().toLowerCase())
  // Comments and parameters may follow (RFC 3834 §5.2).
  if (values('auto-submitted').some(value => value.split(/[\s;(]/)[0] !== 'no')) return 'automatic'
  if (values('content-type').some(value => value.startsWith('multipart/report'))) return 'report'
  if (values('precedence').some(value => /^(?:bulk|list|junk)\b/.test(value))) return 'bulk'
  if (fields.some(({ name }) => listFields.test(name))) return 'list'
  if (robots.test(sender.value.local)) return 'robot'
  const mine = new Set(own.map(canonical))
  if (mine.has(canonical(envelopeFrom))) return 'own-address'
  const named = fields
    .filter(({ name }) => recipientFields.test(name))
    .flatMap(({ value }) => parseMailboxes(value))
  if (!named.some(({ text }) => mine.has(canonical(text)))) return 'not-addressed'
  return isAuthenticated(sender.value.domain, authentication) ? null : 'unproven'
}

/** Without its tag and in lower case: sub-addresses are the mailbox's own (RFC 5233). */
function canonical(text: string): string {
  const parsed = parseAddress(text)
  return parsed.ok ? addressText(withoutTag(parsed.value)).toLowerCase() : text.toLowerCase()
}

/** By what a sender is remembered: one of several addresses with a tag is the same person. */
export const senderKey = canonical

/** Subject and text of an answer. */
export interface ReplyWords {
  readonly subject: string
  readonly text: string
}

const between = '\n\n* * *\n\n'

/**
 * What is answered: in the reader's language where that is known and there is a text in it, else in all there are, one below
 * the other. `null`: there is no text.
 */
export function replyWords(
  texts: readonly ReplyText[],
  { language, subject }: { readonly language: string | null; readonly subject: string },
): ReplyWords | null {
  const own = texts.find(one => one.language === language)
  const said = own ? [own] : texts
  const [first] = said
  if (!first) return null
  return {
    subject: oneLine(first.subject) || `Auto: ${oneLine(subject)}`.slice(0, 300),
    text: said.map(({ text }) => text.trim()).join(between),
  }
}

/** A subject is one line, whatever is in it. */
const oneLine = (text: string): string => text.replace(/\s+/g, ' ').trim()

/** Message-IDs that an answer refers to, oldest first (RFC 5322 §3.6.4); at most so many that a field stays readable. */
export function threadOf(headers: Asked['headers']): readonly string[] {
  const ids = (name: string): readonly string[] =>
    headers
      .filter(field => field.name.toLowerCase() === name)
      .flatMap(({ value }) => value.slice(0, 8000).match(/<[^<>\s]{3,300}>/g) ?? [])
  const own = ids('message-id').slice(0, 1)
  const before = ids('references').length > 0 ? ids('references') : ids('in-reply-to').slice(0, 1)
  return [...new Set([...before.slice(-20).filter(id => id !== own[0]), ...own])]
}

/** What is wrong with a setting; `null`: nothing. */
export function replyProblem({ when, inside, outside }: AutomaticReply): 'no-text' | 'twice' | null {
  if (when !== 'off' && inside.length + outside.length === 0) return 'no-text'
  const isTwice = (texts: readonly ReplyText[]) =>
    new Set(texts.map(({ language }) => language)).size < texts.length
  return isTwice(inside) || isTwice(outside) ? 'twice' : null
}
