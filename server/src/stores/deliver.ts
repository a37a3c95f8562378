import type { ImapFlow } from 'imapflow'
import { inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { StoreCopies } from '../db/models/stores.ts'
import { update } from '../db/rows.ts'
import { signingKey } from '../db/signing-keys.ts'
import type { InStore, WantedCopy } from '../outbox/outbox.ts'
import { readDeliveryMark } from '../outbox/trace.ts'
import type { SendResult } from '../outbox/smtp-out.ts'
import { noteArrived } from './copies.ts'
import { foldersOf, openFolder, type FolderKind } from './folders.ts'
import { moveIn, searchIn, StoreError } from './imap.ts'
import { markOf } from './look.ts'
import type { Stores, Visit } from './stores.ts'

const inbox = 'INBOX'

/** As the outbox tells it: what may pass is tried again. RFC 3463 §3.3 has X.2.2 for a mailbox that is full. */
function resultOf({ trouble, message }: StoreError): SendResult {
  const status = trouble === 'full' ? '4.2.2 ' : ''
  return { status: 'later', problem: `${status}${message || trouble}`, unsure: true }
}

export function createInStore(db: Database, stores: Stores, now: () => Date): InStore {
  return {
    has: async ({ mailbox, mark }) => {
      try {
        return await stores.visit(mailbox, async visit => (await find(visit, mark)) !== null)
      } catch (error) {
        if (!(error instanceof StoreError)) throw error
        // Who is not let in will not be in a minute either; a store that does not answer takes nothing just now.
        return error.trouble === 'no-answer' ? 'later' : null
      }
    },
    bring: async (wanted, message) => {
      try {
        return await stores.visit(wanted.mailbox, async visit => {
          if (await moveThere(db, visit, wanted, now())) return { status: 'taken' } as const
          if (visit.store.releases !== 'append') return null
          const { raw, receivedAt } = await message()
          await visit.client.append(inbox, raw, [], receivedAt)
          return { status: 'taken' } as const
        })
      } catch (error) {
        if (error instanceof StoreError) return resultOf(error)
        throw error
      }
    },
  }
}

/** Where a copy is, by its mark: SEARCH HEADER (RFC 9051 §6.4.4) in one folder after the other, the likeliest first. */
export async function find(
  { client, store }: Pick<Visit, 'client' | 'store'>,
  mark: string,
  isIt: (found: string) => boolean = found => found === mark,
): Promise<{ readonly path: string; readonly kind: FolderKind; readonly uid: number } | null> {
  const folders = [...(await foldersOf(client, store))].filter(({ total }) => total > 0)
  const first: Readonly<Partial<Record<FolderKind, number>>> = { inbox: 0, junk: 1, aside: 2, other: 3 }
  folders.sort((a, b) => (first[a.kind] ?? 4) - (first[b.kind] ?? 4))
  for (const { path, kind } of folders) {
    await openFolder(client, path)
    const uid = await findHere(client, mark, isIt)
    if (uid !== null) return { path, kind, uid }
  }
  return null
}

/** The search finds what has the text anywhere in the field; the field as a whole is asked about then. */
async function findHere(
  client: ImapFlow,
  mark: string,
  isIt: (found: string) => boolean,
): Promise<number | null> {
  const uids = await searchIn(client, { header: { 'Pendro-Delivery': mark } })
  if (uids.length === 0) return null
  const query = { uid: true, headers: ['Pendro-Delivery'] }
  const found = (await client.fetchAll([...uids], query, { uid: true })).find(one =>
    isIt(markOf(one.headers)),
  )
  return found?.uid ?? null
}

interface CopyRow {
  readonly id: number
  readonly uid: number
  readonly seen: number
  readonly folder_id: number
  readonly path: string
  readonly kind: FolderKind
  readonly uid_validity: number
}

/** Moves a copy that another folder has to the inbox; true, too, where it is there already. */
async function moveThere(
  db: Database,
  visit: Visit,
  { deliveryId, mailbox }: WantedCopy,
  now: Date,
): Promise<boolean> {
  const copies = await select<CopyRow>(
    db,
    `SELECT c.id, c.uid, c.seen, c.folder_id, f.path, f.kind, f.uid_validity FROM store_copies c JOIN store_folders f ON f.id = c.folder_id
     WHERE c.delivery_id = :deliveryId AND f.mailbox_id = :mailboxId AND c.gone_at IS NULL ORDER BY f.kind = 'inbox' DESC, c.found_at DESC`,
    { deliveryId, mailboxId: mailbox.id },
  )
  for (const copy of copies) {
    const { uidValidity } = await openFolder(visit.client, copy.path, true)
    const isThere =
      uidValidity === copy.uid_validity &&
      (await searchIn(visit.client, { uid: String(copy.uid) })).length > 0
    if (!isThere) continue
    if (copy.kind === 'inbox') return true
    const uid = (await moveIn(visit.client, [copy.uid], inbox)).went.get(copy.uid)
    await inTransaction(db, async tx => {
      await update(db, StoreCopies, { gone_at: now }, { id: copy.id }, tx)
      await noteBrought(db, tx, { mailboxId: mailbox.id, deliveryId, uid, seen: copy.seen === 1, now })
    })
    return true
  }
  return bringUnknown(db, visit, deliveryId, now)
}

interface Brought {
  readonly mailboxId: number
  readonly deliveryId: number
  /** Its number in the inbox, where the store has told it. */
  readonly uid: number | undefined
  readonly seen: boolean
  readonly now: Date
}

/** A copy that Pendro has put into the inbox; one whose number is not known, or in a mailbox nobody has looked into, is noted by the next look. */
async function noteBrought(
  db: Database,
  tx: Tx,
  { mailboxId, deliveryId, uid, seen, now }: Brought,
): Promise<void> {
  const [target] = await select<{ id: number }>(
    db,
    "SELECT id FROM store_folders WHERE mailbox_id = :mailboxId AND kind = 'inbox'",
    { mailboxId },
    tx,
  )
  if (!target || uid === undefined) return
  const arrived = [{ deliveryId, folderId: target.id, path: inbox, kind: 'inbox' as const, uid, seen }]
  await noteArrived(db, tx, { mailboxId, byPendro: true, now, arrived })
}

/** A copy that nobody has looked at where it is now: just handed over, moved meanwhile, or by a process that was killed. */
async function bringUnknown(db: Database, visit: Visit, deliveryId: number, now: Date): Promise<boolean> {
  const key = await signingKey(db, 'deliveries')
  const copy = await find(visit, `${deliveryId}.`, mark => readDeliveryMark(key, mark) === deliveryId)
  if (copy === null) return false
  if (copy.kind === 'inbox') return true
  await openFolder(visit.client, copy.path, true)
  const uid = (await moveIn(visit.client, [copy.uid], inbox)).went.get(copy.uid)
  const seen = false
  await inTransaction(db, tx =>
    noteBrought(db, tx, { mailboxId: visit.mailbox.id, deliveryId, uid, seen, now }),
  )
  return true
}
