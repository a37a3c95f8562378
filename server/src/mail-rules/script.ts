import { replyWords } from '@pendro/core/automatic-reply'
import { writeRules, type FilingFolders, type LeftOut, type Vacation } from '@pendro/core/mail-rules'
import type { Database } from '../db/database.ts'
import { MailboxAddresses } from '../db/models/organisation.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { findAll } from '../db/rows.ts'
import { rulesOf } from '../judging/mail-rules.ts'
import { valueOf } from '../mailboxes/settings.ts'
import { replyOf } from '../replying/reply.ts'

/** The automatic reply of a mailbox as a script says it; `null`: it is off. */
export async function vacationOf(db: Database, mailboxId: number): Promise<Vacation | null> {
  const [mailbox, reply, { policy }] = await Promise.all([
    findMailboxRow(db, mailboxId),
    replyOf(db, mailboxId),
    readOrganisation(db),
  ])
  if (!mailbox || reply.when === 'off') return null
  const addresses = await findAll(db, MailboxAddresses, { mailbox_id: mailboxId }, { columns: ['address'] })
  const said = (texts: typeof reply.inside) => {
    const words = replyWords(texts, { language: null, subject: '' })
    return words && { ...words, subject: texts[0]?.subject ?? '' }
  }
  return {
    days: reply.days,
    addresses: [...new Set([mailbox.address, ...addresses.map(({ address }) => address)])],
    ownDomains: policy.ownDomains,
    inside: said(reply.inside),
    outside: said(reply.outside),
    away: reply.when === 'always' ? null : await valueOf(db, mailbox, 'away'),
  }
}

/** All that counts for a mailbox, as a script that is kept at its store: its own rules, then the organisation’s, and its reply. */
export async function keptScript(
  db: Database,
  mailboxId: number,
  folders: FilingFolders,
): Promise<{ readonly script: string; readonly left: readonly LeftOut[]; readonly replies: boolean }> {
  const [rules, vacation] = await Promise.all([rulesOf(db, [mailboxId]), vacationOf(db, mailboxId)])
  return {
    ...writeRules(rules(mailboxId), vacation, { settles: true, folders }),
    replies: vacation !== null,
  }
}
