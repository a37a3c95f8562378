import type { ImapFlow } from 'imapflow'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { StoreCopies, StoreFolders } from '../db/models/stores.ts'
import { findAll, idAt, insert, remove, update } from '../db/rows.ts'
import { signingKey } from '../db/signing-keys.ts'
import { noteLook } from '../deliveries/looks.ts'
import { readDeliveryMark } from '../outbox/trace.ts'
import { noteArrived } from './copies.ts'
import { foldersOf, namesIn, openFolder, type Folder } from './folders.ts'
import { searchIn } from './imap.ts'
import { scriptsDue } from './scripts-due.ts'
import type { Visit } from './stores.ts'

type FolderRow = RowOf<typeof StoreFolders>
type CopyRow = Pick<
  RowOf<typeof StoreCopies>,
  'id' | 'delivery_id' | 'folder_id' | 'uid' | 'seen' | 'found_at'
>

/** A message of ours that was found in a folder. */
interface Found {
  readonly deliveryId: number
  readonly uid: number
  readonly seen: boolean
}

/** What one folder has of ours. */
interface Seen {
  readonly folder: Folder
  readonly known: FolderRow | null
  /** New since the last look. */
  readonly found: readonly Found[]
  /** Copies that were there before: still there, with whether they were opened. */
  readonly there: ReadonlyMap<number, boolean>
  /** Copies that were asked about. */
  readonly asked: readonly CopyRow[]
}

/** Messages of one folder that are read in one look; the rest has its turn in the next. */
const mostNew = 2000
/** Copies of one folder that are asked about. Whoever moves older mail than that is seen when somebody asks for it. */
const mostAsked = 1000

/**
 * Looks into a mailbox: which folders there are, how much is in them, and where copies of deliveries are now. Only folders in which
 * something changed are opened, and of messages only the field that names the delivery and whether they were opened is read.
 * `counted`: for whoever looks at it now, who is to see, too, that one was opened while another was marked as unread.
 * @throws {StoreError}
 */
export async function lookInto(
  db: Database,
  { client, mailbox, store }: Visit,
  now: Date,
  more: { readonly counted?: boolean } = {},
): Promise<void> {
  const key = await signingKey(db, 'deliveries')
  const folders = await foldersOf(client, store, more)
  const known = await findAll(db, StoreFolders, { mailbox_id: mailbox.id })
  const byPath = new Map(known.map(row => [row.path, row]))
  const seen: Seen[] = []
  for (const folder of folders) {
    const row = byPath.get(folder.path) ?? null
    if (row && !hasChanged(row, folder)) continue
    seen.push(await lookAtFolder({ db, client, key }, folder, row))
  }
  const names = namesIn(client)
  await inTransaction(db, async tx => {
    await write({ db, tx, now, mailboxId: mailbox.id, names }, folders, known, seen)
    await noteNames({ db, tx, mailboxId: mailbox.id }, names)
  })
}

/** That one was opened and another marked as unread is told by its mod-sequence alone, where that was asked for. */
const hasChanged = (row: FolderRow, folder: Folder) =>
  row.uid_validity !== folder.uidValidity ||
  row.uid_next < folder.uidNext ||
  row.total !== folder.total ||
  row.unread !== folder.unread ||
  (folder.modSeq !== null && row.mod_seq !== String(folder.modSeq))

interface Reading {
  readonly db: Database
  readonly client: ImapFlow
  readonly key: Buffer
}

async function lookAtFolder(
  { db, client, key }: Reading,
  listed: Folder,
  row: FolderRow | null,
): Promise<Seen> {
  let folder = listed
  const isSame = row !== null && row.uid_validity === folder.uidValidity
  const from = isSame ? row.uid_next : 1
  const asked = isSame
    ? await select<CopyRow>(
        db,
        `SELECT id, delivery_id, folder_id, uid, seen, found_at FROM store_copies
         WHERE folder_id = :folder AND gone_at IS NULL ORDER BY uid DESC LIMIT ${mostAsked}`,
        { folder: row.id },
      )
    : []
  if (folder.total === 0) return { folder, known: row, found: [], there: new Map(), asked }
  const opened = await openFolder(client, folder.path)
  // Whoever opens a folder is told it without asking.
  folder = { ...folder, modSeq: folder.modSeq ?? opened.modSeq }
  const there =
    row === null || asked.length === 0
      ? new Map<number, boolean>()
      : await stillThere(client, folder, row, asked)
  const fresh = folder.uidNext > from ? await newUids(client, from, isSame) : []
  const read = fresh.slice(0, mostNew)
  const found = read.length === 0 ? [] : await marked(client, key, read)
  // What was left for the next look begins after the last one that was read.
  const last = read.at(-1)
  const uidNext = fresh.length > read.length && last !== undefined ? last + 1 : folder.uidNext
  return { folder: { ...folder, uidNext }, known: row, found, there, asked }
}

/**
 * Copies that are still in the folder, with whether they were opened. A store that counts changes tells only what has changed since
 * (CHANGEDSINCE of RFC 7162 §3.1.4.1); one whose count stands still, or goes back, while something else has changed is not believed.
 */
async function stillThere(
  client: ImapFlow,
  folder: Folder,
  row: FolderRow,
  asked: readonly CopyRow[],
): Promise<ReadonlyMap<number, boolean>> {
  const uids = asked.map(({ uid }) => uid)
  const since = row.mod_seq === '' ? null : BigInt(row.mod_seq)
  const counts = since !== null && folder.modSeq !== null && folder.modSeq > since
  const flags = await client.fetchAll(
    uids,
    { uid: true, flags: true },
    { uid: true, ...(counts && { changedSince: since }) },
  )
  const told = new Map(flags.map(one => [one.uid, one.flags?.has('\\Seen') ?? false]))
  if (!counts) return told
  // Nothing came and as many are there as before: then nothing went.
  const isWhole = folder.uidNext === row.uid_next && folder.total === row.total
  const stayed = isWhole ? null : new Set(await searchIn(client, { uid: uids.join(',') }))
  return new Map(
    asked
      .filter(({ uid }) => stayed?.has(uid) ?? true)
      .map(({ uid, seen }) => [uid, told.get(uid) ?? seen === 1]),
  )
}

/** Of a folder that was never looked at only what is marked as ours; else whatever is new. Ascending. */
async function newUids(client: ImapFlow, from: number, isSame: boolean): Promise<readonly number[]> {
  const query = isSame ? { uid: `${from}:*` } : { header: { 'Pendro-Delivery': '' } }
  const found = await searchIn(client, query)
  // "*" names the last one there is, so that the range always has one.
  return found.filter(uid => uid >= from).sort((a, b) => a - b)
}

async function marked(client: ImapFlow, key: Buffer, uids: readonly number[]): Promise<readonly Found[]> {
  const found: Found[] = []
  const query = { uid: true, flags: true, headers: ['Pendro-Delivery'] }
  for (const { uid, flags, headers } of await client.fetchAll([...uids], query, { uid: true })) {
    const deliveryId = readDeliveryMark(key, markOf(headers))
    if (deliveryId !== null) found.push({ deliveryId, uid, seen: flags?.has('\\Seen') ?? false })
  }
  return found
}

/** The topmost field is the one that Pendro wrote. */
export const markOf = (headers: Buffer | undefined): string =>
  /^pendro-delivery:[ \t]*(\S{1,80})/im.exec(headers?.toString('latin1') ?? '')?.[1] ?? ''

interface Writing {
  readonly db: Database
  readonly tx: Tx
  readonly now: Date
  readonly mailboxId: number
  readonly names: ReturnType<typeof namesIn>
}

async function write(
  writing: Writing,
  folders: readonly Folder[],
  known: readonly FolderRow[],
  seen: readonly Seen[],
): Promise<void> {
  const { db, tx, now, mailboxId, names } = writing
  const paths = new Set(folders.map(({ path }) => path))
  const gone = known.filter(({ path }) => !paths.has(path))
  if (gone.length > 0) await remove(db, StoreFolders, { id: gone.map(({ id }) => id) }, tx)
  const ids = new Map<string, number>()
  for (const { folder, known: row } of seen) ids.set(folder.path, await writeFolder(writing, folder, row))
  const vanished = seen.flatMap(({ asked, there }) => asked.filter(({ uid }) => !there.has(uid)))
  if (vanished.length > 0)
    await update(db, StoreCopies, { gone_at: now }, { id: vanished.map(({ id }) => id) }, tx)
  for (const value of [true, false]) {
    const turned = seen.flatMap(({ asked, there }) =>
      asked.filter(({ uid, seen: was }) => there.get(uid) === value && (was === 1) !== value),
    )
    if (turned.length > 0)
      await update(db, StoreCopies, { seen: value }, { id: turned.map(({ id }) => id) }, tx)
  }
  const arrived = seen.flatMap(({ folder, found }) =>
    found.map(one => ({
      ...one,
      path: folder.path,
      kind: folder.kind,
      folderId: ids.get(folder.path) ?? 0,
    })),
  )
  const fresh = await noteArrived(db, tx, { mailboxId, arrived, now, names })
  // Whoever opens a message in the junk folder has looked at it, whether or not at Pendro's own page.
  const wasOpened =
    seen.some(
      ({ folder, asked, there }) =>
        folder.kind === 'junk' && asked.some(({ uid, seen: was }) => was === 0 && there.get(uid) === true),
    ) || fresh.some(one => one.kind === 'junk' && one.seen && one.putBy === 'arrival')
  if (wasOpened) await noteLook(db, [mailboxId], { junk: true, now }, tx)
  await execute(
    db,
    `INSERT INTO store_mailboxes (mailbox_id, next_at, looked_at) VALUES (:mailboxId, :now, :now)
     ON DUPLICATE KEY UPDATE looked_at = :now, trouble = '', detail = '', trouble_since = NULL`,
    { mailboxId, now },
    tx,
  )
}

/** Scripts name folders as the store does: they are written anew when that turns out to be otherwise. */
async function noteNames(
  { db, tx, mailboxId }: Pick<Writing, 'db' | 'tx' | 'mailboxId'>,
  { separator, prefix }: ReturnType<typeof namesIn>,
): Promise<void> {
  const changed = await execute(
    db,
    `UPDATE store_mailboxes SET separator_char = :separator, prefix = :prefix
     WHERE mailbox_id = :mailboxId AND (separator_char <> :separator OR prefix <> :prefix)`,
    { mailboxId, separator, prefix },
    tx,
  )
  if (changed > 0) await scriptsDue(db, tx, [mailboxId])
}

async function writeFolder(
  { db, tx, now, mailboxId }: Writing,
  folder: Folder,
  row: FolderRow | null,
): Promise<number> {
  const { path, kind, total, unread, uidValidity, uidNext, modSeq } = folder
  const values = {
    kind,
    total,
    unread,
    uid_validity: uidValidity,
    uid_next: uidNext,
    mod_seq: modSeq === null ? '' : String(modSeq),
    looked_at: now,
  }
  if (row === null)
    return idAt(await insert(db, StoreFolders, [{ mailbox_id: mailboxId, path, ...values }], tx), 0)
  // A folder that was made anew has other messages by the same numbers.
  if (row.uid_validity !== uidValidity) await remove(db, StoreCopies, { folder_id: row.id }, tx)
  await update(db, StoreFolders, values, { id: row.id }, tx)
  return row.id
}
