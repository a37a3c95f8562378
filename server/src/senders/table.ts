import { cursorText, readCursor } from '../db/cursor.ts'
import { containing } from '../db/like.ts'
import type { EntryRowShape, SenderFilter } from '@pendro/contract'
import { parseDomain } from '@pendro/core/address'
import { dayOf, daysBefore } from '@pendro/core/calendar'
import { displayPattern } from '@pendro/core/senders'
import { findRow, select, type Database, type Row } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { SenderEntries } from '../db/models/lists.ts'
import { within, type Scope } from '../db/scope.ts'
import { readOrganisation } from '../db/organisation.ts'
import { entryColumns, toEntry, type EntryRow } from '../lists/entries.ts'
import { decisionKinds, openFindings } from '../lists/findings-sql.ts'

const shownDays = 30

/** A finding is told on every entry it needs a decision about; what merely covers another has none. */
const findingOfEntry = `SELECT x.entry_id, MIN(f.place) AS place FROM (${openFindings}) f
  JOIN upkeep_finding_entries x ON x.finding_key = f.finding_key AND (x.place = 0 OR f.kind IN ('contradicts', 'for-everyone'))
  GROUP BY x.entry_id`

const from = `FROM sender_entries e LEFT JOIN mailboxes b ON b.id = e.mailbox_id LEFT JOIN (${findingOfEntry}) w ON w.entry_id = e.id
  LEFT JOIN upkeep_findings f ON f.place = w.place`

/** The lists that are shown: by a filter, everybody's and those of the mailboxes somebody looks after. */
export interface Shown {
  readonly filter: SenderFilter
  readonly scope: Scope
}

function condition({ filter, scope }: Shown, now: Date): { where: string; values: Row } {
  const parts: string[] = [`(e.mailbox_id IS NULL OR ${within(scope, 'e.mailbox_id')})`]
  const values: Row = { now, decisionKinds }
  if (filter.state === 'ended') parts.push('e.ended_at IS NOT NULL')
  else
    parts.push(
      'e.ended_at IS NULL',
      filter.state === 'expired' ? 'e.until <= :now' : '(e.until IS NULL OR e.until > :now)',
    )
  if (filter.standing !== 'both') {
    parts.push('e.standing = :standing')
    values.standing = filter.standing
  }
  if (filter.mailbox !== undefined) {
    parts.push('e.mailbox_id = :mailbox')
    values.mailbox = filter.mailbox
  } else if (filter.owner !== 'all')
    parts.push(`e.mailbox_id IS ${filter.owner === 'organisation' ? '' : 'NOT '}NULL`)
  if (filter.kind !== 'any') {
    parts.push('e.kind = :kind')
    values.kind = filter.kind
  }
  if (filter.finding === 'any') parts.push('f.kind IN (:decisionKinds)')
  else if (filter.finding !== 'all') {
    parts.push('f.kind = :finding')
    values.finding = filter.finding
  }
  if (filter.matched === 'never') parts.push('e.last_matched_at IS NULL')
  else if (filter.matched !== 'any') {
    values.monthAgo = new Date(now.getTime() - shownDays * 86_400_000)
    parts.push(
      filter.matched === 'month'
        ? 'e.last_matched_at >= :monthAgo'
        : '(e.last_matched_at IS NULL OR e.last_matched_at < :monthAgo)',
    )
  }
  if (filter.find) {
    parts.push(
      '(e.pattern LIKE :find OR e.pattern LIKE :findAscii OR e.reason LIKE :find OR b.name LIKE :find)',
    )
    values.find = containing(filter.find)
    values.findAscii = containing(asciiOf(filter.find))
  }
  return { where: parts.join(' AND '), values }
}

/** 'bücher.example' is kept as its A-labels. */
function asciiOf(text: string): string {
  const domain = parseDomain(text.slice(text.lastIndexOf('@') + 1))
  return domain.ok ? text.slice(0, text.lastIndexOf('@') + 1) + domain.value : text
}

type Order = 'matched' | 'newest' | 'pattern' | 'worst'

/** By what rows are sorted, beside their id; ascending or not. */
const orders: Readonly<Record<Order, { readonly by: string; readonly up: boolean }>> = {
  matched: { by: "COALESCE(e.last_matched_at, '1970-01-01')", up: false },
  newest: { by: 'e.created_at', up: false },
  pattern: { by: 'e.pattern', up: true },
  worst: { by: 'COALESCE(w.place, 4294967295)', up: true },
}

interface TableRow
  extends
    EntryRow,
    Pick<
      RowOf<typeof SenderEntries>,
      'kind' | 'reason' | 'origin' | 'created_at' | 'ended_at' | 'last_matched_at'
    > {
  readonly owner_name: string | null
  readonly finding_key: string | null
  readonly finding_kind: NonNullable<EntryRowShape['finding']>['kind'] | null
  readonly finding_facts: NonNullable<EntryRowShape['finding']>['facts'] | null
}

const columns = `${entryColumns}, e.kind, e.reason, e.origin, e.created_at, e.ended_at, e.last_matched_at, b.name AS owner_name,
  f.finding_key, f.kind AS finding_kind, f.facts AS finding_facts`

export interface Page {
  readonly rows: readonly EntryRowShape[]
  readonly next: string | null
}

/** One page of the table; `after` is the `next` of the page before. */
export async function entryPage(
  db: Database,
  shown: Shown,
  { order, after, limit }: { order: Order; after?: string | undefined; limit: number },
  now: Date,
): Promise<Page> {
  const { where, values } = condition(shown, now)
  const { by, up } = orders[order]
  const cursor = readCursor(after)
  const beyond = up ? '>' : '<'
  const rows = await select<TableRow & { sort_key: string }>(
    db,
    `SELECT ${columns}, CAST(${by} AS CHAR) AS sort_key ${from}
     WHERE ${where} ${cursor ? `AND (${by} ${beyond} :key OR (${by} = :key AND e.id ${beyond} :id))` : ''}
     ORDER BY ${by} ${up ? '' : 'DESC'}, e.id ${up ? '' : 'DESC'} LIMIT :limit`,
    { ...values, ...cursor, limit },
  )
  const last = rows.at(-1)
  return {
    rows: await toShapes(db, shown.scope, rows, now),
    next: rows.length === limit && last ? cursorText(last.sort_key, last.id) : null,
  }
}

export async function entryCounts(
  db: Database,
  shown: Shown,
  now: Date,
): Promise<{ total: number; needDecision: number }> {
  const { where, values } = condition(shown, now)
  const counts = await findRow<{ total: number; need: number | null }>(
    db,
    `SELECT COUNT(*) AS total, SUM(f.kind IN (:decisionKinds)) AS need ${from} WHERE ${where}`,
    values,
  )
  return { total: counts?.total ?? 0, needDecision: Number(counts?.need ?? 0) }
}

export async function entryRows(
  db: Database,
  scope: Scope,
  ids: readonly number[],
  now: Date,
): Promise<readonly EntryRowShape[]> {
  if (ids.length === 0) return []
  const rows = await select<TableRow>(
    db,
    `SELECT ${columns} ${from} WHERE e.id IN (:ids) ORDER BY e.id DESC`,
    { ids },
  )
  return toShapes(db, scope, rows, now)
}

/** The condition on what entries met: in mail of the scope alone. */
export const metWithin = (scope: Scope): string =>
  scope === null
    ? 'TRUE'
    : `delivery_id IN (SELECT d.id FROM deliveries d WHERE ${within(scope, 'd.mailbox_id')})`

async function toShapes(
  db: Database,
  scope: Scope,
  rows: readonly TableRow[],
  now: Date,
): Promise<EntryRowShape[]> {
  if (rows.length === 0) return []
  const { timeZone } = await readOrganisation(db)
  const today = dayOf(now.getTime(), timeZone)
  const days = Array.from({ length: shownDays }, (_, i) => daysBefore(today, shownDays - 1 - i))
  const [matches, same] = await Promise.all([
    select<{ entry_id: number; day: string; n: number }>(
      db,
      `SELECT entry_id, DATE_FORMAT(received_day, '%Y-%m-%d') AS day, COUNT(*) AS n FROM entry_matches
       WHERE entry_id IN (:ids) AND received_day >= :since AND ${metWithin(scope)} GROUP BY entry_id, received_day`,
      { ids: rows.map(({ id }) => id), since: days[0] },
    ),
    select<{ pattern: string; standing: string; n: number }>(
      db,
      `SELECT pattern, standing, COUNT(*) AS n FROM sender_entries
       WHERE pattern IN (:patterns) AND ended_at IS NULL AND (until IS NULL OR until > :now)
         AND (mailbox_id IS NULL OR ${within(scope, 'mailbox_id')}) GROUP BY pattern, standing`,
      { patterns: [...new Set(rows.map(({ pattern }) => pattern))], now },
    ),
  ])
  const perDay = new Map(matches.map(({ entry_id, day, n }) => [`${entry_id} ${day}`, n]))
  const keepers = new Map(same.map(({ pattern, standing, n }) => [`${standing} ${pattern}`, n]))
  return rows.map(row => ({
    ...shapeOf(row),
    days: days.map(day => perDay.get(`${row.id} ${day}`) ?? 0),
    others: Math.max(
      0,
      (keepers.get(`${row.standing} ${row.pattern}`) ?? 0) - (row.ended_at === null ? 1 : 0),
    ),
  }))
}

function shapeOf(row: TableRow): Omit<EntryRowShape, 'days' | 'others'> {
  const { pattern } = toEntry(row)
  return {
    id: row.id,
    pattern: displayPattern(pattern),
    patternText: row.pattern,
    kind: row.kind,
    standing: row.standing,
    mailboxId: row.mailbox_id,
    keptBy: row.owner_name ?? '',
    binding: row.binding === 1,
    withoutAuthentication: row.without_authentication === 1,
    until: row.until?.toISOString() ?? null,
    reason: row.reason,
    origin: row.origin,
    createdAt: row.created_at.toISOString(),
    endedAt: row.ended_at?.toISOString() ?? null,
    lastMatchedAt: row.last_matched_at?.toISOString() ?? null,
    finding:
      row.finding_key !== null && row.finding_kind !== null
        ? { key: row.finding_key, kind: row.finding_kind, facts: row.finding_facts ?? {} }
        : null,
  }
}

/** Rows of the whole filter in one order, for taking lists out: a page at a time. */
export async function* everyRow(db: Database, shown: Shown, now: Date): AsyncGenerator<EntryRowShape> {
  let after: string | undefined
  do {
    const page: Page = await entryPage(db, shown, { order: 'pattern', after, limit: 500 }, now)
    yield* page.rows
    after = page.next ?? undefined
  } while (after !== undefined)
}
