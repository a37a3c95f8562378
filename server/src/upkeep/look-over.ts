import { widerPatterns, patternText, type SenderPattern } from '@pendro/core/senders'
import { createAudit, type RegisteredEntry, type Remedy, type UpkeepFinding } from '@pendro/core/upkeep'
import { addressText, parseAddress } from '@pendro/core/address'
import { startOfDay, dayOf, daysBefore } from '@pendro/core/calendar'
import { execute, inTransaction, select, type Database } from '../db/database.ts'
import { Correspondence } from '../db/models/learning.ts'
import type { KeptRemedy } from '../db/models/shapes.ts'
import { UpkeepFindingEntries, UpkeepFindings } from '../db/models/upkeep.ts'
import { findAll, insert, remove } from '../db/rows.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { announce } from '../live/events.ts'
import { entryColumns, toEntry, type EntryRow } from '../lists/entries.ts'
import { usualDays } from '../lists/reach.ts'
import { allSeen } from '../lists/seen.ts'

const day = 86_400_000

export interface UpkeepResult {
  readonly entries: number
  readonly deliveries: number
  readonly findings: number
}

/** Looks over all lists with the mail of the last 30 days, and keeps what it found in place of what it had found. */
export async function runUpkeep(db: Database, now: Date): Promise<UpkeepResult> {
  const organisation = await readOrganisation(db)
  const entries = await registeredEntries(db)
  const [frequent, writtenTo] = await Promise.all([frequentSenders(db), correspondence(db)])
  const audit = createAudit(entries, { policy: organisation.policy, now: now.getTime(), frequent, writtenTo })
  let deliveries = 0
  const looked = { since: new Date(now.getTime() - usualDays * day), mailboxIds: null }
  for await (const { seen } of allSeen(db, organisation, looked))
    for (const one of seen) {
      audit.see(one)
      deliveries += one.count
    }
  const findings = audit.findings()
  await inTransaction(db, async tx => {
    await remove(db, UpkeepFindingEntries, {}, tx)
    await remove(db, UpkeepFindings, {}, tx)
    await insert(db, UpkeepFindings, findings.map(toRow), tx)
    await insert(db, UpkeepFindingEntries, findings.flatMap(entryRows), tx)
    await execute(
      db,
      `INSERT INTO upkeep_runs (id, asked_at, done_at, entries, deliveries) VALUES (1, :now, :now, :entries, :deliveries)
       ON DUPLICATE KEY UPDATE done_at = :now, claimed_until = NULL, entries = :entries, deliveries = :deliveries, problem = ''`,
      { now, entries: entries.length, deliveries },
      tx,
    )
    await announce(db, tx, now, [{ kind: 'senders', deliveryId: null, state: null, by: '' }])
  })
  await measureAccuracy(db, organisation, now)
  return { entries: entries.length, deliveries, findings: findings.length }
}

async function registeredEntries(db: Database): Promise<readonly RegisteredEntry[]> {
  const rows = await select<EntryRow & { created_at: Date; last_matched_at: Date | null }>(
    db,
    `SELECT ${entryColumns}, e.created_at, e.last_matched_at FROM sender_entries e WHERE e.ended_at IS NULL ORDER BY e.id`,
  )
  return rows.map(row => ({
    ...toEntry(row),
    createdAt: row.created_at.getTime(),
    lastMatchedAt: row.last_matched_at?.getTime() ?? null,
  }))
}

/** Addresses and domains people write to, or that write often and are wanted. */
async function frequentSenders(db: Database): Promise<readonly string[]> {
  const rows = await select<{ sender: string }>(
    db,
    `SELECT address AS sender FROM correspondence GROUP BY address HAVING SUM(n) >= 2
     UNION SELECT domain FROM correspondence GROUP BY domain HAVING SUM(n) >= 3
     UNION SELECT TRIM(LEADING '@' FROM sender) FROM senders_seen WHERE n >= 8 AND junk = 0 AND sender NOT LIKE '<%'`,
  )
  return rows.map(({ sender }) => sender)
}

/** How often an entry's owner wrote to what its pattern names; for the organisation's entries, anybody. */
async function correspondence(db: Database): Promise<(entry: RegisteredEntry) => number> {
  const rows = await findAll(db, Correspondence, {}, { columns: ['address', 'mailbox_id', 'n'] })
  const everybody = new Map<string, number>()
  const byMailbox = new Map<string, number>()
  const add = (to: Map<string, number>, key: string, n: number) => to.set(key, (to.get(key) ?? 0) + n)
  for (const { address, mailbox_id, n } of rows) {
    const parsed = parseAddress(address)
    if (!parsed.ok) continue
    const pattern: SenderPattern = { kind: 'address', address: parsed.value }
    for (const text of [addressText(parsed.value), ...widerPatterns(pattern).map(patternText)]) {
      add(everybody, text, n)
      add(byMailbox, `${mailbox_id} ${text}`, n)
    }
  }
  return ({ pattern, owner }) => {
    const text = patternText(pattern)
    return (
      (owner.kind === 'organisation' ? everybody.get(text) : byMailbox.get(`${owner.mailboxId} ${text}`)) ?? 0
    )
  }
}

const toRow = ({ key, kind, basis, facts, remedies }: UpkeepFinding, place: number) => ({
  finding_key: key,
  place,
  kind,
  basis: basis.slice(0, 600),
  facts,
  remedies: remedies.map(toKeptRemedy),
})

const entryRows = ({ key, entries }: UpkeepFinding) =>
  entries.slice(0, 500).map(({ id }, place) => ({ finding_key: key, place, entry_id: id }))

function toKeptRemedy({ name, change }: Remedy): KeptRemedy {
  return {
    name,
    end: change.end.map(({ id }) => id),
    add: change.add.map(({ pattern, standing, owner, binding, withoutAuthentication, until }) => ({
      pattern: patternText(pattern),
      standing,
      mailboxId: owner.kind === 'mailbox' ? owner.mailboxId : null,
      binding,
      withoutAuthentication,
      until,
    })),
  }
}

/** Weeks that are counted anew at each run: what people reverse can come days after the mail. */
const openWeeks = 6

/** The share of deliveries decided by a list that people did not reverse, by the week in which they came in. */
export async function measureAccuracy(
  db: Database,
  { timeZone }: Pick<Organisation, 'timeZone'>,
  now: Date,
): Promise<void> {
  const today = dayOf(now.getTime(), timeZone)
  const weekday = (new Date(startOfDay(today, 'UTC')).getUTCDay() + 6) % 7
  await execute(
    db,
    `REPLACE INTO list_accuracy (week, decided, reversed)
     SELECT x.received_day - INTERVAL WEEKDAY(x.received_day) DAY, COUNT(*),
       SUM(IF(e.standing = 'safe', COALESCE(m.called, '') = 'junk', d.state = 'released' OR COALESCE(m.called, '') = 'wanted'))
     FROM entry_matches x JOIN sender_entries e ON e.id = x.entry_id
     JOIN deliveries d ON d.id = x.delivery_id JOIN messages m ON m.id = d.message_id
     WHERE x.role = 'decided' AND x.received_day >= :since
     GROUP BY x.received_day - INTERVAL WEEKDAY(x.received_day) DAY`,
    { since: daysBefore(today, weekday + 7 * (openWeeks - 1)) },
  )
}
