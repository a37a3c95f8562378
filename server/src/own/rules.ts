import type { DigestLanguage, OwnRules, OwnRulesChange, RulesEffect } from '@pendro/contract'
import type { Database } from '../db/database.ts'
import { MailboxChanges } from '../db/models/organisation.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { applyRulesChange, undoRulesChange } from '../mail-rules/change.ts'
import { effectOfRules, type Deps } from '../mail-rules/replay.ts'
import { foldersOf, rowsOf, shownRule } from '../mail-rules/rules.ts'
import { undoChange } from '../mailboxes/change.ts'
import { actor } from '../sign-in/sessions.ts'
import { spokenLanguage } from '../wording.ts'
import type { SignedInColleague } from './access.ts'

/** The rules of a colleague's own mailbox, in their order. */
export async function readRulesOf(db: Database, { id }: SignedInColleague): Promise<OwnRules> {
  const [rows, folders, mailbox] = await Promise.all([
    rowsOf(db, id),
    foldersOf(db, id),
    findMailboxRow(db, id),
  ])
  return {
    rules: rows.map(shownRule),
    folders,
    language: spokenLanguage(mailbox?.language ?? 'en') as DigestLanguage,
  }
}

export const previewRulesOf = (
  deps: Deps,
  { id }: SignedInColleague,
  change: OwnRulesChange,
): Promise<RulesEffect> => effectOfRules(deps, id, change)

/** Changes rules as one act of the colleague; the number of the change. */
export async function changeRulesOf(
  db: Database,
  who: SignedInColleague,
  { change, token }: { readonly change: OwnRulesChange; readonly token: string },
  now: Date,
): Promise<number> {
  const by = actor({ colleague: who })
  const made = await applyRulesChange(db, { by, owner: who.id, change, reason: '', token, now })
  return made.change
}

/** Takes back a change of the colleague's own mailbox, whoever made it; of another's it says that there is none. */
export async function undoChangeOf(
  db: Database,
  who: SignedInColleague,
  id: number,
  now: Date,
): Promise<void> {
  const change = await findOne(db, MailboxChanges, { id }, { columns: ['what', 'mailbox_id'] })
  if (change?.mailbox_id !== who.id) throw new AppError('CHANGE_NOT_FOUND')
  const by = actor({ colleague: who })
  if (change.what === 'rules') await undoRulesChange(db, by, id, now)
  else await undoChange(db, by, id, now)
}
