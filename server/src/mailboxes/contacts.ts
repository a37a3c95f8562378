import { randomUUID } from 'node:crypto'
import type { ContactsAnswer } from '@pendro/contract'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { MailboxChanges } from '../db/models/organisation.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { findOne, insertOne, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { everybody } from '../judging/knowledge.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import type { Reader } from '../reading/reader.ts'

/** What mailbox_changes calls both acts. */
export const contactsAct = 'contacts'

interface Whose {
  /** `null`: everybody's. */
  readonly mailboxId: number | null
  readonly by: Actor
  readonly now: Date
}

/** What was put in and what was taken out; undo turns it round. */
interface Moved {
  readonly added: readonly string[]
  readonly removed: readonly string[]
}

/** Reads an address book and, unless it is only looked at, keeps what was not there. */
export async function bringIn(
  db: Database,
  { mailboxId, by, now }: Whose,
  book: { readonly bytes: Uint8Array; readonly name: string; readonly isLook: boolean },
  read: Reader['contacts'],
): Promise<ContactsAnswer> {
  await checkMailbox(db, mailboxId)
  const found = await read({ bytes: book.bytes, name: book.name })
  if (!found || found.problem !== null || found.addresses.length === 0) throw new AppError('BAD_CONTACTS')
  const told = { left: found.left.map(line => ({ ...line })), leftLines: found.leftLines }
  const counts = (fresh: readonly string[]) => ({
    added: fresh.length,
    known: found.addresses.length - fresh.length,
    ...told,
  })
  if (book.isLook) return { ...counts(await newOf(db, mailboxId, found.addresses)), change: null }
  return inTransaction(db, async tx => {
    const fresh = await newOf(db, mailboxId, found.addresses, tx)
    if (fresh.length === 0) return { ...counts(fresh), change: null }
    await put(db, tx, mailboxId, fresh)
    const change = await note(db, tx, { mailboxId, by, now }, { added: fresh, removed: [] })
    return { ...counts(fresh), change }
  })
}

/** Takes out what was brought in. */
export async function clear(
  db: Database,
  { mailboxId, by, now }: Whose,
): Promise<{ removed: number; change: number | null }> {
  await checkMailbox(db, mailboxId)
  return inTransaction(db, async tx => {
    const rows = await select<{ address: string }>(
      db,
      "SELECT address FROM contacts WHERE mailbox_id = :of AND source = 'brought-in' ORDER BY address FOR UPDATE",
      { of: mailboxId ?? everybody },
      tx,
    )
    if (rows.length === 0) return { removed: 0, change: null }
    const removed = rows.map(({ address }) => address)
    await take(db, tx, mailboxId, removed)
    return {
      removed: removed.length,
      change: await note(db, tx, { mailboxId, by, now }, { added: [], removed }),
    }
  })
}

/** Turns one of these acts round; whose it was. */
export function undoContacts(db: Database, by: Actor, id: number, now: Date): Promise<number | null> {
  return inTransaction(db, async tx => {
    const change = await findOne(db, MailboxChanges, { id }, { tx, lock: true })
    if (change?.what !== contactsAct) throw new AppError('CHANGE_NOT_FOUND')
    if (change.undone_at) throw new AppError('ALREADY_UNDONE')
    const { added, removed } = change.is_now.value as Moved
    await take(db, tx, change.mailbox_id, added)
    await put(db, tx, change.mailbox_id, removed)
    await update(db, MailboxChanges, { undone_at: now }, { id }, tx)
    await writeRecord(db, tx, [
      {
        act: 'mailbox-undone',
        at: now,
        by,
        mailboxId: change.mailbox_id,
        facts: { what: contactsAct, change: id },
      },
    ])
    await announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
    return change.mailbox_id
  })
}

/** How many there are, brought in or of the directory. */
export async function countContacts(db: Database, mailboxId: number | null): Promise<number> {
  const row = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(DISTINCT address) AS n FROM contacts WHERE mailbox_id = :of',
    { of: mailboxId ?? everybody },
  )
  return row?.n ?? 0
}

async function checkMailbox(db: Database, mailboxId: number | null): Promise<void> {
  if (mailboxId !== null && !(await findMailboxRow(db, mailboxId))) throw new AppError('MAILBOX_NOT_FOUND')
}

const atOnce = 1000

/** Those that are not there yet. */
async function newOf(
  db: Database,
  mailboxId: number | null,
  addresses: readonly string[],
  tx?: Tx,
): Promise<readonly string[]> {
  const known = new Set<string>()
  for (let i = 0; i < addresses.length; i += atOnce) {
    const rows = await select<{ address: string }>(
      db,
      'SELECT address FROM contacts WHERE mailbox_id = :of AND address IN (:some)',
      { of: mailboxId ?? everybody, some: addresses.slice(i, i + atOnce) },
      tx,
    )
    for (const { address } of rows) known.add(address)
  }
  return addresses.filter(address => !known.has(address))
}

async function put(
  db: Database,
  tx: Tx,
  mailboxId: number | null,
  addresses: readonly string[],
): Promise<void> {
  for (let i = 0; i < addresses.length; i += atOnce) {
    const some = addresses.slice(i, i + atOnce)
    await execute(
      db,
      `INSERT IGNORE INTO contacts (address, mailbox_id, source) VALUES ${some.map((_, k) => `(:a${k}, :of, 'brought-in')`).join(',')}`,
      { of: mailboxId ?? everybody, ...Object.fromEntries(some.map((address, k) => [`a${k}`, address])) },
      tx,
    )
  }
}

async function take(
  db: Database,
  tx: Tx,
  mailboxId: number | null,
  addresses: readonly string[],
): Promise<void> {
  for (let i = 0; i < addresses.length; i += atOnce)
    await execute(
      db,
      "DELETE FROM contacts WHERE mailbox_id = :of AND source = 'brought-in' AND address IN (:some)",
      { of: mailboxId ?? everybody, some: addresses.slice(i, i + atOnce) },
      tx,
    )
}

async function note(db: Database, tx: Tx, { mailboxId, by, now }: Whose, moved: Moved): Promise<number> {
  const id = await insertOne(
    db,
    MailboxChanges,
    {
      mailbox_id: mailboxId,
      at: now,
      what: contactsAct,
      was: { value: null },
      is_now: { value: moved },
      token: randomUUID(),
    },
    tx,
  )
  const facts = { added: moved.added.length, removed: moved.removed.length, change: id }
  await writeRecord(db, tx, [{ act: contactsAct, at: now, by, mailboxId, facts }])
  await announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
  return id
}
