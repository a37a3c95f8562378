import type { DeliveryState, ReviewFilter, ReviewRow } from '@pendro/contract'
import type { z } from 'zod'
import type { reviewOrder, reviewStates } from '@pendro/contract'
import { daysBefore, dayOf } from '@pendro/core/keeping'
import { select, type Database, type Row, type Tx } from '../db/database.ts'

type Order = z.infer<typeof reviewOrder>

export const statesOf: Readonly<Record<z.infer<typeof reviewStates>, readonly DeliveryState[]>> = {
  kept: ['quarantined', 'junk'],
  quarantined: ['quarantined'],
  junk: ['junk'],
  sealed: ['sealed'],
  waiting: ['deferred', 'bounced'],
  released: ['released'],
  discarded: ['discarded'],
}

/** The column an order runs along, its direction, and the indexes that deliver it without sorting. */
const orders = {
  wanted: { column: 'score', direction: 'ASC', byState: 'k_state_score', byCluster: 'k_cluster_score' },
  newest: { column: 'received_at', direction: 'DESC', byState: 'k_state_received', byCluster: 'k_cluster_received' },
  oldest: { column: 'received_at', direction: 'ASC', byState: 'k_state_received', byCluster: 'k_cluster_received' },
  expiring: { column: 'expires_at', direction: 'ASC', byState: 'k_state_expires', byCluster: 'k_cluster_received' },
} as const satisfies Record<Order, object>

export interface DeliveryRow {
  readonly id: number
  readonly message_id: number
  readonly state: DeliveryState
  readonly received_at: Date
  readonly expires_at: Date
  readonly score: number
  readonly from_name: string
  readonly from_address: string
  readonly subject: string
  readonly mailbox_id: number
  readonly mailbox_name: string
  readonly reasons: ReviewRow['reasons']
  readonly attachments: number
  readonly cluster_key: string
}

const columns = `d.id, d.message_id, d.state, d.received_at, d.expires_at, d.score, d.from_name, d.from_address, d.subject,
  d.mailbox_id, d.reasons, d.attachments, d.cluster_key`

/** Names are joined to the page only, not to what is searched for it. */
const withNames = (sql: string) =>
  `SELECT d.*, m.name AS mailbox_name FROM (${sql}) d JOIN mailboxes m ON m.id = d.mailbox_id`

interface Scope {
  readonly since: string
  readonly states: readonly DeliveryState[]
  readonly filter: ReviewFilter
}

export function scopeOf(filter: ReviewFilter, now: Date, timeZone: string): Scope {
  return { since: daysBefore(dayOf(now.getTime(), timeZone), filter.days - 1), states: statesOf[filter.states], filter }
}

/** Conditions beside the state; `t` is the table's alias. The band's upper end is left out, unless it is 100. */
function conditions(t: string, { filter }: Scope): string {
  const parts = [`${t}.received_day >= :since`]
  if (filter.mailbox !== undefined) parts.push(`${t}.mailbox_id = :mailbox`)
  if (filter.from > 0) parts.push(`${t}.score >= :from`)
  if (filter.to < 100) parts.push(`${t}.score < :to`)
  if (filter.find) parts.push(`(${t}.subject LIKE :find OR ${t}.from_name LIKE :find OR ${t}.from_address LIKE :find)`)
  return parts.join(' AND ')
}

function valuesOf({ since, states, filter }: Scope): Row {
  return {
    since, states, mailbox: filter.mailbox, from: filter.from, to: filter.to,
    find: filter.find && `%${filter.find.replace(/[\\%_]/g, '\\$&')}%`,
  }
}

interface Cursor {
  readonly value: string | number
  readonly id: number
}

export function readCursor(text: string | undefined): Cursor | null {
  if (text === undefined) return null
  const [value, id] = Buffer.from(text, 'base64url').toString('utf8').split('|')
  return value !== undefined && id !== undefined && /^\d+$/.test(id) ? { value, id: Number(id) } : null
}

function cursorAfter(row: DeliveryRow, order: Order): string {
  const value = { wanted: row.score, newest: row.received_at, oldest: row.received_at, expiring: row.expires_at }[order]
  const text = value instanceof Date ? value.toISOString().replace('T', ' ').replace('Z', '') : String(value)
  return Buffer.from(`${text}|${row.id}`).toString('base64url')
}

/**
 * One page in order, by key. Of each cluster only the first delivery under the filter is a row: a delivery
 * is left out when an earlier one of its cluster matches too, which one probe of the cluster's index tells.
 */
export async function listPage(
  db: Database,
  scope: Scope,
  { order, after, limit }: { order: Order; after: Cursor | null; limit: number },
): Promise<{ rows: readonly DeliveryRow[]; next: string | null }> {
  const { column, direction, byState, byCluster } = orders[order]
  const [ahead, behind] = direction === 'ASC' ? ['>', '<'] : ['<', '>']
  // The plain range first: MariaDB uses a range for it, and for the row form (a,b) > (x,y) it never does.
  const cursor = after ? `AND d.${column} ${ahead}= :value AND (d.${column} ${ahead} :value OR d.id ${ahead} :afterId)` : ''
  const index = scope.filter.mailbox !== undefined && order === 'wanted' ? 'k_mailbox_score' : byState
  const ofState = (state: DeliveryState) => `
    (SELECT ${columns} FROM deliveries d FORCE INDEX (${index})
     WHERE d.state = '${state}' AND ${conditions('d', scope)} ${cursor}
       AND NOT EXISTS (
         SELECT 1 FROM deliveries e FORCE INDEX (${byCluster})
         WHERE e.cluster_key = d.cluster_key AND e.state IN (:states) AND ${conditions('e', scope)}
           AND (e.${column} ${behind} d.${column} OR (e.${column} = d.${column} AND e.id ${behind} d.id)))
     ORDER BY d.${column} ${direction}, d.id ${direction} LIMIT :limit)`
  const page = `${scope.states.map(ofState).join(' UNION ALL ')} ORDER BY ${column} ${direction}, id ${direction} LIMIT :limit`
  const rows = await select<DeliveryRow>(
    db,
    `${withNames(page)} ORDER BY d.${column} ${direction}, d.id ${direction}`,
    { ...valuesOf(scope), value: after?.value, afterId: after?.id, limit },
  )
  const last = rows.at(-1)
  return { rows, next: rows.length === limit && last ? cursorAfter(last, order) : null }
}

/** Deliveries and colleagues of each cluster under the filter. */
export async function clusterSizes(db: Database, scope: Scope, keys: readonly string[]): Promise<ReadonlyMap<string, { deliveries: number; colleagues: number }>> {
  if (keys.length === 0) return new Map()
  const rows = await select<{ cluster_key: string; deliveries: number; colleagues: number }>(
    db,
    `SELECT d.cluster_key, COUNT(*) AS deliveries, COUNT(DISTINCT d.mailbox_id) AS colleagues
     FROM deliveries d FORCE INDEX (k_cluster_score)
     WHERE d.cluster_key IN (:keys) AND d.state IN (:states) AND ${conditions('d', scope)} GROUP BY d.cluster_key`,
    { ...valuesOf(scope), keys },
  )
  return new Map(rows.map(row => [row.cluster_key, { deliveries: row.deliveries, colleagues: row.colleagues }]))
}

export function clusterMembers(db: Database, scope: Scope, key: string, limit: number): Promise<DeliveryRow[]> {
  const members = `SELECT ${columns} FROM deliveries d FORCE INDEX (k_cluster_score)
    WHERE d.cluster_key = :key AND d.state IN (:states) AND ${conditions('d', scope)} ORDER BY d.score, d.id LIMIT :limit`
  return select<DeliveryRow>(db, `${withNames(members)} ORDER BY d.score, d.id`, { ...valuesOf(scope), key, limit })
}

/**
 * Deliveries in 50 bins of two points, the band not applied. For all colleagues they come from the
 * maintained counts; a single mailbox or a search is counted as it stands.
 */
export async function countBins(db: Database, scope: Scope): Promise<readonly number[]> {
  const { filter } = scope
  const whole: Scope = { ...scope, filter: { ...filter, from: 0, to: 100 } }
  const summed = filter.mailbox === undefined && !filter.find
  const rows = await select<{ bin: number; n: number }>(
    db,
    summed
      ? 'SELECT bin, CAST(SUM(n) AS SIGNED) AS n FROM review_counts WHERE state IN (:states) AND received_day >= :since GROUP BY bin'
      : `SELECT LEAST(FLOOR(d.score / 2), 49) AS bin, COUNT(*) AS n FROM deliveries d
         WHERE d.state IN (:states) AND ${conditions('d', whole)} GROUP BY bin`,
    valuesOf(whole),
  )
  const bins = Array<number>(50).fill(0)
  for (const { bin, n } of rows) bins[bin] = n
  return bins
}

export async function findDelivery(db: Database, id: number, tx?: Tx): Promise<DeliveryRow | null> {
  const [row] = await select<DeliveryRow>(db, withNames(`SELECT ${columns} FROM deliveries d WHERE d.id = :id`), { id }, tx)
  return row ?? null
}

export function toReviewRow(row: DeliveryRow, cluster = { deliveries: 1, colleagues: 1 }): ReviewRow {
  return {
    id: row.id,
    state: row.state,
    receivedAt: row.received_at.toISOString(),
    expiresAt: row.expires_at.toISOString(),
    score: row.score,
    fromName: row.from_name,
    fromAddress: row.from_address,
    subject: row.subject,
    mailboxId: row.mailbox_id,
    mailboxName: row.mailbox_name,
    reasons: row.reasons,
    attachments: row.attachments,
    clusterKey: row.cluster_key,
    clusterDeliveries: cluster.deliveries,
    clusterColleagues: cluster.colleagues,
    waiting: row.state === 'deferred',
  }
}
