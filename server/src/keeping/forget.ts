import { settledStates, type DeliveryState } from '@pendro/core/delivery'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { openEnquirySql } from '../deliveries/asked-for.ts'
import { ends, endingWith } from './ends.ts'

const day = 86_400_000
export const daysAgo = (now: Date, days: number): Date => new Date(now.getTime() - days * day)

/** What nothing more happens to, and what came back from the store: its headers stay for the organisation's days. */
const forgotten: readonly DeliveryState[] = [...settledStates, 'bounced']

/** What is gone is old from its end, what arrived from when it came. */
const oldBy = (state: DeliveryState) => (state === 'expired' ? 'd.expires_at' : 'd.received_at')

/**
 * Removes the rows of deliveries whose headers have outlived their days, with all that belongs to them, and messages that
 * nobody has any more; how many rows that were. The record keeps what people did.
 */
export async function forgetDeliveries(db: Database, before: Date, atOnce: number): Promise<number> {
  for (const state of forgotten) {
    const gone = await inTransaction(db, async tx => {
      const old = await select<{ id: number; message_id: number }>(
        db,
        `SELECT d.id, d.message_id FROM deliveries d WHERE d.state = :state AND ${oldBy(state)} < :before
           AND NOT ${openEnquirySql} ORDER BY ${oldBy(state)}, d.id LIMIT :atOnce FOR UPDATE SKIP LOCKED`,
        { state, before, atOnce },
        tx,
      )
      if (old.length === 0) return 0
      await removeWith(
        db,
        tx,
        'deliveries',
        old.map(({ id }) => id),
      )
      await forgetMessages(
        db,
        tx,
        old.map(({ message_id }) => message_id),
      )
      return old.length
    })
    if (gone > 0) return gone
  }
  return 0
}

/** The same for messages that were never anybody's delivery: what colleagues sent, and what was handed in. */
export function forgetLoneMessages(db: Database, before: Date, atOnce: number): Promise<number> {
  return inTransaction(db, async tx => {
    const old = await select<{ id: number }>(
      db,
      `SELECT m.id FROM messages m WHERE m.direction IN ('in', 'out') AND m.received_at < :before
         AND NOT EXISTS (SELECT 1 FROM deliveries d WHERE d.message_id = m.id)
       LIMIT :atOnce FOR UPDATE SKIP LOCKED`,
      { before, atOnce },
      tx,
    )
    await forgetMessages(
      db,
      tx,
      old.map(({ id }) => id),
    )
    return old.length
  })
}

async function forgetMessages(db: Database, tx: Tx, messageIds: readonly number[]): Promise<void> {
  const ids = [...new Set(messageIds)]
  if (ids.length === 0) return
  const alone = await select<{ id: number }>(
    db,
    'SELECT m.id FROM messages m WHERE m.id IN (:ids) AND NOT EXISTS (SELECT 1 FROM deliveries d WHERE d.message_id = m.id)',
    { ids },
    tx,
  )
  await removeWith(
    db,
    tx,
    'messages',
    alone.map(({ id }) => id),
  )
}

/** Rows and all that ends with them. */
async function removeWith(
  db: Database,
  tx: Tx,
  table: 'deliveries' | 'messages' | 'list_imports',
  ids: readonly number[],
): Promise<void> {
  if (ids.length === 0) return
  for (const [child, by] of endingWith(table))
    await execute(db, `DELETE FROM ${child} WHERE ${by} IN (:ids)`, { ids }, tx)
  await execute(db, `DELETE FROM ${table} WHERE id IN (:ids)`, { ids }, tx)
}

/** Removes what has outlived its days in all other tables, a part of one at a time; how many rows of it. */
export async function forgetRows(
  db: Database,
  { now, headerDays, atOnce }: { readonly now: Date; readonly headerDays: number; readonly atOnce: number },
): Promise<number> {
  for (const [table, end] of Object.entries(ends)) {
    if (!('after' in end) || table === 'deliveries' || table === 'messages') continue
    const before = daysAgo(now, end.after === 'headers' ? headerDays : end.after)
    const only = `${end.from} < :before AND ${end.only ?? 'TRUE'}`
    const gone =
      table === 'list_imports'
        ? await forgetImports(db, only, { before, atOnce })
        : await execute(db, `DELETE FROM ${table} WHERE ${only} ORDER BY ${end.from} LIMIT :atOnce`, {
            before,
            atOnce,
          })
    if (gone > 0) return gone
  }
  return 0
}

function forgetImports(
  db: Database,
  only: string,
  values: { readonly before: Date; readonly atOnce: number },
): Promise<number> {
  return inTransaction(db, async tx => {
    const old = await select<{ id: number }>(
      db,
      `SELECT id FROM list_imports WHERE ${only} LIMIT :atOnce FOR UPDATE SKIP LOCKED`,
      values,
      tx,
    )
    await removeWith(
      db,
      tx,
      'list_imports',
      old.map(({ id }) => id),
    )
    return old.length
  })
}
