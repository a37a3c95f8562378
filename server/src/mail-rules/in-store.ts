import { setTimeout } from 'node:timers/promises'
import { execute, inTransaction, type Database } from '../db/database.ts'
import { StoreScripts } from '../db/models/stores.ts'
import { organisationNow } from '../db/organisation.ts'
import { findOne, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { claim } from '../jobs/claim.ts'
import type { Log } from '../log.ts'
import type { Secrets } from '../outbox/secrets.ts'
import { storeKey, wholeStore } from '../outbox/stores.ts'
import type { Reader } from '../reading/reader.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { StoreError } from '../stores/imap.ts'
import { hasSieve, openSieve, withSieve, type ManageSieve } from '../stores/manage-sieve.ts'
import {
  bringBackScripts,
  isInPlace,
  ownScript,
  putScripts,
  readScripts,
  replacedBy,
  scriptsFor,
  standingOf,
  takeOutScripts,
  type Looked,
} from '../stores/scripts.ts'
import { isOf, placeOf, wantedFor, type At, type ScriptsRow as Row } from './in-store-place.ts'
import { fingerprint } from './in-store-view.ts'

export interface InStoreDeps {
  readonly db: Database
  readonly secrets: Secrets
  readonly readScript: Reader['readScript']
  readonly now: () => Date
}

const minutes = (n: number) => n * 60_000
/** Between two looks, where nothing has changed here. */
const every = minutes(60)
/** Until a store in trouble is asked again. */
const everyInTrouble = minutes(5)
const claimFor = minutes(3)
/** Mailboxes looked after at once; each has a connection. */
const together = 4
/** The longest script of a colleague’s own that is looked through. */
const mostOwn = 200_000

/** Looks after the scripts of the mailboxes whose turn it is; how many that were. Safe with any number of processes. */
export async function workScripts(deps: InStoreDeps & { readonly log: Log }): Promise<number> {
  const { db, log, now } = deps
  if (!(await anyTakesSieve(db))) return 0
  const rows = await claim<{ mailbox_id: number; asked: number }>(
    db,
    {
      table: 'store_scripts',
      key: 'mailbox_id',
      columns: 'mailbox_id, asked',
      due: 'next_at <= :at',
      order: 'next_at',
    },
    { at: now(), holdFor: claimFor, limit: together },
  )
  await Promise.all(
    rows.map(async ({ mailbox_id: id, asked }) => {
      try {
        await lookAfter(deps, id)
      } catch (error) {
        // What is wrong with us is not said of the store.
        if (error instanceof StoreError) await note(db, id, troubleOf(error))
        else log.jobFailed('scripts', error)
      }
      await settle(db, id, asked, now())
    }),
  )
  return rows.length
}

const anyTakesSieve = async (db: Database): Promise<boolean> =>
  ((await organisationNow(db))?.routes?.stores ?? []).some(store => hasSieve(wholeStore(store)))

/** What somebody has asked for meanwhile stays due. */
const settle = (db: Database, id: number, asked: number, now: Date): Promise<number> =>
  execute(
    db,
    `UPDATE store_scripts SET claimed_until = NULL,
       next_at = IF(asked = :asked, IF(trouble = '', :next, :soon), next_at) WHERE mailbox_id = :id`,
    {
      id,
      asked,
      next: new Date(now.getTime() + every),
      soon: new Date(now.getTime() + everyInTrouble),
    },
  )

const note = (
  db: Database,
  id: number,
  values: Partial<Omit<Row, 'answers_too'> & { answers_too: boolean }>,
) => update(db, StoreScripts, values, { mailbox_id: id })

const troubleOf = ({ trouble, message }: StoreError) => ({ trouble, detail: message })
const well = { trouble: '', detail: '' } as const

const nothingKnown = { kept: null, putting: null }

/** Brings the scripts of a mailbox up to date, unless somebody else has written there. @throws {StoreError} */
async function lookAfter(deps: InStoreDeps, id: number): Promise<void> {
  const { db, secrets } = deps
  const place = await placeOf(db, id)
  if (place === null) return void (await note(db, id, { state: 'waiting', ...well }))
  await withSieve(openSieve(place.store, place.mailbox.address, secrets), session =>
    keep(deps, session, place),
  )
}

async function keep(deps: InStoreDeps, session: ManageSieve, place: At): Promise<void> {
  const { db, now } = deps
  const { id } = place.mailbox
  const row = await findOne(db, StoreScripts, { mailbox_id: id })
  const known = isOf(row, place) ? row : nothingKnown
  const looked = await readScripts(session)
  const wanted = await wantedFor(db, place)
  const own = ownScript(known, looked)
  const seen = { looked_at: now(), store: storeKey(place.store), ...well }
  const standing = standingOf(known, looked, wanted)
  if (standing !== 'ours') {
    await note(db, id, { ...seen, state: standing, found: looked.found })
    return
  }
  if (place.store.scripts === 'take-out') {
    await takeOutScripts(session, looked, own)
    await note(db, id, {
      ...seen,
      state: 'out',
      ...nothingKnown,
      found: null,
      replaced: null,
      answers_too: false,
    })
    return
  }
  const next = scriptsFor(wanted, own)
  const answers = await answersItself(deps, session, own)
  if (isInPlace(looked.found, next)) {
    const values =
      known.putting === null && known.kept !== null ? {} : { kept: next, putting: null, kept_at: now() }
    await note(db, id, { ...seen, state: 'kept', ...values, found: null, answers_too: answers })
    return
  }
  // An act of a person that broke off goes on as theirs.
  const was = known.putting?.was ?? null
  const putting = { ...next, ran: looked.found.runs, was }
  await note(db, id, { store: storeKey(place.store), kept: known.kept, putting })
  const kept = await putScripts(session, next)
  await note(db, id, {
    ...seen,
    state: 'kept',
    kept,
    putting: null,
    kept_at: now(),
    found: null,
    answers_too: answers,
    ...(was === null ? {} : { replaced: { was, kept: known.kept } }),
  })
}

/** Whether the colleague’s own script answers mail, too. */
async function answersItself(
  { readScript }: InStoreDeps,
  session: ManageSieve,
  own: string,
): Promise<boolean> {
  const script = own === '' ? null : await session.read(own)
  if (script === null || script.length > mostOwn) return false
  const read = await readScript(script)
  return read?.ok === true && read.value.left.some(({ text }) => text === 'vacation')
}

/** Looks into the scripts of a mailbox for somebody who waits; trouble is noted with it. */
export async function lookAtScripts(deps: InStoreDeps, id: number): Promise<void> {
  await alone(deps, id, async () => {
    try {
      await lookAfter(deps, id)
    } catch (error) {
      if (!(error instanceof StoreError)) throw error
      await note(deps.db, id, troubleOf(error))
    }
  })
}

interface Act {
  readonly by: Actor
  readonly reason: string
  /** What was shown, where something is overwritten. */
  readonly seen: string
}

/** Puts Pendro’s scripts in place of what somebody else wrote, and nothing else than what was shown. @throws {AppError} @throws {StoreError} */
export async function putAgain(deps: InStoreDeps, id: number, { by, reason, seen }: Act): Promise<void> {
  const { db, now } = deps
  await inSession(deps, id, async (session, place, row) => {
    if (place.store.scripts === 'take-out') throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
    const looked = await readScripts(session)
    if (fingerprint(looked.found) !== seen) {
      await noteFound(deps, place, row, looked)
      throw new AppError('MAILBOX_CHANGED')
    }
    const own = ownScript(row ?? nothingKnown, looked)
    const next = scriptsFor(await wantedFor(db, place), own)
    const before = row?.kept ?? null
    const was = replacedBy(row ?? nothingKnown, looked)
    const putting = { ...next, ran: looked.found.runs, was }
    await note(db, id, { store: storeKey(place.store), kept: before, putting })
    const kept = await putScripts(session, next)
    await inTransaction(db, async tx => {
      const values = {
        state: 'kept',
        kept,
        putting: null,
        found: null,
        replaced: { was, kept: before },
        kept_at: now(),
        looked_at: now(),
        ...well,
      } as const
      await update(db, StoreScripts, values, { mailbox_id: id }, tx)
      await writeRecord(db, tx, [{ act: 'scripts-put', at: now(), by, mailboxId: id, reason, facts: {} }])
    })
  })
}

/** Brings back what {@link putAgain} has replaced, unless it was changed again. @throws {AppError} @throws {StoreError} */
export async function undoPut(deps: InStoreDeps, id: number, by: Actor): Promise<void> {
  const { db, now } = deps
  await inSession(deps, id, async (session, place, row) => {
    const replaced = row?.replaced
    if (!replaced) throw new AppError('ALREADY_UNDONE')
    const looked = await readScripts(session)
    if (!row.kept || looked.found.rules !== row.kept.rules || looked.found.active !== row.kept.active) {
      await noteFound(deps, place, row, looked)
      throw new AppError('MAILBOX_CHANGED')
    }
    const { was, kept } = replaced
    await bringBackScripts(session, was)
    const standing = standingOf(
      { kept, putting: null },
      { ...looked, found: was },
      await wantedFor(db, place),
    )
    await inTransaction(db, async tx => {
      const state = standing === 'ours' ? 'waiting' : standing
      const values = { state, kept, found: was, replaced: null, looked_at: now(), ...well } as const
      await update(db, StoreScripts, values, { mailbox_id: id }, tx)
      await writeRecord(db, tx, [{ act: 'scripts-undone', at: now(), by, mailboxId: id, facts: {} }])
    })
  })
}

async function noteFound(
  { db, now }: InStoreDeps,
  place: At,
  row: Row | null,
  looked: Looked,
): Promise<void> {
  const standing = standingOf(row ?? nothingKnown, looked, await wantedFor(db, place))
  const state = standing === 'ours' ? 'kept' : standing
  const found = standing === 'ours' ? null : looked.found
  await note(db, place.mailbox.id, { state, found, looked_at: now(), ...well })
}

async function inSession(
  deps: InStoreDeps,
  id: number,
  work: (session: ManageSieve, place: At, row: Row | null) => Promise<void>,
): Promise<void> {
  const { db, secrets } = deps
  const place = await placeOf(db, id)
  if (place === null) throw new AppError('STORE_NOT_OPEN')
  await alone(deps, id, () =>
    withSieve(openSieve(place.store, place.mailbox.address, secrets), async session => {
      const row = await findOne(db, StoreScripts, { mailbox_id: id })
      await work(session, place, isOf(row, place) ? row : null)
    }),
  )
}

/** Tries to be the only one at a mailbox’s scripts; whoever is there is done soon. */
async function alone<T>({ db, now }: InStoreDeps, id: number, work: () => Promise<T>): Promise<T> {
  await insertIfMissing(db, id, now())
  const until = Date.now() + 15_000
  for (;;) {
    const [at, end] = [now(), new Date(now().getTime() + claimFor)]
    const taken = await execute(
      db,
      'UPDATE store_scripts SET claimed_until = :end WHERE mailbox_id = :id AND (claimed_until IS NULL OR claimed_until < :at)',
      { id, at, end },
    )
    if (taken > 0) break
    if (Date.now() > until) throw new StoreError('no-answer', 'somebody else is at this mailbox')
    await setTimeout(100)
  }
  const { asked = 0 } = (await findOne(db, StoreScripts, { mailbox_id: id }, { columns: ['asked'] })) ?? {}
  try {
    return await work()
  } finally {
    await settle(db, id, asked, now())
  }
}

const insertIfMissing = (db: Database, id: number, now: Date) =>
  execute(db, 'INSERT IGNORE INTO store_scripts (mailbox_id, next_at) VALUES (:id, :now)', { id, now })
