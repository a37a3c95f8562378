import type { ImapFlow } from 'imapflow'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { StoreCopies, StoreFolders, StoreMoves } from '../db/models/stores.ts'
import { findAll, findOne, insertOne, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { claim } from '../jobs/claim.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { noteArrived } from './copies.ts'
import { openFolder } from './folders.ts'
import { searchIn, StoreError, storeErrorOf } from './imap.ts'
import { beginPart, movePart, settlePart, type Moved } from './move-parts.ts'
import { visited, type Stores, type Visit } from './stores.ts'

type MoveRow = RowOf<typeof StoreMoves>

/** Messages moved by one command: between two the outcome is written down. */
const together = 200
/** Messages of one act. */
const mostAtOnce = 100_000
const inbox = 'INBOX'

interface Wanted {
  readonly by: Actor
  readonly mailboxId: number
  /** The folder it is in. */
  readonly from: string
  readonly to: string
  /** Deliveries, where not all of the folder is meant. */
  readonly deliveries: readonly number[] | null
  readonly reason: string
  /** Of the client: the same one twice is one act. */
  readonly token: string
  readonly now: Date
}

/**
 * Begins to move mail of a mailbox from one folder to another; the number of the act. What is in the folder now is meant, and nothing
 * that comes later. @throws {AppError} @throws {StoreError}
 */
export async function beginMove(db: Database, stores: Stores, wanted: Wanted): Promise<number> {
  const { by, mailboxId, from, to = inbox, deliveries, reason, token, now } = wanted
  const before = await findOne(db, StoreMoves, { token }, { columns: ['id'] })
  if (before) return before.id
  const mailbox = await visited(db, mailboxId)
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  if (from === to) throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
  const inside = await stores.visit(
    mailbox,
    async ({ client }) => {
      canMove(client)
      const { uidValidity } = await openFolder(client, from)
      const uids =
        deliveries === null
          ? await searchIn(client, { all: true })
          : await uidsOf(db, client, { mailboxId, from, uidValidity, deliveries })
      return { uids: [...uids].sort((a, b) => a - b), uidValidity }
    },
    true,
  )
  if (inside === null) throw new AppError('STORE_NOT_OPEN')
  if (inside.uids.length === 0) throw new AppError('NOTHING_TO_MOVE')
  if (inside.uids.length > mostAtOnce) throw new AppError('TOO_MANY_TO_MOVE')
  return inTransaction(
    db,
    async tx => {
      const again = await findOne(db, StoreMoves, { token }, { columns: ['id'], tx })
      if (again) return again.id
      const id = await insertOne(
        db,
        StoreMoves,
        {
          mailbox_id: mailboxId,
          token,
          from_path: from,
          to_path: to,
          state: 'moving',
          at: now,
          waiting: inside.uids,
          from_validity: inside.uidValidity,
          moved: [],
          to_validity: 0,
          total: inside.uids.length,
          next_at: now,
        },
        tx,
      )
      const facts = { messages: inside.uids.length, count: inside.uids.length, from, to, move: id }
      await writeRecord(db, tx, [{ act: 'mail-moved', at: now, by, mailboxId, reason, facts }])
      return id
    },
    { againOnDuplicate: true },
  )
}

/** Without MOVE (RFC 6851) or UIDPLUS (RFC 4315) what others have marked as deleted would go, too. */
function canMove({ capabilities }: ImapFlow): void {
  if (!capabilities.has('MOVE') && !capabilities.has('UIDPLUS') && !capabilities.has('IMAP4rev2'))
    throw new StoreError('refused', 'MOVE (RFC 6851), UIDPLUS (RFC 4315)')
}

/** Numbers of deliveries’ copies in a folder that is open: those that are still there. */
async function uidsOf(
  db: Database,
  client: ImapFlow,
  {
    mailboxId,
    from,
    uidValidity,
    deliveries,
  }: { mailboxId: number; from: string; uidValidity: number; deliveries: readonly number[] },
): Promise<readonly number[]> {
  const rows = await select<{ uid: number }>(
    db,
    `SELECT c.uid FROM store_copies c JOIN store_folders f ON f.id = c.folder_id
     WHERE f.mailbox_id = :mailboxId AND f.path = :from AND f.uid_validity = :uidValidity AND c.delivery_id IN (:deliveries) AND c.gone_at IS NULL`,
    { mailboxId, from, uidValidity, deliveries },
  )
  if (rows.length === 0) return []
  return searchIn(client, { uid: rows.map(({ uid }) => uid).join(',') })
}

/** Takes a move back: what is still where it was put goes back to where it was. */
export function undoMove(db: Database, by: Actor, id: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const move = await findOne(db, StoreMoves, { id }, { tx, lock: true })
    if (!move) throw new AppError('CHANGE_NOT_FOUND')
    if (move.state === 'undoing' || move.state === 'undone') throw new AppError('ALREADY_UNDONE')
    const { moved, mailbox_id: mailboxId, from_path: from, to_path: to } = move
    // What has not gone yet stays.
    await update(
      db,
      StoreMoves,
      {
        state: 'undoing',
        waiting: moved,
        moved: [],
        done: 0,
        total: moved.length,
        trouble: '',
        detail: '',
        next_at: now,
      },
      { id },
      tx,
    )
    await writeRecord(db, tx, [
      { act: 'mail-move-undone', at: now, by, mailboxId, facts: { from, to, move: id } },
    ])
  })
}

const claimFor = 120_000
/** Until a store that could not do it is asked again. */
const patience = 30_000
/** From when nobody waits for it any more. */
const giveUpAfter = 3_600_000

/** Carries on with what is to be moved; how many acts were worked on. */
export async function workMoves(db: Database, stores: Stores, now: () => Date): Promise<number> {
  const rows = await claim<MoveRow>(
    db,
    {
      table: 'store_moves',
      key: 'id',
      columns: '*',
      due: "state IN ('moving', 'undoing') AND next_at <= :at",
      order: 'next_at',
    },
    { at: now(), holdFor: claimFor, limit: 4 },
  )
  await Promise.all(rows.map(row => carryOn(db, stores, row, now)))
  return rows.length
}

async function carryOn(db: Database, stores: Stores, row: MoveRow, now: () => Date): Promise<void> {
  try {
    const mailbox = await visited(db, row.mailbox_id)
    const done = mailbox && (await stores.visit(mailbox, visit => moveAll(db, visit, row, now), true))
    if (done === null) throw new StoreError('refused')
  } catch (error) {
    if (!(error instanceof StoreError)) throw error
    await postpone(db, row, storeErrorOf(error), now())
  }
}

async function postpone(db: Database, { id, at }: MoveRow, { trouble, message }: StoreError, now: Date) {
  const isOver = now.getTime() - at.getTime() > giveUpAfter
  await execute(
    db,
    `UPDATE store_moves SET trouble = :trouble, detail = :message, claimed_until = NULL, next_at = :next
       ${isOver ? ", state = 'failed'" : ''} WHERE id = :id`,
    { trouble, message, next: new Date(now.getTime() + patience), id },
  )
}

/** @returns true, when nothing is left to do. */
async function moveAll(db: Database, visit: Visit, row: MoveRow, now: () => Date): Promise<true> {
  const { client } = visit
  canMove(client)
  const [from, to] = row.state === 'moving' ? [row.from_path, row.to_path] : [row.to_path, row.from_path]
  const wanted = row.state === 'moving' ? row.from_validity : row.to_validity
  let waiting: readonly number[] = row.waiting
  const noted = (moved: Moved, way: Way, as: MoveRow) =>
    inTransaction(db, tx => note({ db, tx, now: now(), row: as }, { ...way, ...moved, waiting }))
  if (row.begun !== null) {
    // Nobody heard the end of it: the process was killed, or the store broke off.
    const { begun } = row
    const wasMoving = begun.from === row.from_path
    const moved = await settlePart(client, begun)
    const went = new Set(moved.part)
    waiting = wasMoving === (row.state === 'moving') ? waiting.filter(uid => !went.has(uid)) : waiting
    if (!(await noted(moved, begun, { ...row, state: wasMoving ? 'moving' : 'undoing' }))) return true
  }
  if (waiting.length > 0) {
    const { uidValidity } = await openFolder(client, from, true)
    // A folder that was made anew has other messages by the same numbers: none of them is meant.
    if (uidValidity !== wanted) waiting = []
  }
  while (waiting.length > 0) {
    const part = waiting.slice(0, together)
    waiting = waiting.slice(together)
    const begun = await beginPart(client, { from, to }, part)
    await update(db, StoreMoves, { begun }, { id: row.id })
    const { went, validity } = await movePart(client, begun)
    if (!(await noted({ part, went, validity }, { from, to }, row))) return true
  }
  await execute(
    db,
    "UPDATE store_moves SET state = IF(state = 'moving', 'done', 'undone'), waiting = '[]', claimed_until = NULL WHERE id = :id",
    { id: row.id },
  )
  return true
}

interface Noting {
  readonly db: Database
  readonly tx: Tx
  readonly now: Date
  readonly row: MoveRow
}

interface Way {
  readonly from: string
  readonly to: string
}

interface Part extends Way, Moved {
  readonly waiting: readonly number[]
}

/** Writes down what was moved: how far the act has come, and where the copies of deliveries are now. `false`: somebody has taken it back meanwhile. */
async function note({ db, tx, now, row }: Noting, part: Part): Promise<boolean> {
  const current = await findOne(db, StoreMoves, { id: row.id }, { tx, lock: true })
  if (!current) return false
  await noteCopies({ db, tx, now, row }, part)
  const { went, waiting, validity } = part
  const whereItWent = row.state === 'moving' && validity > 0 ? { to_validity: validity } : {}
  if (current.state !== row.state) {
    // This part went before that was known: it goes back with the rest.
    const back = [...current.waiting, ...went.values()]
    await update(
      db,
      StoreMoves,
      { waiting: back, total: back.length, begun: null, claimed_until: null, ...whereItWent },
      { id: row.id },
      tx,
    )
    return false
  }
  await update(
    db,
    StoreMoves,
    {
      waiting,
      moved: [...current.moved, ...went.values()],
      begun: null,
      done: current.done + part.part.length,
      trouble: '',
      detail: '',
      claimed_until: new Date(now.getTime() + claimFor),
      ...whereItWent,
    },
    { id: row.id },
    tx,
  )
  return true
}

async function noteCopies({ db, tx, now, row }: Noting, { from, to, part, went }: Part): Promise<void> {
  const folders = await findAll(db, StoreFolders, { mailbox_id: row.mailbox_id, path: [from, to] }, { tx })
  const [source, target] = [from, to].map(path => folders.find(folder => folder.path === path))
  if (!source || !target) return
  const copies = await findAll(
    db,
    StoreCopies,
    { folder_id: source.id, uid: [...part], gone_at: null },
    { columns: ['id', 'delivery_id', 'uid', 'seen'], tx },
  )
  if (copies.length === 0) return
  await update(db, StoreCopies, { gone_at: now }, { id: copies.map(({ id }) => id) }, tx)
  await noteArrived(db, tx, {
    mailboxId: row.mailbox_id,
    byPendro: true,
    now,
    arrived: copies.flatMap(({ delivery_id, uid, seen }) => {
      const place = went.get(uid)
      return place === undefined
        ? []
        : [
            {
              deliveryId: delivery_id,
              folderId: target.id,
              path: to,
              kind: target.kind,
              uid: place,
              seen: seen === 1,
            },
          ]
    }),
  })
}
