import type { z } from 'zod'
import type { listMailboxes, MailboxRow } from '@pendro/contract'
import { dayOf } from '@pendro/core/calendar'
import { cursorText, readCursor, type Cursor } from '../db/cursor.ts'
import { findRow, select, type Database } from '../db/database.ts'
import { containing } from '../db/like.ts'
import { within, type Scope } from '../db/scope.ts'
import { soonOf, unlookedDays, unlookedSql } from '../deliveries/looks.ts'
import { endingSql, undecidedSql } from '../deliveries/states-sql.ts'

type Query = z.output<typeof listMailboxes.query>

const day = 86_400_000
const lookedBack = 30
/** From so many on a mailbox stands out. */
const many = 20

const isUnlike = `(b.limit_junk IS NOT NULL OR b.keep_quarantined IS NOT NULL OR b.digest_times IS NOT NULL
  OR b.digest_weekdays IS NOT NULL)`
const isDigestOff = "(b.digest_times = '[]' OR b.digest_weekdays = '[]')"
const awaySql = (of: string) =>
  `(SELECT MAX(a.until_at) FROM away_periods a WHERE a.mailbox_id = ${of}.id AND a.from_at <= :now AND a.until_at > :now)`

/** What is counted of a mailbox's deliveries `d`. */
const counted = {
  kept: `d.state IN ${undecidedSql}`,
  released: "d.state = 'released' AND d.received_at >= :since",
  going: `d.state IN ${endingSql} AND d.expires_at <= :soon AND d.points = 'wanted'`,
  unlooked: `${unlookedSql} AND d.received_at <= :unlookedBefore`,
} as const
type Count = keyof typeof counted
const counts = Object.keys(counted) as Count[]
/** The deliveries with who last looked at their mailbox. */
const looked = 'deliveries d LEFT JOIN mailbox_looks l ON l.mailbox_id = d.mailbox_id'

const traits: Readonly<Record<Exclude<Query['trait'], 'all'>, string>> = {
  unlike: isUnlike,
  away: `${awaySql('b')} IS NOT NULL`,
  closed: 'b.closed_at IS NOT NULL',
  'filtering-off': 'NOT b.filtering',
  'digest-off': isDigestOff,
  'kept-back': `COALESCE(kept.n, 0) >= ${many}`,
  released: `COALESCE(released.n, 0) >= ${many / 4}`,
  going: 'COALESCE(going.n, 0) > 0',
  unlooked: 'COALESCE(unlooked.n, 0) > 0',
}
/** Which count a trait or an order looks at; the others are counted for the rows of the page alone. */
const countOf: Readonly<Partial<Record<Query['trait'] | Query['order'], Count>>> = {
  'kept-back': 'kept',
  kept: 'kept',
  released: 'released',
  going: 'going',
  unlooked: 'unlooked',
}

interface TableRow
  extends
    Pick<MailboxRow, 'id' | 'name' | 'address' | 'department' | 'kind'>,
    Readonly<Record<Count, number>> {
  readonly unlike: number
  readonly filtering: number
  readonly digest_off: number
  readonly away_until: Date | null
  readonly time_zone: string
  readonly closed_at: Date | null
  readonly ordered: number
}

/** One page of the table of mailboxes. Counts that nothing is ordered or chosen by are made for its rows alone. */
export async function readTable(
  db: Database,
  scope: Scope,
  query: Query,
  now: Date,
): Promise<z.input<typeof listMailboxes.response>> {
  const after = readCursor(query.after)
  const values = valuesOf(query, after, now)
  const needed = new Set([countOf[query.trait], countOf[query.order]].filter(count => count !== undefined))
  const joins = [...needed]
    .map(
      count =>
        `LEFT JOIN (SELECT d.mailbox_id, COUNT(*) AS n FROM ${looked} WHERE ${counted[count]} GROUP BY d.mailbox_id) ${count} ON ${count}.mailbox_id = b.id`,
    )
    .join(' ')
  const order = query.order === 'name' ? null : `COALESCE(${query.order}.n, 0)`
  const where = `${within(scope, 'b.id')} AND ${whereOf(query)}`
  const behind =
    after === null
      ? 'TRUE'
      : order === null
        ? '(b.name > :key OR (b.name = :key AND b.id > :id))'
        : `(${order} < :key OR (${order} = :key AND b.id > :id))`
  const [rows, total, departments] = await Promise.all([
    select<TableRow>(
      db,
      // Counted for the page's rows alone, each count along an index of its own.
      `SELECT p.*, ${awaySql('p')} AS away_until, ${counts.map(count => `${countSql(count)} AS ${count}`).join(', ')}
       FROM (SELECT b.id, b.name, b.address, b.department, b.kind, b.filtering, b.time_zone, b.closed_at, ${isUnlike} AS \`unlike\`,
           COALESCE(${isDigestOff}, FALSE) AS digest_off, ${order ?? '0'} AS ordered
         FROM mailboxes b ${joins} WHERE ${where} AND ${behind}
         ORDER BY ${order === null ? 'b.name' : `${order} DESC`}, b.id LIMIT :limit) p
       LEFT JOIN mailbox_looks l ON l.mailbox_id = p.id
       ORDER BY ${order === null ? 'p.name' : 'p.ordered DESC'}, p.id`,
      values,
    ),
    findRow<{ n: number }>(db, `SELECT COUNT(*) AS n FROM mailboxes b ${joins} WHERE ${where}`, values),
    select<{ department: string }>(
      db,
      `SELECT DISTINCT department FROM mailboxes WHERE department <> '' AND ${within(scope, 'id')} ORDER BY department LIMIT 500`,
    ),
  ])
  const last = rows.at(-1)
  return {
    rows: rows.map(shown),
    total: total?.n ?? 0,
    departments: departments.map(({ department }) => department),
    next:
      rows.length === query.limit && last
        ? cursorText(order === null ? last.name : Number(last.ordered), last.id)
        : null,
  }
}

const valuesOf = (query: Query, after: Cursor | null, now: Date) => ({
  find: containing(query.find),
  kind: query.kind,
  department: query.department,
  now,
  soon: soonOf(now),
  unlookedBefore: new Date(now.getTime() - unlookedDays * day),
  since: new Date(now.getTime() - lookedBack * day),
  key: after?.key ?? '',
  id: after?.id ?? 0,
  limit: query.limit,
})

function whereOf({ kind, department, find, trait }: Query): string {
  const parts = ['TRUE']
  if (kind !== 'any') parts.push('b.kind = :kind')
  if (department !== '') parts.push('b.department = :department')
  if (find !== '')
    parts.push(
      '(b.name LIKE :find OR EXISTS (SELECT 1 FROM mailbox_addresses x WHERE x.mailbox_id = b.id AND x.address LIKE :find))',
    )
  if (trait !== 'all') parts.push(traits[trait])
  return parts.join(' AND ')
}

/** A count of one mailbox of the page, `p`. */
const countSql = (count: Count): string =>
  `(SELECT COUNT(*) FROM deliveries d WHERE d.mailbox_id = p.id AND ${counted[count]})`

function shown(row: TableRow): MailboxRow {
  const { id, name, address, department, kind, away_until, time_zone, closed_at } = row
  return {
    id,
    name,
    address,
    department,
    kind,
    kept: Number(row.kept),
    released: Number(row.released),
    going: Number(row.going),
    unlooked: Number(row.unlooked),
    unlike: row.unlike === 1,
    filtering: row.filtering === 1,
    digests: row.digest_off === 0,
    closed: closed_at !== null,
    awayUntil: away_until && dayOf(away_until.getTime(), time_zone),
  }
}
