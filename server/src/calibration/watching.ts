import type { WatchingDays } from '@pendro/contract'
import { daysBefore, dayOf } from '@pendro/core/calendar'
import { select, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { within, type Scope } from '../db/scope.ts'

/** Days that are looked back on. */
const lookedBack = 28

/** What came in on each day, what of it would have been held, and what people called that. */
export async function watchedDays(
  db: Database,
  { scope, timeZone }: { readonly scope: Scope; readonly timeZone: string },
  now: Date,
): Promise<WatchingDays> {
  const since = daysBefore(dayOf(now.getTime(), timeZone), lookedBack - 1)
  const { watching = false } = await readOrganisation(db)
  const [came, would] = await Promise.all([
    select<{ day: string; n: number }>(
      db,
      scope === null
        ? 'SELECT CAST(received_day AS CHAR) AS day, CAST(SUM(n) AS SIGNED) AS n FROM review_counts WHERE received_day >= :since GROUP BY received_day'
        : `SELECT CAST(d.received_day AS CHAR) AS day, COUNT(*) AS n FROM deliveries d WHERE d.received_day >= :since AND ${within(scope, 'd.mailbox_id')} GROUP BY d.received_day`,
      { since },
    ),
    select<{ day: string; n: number; wanted: number; junk: number }>(
      db,
      `SELECT CAST(d.received_day AS CHAR) AS day, COUNT(*) AS n, CAST(COALESCE(SUM(m.called = 'wanted'), 0) AS SIGNED) AS wanted,
         CAST(COALESCE(SUM(m.called = 'junk'), 0) AS SIGNED) AS junk
       FROM deliveries d FORCE INDEX (k_would) JOIN messages m ON m.id = d.message_id
       WHERE d.would IN ('junk', 'quarantined', 'discarded') AND d.received_day >= :since AND ${within(scope, 'd.mailbox_id')}
       GROUP BY d.received_day ORDER BY d.received_day DESC`,
      { since },
    ),
  ])
  const total = new Map(came.map(({ day, n }) => [day, n]))
  return {
    watching,
    days: would.map(({ day, n, wanted, junk }) => ({
      day,
      came: total.get(day) ?? n,
      would: n,
      wanted,
      junk,
    })),
  }
}
