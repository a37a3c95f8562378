import { undecidedSql } from '../deliveries/states-sql.ts'
import { clusterShift, crowdShift } from '@pendro/core/judgement'
import { execute, select, type Database, type Tx } from '../db/database.ts'

export interface ClusterState {
  /** Deliveries with this text, those being stored included. */
  readonly deliveries: number
  /** What rulings on this text have moved its deliveries by. */
  readonly shift: number
}

/**
 * Counts new deliveries of clusters and gives what they are then. When a cluster has doubled its older
 * deliveries are ranked anew: all of them at once, and not at every arrival.
 */
export async function growClusters(
  db: Database,
  tx: Tx,
  added: ReadonlyMap<string, number>,
): Promise<ReadonlyMap<string, ClusterState>> {
  const keys = [...added.keys()].sort()
  if (keys.length === 0) return new Map()
  const tuples = keys.map((_, i) => `(:k${i}, :n${i})`).join(',')
  const values = Object.fromEntries(
    keys.flatMap((key, i) => [
      [`k${i}`, key],
      [`n${i}`, added.get(key) ?? 0],
    ]),
  )
  await execute(
    db,
    `INSERT INTO clusters (cluster_key, deliveries) VALUES ${tuples} ON DUPLICATE KEY UPDATE deliveries = deliveries + VALUES(deliveries)`,
    values,
    tx,
  )
  const rows = await select<{ cluster_key: string; deliveries: number; shift: number }>(
    db,
    'SELECT cluster_key, deliveries, shift FROM clusters WHERE cluster_key IN (:keys)',
    { keys },
    tx,
  )
  const doubled = rows.filter(({ cluster_key, deliveries }) => {
    const before = deliveries - (added.get(cluster_key) ?? 0)
    return before > 0 && Math.floor(Math.log2(deliveries)) > Math.floor(Math.log2(before))
  })
  await rankTogether(db, tx, doubled)
  return new Map(rows.map(({ cluster_key, deliveries, shift }) => [cluster_key, { deliveries, shift }]))
}

/** Larger clusters are not moved while mail waits. */
const mostMoved = 2000

/**
 * Brings two clusters together that turn out to be one; the deliveries of `from` go to `to`. False when that is more than mail
 * that is coming in should wait for; then they stay two.
 */
export async function mergeClusters(db: Database, tx: Tx, from: string, to: string): Promise<boolean> {
  const rows = await select<ClusterState & { cluster_key: string }>(
    db,
    'SELECT cluster_key, deliveries, shift FROM clusters WHERE cluster_key IN (:keys) ORDER BY cluster_key FOR UPDATE',
    { keys: [from, to] },
    tx,
  )
  const old = rows.find(({ cluster_key }) => cluster_key === from)
  if ((old?.deliveries ?? 0) > mostMoved) return false
  const names = { from, to }
  await execute(db, 'UPDATE cluster_texts SET cluster_key = :to WHERE cluster_key = :from', names, tx)
  if (!old) return true
  await execute(db, 'UPDATE deliveries SET cluster_key = :to WHERE cluster_key = :from', names, tx)
  await execute(
    db,
    `INSERT INTO clusters (cluster_key, deliveries, shift) VALUES (:to, :deliveries, :shift)
     ON DUPLICATE KEY UPDATE deliveries = deliveries + VALUES(deliveries), shift = shift + VALUES(shift)`,
    { to, deliveries: old.deliveries, shift: old.shift },
    tx,
  )
  await execute(db, 'DELETE FROM clusters WHERE cluster_key = :from', names, tx)
  const now = await select<ClusterState & { cluster_key: string }>(
    db,
    'SELECT cluster_key, deliveries, shift FROM clusters WHERE cluster_key = :to',
    names,
    tx,
  )
  await rankTogether(db, tx, now)
  return true
}

async function rankAnew(db: Database, tx: Tx, keys: readonly string[], shift: number): Promise<void> {
  await execute(
    db,
    `UPDATE deliveries SET rank_score = rank_base + :shift WHERE cluster_key IN (:keys) AND state IN ${undecidedSql}`,
    { shift, keys },
    tx,
  )
}

/** A ruling on some of a text moves all of it; `sign` -1 takes it back. */
export async function shiftClusters(
  db: Database,
  tx: Tx,
  clusterKeys: readonly string[],
  verdict: 'wanted' | 'junk' | 'phishing',
  sign: 1 | -1,
): Promise<void> {
  const keys = [...new Set(clusterKeys)].sort()
  if (keys.length === 0) return
  await execute(
    db,
    'UPDATE clusters SET shift = shift + :shift WHERE cluster_key IN (:keys)',
    { shift: sign * clusterShift[verdict], keys },
    tx,
  )
  const rows = await select<ClusterState & { cluster_key: string }>(
    db,
    'SELECT cluster_key, deliveries, shift FROM clusters WHERE cluster_key IN (:keys)',
    { keys },
    tx,
  )
  await rankTogether(db, tx, rows)
}

/** Most clusters are of few deliveries and have moved alike: a statement for each amount, not for each cluster. */
async function rankTogether(
  db: Database,
  tx: Tx,
  clusters: readonly (ClusterState & { readonly cluster_key: string })[],
): Promise<void> {
  const byShift = new Map<number, string[]>()
  for (const { cluster_key, deliveries, shift } of clusters) {
    const whole = crowdShift(deliveries) + shift
    byShift.set(whole, [...(byShift.get(whole) ?? []), cluster_key])
  }
  for (const [shift, alike] of byShift) await rankAnew(db, tx, alike, shift)
}
