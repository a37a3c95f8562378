import { accountAt } from '@pendro/contract'
import { harmlessLine } from '@pendro/core/text'
import { boundedFetch } from '../bounded-fetch.ts'
import { execute, findRow, inTransaction, select, type Database } from '../db/database.ts'
import { OutageNotices } from '../db/models/standby.ts'
import { organisationNow, readOrganisation, standbyOf } from '../db/organisation.ts'
import { update } from '../db/rows.ts'
import { within, type Scope } from '../db/scope.ts'
import { AppError } from '../errors.ts'
import { claim } from '../jobs/claim.ts'
import type { Log } from '../log.ts'
import type { Secrets } from '../outbox/secrets.ts'
import { makeLongCode } from '../own/access.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { housedMailboxes, outages } from '../stores/outages.ts'
import { translator } from '../wording.ts'

const seconds = (n: number) => n * 1000
/** Waits before the second, third, … try; after the last nobody tries again by itself. */
const patience = [seconds(10), seconds(60), seconds(300), seconds(900)]
const claimFor = seconds(60)
const answerWithin = seconds(10)
/** Requests at once: a gateway to phones takes few. */
const together = 8
const mostBytes = 100_000
/** Hours in which the way in counts. */
const hours = 12

interface Telling {
  readonly by: Actor
  readonly store: string
  readonly now: Date
}

/** Has everybody told whose mailbox is at a store that is away, and who has not been told of this outage; how many. @throws {AppError} */
export async function tellOfOutage(db: Database, { by, store, now }: Telling): Promise<number> {
  const organisation = await organisationNow(db)
  if (standbyOf(organisation).webhook === '') throw new AppError('NO_WEBHOOK')
  const outage = (await outages(db, now)).get(store)
  if (!outage) throw new AppError('STORE_NOT_FOUND')
  const people = (await housedMailboxes(db, organisation)).filter(
    mailbox => mailbox.kind === 'person' && mailbox.store === store,
  )
  return inTransaction(db, async tx => {
    const values = { store, since: outage.since, now, ids: [0, ...people.map(({ id }) => id)] }
    const again = await execute(
      db,
      `UPDATE outage_notices SET state = 'waiting', attempts = 0, next_at = :now, said = '', ended_at = NULL
       WHERE store = :store AND since = :since AND state = 'failed'`,
      values,
      tx,
    )
    const fresh = await execute(
      db,
      `INSERT IGNORE INTO outage_notices (store, since, mailbox_id, next_at) SELECT :store, :since, id, :now FROM mailboxes WHERE id IN (:ids)`,
      values,
      tx,
    )
    if (again + fresh === 0) throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
    const facts = { store, colleagues: again + fresh }
    await writeRecord(db, tx, [{ act: 'colleagues-told', at: now, by, facts }])
    return again + fresh
  })
}

/** How far telling of an outage has come, for the mailboxes of a scope; `null`: nobody was told. */
export async function toldOf(db: Database, scope: Scope, store: string, since: Date) {
  const rows = await select<{ state: 'sent' | 'waiting' | 'failed'; n: number; said: string }>(
    db,
    `SELECT state, COUNT(*) AS n, MAX(said) AS said FROM outage_notices
     WHERE store = :store AND since = :since AND ${within(scope, 'mailbox_id')} GROUP BY state`,
    { store, since },
  )
  if (rows.length === 0) return null
  const count = (state: string) => rows.find(row => row.state === state)?.n ?? 0
  return {
    sent: count('sent'),
    waiting: count('waiting'),
    failed: count('failed'),
    said: rows.map(({ said }) => said).find(said => said !== '') ?? '',
  }
}

interface Deps {
  readonly db: Database
  readonly secrets: Secrets
  readonly log: Log
  readonly publicUrl: string
  readonly now: () => Date
}

interface Notice {
  readonly id: number
  readonly store: string
  readonly mailbox_id: number
  readonly attempts: number
}

/** Links that were made, by notice: every try has the same, so that whoever drops a second message has the one that opens. */
type Links = Map<number, string>

/** What passes on what waits; its work is how many that were. Safe with any number of processes. */
export function createNotices(deps: Deps): () => Promise<number> {
  const { db, log, now } = deps
  // In this process alone: nothing that opens a mailbox lies in the database.
  const links: Links = new Map()
  return async () => {
    const rows = await claim<Notice>(
      db,
      {
        table: 'outage_notices',
        key: 'id',
        columns: 'id, store, mailbox_id, attempts',
        due: "state = 'waiting' AND next_at <= :at",
        order: 'next_at, id',
      },
      { at: now(), holdFor: claimFor, limit: together },
    )
    if (rows.length === 0) return 0
    const away = await outages(db, now())
    await Promise.all(
      rows.map(notice =>
        // Whose store is back needs no message any more.
        (away.has(notice.store) ? tell(deps, links, notice) : forget(db, links, notice)).catch(
          (error: unknown) => log.jobFailed('notices', error),
        ),
      ),
    )
    return rows.length
  }
}

async function forget(db: Database, links: Links, { id }: Notice): Promise<void> {
  links.delete(id)
  await execute(db, 'DELETE FROM outage_notices WHERE id = :id', { id })
}

async function tell(deps: Deps, links: Links, notice: Notice): Promise<void> {
  const { webhook } = standbyOf(await organisationNow(deps.db))
  const body = webhook === '' ? null : await write(deps, links, notice)
  const answer: Answer = body === null ? { is: 'failed', said: '' } : await post(deps.secrets, webhook, body)
  await noteAnswer(deps, links, notice, answer)
}

/** `later`: it may go well another time. */
type Answer = { readonly is: 'sent' } | { readonly is: 'later' | 'failed'; readonly said: string }

async function post(secrets: Secrets, webhook: string, body: { readonly id: string }): Promise<Answer> {
  const secret = await secrets.passwordOf(accountAt(webhook, 'webhook'))
  try {
    const response = await boundedFetch(mostBytes, () => new Error('the answer is too long'))(webhook, {
      method: 'POST',
      headers: {
        'Content-Type': 'application/json',
        // The same at each try: whoever has it already need not send it again.
        'Idempotency-Key': body.id,
        ...(secret === null ? {} : { Authorization: `Bearer ${secret}` }),
      },
      body: JSON.stringify(body),
      signal: AbortSignal.timeout(answerWithin),
    })
    if (response.ok) return { is: 'sent' }
    const passes = response.status >= 500 || response.status === 408 || response.status === 429
    return { is: passes ? 'later' : 'failed', said: `${response.status} ${await response.text()}` }
  } catch (error) {
    const { message, cause } = error as Error & { cause?: Error }
    return { is: 'later', said: cause?.message ?? message }
  }
}

/** What is passed on for a colleague. `null`: the mailbox is gone. */
async function write({ db, publicUrl, now }: Deps, links: Links, { id, mailbox_id: mailboxId }: Notice) {
  const to = await findRow<{ address: string; name: string; language: string }>(
    db,
    'SELECT address, name, language FROM mailboxes WHERE id = :mailboxId AND closed_at IS NULL',
    { mailboxId },
  )
  if (!to) return null
  const link = links.get(id) ?? (await makeLink(db, `${publicUrl}/own/standby`, mailboxId, to.address, now()))
  links.set(id, link)
  const { name: organisation } = await readOrganisation(db)
  const text = translator(to.language)('standbyNotice.text', { organisation, link, count: hours })
  return { id: `pendro-${id}`, kind: 'standby', organisation, to, text, link }
}

/** A link that opens a standby mailbox once. What is behind the mark is sent to no server, and stands in no log. */
async function makeLink(
  db: Database,
  page: string,
  mailboxId: number,
  address: string,
  now: Date,
): Promise<string> {
  const code = await makeLongCode(db, mailboxId, new Date(now.getTime() + hours * 3_600_000))
  return `${page}#${encodeURIComponent(address)}/${code}`
}

async function noteAnswer(
  { db, now }: Deps,
  links: Links,
  { id, attempts }: Notice,
  answer: Answer,
): Promise<void> {
  const at = now()
  const wait = patience[attempts]
  const said = answer.is === 'sent' ? '' : harmlessLine(answer.said).slice(0, 500)
  const isOver = answer.is !== 'later' || wait === undefined
  if (isOver) links.delete(id)
  const state = answer.is === 'sent' ? 'sent' : isOver ? 'failed' : 'waiting'
  const values = {
    state,
    said,
    attempts: attempts + 1,
    claimed_until: null,
    ended_at: isOver ? at : null,
    next_at: new Date(at.getTime() + (wait ?? 0)),
  } as const
  await update(db, OutageNotices, values, { id })
}
