import type { LiveEvent } from '@pendro/contract'
import { select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { LiveEvents } from '../db/models/record.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import { findAll, insert } from '../db/rows.ts'
import { isWithin, type Scope } from '../db/scope.ts'

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

/** Whose mail some events are about; asked only where somebody hears of a part of them. */
export async function mailboxesOf(
  db: Database,
  events: readonly LiveEvent[],
  scopes: readonly Scope[],
): Promise<ReadonlyMap<number, number>> {
  const ids = events.flatMap(({ deliveryId }) => deliveryId ?? [])
  if (ids.length === 0 || scopes.every(scope => scope === null)) return new Map()
  const rows = await findAll(db, Deliveries, { id: [...new Set(ids)] }, { columns: ['id', 'mailbox_id'] })
  return new Map(rows.map(({ id, mailbox_id }) => [id, mailbox_id]))
}

/**
 * What somebody hears of an event: nothing of mail that is not theirs to look after. That something changed which is about no one message
 * is told without who did it, which may be a colleague of another department.
 */
export function heardWithin(
  scope: Scope,
  event: LiveEvent,
  mailboxOf: ReadonlyMap<number, number>,
): LiveEvent | null {
  if (scope === null) return event
  if (event.deliveryId === null) return { ...event, by: '' }
  return isWithin(scope, mailboxOf.get(event.deliveryId) ?? null) ? event : null
}
