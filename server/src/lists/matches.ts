import type { PathLine } from '@pendro/core/judgement'
import { execute, type Database, type Tx } from '../db/database.ts'
import { EntryMatches } from '../db/models/lists.ts'
import { insert } from '../db/rows.ts'

export interface JudgedPath {
  readonly deliveryId: number
  readonly path: readonly PathLine[]
  readonly at: Date
  /** Day of reception, 'YYYY-MM-DD' in the organisation's time zone. */
  readonly day: string
}

type Role = 'decided' | 'overruled' | 'refused'

/** Which entries a decision met, each once. */
function* metBy(path: readonly PathLine[]): Generator<readonly [number, Role]> {
  for (const line of path) {
    if (!('overruled' in line)) continue
    if (line.decided) yield [line.decided.id, 'decided']
    for (const { id } of line.overruled) yield [id, 'overruled']
    for (const { entry } of line.refused) yield [entry.id, 'refused']
  }
}

/** Notes which entries deliveries met, so that every entry can say what it did and when it last did. */
export async function noteMatches(db: Database, tx: Tx, judged: readonly JudgedPath[]): Promise<void> {
  const rows = judged.flatMap(({ deliveryId, path, day }) =>
    [...new Map(metBy(path))].map(([entryId, role]) => ({
      delivery_id: deliveryId,
      entry_id: entryId,
      role,
      received_day: day,
    })),
  )
  await insert(db, EntryMatches, rows, tx)
  const last = new Map<number, Date>()
  for (const { path, at } of judged)
    for (const [id] of metBy(path)) if (at > (last.get(id) ?? new Date(0))) last.set(id, at)
  // In one order everywhere, so that two intakes wait for each other instead of deadlocking.
  const sorted = [...last].sort(([a], [b]) => a - b)
  if (sorted.length === 0) return
  const met = sorted
    .map((_, i) => `SELECT :i${i} AS id, CAST(:t${i} AS DATETIME(3)) AS at`)
    .join(' UNION ALL ')
  await execute(
    db,
    `UPDATE sender_entries e JOIN (${met}) met ON met.id = e.id SET e.last_matched_at = met.at
     WHERE e.last_matched_at IS NULL OR e.last_matched_at < met.at`,
    Object.fromEntries(
      sorted.flatMap(([id, at], i) => [
        [`i${i}`, id],
        [`t${i}`, at],
      ]),
    ),
    tx,
  )
}
