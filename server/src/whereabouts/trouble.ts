import type { MailTrouble } from '@pendro/contract'
import { dayOf, startOfDay } from '@pendro/core/calendar'
import { findRow, inTransaction, select, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'
import { readOrganisation } from '../db/organisation.ts'
import { announce } from '../live/events.ts'
import { hurryAll } from '../outbox/queue.ts'
import { refusedTo } from './refusals.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'

const mostShown = 8

interface StuckRow {
  readonly id: number
  readonly at: Date
  readonly subject: string
  readonly from_address: string
  readonly mailbox_name: string
  readonly attempts: number
  readonly next_at: Date | null
  readonly problem: string
}

const columns = 'd.id, d.subject, d.from_address, b.name AS mailbox_name, o.attempts, o.problem'

/** What does not reach anybody at the moment: waiting for the mail store, refused by it today, refused by us today. */
export async function readTrouble(db: Database, scope: Scope, now: Date): Promise<MailTrouble> {
  const { timeZone } = await readOrganisation(db)
  const since = new Date(startOfDay(dayOf(now.getTime(), timeZone), timeZone))
  const theirs = within(scope, 'd.mailbox_id')
  const toThem = refusedTo(scope)
  const [waiting, stuck, bounced, bouncedCount, refused, refusedCount, inspecting] = await Promise.all([
    count(db, `SELECT COUNT(*) AS n FROM deliveries d WHERE d.state = 'deferred' AND ${theirs}`, {}),
    select<StuckRow>(
      db,
      `SELECT ${columns}, d.received_at AS at, o.next_at FROM outbox o JOIN deliveries d ON d.id = o.subject_id
       JOIN mailboxes b ON b.id = d.mailbox_id
       WHERE o.kind = 'delivery' AND o.done_at IS NULL AND o.attempts > 0 AND d.state = 'deferred' AND ${theirs}
       ORDER BY o.attempts DESC, o.id LIMIT :limit`,
      { limit: mostShown },
    ),
    select<StuckRow>(
      db,
      `SELECT ${columns}, o.done_at AS at, NULL AS next_at FROM deliveries d JOIN outbox o ON o.kind = 'delivery' AND o.subject_id = d.id
       JOIN mailboxes b ON b.id = d.mailbox_id
       WHERE d.state = 'bounced' AND o.done_at >= :since AND ${theirs} ORDER BY o.done_at DESC, d.id DESC LIMIT :limit`,
      { since, limit: mostShown },
    ),
    count(
      db,
      `SELECT COUNT(DISTINCT d.id) AS n FROM deliveries d JOIN outbox o ON o.kind = 'delivery' AND o.subject_id = d.id
       WHERE d.state = 'bounced' AND o.done_at >= :since AND ${theirs}`,
      { since },
    ),
    select<{ id: number; at: Date; envelope_from: string; recipient: string; reason: string }>(
      db,
      `SELECT id, at, envelope_from, recipient, reason FROM refusals WHERE at >= :since AND ${toThem} ORDER BY at DESC, id DESC LIMIT :limit`,
      { since, limit: mostShown },
    ),
    count(db, `SELECT COUNT(*) AS n FROM refusals WHERE at >= :since AND ${toThem}`, { since }),
    count(db, `SELECT COUNT(*) AS n FROM deliveries d WHERE d.state = 'inspecting' AND ${theirs}`, {}),
  ])
  return {
    waiting,
    inspecting,
    stuck: stuck.map(shown),
    bounced: { count: bouncedCount, rows: bounced.map(shown) },
    refused: {
      count: refusedCount,
      rows: refused.map(row => ({
        id: row.id,
        at: row.at.toISOString(),
        subject: '',
        from: row.envelope_from,
        to: row.recipient,
        attempts: 0,
        nextAt: null,
        problem: row.reason,
      })),
    },
  }
}

const shown = (row: StuckRow) => ({
  id: row.id,
  at: row.at.toISOString(),
  subject: row.subject,
  from: row.from_address,
  to: row.mailbox_name,
  attempts: row.attempts,
  nextAt: row.next_at?.toISOString() ?? null,
  problem: row.problem,
})

async function count(db: Database, sql: string, values: object): Promise<number> {
  return (await findRow<{ n: number }>(db, sql, { ...values }))?.n ?? 0
}

/** Everything that waits for the mail store is tried at once; how much that is. What is being sent is left alone. */
export async function tryAllAgain(db: Database, who: SignedIn, now: Date): Promise<number> {
  return inTransaction(db, async tx => {
    const tried = await hurryAll(db, tx, now)
    if (tried === 0) return 0
    await writeRecord(db, tx, [
      { at: now, act: 'all-tried-again', by: actor(who), facts: { deliveries: tried } },
    ])
    await announce(db, tx, now, [{ kind: 'changed', deliveryId: null, state: null, by: who.staffer.name }])
    return tried
  })
}
