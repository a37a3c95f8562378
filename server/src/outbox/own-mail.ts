import MailComposer from 'nodemailer/lib/mail-composer'
import type { DigestLanguage } from '@pendro/contract'
import type { Organisation } from '../db/organisation.ts'
import { spokenLanguage, translator } from '../wording.ts'

/** Who mail of our own comes from, in the reader's language. */
export const ownSender = (
  { name, digestAddress }: Organisation,
  language: string,
): { readonly name: string; readonly address: string } => ({
  name: translator(language)('letter.from', { organisation: name }),
  address: digestAddress,
})

/** What the organisation itself says in a language; '' for nothing. */
export const organisationWords = (
  { letters }: Pick<Organisation, 'letters'>,
  place: 'welcome' | 'foot',
  language: string,
): string => letters?.[place][spokenLanguage(language) as DigestLanguage] ?? ''

export const ownDomain = ({ digestAddress }: Organisation): string => digestAddress.split('@')[1] ?? 'invalid'

interface OwnMail {
  /** Who it comes from; without it the organisation. */
  readonly from?: { readonly name: string; readonly address: string }
  /** Of the reader. */
  readonly language: string
  readonly to: { readonly name: string; readonly address: string }
  readonly subject: string
  readonly text: string
  readonly html?: string
  readonly date: Date
  /** Left part of the Message-ID; the right one is our domain. */
  readonly id: string
  /** RFC 3834 §5: sent by a program of its own accord, or as an answer; `null`: a person wrote it. */
  readonly automatic: 'auto-generated' | 'auto-replied' | null
  /** Message-IDs of its thread, oldest first; it answers the last (RFC 5322 §3.6.4). */
  readonly answers?: readonly string[]
  readonly replyTo?: string
  readonly headers?: Readonly<Record<string, string>>
}

/** The bytes of a message of our own: RFC 5322, multipart/alternative where it has HTML too. */
export function composeOwnMail(organisation: Organisation, mail: OwnMail): Promise<Buffer> {
  const {
    from,
    language,
    to,
    subject,
    text,
    html,
    date,
    id,
    automatic,
    answers = [],
    replyTo,
    headers,
  } = mail
  return new MailComposer({
    from: from ?? ownSender(organisation, language),
    to,
    subject,
    text,
    date,
    messageId: `<${id}@${ownDomain(organisation)}>`,
    ...(html === undefined ? {} : { html }),
    ...(replyTo === undefined ? {} : { replyTo }),
    ...(answers.length > 0 ? { inReplyTo: answers.at(-1), references: [...answers] } : {}),
    headers: { ...(automatic === null ? {} : { 'Auto-Submitted': automatic }), ...headers },
  })
    .compile()
    .build()
}
