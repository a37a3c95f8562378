import { execute, select, type Database, type Tx } from '../db/database.ts'
import type { MailboxRow } from '../db/organisation.ts'
import { undecidedSql } from './states-sql.ts'

const day = 86_400_000
/** What goes away in so many days is worth a word while it can still be had. */
export const goingDays = 3
/** Mail that nobody has looked at for so many days is looked at by nobody (common practice: two weeks). */
export const unlookedDays = 14
/** Nobody is reminded more often than once in so many days. */
const betweenReminders = 7
/** A list that stays open is one look, not one each time it is read anew. */
const oneLook = 60_000

/**
 * Notes that the people of these mailboxes look at what was kept back now; `junk`: what lies in the junk folder is among
 * what they see.
 */
export async function noteLook(
  db: Database,
  mailboxIds: readonly number[],
  { junk, now }: { readonly junk: boolean; readonly now: Date },
  tx?: Tx,
): Promise<void> {
  const values = { now, ids: [...mailboxIds], before: new Date(now.getTime() - oneLook), junk }
  const known = await select<{ mailbox_id: number }>(
    db,
    `SELECT mailbox_id FROM mailbox_looks WHERE mailbox_id IN (:ids) AND kept_at > :before
       AND IF(:junk, junk_at > :before, TRUE)`,
    values,
    tx,
  )
  const fresh = new Set(known.map(({ mailbox_id }) => mailbox_id))
  for (const id of [...mailboxIds].sort((a, b) => a - b))
    if (!fresh.has(id))
      await execute(
        db,
        `INSERT INTO mailbox_looks (mailbox_id, kept_at, junk_at) VALUES (:id, :now, IF(:junk, :now, NULL))
         ON DUPLICATE KEY UPDATE kept_at = GREATEST(COALESCE(kept_at, :now), :now),
           junk_at = IF(:junk, GREATEST(COALESCE(junk_at, :now), :now), junk_at)`,
        { ...values, id },
        tx,
      )
}

/** Of a delivery `d` and its mailbox's looks `l`: nobody has looked at what is kept back since it came. */
export const unlookedSql = `(d.state IN ${undecidedSql}
  AND d.received_at > COALESCE(IF(d.state = 'junk', l.junk_at, l.kept_at), '1970-01-02'))`

/** Of these: likely wanted, and gone within days. `:now` and `:soon` are the moments. */
export const lastChanceSql = `(${unlookedSql} AND d.points = 'wanted' AND d.expires_at > :now AND d.expires_at <= :soon)`

export const soonOf = (now: Date): Date => new Date(now.getTime() + goingDays * day)

/** Mailboxes that get a message of its own now: something is about to go, nobody has looked, and they were not told lately. */
export async function toRemind(db: Database, now: Date, limit: number): Promise<readonly number[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT DISTINCT b.id FROM mailboxes b JOIN deliveries d ON d.mailbox_id = b.id
     LEFT JOIN mailbox_looks l ON l.mailbox_id = b.id
     WHERE b.reminders = 'message' AND ${dueSql} AND ${lastChanceSql} ORDER BY b.id LIMIT :limit`,
    { ...dueValues(now), limit },
  )
  return rows.map(({ id }) => id)
}

const dueSql = "COALESCE(l.reminded_at, '1970-01-02') <= :remindedBefore"
const dueValues = (now: Date) => ({
  now,
  soon: soonOf(now),
  remindedBefore: new Date(now.getTime() - betweenReminders * day),
})

/** What a mailbox is reminded of now, by its numbers; none where it does not want that, or was reminded lately. */
export async function reminderOf(
  db: Database,
  { id }: Pick<MailboxRow, 'id'>,
  by: 'digest' | 'message',
  now: Date,
  tx?: Tx,
): Promise<readonly number[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT d.id FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id
     LEFT JOIN mailbox_looks l ON l.mailbox_id = b.id
     WHERE d.mailbox_id = :id AND b.reminders = :by AND ${dueSql} AND ${lastChanceSql}
     ORDER BY d.score, d.id LIMIT :limit`,
    { ...dueValues(now), id, by, limit: mostReminded },
    tx,
  )
  return rows.map(row => row.id)
}

/** A reminder names so many; the colleague's page has them all. */
const mostReminded = 20

/** Notes that a mailbox has been reminded. */
export async function noteReminder(db: Database, tx: Tx, mailboxId: number, now: Date): Promise<void> {
  await execute(
    db,
    `INSERT INTO mailbox_looks (mailbox_id, reminded_at) VALUES (:mailboxId, :now)
     ON DUPLICATE KEY UPDATE reminded_at = :now`,
    { mailboxId, now },
    tx,
  )
}

/** When the people of a mailbox last looked at it; `null` for never. */
export async function looksOf(
  db: Database,
  mailboxId: number,
): Promise<{ readonly kept: Date | null; readonly junk: Date | null }> {
  const [row] = await select<{ kept_at: Date | null; junk_at: Date | null }>(
    db,
    'SELECT kept_at, junk_at FROM mailbox_looks WHERE mailbox_id = :mailboxId',
    { mailboxId },
  )
  return { kept: row?.kept_at ?? null, junk: row?.junk_at ?? null }
}
