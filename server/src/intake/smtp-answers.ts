import { translator } from '../wording.ts'

/** Reply code (RFC 5321 §4.2) and enhanced status code (RFC 3463 §3) of every answer but plain acknowledgements. */
export const refusals = {
  'no-mailbox': [550, '5.1.1'],
  'database-away': [451, '4.3.0'],
  'too-many-parts': [554, '5.6.0'],
  'too-many-recipients': [452, '4.5.3'],
  'too-many-refused': [421, '4.7.0'],
  'too-many-connections': [421, '4.7.0'],
  'too-many-messages': [421, '4.7.0'],
  'too-many-a-minute': [450, '4.7.0'],
  'not-listed': [554, '5.7.1'],
  'needs-tls': [530, '5.7.0'],
  'submission-off': [554, '5.7.1'],
  'not-own-server': [554, '5.7.1'],
  'too-many-tries': [421, '4.7.0'],
  'wrong-password': [535, '5.7.8'],
  'needs-sign-in': [530, '5.7.0'],
  'sender-not-ours': [550, '5.7.1'],
  'odd-recipient': [553, '5.1.3'],
  'unreadable-message': [554, '5.6.0'],
  'journal-not-own-server': [550, '5.7.1'],
  'routing-loop': [554, '5.4.6'],
  'too-large': [552, '5.3.4'],
  'unreadable-report': [550, '5.6.0'],
  'report-not-colleague': [550, '5.7.1'],
  'report-unproven': [550, '5.7.1'],
  'report-without-message': [550, '5.6.0'],
  'unreadable-reply': [550, '5.6.0'],
  'reply-not-colleague': [550, '5.7.1'],
  'reply-unproven': [550, '5.7.1'],
  'unreadable-question': [550, '5.6.0'],
  'question-not-colleague': [550, '5.7.1'],
  'question-unproven': [550, '5.7.1'],
} as const satisfies Readonly<Record<string, readonly [number, string]>>

export type SmtpRefusal = keyof typeof refusals

export type Acknowledgement = 'question-taken' | 'noted' | 'reply-taken' | 'report-taken' | 'taken'

type Facts = Readonly<Record<string, string | number>>

const t = translator('en')

/** An error whose code and text go to the SMTP client. */
export function refusal(code: SmtpRefusal, facts: Facts = {}): Error & { readonly responseCode: number } {
  const [responseCode, status] = refusals[code]
  return Object.assign(new Error(`${status} ${t(`smtp.${code}`, facts)}`), { responseCode })
}

/** The text after 250. */
export const acknowledgement = (code: Acknowledgement, facts: Facts = {}): string =>
  `2.0.0 ${t(`smtp.${code}`, facts)}`
