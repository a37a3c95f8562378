import type { OutageShape } from '@pendro/contract'
import { execute, inTransaction, select, type Database } from '../db/database.ts'
import { organisationNow, standbyOf } from '../db/organisation.ts'
import { isWithin, type Scope } from '../db/scope.ts'
import { AppError } from '../errors.ts'
import { storeKey, wholeStore } from '../outbox/stores.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { housedMailboxes, outages, tryAllNow } from '../stores/outages.ts'
import { toldOf } from './notices.ts'
import { waitingSql } from './open.ts'

/** Colleagues named with an outage. */
const mostNamed = 10

interface Waiting {
  readonly mailbox_id: number
  readonly n: number
  readonly unfiled: number
  readonly oldest: Date | null
}

/** What waits for whom, by mailbox. */
const waitingByMailbox = (db: Database): Promise<readonly Waiting[]> =>
  select<Waiting>(
    db,
    `SELECT w.mailbox_id, SUM(w.n) AS n, SUM(w.unfiled) AS unfiled, MIN(w.oldest) AS oldest FROM (
       SELECT d.mailbox_id, COUNT(*) AS n, 0 AS unfiled, MIN(d.received_at) AS oldest FROM deliveries d
       JOIN outbox o ON o.kind = 'delivery' AND o.subject_id = d.id AND o.done_at IS NULL AND o.attempts > 0
       WHERE ${waitingSql} GROUP BY d.mailbox_id
       UNION ALL
       SELECT b.id, COUNT(*), 0, MIN(m.received_at) FROM relays r JOIN mailboxes b ON b.address = r.recipient JOIN messages m ON m.id = r.message_id
       JOIN outbox o ON o.kind = 'relay' AND o.subject_id = r.id AND o.done_at IS NULL AND o.attempts > 0
       WHERE r.state = 'waiting' GROUP BY b.id
       UNION ALL
       SELECT mailbox_id, 0, COUNT(*), NULL FROM standby_letters WHERE state = 'sent' AND filed_at IS NULL GROUP BY mailbox_id
     ) w GROUP BY w.mailbox_id`,
  )

/** Stores that are away, or whose mail is not all handed over yet, for the mailboxes of a scope. */
export async function outagesNow(
  db: Database,
  scope: Scope,
  now: Date,
): Promise<{ readonly outages: OutageShape[]; readonly stores: string[]; readonly canTell: boolean }> {
  const organisation = await organisationNow(db)
  const [away, mailboxes, waiting] = await Promise.all([
    outages(db, now),
    housedMailboxes(db, organisation),
    waitingByMailbox(db),
  ])
  const byId = new Map(waiting.map(row => [row.mailbox_id, row]))
  const stores = (organisation?.routes?.stores ?? []).map(wholeStore)
  const names = [...stores.map(storeKey), ...(stores.some(({ houses }) => houses === 'rest') ? [] : [''])]
  const found = names.flatMap((store): (Omit<OutageShape, 'told'> & { readonly began: Date | null })[] => {
    const there = mailboxes.filter(mailbox => mailbox.store === store && isWithin(scope, mailbox.id))
    const rows = there.flatMap(({ id, name }) => {
      const row = byId.get(id)
      return row ? [{ ...row, name }] : []
    })
    const outage = away.get(store)
    const left = rows.reduce((sum, { n, unfiled }) => sum + n + unfiled, 0)
    if (!outage && left === 0) return []
    const times = rows.flatMap(({ oldest }) => oldest?.getTime() ?? [])
    return [
      {
        store,
        began: outage?.since ?? null,
        since: outage?.since.toISOString() ?? null,
        people: there.filter(({ kind }) => kind === 'person').length,
        declaredBy: outage?.declaredBy ?? '',
        detail: outage?.detail ?? '',
        waiting: rows.reduce((sum, { n }) => sum + n, 0),
        oldest: times.length === 0 ? null : new Date(Math.min(...times)).toISOString(),
        colleagues: rows.filter(({ n }) => n > 0).length,
        unfiled: rows.reduce((sum, { unfiled }) => sum + unfiled, 0),
        most: [...rows]
          .sort((a, b) => b.n - a.n)
          .slice(0, mostNamed)
          .map(({ mailbox_id, name, n }) => ({ mailboxId: mailbox_id, name, waiting: n })),
      },
    ]
  })
  const told = await Promise.all(
    found.map(async ({ began, ...outage }) => ({
      ...outage,
      told: began === null ? null : await toldOf(db, scope, outage.store, began),
    })),
  )
  return { outages: told, stores: names, canTell: standbyOf(organisation).webhook !== '' }
}

/** A steward says that a store is away, or no longer. */
export async function declare(
  db: Database,
  {
    by,
    store,
    away,
    now,
  }: { readonly by: Actor; readonly store: string; readonly away: boolean; readonly now: Date },
): Promise<void> {
  const { stores } = await outagesNow(db, null, now)
  if (!stores.includes(store)) throw new AppError('STORE_NOT_FOUND')
  await inTransaction(db, async tx => {
    await execute(
      db,
      `INSERT INTO store_states (name, checked_at, declared_at, declared_by) VALUES (:store, :never, :at, :by)
       ON DUPLICATE KEY UPDATE declared_at = :at, declared_by = :by`,
      { store, never: new Date(0), at: away ? now : null, by: away ? by.name : '' },
      tx,
    )
    if (!away) await tryAllNow(db, tx, now)
    await writeRecord(db, tx, [
      { act: away ? 'store-declared-away' : 'store-declared-back', at: now, by, facts: { store } },
    ])
  })
}
