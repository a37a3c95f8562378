import { randomUUID } from 'node:crypto'
import type { Database } from '../db/database.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { composeOwnMail, organisationWords } from '../outbox/own-mail.ts'
import { translator } from '../wording.ts'
import { renewSecret } from './invitations.ts'

/** The message that invites somebody to work with Pendro, with a link of its own each time it is written. `null`: it has ended. */
export async function writeInvitation(
  db: Database,
  id: number,
  {
    mailboxId,
    publicUrl,
    now,
  }: { readonly mailboxId: number; readonly publicUrl: string; readonly now: Date },
): Promise<Buffer | null> {
  const mailbox = await findMailboxRow(db, mailboxId)
  const invitation = mailbox && (await renewSecret(db, id, now))
  if (!mailbox || !invitation) return null
  const organisation = await readOrganisation(db)
  const { name, address, language } = mailbox
  const t = translator(language)
  const facts = {
    name,
    by: invitation.by,
    signIn: invitation.signIn,
    organisation: organisation.name,
    // Behind the #: no server on the way writes it down.
    url: `${publicUrl}/invitation#${invitation.secret}`,
  }
  const parts = [
    ...['greeting', 'text', 'link', 'never'].map(part => t(`invitation.${part}`, facts)),
    organisationWords(organisation, 'foot', language),
  ]
  return composeOwnMail(organisation, {
    language,
    to: { name, address },
    subject: t('invitation.subject', facts),
    text: `${parts.filter(part => part !== '').join('\n\n')}\n`,
    date: now,
    id: `invitation-${randomUUID()}`,
    automatic: 'auto-generated',
  })
}
