import type { LiveEvent } from '@pendro/contract'
import { select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { LiveEvents } from '../db/models/record.ts'
import { insert } from '../db/rows.ts'

export type NewEvent = Pick<LiveEvent, 'kind' | 'deliveryId' | 'state' | 'by'>

/** Announces changes in the transaction that makes them: nobody hears of what was rolled back. */
export async function announce(db: Database, tx: Tx, at: Date, events: readonly NewEvent[]): Promise<void> {
  await insert(
    db,
    LiveEvents,
    events.map(({ kind, deliveryId, state, by }) => ({
      at,
      kind,
      delivery_id: deliveryId,
      state,
      by_name: by,
    })),
    tx,
  )
}

type EventRow = Pick<RowOf<typeof LiveEvents>, 'id' | 'kind' | 'delivery_id' | 'state' | 'by_name'>

/** Events after `after`, oldest first. */
export async function eventsAfter(db: Database, after: number, limit = 500): Promise<readonly LiveEvent[]> {
  const rows = await select<EventRow>(
    db,
    'SELECT id, kind, delivery_id, state, by_name FROM live_events WHERE id > :after ORDER BY id LIMIT :limit',
    { after, limit },
  )
  return rows.map(row => ({
    id: row.id,
    kind: row.kind,
    deliveryId: row.delivery_id,
    state: row.state,
    by: row.by_name,
  }))
}

export async function lastEventId(db: Database): Promise<number> {
  const [row] = await select<{ id: number | null }>(db, 'SELECT MAX(id) AS id FROM live_events')
  return row?.id ?? 0
}
