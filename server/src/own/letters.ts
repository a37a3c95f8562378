import { randomInt, randomUUID } from 'node:crypto'
import type { Database } from '../db/database.ts'
import { update } from '../db/rows.ts'
import { ColleagueAccess } from '../db/models/people.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { letterText } from '../outbox/letter-text.ts'
import { composeOwnMail } from '../outbox/own-mail.ts'
import type { LetterKind } from '../outbox/outbox.ts'
import { writeAnswer } from '../whereabouts/letters.ts'
import { writeInvitation } from '../staffers/invitation-letter.ts'
import { codeMinutes, makeCode, storePassword } from './access.ts'

/** The letters of one installation, for the outbox. `publicUrl`: where colleagues open their own pages. */
export const lettersOf =
  ({ db, publicUrl, now }: { readonly db: Database; readonly publicUrl: string; readonly now: () => Date }) =>
  (kind: LetterKind, id: number, mailboxId: number): Promise<Buffer | null> =>
    kind === 'letter'
      ? writeAnswer(db, id, { publicUrl })
      : kind === 'invitation'
        ? writeInvitation(db, id, { mailboxId, publicUrl, now: now() })
        : writeLetter(db, kind, id, { publicUrl, now: now() })

/**
 * The welcome of a colleague with a password of their own, or a one-time code. The secret is made when the
 * message is about to go, so that it lies nowhere readable; a second try has a new one. `null`: the mailbox
 * is gone.
 */
export async function writeLetter(
  db: Database,
  kind: 'welcome' | 'code',
  mailboxId: number,
  { publicUrl, now }: { readonly publicUrl: string; readonly now: Date },
): Promise<Buffer | null> {
  const mailbox = await findMailboxRow(db, mailboxId)
  if (!mailbox) return null
  const organisation = await readOrganisation(db)
  const secret = kind === 'welcome' ? makePassword() : await makeCode(db, mailboxId, now)
  if (kind === 'welcome') {
    await storePassword(db, mailboxId, secret)
    await update(db, ColleagueAccess, { welcomed_at: now }, { mailbox_id: mailboxId })
  }
  const { name, address, language } = mailbox
  const facts = { name, address, language, secret, url: `${publicUrl}/own`, minutes: codeMinutes }
  return composeOwnMail(organisation, {
    language,
    to: { name, address },
    ...letterText(organisation, kind, facts),
    date: now,
    id: `${kind}-${randomUUID()}`,
    automatic: 'auto-generated',
  })
}

/** Symbols that are hard to take for one another; 16 of them are 79 bits. */
const symbols = 'abcdefghjkmnpqrstuvwxyz23456789'

function makePassword(): string {
  const four = () => Array.from({ length: 4 }, () => symbols[randomInt(symbols.length)]).join('')
  return [four(), four(), four(), four()].join('-')
}
