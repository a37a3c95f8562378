import { displayPattern, patternText, type SenderPattern, type Standing } from '@pendro/core/senders'
import type { Database, Tx } from '../db/database.ts'
import { EntryRequests } from '../db/models/lists.ts'
import { findAll, insertOne } from '../db/rows.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor } from '../record/write.ts'

/** A request to the stewards to make an entry one for everybody. */
export interface Ask {
  readonly pattern: SenderPattern
  readonly standing: Standing
  /** The colleague it was seen with. */
  readonly mailboxId: number
}

interface Asking {
  readonly by: Actor
  readonly at: Date
  readonly reason: string
  /** The ruling it is part of. */
  readonly rulingId: number | null
}

/** The one writer of requests; their numbers. Hits a unique key where the same is asked for already. */
export async function writeAsks(
  db: Database,
  tx: Tx,
  asks: readonly Ask[],
  { by, at, reason, rulingId }: Asking,
): Promise<readonly number[]> {
  const ids: number[] = []
  for (const { pattern, standing, mailboxId } of asks) {
    const row = { pattern: patternText(pattern), standing, mailbox_id: mailboxId, reason }
    ids.push(
      await insertOne(
        db,
        EntryRequests,
        { ...row, asked_by: by.name, asked_at: at, asked_ruling_id: rulingId },
        tx,
      ),
    )
    const facts = { pattern: displayPattern(pattern), standing }
    await writeRecord(db, tx, [{ at, act: 'asked-for-everyone', by, mailboxId, rulingId, reason, facts }])
  }
  if (ids.length > 0)
    await announce(db, tx, at, [{ kind: 'senders', deliveryId: null, state: null, by: by.name }])
  return ids
}

/** Of some requests those that nobody has open yet. */
export async function notAskedYet(db: Database, tx: Tx, asks: readonly Ask[]): Promise<readonly Ask[]> {
  if (asks.length === 0) return []
  const texts = asks.map(({ pattern }) => patternText(pattern))
  const open = await findAll(
    db,
    EntryRequests,
    { pattern: texts, state: 'open' },
    { columns: ['pattern', 'standing'], tx, lock: true },
  )
  const known = new Set(open.map(({ pattern, standing }) => `${standing} ${pattern}`))
  return asks.filter(({ pattern, standing }) => !known.has(`${standing} ${patternText(pattern)}`))
}
