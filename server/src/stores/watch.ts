import { setTimeout } from 'node:timers/promises'
import { execute, type Database } from '../db/database.ts'
import { StoreMailboxes } from '../db/models/stores.ts'
import { organisationNow } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { wholeStore } from '../outbox/stores.ts'
import { claim } from '../jobs/claim.ts'
import type { Log } from '../log.ts'
import { hasImap, StoreError } from './imap.ts'
import { lookInto } from './look.ts'
import { visited, type Stores } from './stores.ts'

const seconds = (n: number) => n * 1000
/** Between two looks into a mailbox. */
const every = seconds(50)
/** Until a store that does not answer is asked again for a mailbox. */
const everyInTrouble = seconds(120)
const claimFor = seconds(180)
/** Mailboxes claimed together: as many as there are connections for work that nobody waits for. */
const together = 16

interface Deps {
  readonly db: Database
  readonly stores: Stores
  readonly log: Log
  readonly now: () => Date
}

/** Looks into the mailboxes whose turn it is, each in its turn; how many that were. Safe with any number of processes. */
export async function workLooks({ db, stores, log, now }: Deps): Promise<number> {
  const organisation = await organisationNow(db)
  if (!(organisation?.routes?.stores ?? []).some(store => hasImap(wholeStore(store)))) return 0
  const rows = await claim<{ mailbox_id: number }>(
    db,
    {
      table: 'store_mailboxes',
      key: 'mailbox_id',
      columns: 'mailbox_id',
      due: 'next_at <= :at',
      order: 'next_at',
    },
    { at: now(), holdFor: claimFor, limit: together },
  )
  await Promise.all(
    rows.map(async ({ mailbox_id: id }) => {
      try {
        const was = await lookNow({ db, stores, now }, id)
        await execute(
          db,
          'UPDATE store_mailboxes SET claimed_until = NULL, next_at = :next WHERE mailbox_id = :id',
          { id, next: new Date(now().getTime() + (was === 'looked' ? every : everyInTrouble)) },
        )
      } catch (error) {
        log.jobFailed('looks', error)
      }
    }),
  )
  return rows.length
}

/** Tables with a row a mailbox, whose turn comes when the store of the mailbox can do what it is for. */
const byTurns = ['store_mailboxes', 'store_scripts'] as const

/** Gives every mailbox its turns that has none yet; how many that were. Once in a while. */
export async function enrol(db: Database, now: Date): Promise<number> {
  let given = 0
  for (const table of byTurns)
    given += await execute(
      db,
      `INSERT IGNORE INTO ${table} (mailbox_id, next_at)
       SELECT b.id, :now FROM mailboxes b LEFT JOIN ${table} s ON s.mailbox_id = b.id
       WHERE s.mailbox_id IS NULL AND b.closed_at IS NULL AND b.kind <> 'list'`,
      { now },
    )
  return given
}

/** Looks into one mailbox; what stands in the way is noted with it. */
export async function lookNow(
  { db, stores, now }: Pick<Deps, 'db' | 'stores' | 'now'>,
  id: number,
  urgent = false,
): Promise<'looked' | 'trouble' | 'closed'> {
  const mailbox = await visited(db, id)
  if (!mailbox) return 'closed'
  try {
    const seen = await stores.visit(
      mailbox,
      async visit => {
        await lookInto(db, visit, now(), { counted: urgent })
        return true
      },
      urgent,
    )
    return seen === null ? 'closed' : 'looked'
  } catch (error) {
    if (!(error instanceof StoreError)) throw error
    await execute(
      db,
      `INSERT INTO store_mailboxes (mailbox_id, next_at, trouble, detail, trouble_since) VALUES (:id, :now, :trouble, :detail, :now)
       ON DUPLICATE KEY UPDATE trouble_since = COALESCE(trouble_since, :now), trouble = :trouble, detail = :detail`,
      { id, now: now(), trouble: error.trouble, detail: error.message },
    )
    return 'trouble'
  }
}

/** Milliseconds for which nobody looks again, however often somebody asks. */
const freshFor = 5000
/** Milliseconds somebody waits for a look at most; then what was seen last has to do. */
const waitFor = 4000

/** Looks into a mailbox for somebody who waits, unless that was done just now. */
export async function freshen(deps: Pick<Deps, 'db' | 'stores' | 'now'>, id: number): Promise<void> {
  const { db, now } = deps
  const row = await findOne(db, StoreMailboxes, { mailbox_id: id }, { columns: ['looked_at'] })
  if (row?.looked_at && now().getTime() - row.looked_at.getTime() < freshFor) return
  const patience = new AbortController()
  const looking = lookNow(deps, id, true).finally(() => patience.abort())
  await Promise.race([
    looking,
    setTimeout(waitFor, undefined, { signal: patience.signal, ref: false }).catch(() => {}),
  ])
}
