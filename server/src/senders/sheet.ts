import type { EntrySheet } from '@pendro/contract'
import { dayOf, daysBefore } from '@pendro/core/calendar'
import { select, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { briefs, entryColumns, toEntry, type EntryRow } from '../lists/entries.ts'
import { entryRows, metWithin } from './table.ts'

/** Everything the sheet of one entry shows. */
export async function readEntrySheet(db: Database, scope: Scope, id: number, now: Date): Promise<EntrySheet> {
  const [row] = await entryRows(db, scope, [id], now)
  if (!row) throw new AppError('ENTRY_NOT_FOUND')
  const { timeZone } = await readOrganisation(db)
  const since = daysBefore(dayOf(now.getTime(), timeZone), 29)
  const chain = await versionsOf(db, id)
  const [did, deliveries, same, versions, history] = await Promise.all([
    whatItDid(db, scope, id, since),
    lastMet(db, scope, id, since),
    select<EntryRow>(
      db,
      `SELECT ${entryColumns} FROM sender_entries e WHERE e.pattern = :pattern AND e.ended_at IS NULL AND e.id <> :id
         AND (e.mailbox_id IS NULL OR ${within(scope, 'e.mailbox_id')}) ORDER BY e.mailbox_id LIMIT 60`,
      { pattern: row.patternText, id },
    ),
    entryRows(db, scope, chain, now),
    historyOf(db, chain),
  ])
  const shown = await briefs(db, same.map(toEntry))
  return {
    row,
    did,
    deliveries,
    others: [...shown.values()],
    versions: versions.map(
      ({ days: _days, others: _others, finding: _finding, lastMatchedAt: _last, ...rest }) => rest,
    ),
    history,
  }
}

type Did = EntrySheet['did']

async function whatItDid(db: Database, scope: Scope, id: number, since: string): Promise<Did> {
  const rows = await select<{ role: keyof Did; n: number }>(
    db,
    `SELECT role, COUNT(*) AS n FROM entry_matches WHERE entry_id = :id AND received_day >= :since AND ${metWithin(scope)} GROUP BY role`,
    { id, since },
  )
  const count = (role: keyof Did) => rows.find(one => one.role === role)?.n ?? 0
  return { decided: count('decided'), overruled: count('overruled'), refused: count('refused') }
}

async function lastMet(
  db: Database,
  scope: Scope,
  id: number,
  since: string,
): Promise<EntrySheet['deliveries']> {
  const rows = await select<{
    id: number
    received_at: Date
    from_address: string
    subject: string
    mailbox_name: string
    state: string
    role: keyof Did
  }>(
    db,
    `SELECT d.id, d.received_at, d.from_address, d.subject, b.name AS mailbox_name, d.state, x.role
     FROM entry_matches x JOIN deliveries d ON d.id = x.delivery_id JOIN mailboxes b ON b.id = d.mailbox_id
     WHERE x.entry_id = :id AND x.received_day >= :since AND ${within(scope, 'd.mailbox_id')}
     ORDER BY x.received_day DESC, x.delivery_id DESC LIMIT 12`,
    { id, since },
  )
  return rows.map(({ received_at, from_address, mailbox_name, ...row }) => ({
    ...row,
    receivedAt: received_at.toISOString(),
    fromAddress: from_address,
    mailboxName: mailbox_name,
  }))
}

/** Who made, changed and ended the versions of an entry, newest first. */
async function historyOf(db: Database, chain: readonly number[]): Promise<EntrySheet['history']> {
  const rows = await select<{
    at: Date
    what: 'added' | 'ended'
    entry_id: number
    name: string | null
    reason: string | null
    ruling_id: number
    undone: number
  }>(
    db,
    `SELECT r.at, x.what, x.entry_id, s.name, JSON_VALUE(r.sentence, '$.reason') AS reason, r.id AS ruling_id, r.undone_at IS NOT NULL AS undone
     FROM ruling_entries x JOIN rulings r ON r.id = x.ruling_id LEFT JOIN staffers s ON s.id = r.staffer_id
     WHERE x.entry_id IN (:chain) ORDER BY r.id DESC, x.what LIMIT 100`,
    { chain },
  )
  return rows.map(one => ({
    at: one.at.toISOString(),
    what: one.what,
    entryId: one.entry_id,
    by: one.name ?? '',
    reason: one.reason ?? '',
    rulingId: one.ruling_id,
    undone: one.undone === 1,
  }))
}

/** The entry with all that it came in place of, and all that came in its place. */
async function versionsOf(db: Database, id: number): Promise<readonly number[]> {
  const rows = await select<{ id: number }>(
    db,
    `WITH RECURSIVE
       earlier AS (SELECT id, replaces_id FROM sender_entries WHERE id = :id
         UNION SELECT e.id, e.replaces_id FROM sender_entries e JOIN earlier b ON e.id = b.replaces_id),
       later AS (SELECT id FROM sender_entries WHERE id = :id
         UNION SELECT e.id FROM sender_entries e JOIN later a ON e.replaces_id = a.id)
     SELECT id FROM earlier UNION SELECT id FROM later`,
    { id },
  )
  return rows.map(row => row.id)
}
