import type { AutomaticReplyShape } from '@pendro/contract'
import { replyProblem, replyWords } from '@pendro/core/automatic-reply'
import { parseMessage } from '@pendro/core/message'
import type { Database } from '../db/database.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { composeReply } from '../replying/reply.ts'

interface Asked {
  readonly reply: AutomaticReplyShape
  readonly to: 'colleague' | 'other'
  readonly language: string
}

/** Fields that are worth showing, in the order a reader knows. */
const shown = ['From', 'To', 'Subject', 'Date', 'Auto-Submitted', 'In-Reply-To', 'References']

/** The very bytes of a reply to a message that might have come, read back; `null`: they would get none. */
export async function previewReplyOf(
  db: Database,
  mailboxId: number,
  { reply, to, language }: Asked,
  now: Date,
) {
  const mailbox = await findMailboxRow(db, mailboxId)
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  const problem = replyProblem(reply)
  if (problem === 'twice') throw new AppError('BAD_REPLY', { context: problem })
  const texts = to === 'colleague' ? reply.inside : reply.outside
  const words = replyWords(texts, { language: to === 'colleague' ? language : null, subject: 'A question' })
  if (!words) return null
  const organisation = await readOrganisation(db)
  const domain = to === 'colleague' ? (organisation.policy.ownDomains[0] ?? 'invalid') : 'sender.example'
  const raw = await composeReply(organisation, mailbox, {
    words,
    to: { name: '', address: `somebody@${domain}` },
    thread: [`<question@${domain}>`],
    id: 'preview',
    date: now,
  })
  const parsed = await parseMessage(raw)
  if (!parsed.ok) throw new Error(`our own reply can’t be read: ${parsed.problem.code}`)
  const { subject, text, headers } = parsed.value
  return {
    subject,
    text,
    headers: shown.flatMap(name =>
      headers
        .filter(field => field.name.toLowerCase() === name.toLowerCase())
        .map(({ value }) => ({ name, value })),
    ),
  }
}
