import type {
  ComposedDigest,
  DigestDay,
  DigestLanguage,
  DigestReply,
  DigestScheduleShape,
} from '@pendro/contract'
import { parseMessage } from '@pendro/core/message'
import { nextDigest } from '@pendro/core/digest'
import { findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { within, type Scope } from '../db/scope.ts'
import { findOne, update } from '../db/rows.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { type DigestReplies, Digests } from '../db/models/digests.ts'
import { digestSchedule, findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { awayTimes, waitsOf } from '../deliveries/expiry.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { planAgain } from './sending.ts'

const day = 86_400_000

/** The day on a line: when digests went, and when they will go. */
export async function readDay(db: Database, scope: Scope, now: Date): Promise<DigestDay> {
  const theirs = within(scope, 'mailbox_id')
  const values = { now, from: new Date(now.getTime() - day), to: new Date(now.getTime() + day) }
  const [{ timeZone }, past, coming, replies] = await Promise.all([
    readOrganisation(db),
    select<{ at: Date; n: number; bounced: number }>(
      db,
      `SELECT MIN(cut) AS at, COUNT(*) AS n, SUM(state = 'bounced') AS bounced FROM digests
       WHERE cut > :from AND cut <= :now AND ${theirs} GROUP BY FLOOR(UNIX_TIMESTAMP(cut) / 300) ORDER BY at`,
      values,
    ),
    select<{ at: Date; n: number }>(
      db,
      `SELECT next_at AS at, COUNT(*) AS n FROM digest_due WHERE next_at > :now AND next_at <= :to AND ${theirs}
       GROUP BY next_at ORDER BY next_at`,
      values,
    ),
    findRow<{ n: number }>(db, `SELECT COUNT(*) AS n FROM digest_replies WHERE needs_look AND ${theirs}`),
  ])
  return {
    now: now.toISOString(),
    timeZone,
    moments: [
      ...past.map(({ at, n, bounced }) => ({
        at: at.toISOString(),
        past: true,
        mailboxes: n,
        bounced: Number(bounced),
      })),
      ...coming.map(({ at, n }) => ({ at: at.toISOString(), past: false, mailboxes: n, bounced: 0 })),
    ],
    repliesToLookAt: replies?.n ?? 0,
  }
}

interface ReplyRow extends Pick<
  RowOf<typeof DigestReplies>,
  'id' | 'received_at' | 'mailbox_id' | 'subject' | 'outcome' | 'needs_look' | 'facts' | 'source'
> {
  readonly mailbox_name: string
}

/** What a person has to read of a reply; the rest of the digest below it is known. */
const shownCharacters = 1500

export async function readReplies(db: Database, scope: Scope): Promise<DigestReply[]> {
  const rows = await select<ReplyRow>(
    db,
    `SELECT r.id, r.received_at, r.mailbox_id, b.name AS mailbox_name, r.subject, r.outcome, r.needs_look, r.facts, r.source
     FROM digest_replies r JOIN mailboxes b ON b.id = r.mailbox_id
     WHERE ${within(scope, 'r.mailbox_id')} ORDER BY r.needs_look DESC, r.id DESC LIMIT 40`,
  )
  return Promise.all(
    rows.map(async row => {
      const parsed = await parseMessage(row.source)
      return {
        id: row.id,
        at: row.received_at.toISOString(),
        mailboxId: row.mailbox_id,
        mailboxName: row.mailbox_name,
        subject: row.subject,
        outcome: row.outcome,
        needsLook: row.needs_look === 1,
        fates: [...row.facts.fates],
        slips: [...row.facts.slips],
        text: parsed.ok ? parsed.value.text.slice(0, shownCharacters) : '',
      }
    }),
  )
}

/** A past digest, read back from the bytes that went. */
export async function readSentDigest(
  db: Database,
  id: number,
): Promise<{ at: string; mailboxId: number; message: ComposedDigest }> {
  const row = await findOne(db, Digests, { id }, { columns: ['cut', 'mailbox_id', 'source'] })
  const parsed = row && (await parseMessage(row.source))
  if (!row || !parsed?.ok) throw new AppError('DIGEST_NOT_FOUND')
  const { from, to, subject, text, html } = parsed.value
  const shown = (parties: typeof from) => parties.map(party => `${party.name} <${party.text}>`).join(', ')
  return {
    at: row.cut.toISOString(),
    mailboxId: row.mailbox_id,
    message: {
      from: shown(from),
      to: to.map(party => party.text).join(', '),
      subject,
      text,
      html: html ?? '',
    },
  }
}

/** The language a mailbox is written to in, as a staffer sets it for somebody on the phone. */
export async function setLanguageOf(
  db: Database,
  who: SignedIn,
  mailboxId: number,
  language: DigestLanguage,
  now: Date,
): Promise<void> {
  await inTransaction(db, async tx => {
    if (!(await findMailboxRow(db, mailboxId, tx))) throw new AppError('MAILBOX_NOT_FOUND')
    await update(db, Mailboxes, { language }, { id: mailboxId }, tx)
    await writeRecord(db, tx, [{ at: now, act: 'language', by: actor(who), mailboxId, facts: { language } }])
    await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: who.staffer.name }])
  })
}

/** Sets a schedule in order and without doubles, and has its next digest worked out anew. */
export async function changeSchedule(
  db: Database,
  tx: Tx,
  mailboxId: number,
  schedule: DigestScheduleShape | null,
): Promise<DigestScheduleShape | null> {
  const sorted = schedule && {
    times: [...new Set(schedule.times)].sort(),
    weekdays: [...new Set(schedule.weekdays)].sort((a, b) => a - b),
  }
  await update(
    db,
    Mailboxes,
    {
      digest_times: sorted && sorted.times,
      digest_weekdays: sorted && sorted.weekdays,
    },
    { id: mailboxId },
    tx,
  )
  await planAgain(db, mailboxId, tx)
  return sorted
}

/** What the record keeps of a schedule; `null` follows the organisation, no time at all is off. */
export const scheduleFacts = (schedule: DigestScheduleShape | null) => ({
  schedule:
    schedule === null
      ? 'usual'
      : schedule.times.length === 0 || schedule.weekdays.length === 0
        ? 'off'
        : 'chosen',
  times: schedule?.times.join(', ') ?? '',
  days: schedule?.weekdays.join(', ') ?? '',
})

export async function setSchedule(
  db: Database,
  who: SignedIn,
  mailboxId: number,
  schedule: DigestScheduleShape | null,
  now: Date,
): Promise<string | null> {
  await inTransaction(db, async tx => {
    const mailbox = await findMailboxRow(db, mailboxId, tx)
    if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
    const sorted = await changeSchedule(db, tx, mailboxId, schedule)
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'digest-schedule',
        by: actor(who),
        mailboxId,
        facts: scheduleFacts(sorted),
      },
    ])
    await announce(db, tx, now, [{ kind: 'digest', deliveryId: null, state: null, by: who.staffer.name }])
  })
  const [organisation, mailbox] = await Promise.all([readOrganisation(db), findMailboxRow(db, mailboxId)])
  const waits = waitsOf((await awayTimes(db, [mailboxId])).get(mailboxId))
  const next = mailbox && nextDigest(digestSchedule(mailbox, organisation, waits), now.getTime())
  return next === null ? null : new Date(next).toISOString()
}
