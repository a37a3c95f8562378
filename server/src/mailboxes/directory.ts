import { randomUUID } from 'node:crypto'
import type { DirectoryAnswer, DirectoryOutcome } from '@pendro/contract'
import {
  planDirectory,
  type DirectoryEntry,
  type DirectoryLine,
  type DirectoryPlan,
  type KnownMailbox,
} from '@pendro/core/directory'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { ColleagueSessions } from '../db/models/people.ts'
import { MailboxAddresses, MailboxChanges, Mailboxes, Minders } from '../db/models/organisation.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { findAll, findOne, idAt, insert, insertOne, remove, update } from '../db/rows.ts'
import { planAgain } from '../digests/sending.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor } from '../record/write.ts'

/** What mailbox_changes calls all of these acts. */
export const directoryAct = 'directory'

/** Rows written at once. */
const atOnce = 1000
/** Lines that are told back. */
const mostTold = 500

/** How a mailbox stands beside what it is: open, or closed with the mailbox that gets its mail. */
interface Closed {
  readonly at: string
  readonly to: number | null
}

type Known = KnownMailbox & { readonly closed: Closed | null }

/** What an act noted of one mailbox; `was` is `null` for one it added. */
interface Noted {
  readonly id: number
  readonly was: (DirectoryEntry & { readonly closed: Closed | null }) | null
  readonly now: (DirectoryEntry & { readonly closed: Closed | null }) | null
}

/** Every mailbox as it is, closed ones too; with `ids` only those. */
export async function readKnown(db: Database, tx?: Tx, only?: readonly number[]): Promise<readonly Known[]> {
  const ids = [...(only ?? []), 0]
  const of = (column: string) => (only ? `WHERE ${column} IN (:ids)` : '')
  const rows = await findAll(db, Mailboxes, only ? { id: ids } : {}, {
    columns: [
      'id',
      'address',
      'name',
      'kind',
      'department',
      'time_zone',
      'language',
      'closed_at',
      'closed_to_id',
      'directory_id',
      'store',
    ],
    order: [['id', 'ASC']],
    tx,
  })
  const [addresses, minders] = await Promise.all([
    select<{ mailbox_id: number; address: string }>(
      db,
      `SELECT mailbox_id, address FROM mailbox_addresses ${of('mailbox_id')} ORDER BY address`,
      { ids },
      tx,
    ),
    select<{ mailbox_id: number; address: string }>(
      db,
      `SELECT m.mailbox_id, b.address FROM minders m JOIN mailboxes b ON b.id = m.minder_id ${of('m.mailbox_id')}
       ORDER BY b.address`,
      { ids },
      tx,
    ),
  ])
  const byMailbox = (list: readonly { mailbox_id: number; address: string }[]) => {
    const found = new Map<number, string[]>()
    for (const { mailbox_id, address } of list)
      found.set(mailbox_id, [...(found.get(mailbox_id) ?? []), address])
    return found
  }
  const [aliasesOf, mindersOf] = [byMailbox(addresses), byMailbox(minders)]
  return rows.map(row => ({
    id: row.id,
    address: row.address,
    name: row.name,
    kind: row.kind,
    department: row.department,
    timeZone: row.time_zone,
    language: row.language,
    aliases: (aliasesOf.get(row.id) ?? []).filter(address => address !== row.address),
    minders: mindersOf.get(row.id) ?? [],
    isClosed: row.closed_at !== null,
    closed: row.closed_at && { at: row.closed_at.toISOString(), to: row.closed_to_id },
    ...(row.store === '' ? {} : { store: row.store }),
    directoryId: row.directory_id,
  }))
}

/** Which open mailboxes are closed when no line names them. */
export type Missing = 'stay' | 'close' | ReadonlySet<number>

/** Compares, for long lists in another thread. */
export type Planning = (...given: Parameters<typeof planDirectory>) => DirectoryPlan | Promise<DirectoryPlan>

interface Asked {
  readonly plan?: Planning
  readonly lines: readonly DirectoryLine[]
  readonly missing?: Missing
  readonly unknown?: readonly string[]
}

const ofPendro = ({ digestAddress, reportAddress, helpAddress }: Organisation): readonly string[] =>
  [digestAddress, reportAddress, helpAddress].flatMap(address => address || [])

const planOf = async (
  { lines, missing = 'stay', plan = planDirectory }: Asked,
  known: readonly Known[],
  organisation: Organisation,
): Promise<DirectoryPlan> =>
  plan(lines, known, {
    ownDomains: organisation.policy.ownDomains,
    ofPendro: ofPendro(organisation),
    postmaster: organisation.postmaster,
    usual: { timeZone: organisation.timeZone, language: organisation.letters?.language ?? 'en' },
    missing:
      missing === 'stay' ? new Set() : missing === 'close' ? new Set(known.map(({ id }) => id)) : missing,
  })

/** What lines would come to; nothing is changed. */
export async function lookAtLines(db: Database, asked: Asked): Promise<DirectoryOutcome> {
  const [known, organisation] = await Promise.all([readKnown(db), readOrganisation(db)])
  return outcomeOf(await planOf(asked, known, organisation), known, asked.unknown, null)
}

interface Changing {
  readonly by: Actor
  readonly reason: string
  readonly token: string
  readonly now: Date
}

/**
 * Takes lines over as one act: what is right of them, all or nothing. The same `token` again does nothing more. `check`: a last look at the
 * plan, behind the lock.
 */
export function takeLines(
  db: Database,
  asked: Asked,
  changing: Changing,
  check: (plan: DirectoryPlan, known: readonly Known[]) => void = () => undefined,
): Promise<DirectoryOutcome> {
  return inTransaction(
    db,
    async tx => {
      const organisation = await lockDirectory(db, tx)
      const before = await findOne(db, MailboxChanges, { token: changing.token }, { columns: ['id'], tx })
      const known = await readKnown(db, tx)
      const plan = await planOf(asked, known, organisation)
      if (before) return outcomeOf(plan, known, asked.unknown, before.id)
      check(plan, known)
      if (plan.add.length + plan.change.length + plan.close.length === 0)
        throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
      const byId = new Map(known.map(one => [one.id, one]))
      const noted: Noted[] = []
      for (const { id, to } of plan.change)
        noted.push({ id, was: told(byId.get(id)), now: { ...to, closed: null } })
      const closed = { at: changing.now.toISOString(), to: null }
      for (const id of plan.close) {
        const one = told(byId.get(id))
        noted.push({ id, was: one, now: one && { ...one, closed } })
      }
      // First what is changed and closed: an address that is given up may be somebody's who comes.
      await giveUpAddresses(db, tx, plan.change)
      const added = await addRows(db, tx, plan.add)
      for (const { id, to } of plan.change) await writeRow(db, tx, id, { ...to, closed: null })
      await writeAddresses(db, tx, [...plan.change.map(({ id, to }) => ({ id, to })), ...added])
      await writeMinders(db, tx, [...plan.change.map(({ id, to }) => ({ id, to })), ...added])
      for (const id of plan.close) await closeRow(db, tx, id, closed)
      const act = await note(db, tx, changing, [
        ...noted,
        ...added.map(({ id }) => ({ id, was: null, now: null })),
      ])
      await writeRecord(db, tx, [
        {
          act: 'directory-changed',
          at: changing.now,
          by: changing.by,
          reason: changing.reason,
          mailboxId: noted.length + added.length === 1 ? (noted[0]?.id ?? added[0]?.id ?? null) : null,
          facts: {
            added: plan.add.length,
            changed: plan.change.length,
            closed: plan.close.length,
            change: act,
          },
        },
      ])
      return outcomeOf(plan, known, asked.unknown, act)
    },
    { againOnDuplicate: true },
  )
}

/** Closes one mailbox; its mail is refused, or goes to another. */
export async function closeOne(
  db: Database,
  id: number,
  to: number | null,
  changing: Changing,
): Promise<number> {
  return changeOne(db, id, changing, 'mailbox-closed', async (tx, was) => {
    if (was.closed !== null) throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
    if (to !== null) {
      const [minder] = await readKnown(db, tx, [to])
      if (!minder || minder.isClosed || to === id) throw new AppError('BAD_MINDER')
    }
    const closed = { at: changing.now.toISOString(), to }
    await closeRow(db, tx, id, closed)
    return { ...was, closed }
  })
}

/** Opens one again, as it was. */
export function reopenOne(db: Database, id: number, changing: Changing): Promise<number> {
  return changeOne(db, id, changing, 'mailbox-reopened', async (tx, was) => {
    if (was.closed === null) throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
    await openRow(db, tx, id)
    return { ...was, closed: null }
  })
}

type Row = NonNullable<Noted['was']>

function changeOne(
  db: Database,
  id: number,
  changing: Changing,
  act: 'mailbox-closed' | 'mailbox-reopened',
  work: (tx: Tx, was: Row) => Promise<Row>,
): Promise<number> {
  return inTransaction(
    db,
    async tx => {
      await lockDirectory(db, tx)
      const before = await findOne(db, MailboxChanges, { token: changing.token }, { columns: ['id'], tx })
      if (before) return before.id
      const [one] = await readKnown(db, tx, [id])
      const was = told(one)
      if (!was) throw new AppError('MAILBOX_NOT_FOUND')
      const now = await work(tx, was)
      const change = await note(db, tx, changing, [{ id, was, now }])
      const to = now.closed?.to ?? null
      const [minder] = to === null ? [] : await readKnown(db, tx, [to])
      await writeRecord(db, tx, [
        {
          act,
          at: changing.now,
          by: changing.by,
          reason: changing.reason,
          mailboxId: id,
          facts: { change, to: minder?.name ?? '' },
        },
      ])
      return change
    },
    { againOnDuplicate: true },
  )
}

/** Takes one of these acts back, unless something was built on it. What it added goes, or is closed where mail came meanwhile. */
export function undoDirectory(db: Database, by: Actor, id: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const organisation = await lockDirectory(db, tx)
    const change = await findOne(db, MailboxChanges, { id }, { tx, lock: true })
    if (change?.what !== directoryAct) throw new AppError('CHANGE_NOT_FOUND')
    if (change.undone_at) throw new AppError('ALREADY_UNDONE')
    const noted = (change.is_now.value as { rows: readonly Noted[] }).rows
    const there = new Map((await readKnown(db, tx)).map(one => [one.id, one]))
    const back = noted.filter(one => one.was !== null)
    for (const { id: mailbox, now: made } of back)
      if (!isSame(told(there.get(mailbox)), made)) throw new AppError('MAILBOX_CHANGED')
    if (!mayReturn(noted, [...there.values()], organisation)) throw new AppError('MAILBOX_CHANGED')
    for (const { id: mailbox, was } of noted)
      if (was === null && there.has(mailbox)) await takeAway(db, tx, mailbox, now)
    const entries = back.flatMap(({ id: mailbox, was }) => (was ? [{ id: mailbox, to: was }] : []))
    await giveUpAddresses(db, tx, entries)
    for (const { id: mailbox, to } of entries) await writeRow(db, tx, mailbox, to)
    await writeAddresses(db, tx, entries)
    await writeMinders(db, tx, entries)
    await update(db, MailboxChanges, { undone_at: now }, { id }, tx)
    await writeRecord(db, tx, [
      { act: 'mailbox-undone', at: now, by, mailboxId: null, facts: { what: directoryAct, change: id } },
    ])
    await announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
  })
}

/** Whether the addresses of an undo are still free, and the postmaster keeps theirs. */
function mayReturn(noted: readonly Noted[], there: readonly Known[], organisation: Organisation): boolean {
  const touched = new Set(noted.map(({ id }) => id))
  const addressesOf = ({ address, aliases }: DirectoryEntry) => [address, ...aliases]
  const returning = new Set(noted.flatMap(({ was }) => (was ? addressesOf(was) : [])))
  const { postmaster } = organisation
  const others = there.filter(({ id }) => !touched.has(id)).flatMap(addressesOf)
  const theirs = there.filter(({ id }) => touched.has(id)).flatMap(addressesOf)
  const losesPostmaster = postmaster && theirs.includes(postmaster) && !returning.has(postmaster)
  return ![...others, ...ofPendro(organisation)].some(address => returning.has(address)) && !losesPostmaster
}

/** One change of who there is at a time: two lists that want the same address must not both get it. */
async function lockDirectory(db: Database, tx: Tx): Promise<Organisation> {
  await select(db, 'SELECT id FROM organisation WHERE id = 1 FOR UPDATE', {}, tx)
  return readOrganisation(db, tx)
}

const told = (known: Known | undefined): Row | null =>
  known
    ? {
        address: known.address,
        name: known.name,
        kind: known.kind,
        department: known.department,
        timeZone: known.timeZone,
        language: known.language,
        aliases: known.aliases,
        minders: known.minders,
        closed: known.closed,
        ...(known.store === undefined ? {} : { store: known.store }),
      }
    : null

/** The moment of closing is kept to the millisecond, and compared as text. */
const isSame = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

async function note(
  db: Database,
  tx: Tx,
  { by, token, now }: Changing,
  rows: readonly Noted[],
): Promise<number> {
  const [only] = rows
  const id = await insertOne(
    db,
    MailboxChanges,
    {
      // One that was added goes with an undo: nothing may hold it.
      mailbox_id: rows.length === 1 && only && only.was !== null ? only.id : null,
      at: now,
      what: directoryAct,
      was: { value: null },
      is_now: { value: { rows } },
      token,
    },
    tx,
  )
  await announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
  return id
}

type Placed = { readonly id: number; readonly to: DirectoryEntry }

async function addRows(db: Database, tx: Tx, entries: readonly DirectoryEntry[]): Promise<readonly Placed[]> {
  const placed: Placed[] = []
  for (let i = 0; i < entries.length; i += atOnce) {
    const part = entries.slice(i, i + atOnce)
    const ids = await insert(db, Mailboxes, part.map(columnsOf), tx)
    placed.push(...part.map((to, k) => ({ id: idAt(ids, k), to })))
  }
  return placed
}

const columnsOf = ({ address, name, kind, department, timeZone, language, store = '' }: DirectoryEntry) => ({
  address,
  name,
  kind,
  department,
  time_zone: timeZone,
  language,
  store,
  uses_set_aside: false,
  filtering: true,
})

async function writeRow(db: Database, tx: Tx, id: number, to: Row): Promise<void> {
  const { address, name, kind, department, timeZone, language, closed, store = '' } = to
  const columns = { address, name, kind, department, time_zone: timeZone, language, store }
  await update(db, Mailboxes, columns, { id }, tx)
  if (closed === null) await openRow(db, tx, id)
  else await closeRow(db, tx, id, closed)
}

async function openRow(db: Database, tx: Tx, id: number): Promise<void> {
  await update(db, Mailboxes, { closed_at: null, closed_to_id: null }, { id }, tx)
  await planAgain(db, id, tx)
}

async function closeRow(db: Database, tx: Tx, id: number, { at, to }: Closed): Promise<void> {
  await update(db, Mailboxes, { closed_at: new Date(at), closed_to_id: to }, { id }, tx)
  // Whoever is signed in to it is not any more.
  await remove(db, ColleagueSessions, { mailbox_id: id }, tx)
  await planAgain(db, id, tx)
}

async function giveUpAddresses(
  db: Database,
  tx: Tx,
  changed: readonly { readonly id: number }[],
): Promise<void> {
  for (let i = 0; i < changed.length; i += atOnce)
    await remove(db, MailboxAddresses, { mailbox_id: changed.slice(i, i + atOnce).map(({ id }) => id) }, tx)
}

async function writeAddresses(db: Database, tx: Tx, placed: readonly Placed[]): Promise<void> {
  const rows = placed.flatMap(({ id, to }) =>
    [to.address, ...to.aliases].map(address => ({ address, mailbox_id: id })),
  )
  for (let i = 0; i < rows.length; i += atOnce)
    await insert(db, MailboxAddresses, rows.slice(i, i + atOnce), tx)
}

async function writeMinders(db: Database, tx: Tx, placed: readonly Placed[]): Promise<void> {
  const ids = placed.map(({ id }) => id)
  for (let i = 0; i < ids.length; i += atOnce)
    await remove(db, Minders, { mailbox_id: ids.slice(i, i + atOnce) }, tx)
  const named = [...new Set(placed.flatMap(({ to }) => to.minders))]
  const numbers = new Map<string, number>()
  for (let i = 0; i < named.length; i += atOnce) {
    const found = await findAll(
      db,
      Mailboxes,
      { address: named.slice(i, i + atOnce) },
      { columns: ['id', 'address'], tx },
    )
    for (const { id, address } of found) numbers.set(address, id)
  }
  const rows = placed.flatMap(({ id, to }) =>
    to.minders.flatMap(minder => {
      const minder_id = numbers.get(minder)
      return minder_id === undefined || minder_id === id ? [] : [{ mailbox_id: id, minder_id }]
    }),
  )
  for (let i = 0; i < rows.length; i += atOnce) await insert(db, Minders, rows.slice(i, i + atOnce), tx)
}

/** What an undo does with a mailbox that was added: one that nothing came to goes, any other is closed. */
async function takeAway(db: Database, tx: Tx, id: number, now: Date): Promise<void> {
  const [used] = await select<{ id: number }>(
    db,
    `SELECT :id AS id FROM DUAL WHERE EXISTS (SELECT 1 FROM deliveries WHERE mailbox_id = :id)
       OR EXISTS (SELECT 1 FROM sender_entries WHERE mailbox_id = :id) OR EXISTS (SELECT 1 FROM enquiries WHERE mailbox_id = :id)
       OR EXISTS (SELECT 1 FROM mailbox_changes WHERE mailbox_id = :id) OR EXISTS (SELECT 1 FROM mail_rules WHERE mailbox_id = :id)
       OR EXISTS (SELECT 1 FROM colleague_access WHERE mailbox_id = :id)
       OR EXISTS (SELECT 1 FROM digests WHERE mailbox_id = :id)`,
    { id },
    tx,
  )
  if (used) return closeRow(db, tx, id, { at: now.toISOString(), to: null })
  await planAgain(db, id, tx)
  await execute(db, 'DELETE FROM minders WHERE mailbox_id = :id OR minder_id = :id', { id }, tx)
  await remove(db, MailboxAddresses, { mailbox_id: id }, tx)
  await remove(db, Mailboxes, { id }, tx)
}

const grave: Readonly<Record<string, number>> = { wrong: 0, reopen: 1, change: 2, add: 3, same: 4 }

function outcomeOf(
  { answers, add, change, close }: DirectoryPlan,
  known: readonly Known[],
  unknown: readonly string[] = [],
  act: number | null,
): DirectoryOutcome {
  const count = (fate: string) => answers.filter(one => one.fate === fate).length
  const names = new Map(known.map(one => [one.id, one.name]))
  const sorted = [...answers].sort((a, b) => (grave[a.fate] ?? 9) - (grave[b.fate] ?? 9) || a.line - b.line)
  return {
    add: add.length,
    change: change.filter(({ reopens }) => !reopens).length,
    reopen: change.filter(({ reopens }) => reopens).length,
    same: count('same'),
    wrong: count('wrong'),
    close: close.length,
    closing: close.slice(0, 50).flatMap(id => names.get(id) ?? []),
    of: answers.length,
    elsewhere: 0,
    answers: sorted.slice(0, mostTold).map((one): DirectoryAnswer => {
      const { line, address, fate } = one
      return {
        line,
        address: address.slice(0, 320),
        fate,
        fields: 'fields' in one ? [...one.fields] : [],
        problem: one.fate === 'wrong' ? { ...one.problem, text: one.problem.text.slice(0, 200) } : null,
      }
    }),
    unknown: [...unknown].slice(0, 20).map(name => name.slice(0, 60)),
    act,
  }
}

/** A token for an act that nobody sends twice. */
export const ownToken = (): string => randomUUID()
