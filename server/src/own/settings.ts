import { isDeepStrictEqual } from 'node:util'
import type { DigestScheduleShape, JunkShown, MailboxChange, Reminders } from '@pendro/contract'
import { nextDigest } from '@pendro/core/digest'
import { inTransaction, type Database } from '../db/database.ts'
import { update } from '../db/rows.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { digestSchedule, findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { changeSchedule, scheduleFacts } from '../digests/day.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { applyChange } from '../mailboxes/change.ts'
import { writeRecord } from '../record/write.ts'
import { actor } from '../sign-in/sessions.ts'
import { spokenLanguage } from '../wording.ts'
import { needMay, type SignedInColleague } from './access.ts'

export interface OwnSettings {
  readonly language: 'en' | 'nb' | 'de' | 'pl'
  /** `null`: as the organisation has it. */
  readonly schedule: DigestScheduleShape | null
  readonly listsJunk: boolean
  readonly listsNearCertain: boolean
}

export async function readSettingsOf(
  db: Database,
  { id }: SignedInColleague,
  now: Date,
): Promise<OwnSettings & { inForce: DigestScheduleShape; next: string | null }> {
  const [organisation, mailbox] = await Promise.all([readOrganisation(db), findMailboxRow(db, id)])
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  const schedule = digestSchedule(mailbox, organisation)
  const inForce = { times: [...schedule.times], weekdays: [...schedule.weekdays] }
  const next = nextDigest(schedule, now.getTime())
  return {
    language: spokenLanguage(mailbox.language) as OwnSettings['language'],
    schedule: mailbox.digest_times === null && mailbox.digest_weekdays === null ? null : inForce,
    listsJunk: mailbox.digest_lists_junk === 1,
    listsNearCertain: mailbox.digest_lists_near_certain === 1,
    inForce,
    next: next === null ? null : new Date(next).toISOString(),
  }
}

/** Sets all of it as one act. */
export async function writeSettingsOf(
  db: Database,
  who: SignedInColleague,
  { language, schedule, listsJunk, listsNearCertain }: OwnSettings,
  now: Date,
): Promise<void> {
  const { schedule: before } = await readSettingsOf(db, who, now)
  if (!isDeepStrictEqual(before, schedule)) needMay(who, 'digests')
  await inTransaction(db, async tx => {
    await update(
      db,
      Mailboxes,
      { language, digest_lists_junk: listsJunk, digest_lists_near_certain: listsNearCertain },
      { id: who.id },
      tx,
    )
    const sorted = await changeSchedule(db, tx, who.id, schedule)
    const by = actor({ colleague: who })
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'digest-schedule',
        by,
        mailboxId: who.id,
        facts: { ...scheduleFacts(sorted), language },
      },
    ])
    await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: by.name }])
  })
}

/** When the page shows the junk folder, and how the colleague is told of what is about to go. */
export async function readJunkOf(
  db: Database,
  { id }: SignedInColleague,
): Promise<{ readonly shown: JunkShown; readonly reminders: Reminders }> {
  const mailbox = await findMailboxRow(db, id)
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  return { shown: mailbox.junk_shown, reminders: mailbox.reminders }
}

/** Sets one of them as one act; the number of the change. */
export function setJunkOf(
  db: Database,
  who: SignedInColleague,
  { change, token }: { readonly change: JunkChange; readonly token: string },
  now: Date,
): Promise<number> {
  const by = actor({ colleague: who })
  return applyChange(db, { by, mailboxId: who.id, change, reason: '', token, now })
}

type JunkChange = Extract<MailboxChange, { readonly what: 'junk-shown' | 'reminders' }>
