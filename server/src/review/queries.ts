import { cursorText, type Cursor } from '../db/cursor.ts'
import { containing } from '../db/like.ts'
import { arrivedStates, undecidedStates } from '@pendro/core/delivery'
import type { DeliveryState, ReviewFilter, ReviewRow } from '@pendro/contract'
import type { z } from 'zod'
import type { reviewOrder, reviewStates } from '@pendro/contract'
import { daysBefore, dayOf } from '@pendro/core/calendar'
import { select, type Database, type Row, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Deliveries } from '../db/models/deliveries.ts'
import { isFew } from '../db/few.ts'
import { within, type Scope } from '../db/scope.ts'
import type { SignedIn } from '../sign-in/sessions.ts'

type Order = z.infer<typeof reviewOrder>

export const statesOf: Readonly<Record<z.infer<typeof reviewStates>, readonly DeliveryState[]>> = {
  kept: undecidedStates,
  quarantined: ['quarantined'],
  junk: ['junk'],
  sealed: ['sealed'],
  waiting: ['deferred', 'bounced'],
  released: ['released'],
  discarded: ['discarded'],
  // What a person released is shown apart.
  delivered: arrivedStates.filter(state => state !== 'released'),
  inspecting: ['inspecting'],
  // Of these only what somebody moved in a mail program, or what would have been held; see conditions().
  moved: [...arrivedStates, 'junk'],
  watched: arrivedStates.filter(state => state !== 'released'),
}

/** The column an order runs along, its direction, and the indexes that deliver it without sorting. */
const orders = {
  wanted: { column: 'rank_score', direction: 'ASC', byState: 'k_state_rank', byMailbox: 'k_mailbox_rank' },
  newest: {
    column: 'received_at',
    direction: 'DESC',
    byState: 'k_state_received',
    byMailbox: 'k_mailbox_received',
  },
  oldest: {
    column: 'received_at',
    direction: 'ASC',
    byState: 'k_state_received',
    byMailbox: 'k_mailbox_received',
  },
  expiring: {
    column: 'expires_at',
    direction: 'ASC',
    byState: 'k_state_expires',
    byMailbox: 'k_mailbox_received',
  },
} as const satisfies Record<Order, object>

export interface DeliveryRow extends Pick<
  RowOf<typeof Deliveries>,
  | 'id'
  | 'message_id'
  | 'state'
  | 'received_at'
  | 'expires_at'
  | 'score'
  | 'from_name'
  | 'from_address'
  | 'subject'
  | 'mailbox_id'
  | 'reasons'
  | 'attachments'
  | 'cluster_key'
  | 'points'
> {
  readonly mailbox_name: string
  readonly sent_to: string
  readonly size: number | null
  readonly asked_for: number
  readonly moved_as: 'junk' | 'wanted' | null
  readonly moved_by: number
}

const columns = `d.id, d.message_id, d.state, d.received_at, d.expires_at, d.score, d.from_name, d.from_address, d.subject,
  d.mailbox_id, d.reasons, d.attachments, d.cluster_key, d.points, d.address_used`

/** Names are joined to the page only, not to what is searched for it. */
const withNames = (sql: string) =>
  `SELECT d.*, m.name AS mailbox_name, IF(d.address_used IN ('', m.address), '', d.address_used) AS sent_to,
     (SELECT size FROM messages s WHERE s.id = d.message_id) AS size, EXISTS (SELECT 1 FROM enquiry_deliveries x JOIN enquiries e ON e.id = x.enquiry_id
     WHERE x.delivery_id = d.id AND e.state NOT IN ('found', 'never sent to us')) AS asked_for,
     v.verdict AS moved_as, (SELECT COUNT(DISTINCT w.mailbox_id) FROM colleague_moves w WHERE w.cluster_key = v.cluster_key AND w.verdict = v.verdict) AS moved_by
   FROM (${sql}) d JOIN mailboxes m ON m.id = d.mailbox_id LEFT JOIN colleague_moves v ON v.delivery_id = d.id`

/** What a list is of: a filter, within the mailboxes somebody looks after. */
interface Shown {
  readonly since: string
  readonly states: readonly DeliveryState[]
  readonly filter: ReviewFilter
  readonly scope: Scope
}

export function shownTo(
  { scope, timeZone }: Pick<SignedIn, 'scope' | 'timeZone'>,
  filter: ReviewFilter,
  now: Date,
): Shown {
  return {
    scope,
    since: daysBefore(dayOf(now.getTime(), timeZone), filter.days - 1),
    states: statesOf[filter.states],
    filter,
  }
}

/** Conditions beside the state; `t` is the table's alias. The band's upper end is left out, unless it is 100. */
function conditions(t: string, { filter, scope }: Shown): string {
  const parts = [`${t}.received_day >= :since`, within(scope, `${t}.mailbox_id`)]
  if (filter.states === 'watched') parts.push(`${t}.would IN ('junk', 'quarantined', 'discarded')`)
  if (filter.states === 'moved') parts.push(`${t}.id IN (SELECT delivery_id FROM colleague_moves)`)
  if (filter.mailbox !== undefined) parts.push(`${t}.mailbox_id = :mailbox`)
  if (filter.from > 0) parts.push(`${t}.score >= :from`)
  if (filter.to < 100) parts.push(`${t}.score < :to`)
  if (filter.find)
    parts.push(`(${t}.subject LIKE :find OR ${t}.from_name LIKE :find OR ${t}.from_address LIKE :find)`)
  return parts.join(' AND ')
}

/** What is kept of few mailboxes is read by mailbox and put in order; of many, the order is read and others' mail left out. */
const fewOfScope = 20_000

/** Which of two indexes leads to a list sooner: the one by state, or the one by mailbox. */
async function indexFor(
  db: Database,
  { scope, filter, states }: Shown,
  { byState, byMailbox }: { readonly byState: string; readonly byMailbox: string },
): Promise<string> {
  if (filter.states === 'watched') return 'k_would'
  // Few are; they lead to their deliveries.
  if (filter.states === 'moved') return 'PRIMARY'
  if (filter.mailbox !== undefined) return byMailbox
  if (scope === null) return byState
  const theirs = `deliveries FORCE INDEX (${byMailbox}) WHERE ${within(scope, 'mailbox_id')} AND state IN (:states)`
  return (await isFew(db, theirs, { states }, fewOfScope)) ? byMailbox : byState
}

const byTime = { byState: 'k_state_received', byMailbox: 'k_mailbox_received' } as const

/** Everything that a filter shows, by number; the newest come last. */
export async function shownIds(db: Database, shown: Shown, most: number): Promise<readonly number[]> {
  const index = await indexFor(db, shown, byTime)
  const found: number[] = []
  for (const state of shown.states) {
    const rows = await select<{ id: number }>(
      db,
      `SELECT d.id FROM deliveries d FORCE INDEX (${index}) WHERE d.state = '${state}' AND ${conditions('d', shown)} LIMIT :limit`,
      { ...valuesOf(shown), limit: most + 1 - found.length },
    )
    found.push(...rows.map(({ id }) => id))
    if (found.length > most) break
  }
  return found.sort((a, b) => a - b)
}

function valuesOf({ since, states, filter }: Shown): Row {
  return {
    since,
    states,
    mailbox: filter.mailbox,
    from: filter.from,
    to: filter.to,
    find: filter.find && containing(filter.find),
  }
}

/** Rows looked at first, for each of the page: mass mail comes in together, so by time more are of one cluster. */
const firstLook = { wanted: 4, newest: 6, oldest: 6, expiring: 6 } as const satisfies Record<Order, number>

/** A delivery of the list, and how many of its cluster match the same filter. */
export interface ListedRow extends DeliveryRow {
  readonly deliveries: number
  readonly colleagues: number
}

/**
 * One page in order, by key. Of each cluster only the first delivery under the filter is a row. Narrow rows
 * are read from the order's own index until enough clusters have been met; one question then tells how large
 * each is and whether an earlier page has shown it; whole rows are read for the page alone.
 */
export async function listPage(
  db: Database,
  shown: Shown,
  { order, after, limit }: { order: Order; after: Cursor | null; limit: number },
): Promise<{ rows: readonly ListedRow[]; next: string | null }> {
  const firsts: Narrow[] = []
  const rows: ListedRow[] = []
  const met = new Set<string>()
  let fresh: Narrow[] = []
  let from = after
  let more = true
  for (let size = limit * firstLook[order]; firsts.length < limit && (more || fresh.length > 0); size *= 2) {
    // Enough clusters first, and then one question about all of them: adjacent rows are often of one.
    while (more && fresh.length < limit - firsts.length) {
      const chunk = await narrowRows(db, shown, order, from, size)
      more = chunk.length === size
      fresh.push(...chunk.filter(({ cluster_key }) => !met.has(cluster_key) && met.add(cluster_key)))
      const last = chunk.at(-1)
      if (last) from = { key: last.sort_value, id: last.id }
    }
    // What is left over is met again on the next page.
    const part = fresh.slice(0, limit)
    fresh = fresh.slice(limit)
    const [sizes, whole] = await Promise.all([
      clusterSizes(
        db,
        shown,
        part.map(({ cluster_key }) => cluster_key),
        { order, after },
      ),
      wholeRows(
        db,
        part.map(({ id }) => id),
      ),
    ])
    for (const narrow of part) {
      const size = sizes.get(narrow.cluster_key)
      const row = whole.get(narrow.id)
      if (!size || !row || size.earlier > 0 || firsts.length >= limit) continue
      firsts.push(narrow)
      rows.push({ ...row, deliveries: size.deliveries, colleagues: size.colleagues })
    }
  }
  const last = firsts.at(-1)
  return { rows, next: firsts.length === limit && last ? cursorText(last.sort_value, last.id) : null }
}

/** What an order's index holds of a delivery. `sort_value` as text, so that it compares in SQL as it came. */
interface Narrow {
  readonly id: number
  readonly cluster_key: string
  readonly sort_value: string
}

/** Ranks compare as numbers; moments have one form and compare as text. */
const compareText = (a: string, b: string) =>
  a.includes(':') ? (a < b ? -1 : a > b ? 1 : 0) : Number(a) - Number(b)

/** The states are read side by side and merged here: MariaDB would sort their union as a whole. */
async function narrowRows(
  db: Database,
  shown: Shown,
  order: Order,
  after: Cursor | null,
  limit: number,
): Promise<readonly Narrow[]> {
  const { column, direction, byState, byMailbox } = orders[order]
  const ahead = direction === 'ASC' ? '>' : '<'
  // The plain range first: MariaDB uses a range for it, and for the row form (a,b) > (x,y) it never does.
  const cursor = after
    ? `AND d.${column} ${ahead}= :value AND (d.${column} ${ahead} :value OR d.id ${ahead} :afterId)`
    : ''
  const values = { ...valuesOf(shown), value: after?.key, afterId: after?.id, limit }
  if (await isNarrowBand(db, shown))
    return select<Narrow>(
      db,
      `SELECT d.id, d.cluster_key, CAST(d.${column} AS CHAR) AS sort_value FROM deliveries d FORCE INDEX (k_score)
       WHERE d.state IN (:states) AND ${conditions('d', shown)} ${cursor} ORDER BY d.${column} ${direction}, d.id ${direction} LIMIT :limit`,
      values,
    )
  const index = await indexFor(db, shown, { byState, byMailbox })
  const ofState = (state: DeliveryState) => `
    SELECT d.id, d.cluster_key, CAST(d.${column} AS CHAR) AS sort_value FROM deliveries d FORCE INDEX (${index})
     WHERE d.state = '${state}' AND ${conditions('d', shown)} ${cursor}
     ORDER BY d.${column} ${direction}, d.id ${direction} LIMIT :limit`
  const found = await Promise.all(shown.states.map(state => select<Narrow>(db, ofState(state), values)))
  const [only = []] = found
  if (found.length === 1) return only
  const sign = direction === 'ASC' ? 1 : -1
  return found
    .flat()
    .sort((a, b) => sign * (compareText(a.sort_value, b.sort_value) || a.id - b.id))
    .slice(0, limit)
}

/** Whether so little has a score of the band that it is read by its score. */
async function isNarrowBand(db: Database, shown: Shown): Promise<boolean> {
  const { from, to, mailbox } = shown.filter
  if ((from <= 0 && to >= 100) || mailbox !== undefined) return false
  const band = `score >= :from${to < 100 ? ' AND score < :to' : ''}`
  return isFew(db, `deliveries FORCE INDEX (k_score) WHERE ${band}`, { from, to })
}

async function wholeRows(db: Database, ids: readonly number[]): Promise<ReadonlyMap<number, DeliveryRow>> {
  if (ids.length === 0) return new Map()
  const rows = await select<DeliveryRow>(
    db,
    withNames(`SELECT ${columns} FROM deliveries d WHERE d.id IN (:ids)`),
    { ids },
  )
  return new Map(rows.map(row => [row.id, row]))
}

export interface ClusterSize {
  readonly deliveries: number
  readonly colleagues: number
  /** Of its members, those at or before the cursor. */
  readonly earlier: number
}

/** Deliveries and colleagues of each cluster under the filter. */
export async function clusterSizes(
  db: Database,
  shown: Shown,
  keys: readonly string[],
  { order, after }: { order: Order; after: Cursor | null } = { order: 'wanted', after: null },
): Promise<ReadonlyMap<string, ClusterSize>> {
  if (keys.length === 0) return new Map()
  const { column, direction } = orders[order]
  const behind = direction === 'ASC' ? '<' : '>'
  const earlier = after
    ? `CAST(SUM(d.${column} ${behind} :value OR (d.${column} = :value AND d.id ${behind}= :afterId)) AS SIGNED)`
    : '0'
  const rows = await select<ClusterSize & { cluster_key: string }>(
    db,
    `SELECT d.cluster_key, COUNT(*) AS deliveries, COUNT(DISTINCT d.mailbox_id) AS colleagues, ${earlier} AS earlier
     FROM deliveries d FORCE INDEX (k_cluster)
     WHERE d.cluster_key IN (:keys) AND d.state IN (:states) AND ${conditions('d', shown)} GROUP BY d.cluster_key`,
    { ...valuesOf(shown), keys, value: after?.key, afterId: after?.id },
  )
  return new Map(rows.map(({ cluster_key, ...size }) => [cluster_key, size]))
}

export function clusterMembers(
  db: Database,
  shown: Shown,
  key: string,
  limit: number,
): Promise<DeliveryRow[]> {
  const members = `SELECT ${columns} FROM deliveries d FORCE INDEX (k_cluster)
    WHERE d.cluster_key = :key AND d.state IN (:states) AND ${conditions('d', shown)} ORDER BY d.score, d.id LIMIT :limit`
  return select<DeliveryRow>(db, `${withNames(members)} ORDER BY d.score, d.id`, {
    ...valuesOf(shown),
    key,
    limit,
  })
}

/**
 * Deliveries in 50 bins of two points, the band not applied. For all colleagues they come from the
 * maintained counts; a single mailbox or a search is counted as it stands.
 */
export async function countBins(db: Database, shown: Shown): Promise<readonly number[]> {
  const { filter, scope } = shown
  const whole: Shown = { ...shown, filter: { ...filter, from: 0, to: 100 } }
  const summed =
    scope === null &&
    filter.mailbox === undefined &&
    !filter.find &&
    filter.states !== 'watched' &&
    filter.states !== 'moved'
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
  const [row] = await select<DeliveryRow>(
    db,
    withNames(`SELECT ${columns} FROM deliveries d WHERE d.id = :id`),
    { id },
    tx,
  )
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
    reasons: [...row.reasons],
    points: row.points,
    sentTo: row.sent_to,
    size: row.size ?? 0,
    attachments: row.attachments,
    clusterKey: row.cluster_key,
    clusterDeliveries: cluster.deliveries,
    clusterColleagues: cluster.colleagues,
    waiting: row.state === 'deferred',
    askedFor: row.asked_for === 1,
    moved: row.moved_as && { as: row.moved_as, colleagues: row.moved_by },
  }
}
