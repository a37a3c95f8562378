import type { DeliveryState, RulingSentence } from '@pendro/contract'
import type { Database, Tx } from '../db/database.ts'
import { RulingDeliveries, RulingEntries, Rulings } from '../db/models/rulings.ts'
import { findOne, insert, insertOne, update } from '../db/rows.ts'

export interface NewRuling {
  /** Of the client: the same one twice is one act. */
  readonly token: string
  readonly by: { readonly staffer_id: number | null; readonly colleague_id?: number | null }
  readonly at: Date
  readonly sentence: RulingSentence
}

/** Writes down an act of a person; its number. What it touched is noted beside it, so that it can be taken back. */
export async function insertRuling(
  db: Database,
  tx: Tx,
  { token, by, at, sentence }: NewRuling,
): Promise<number> {
  const id = await insertOne(db, Rulings, { token, ...by, at, sentence }, tx)
  return id
}

interface Ruled {
  readonly id: number
  readonly from: DeliveryState
  readonly to: DeliveryState
}

export async function noteDeliveries(
  db: Database,
  tx: Tx,
  rulingId: number,
  ruled: readonly Ruled[],
): Promise<void> {
  await insert(
    db,
    RulingDeliveries,
    ruled.map(({ id, from, to }) => ({
      ruling_id: rulingId,
      delivery_id: id,
      from_state: from,
      to_state: to,
    })),
    tx,
  )
}

export async function noteEntries(
  db: Database,
  tx: Tx,
  rulingId: number,
  { added, ended }: { readonly added: readonly number[]; readonly ended: readonly number[] },
): Promise<void> {
  const row = (what: 'added' | 'ended') => (id: number) => ({ ruling_id: rulingId, entry_id: id, what })
  await insert(db, RulingEntries, [...added.map(row('added')), ...ended.map(row('ended'))], tx)
}

/** An act is taken back once. */
export async function markUndone(db: Database, tx: Tx, rulingId: number, now: Date): Promise<void> {
  await update(db, Rulings, { undone_at: now }, { id: rulingId }, tx)
}

/** The ruling a request has made already; `null` for none. */
export async function findToken(db: Database, tx: Tx, token: string): Promise<number | null> {
  const found = await findOne(db, Rulings, { token }, { columns: ['id'], tx })
  return found?.id ?? null
}
