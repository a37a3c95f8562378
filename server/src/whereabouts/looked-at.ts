import { deliveryState } from '@pendro/contract'
import { dayOf, daysBefore } from '@pendro/core/calendar'
import { findRow, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'
import type { Window } from './search.ts'

/** How long a count of days gone by is taken for true: nothing comes in for them any more, little goes away. */
const keptFor = 600_000
const mostKept = 500

interface Count {
  readonly n: number
  readonly at: number
}
const counts = new WeakMap<Database, Map<string, Count>>()

/** Deliveries of the days that are looked at. The last two days are counted anew each time. */
export async function countLookedAt(
  db: Database,
  scope: Scope,
  { since, until }: Window,
  now: Date,
): Promise<number> {
  const [first, last] = [dayOf(since.getTime(), 'UTC'), dayOf(until.getTime(), 'UTC')]
  if (scope !== null) return countWithin(db, scope, first, last)
  const recent = daysBefore(dayOf(now.getTime(), 'UTC'), 1)
  if (last < recent) return countDays(db, first, last, now)
  const [before, lately] = await Promise.all([
    first < recent ? countDays(db, first, daysBefore(recent, 1), now) : 0,
    readCount(db, first > recent ? first : recent, last),
  ])
  return before + lately
}

async function countDays(db: Database, first: string, last: string, now: Date): Promise<number> {
  const known = counts.get(db) ?? new Map<string, Count>()
  counts.set(db, known)
  const key = `${first} ${last}`
  const found = known.get(key)
  if (found && now.getTime() - found.at < keptFor) return found.n
  const n = await readCount(db, first, last)
  if (known.size >= mostKept) known.clear()
  known.set(key, { n, at: now.getTime() })
  return n
}

/** From the maintained counts, a stretch of their key for each state. */
async function readCount(db: Database, first: string, last: string): Promise<number> {
  const row = await findRow<{ n: string | null }>(
    db,
    'SELECT SUM(n) AS n FROM review_counts WHERE state IN (:states) AND received_day BETWEEN :first AND :last',
    { states: deliveryState.options, first, last },
  )
  return Number(row?.n ?? 0)
}

async function countWithin(db: Database, scope: Scope, first: string, last: string): Promise<number> {
  const row = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM deliveries d WHERE d.received_day BETWEEN :first AND :last AND ${within(scope, 'd.mailbox_id')}`,
    { first, last },
  )
  return row?.n ?? 0
}
