import { organisationNow } from '../db/organisation.ts'
import type { Database } from '../db/database.ts'
import { endChore, takeChore } from '../jobs/chores.ts'
import { expirePart, firstPlace } from './expire.ts'
import type { Pace } from '../jobs/pace.ts'
import { daysAgo, forgetDeliveries, forgetLoneMessages, forgetRows } from './forget.ts'

/** Rows of one transaction: enough to be worth its commit, few enough that nobody waits for them. */
export const usualPart = 400

/** Milliseconds from the end of one look at everything to the next. */
const rest = 60_000

interface Options {
  readonly now: () => Date
  readonly atOnce?: number
  /** Stands back for people. */
  readonly pace?: Pick<Pace, 'rest'>
}

/**
 * The job that lets go what has outlived its days (domain.md §7): mail that was kept back, then headers, then what other
 * tables no longer need. Each call does one part in one transaction, so that it can stop or die at any point; which process
 * does it is settled in the database. Gives how many rows have gone, at least 1 while there is more to look at.
 */
export function createPurge(db: Database, { now, atOnce = usualPart, pace }: Options): () => Promise<number> {
  // Lost with the process: the next look begins anew and finds what is left.
  let place = firstPlace

  async function part(at: Date): Promise<number> {
    const organisation = await organisationNow(db)
    if (!organisation) return 0
    const { gone, next } = await expirePart(db, place, at, atOnce)
    place = next ?? firstPlace
    if (next) return Math.max(1, gone)
    const before = daysAgo(at, organisation.headerDays)
    return (
      (await forgetDeliveries(db, before, atOnce)) ||
      (await forgetLoneMessages(db, before, atOnce)) ||
      (await forgetRows(db, { now: at, headerDays: organisation.headerDays, atOnce }))
    )
  }

  return async () => {
    const at = now()
    if (!(await takeChore(db, 'purge', at))) return 0
    const began = performance.now()
    let gone = 0
    try {
      gone = await part(at)
    } finally {
      await endChore(db, 'purge', { nextAt: gone > 0 ? at : new Date(at.getTime() + rest), done: gone })
    }
    if (gone > 0) await pace?.rest(performance.now() - began)
    return gone
  }
}
