import { select, execute, type Database } from '../db/database.ts'
import { signingKey } from '../db/signing-keys.ts'
import { claim } from '../jobs/claim.ts'
import type { Log } from '../log.ts'
import { unpack } from '../outbox/source.ts'
import type { Send } from '../outbox/smtp-out.ts'
import { deliveryMark } from '../outbox/trace.ts'
import { find } from '../stores/deliver.ts'
import { foldersOf, openFolder } from '../stores/folders.ts'
import { searchIn, StoreError } from '../stores/imap.ts'
import type { Stores, Visit } from '../stores/stores.ts'

interface Deps {
  readonly db: Database
  readonly stores: Stores
  readonly send: Send
  readonly log: Log
  readonly now: () => Date
}

const seconds = (n: number) => n * 1000
const claimFor = seconds(120)
/** Until a store that could not take it is asked again. */
const patience = seconds(20)
/** Done at a time: mail that waits has the store to itself otherwise. */
const together = 6
/** Where a store marks no folder as that of sent mail (RFC 6154). */
const usualSent = 'Sent'

interface SentLetter {
  readonly id: number
  readonly mailbox_id: number
  readonly message_id: number | null
  readonly sent_at: Date
}

interface Source {
  readonly gzip: Buffer
  readonly size: number
  readonly address: string
  readonly store: string
}

/** Puts what colleagues sent while their store was away into their Sent folders; how many letters were tried. Safe with any number of processes. */
export async function fileSent(deps: Deps): Promise<number> {
  const { db, now, log } = deps
  const letters = await claim<SentLetter>(
    db,
    {
      table: 'standby_letters',
      key: 'id',
      columns: 'id, mailbox_id, message_id, sent_at',
      due: "state = 'sent' AND filed_at IS NULL AND next_at <= :at",
      order: 'next_at, id',
    },
    { at: now(), holdFor: claimFor, limit: together },
  )
  await Promise.all(
    letters.map(async letter => {
      try {
        const problem = await fileOne(deps, letter)
        await execute(
          db,
          problem === null
            ? "UPDATE standby_letters SET filed_at = :at, claimed_until = NULL, problem = '' WHERE id = :id"
            : 'UPDATE standby_letters SET claimed_until = NULL, next_at = :next, problem = :problem WHERE id = :id',
          { id: letter.id, at: now(), next: new Date(now().getTime() + patience), problem },
        )
      } catch (error) {
        log.jobFailed('sent', error)
      }
    }),
  )
  return letters.length
}

/** What stands in the way; `null` when it is there. */
async function fileOne(deps: Deps, letter: SentLetter): Promise<string | null> {
  const { db, stores, send } = deps
  const [source] = await select<Source>(
    db,
    `SELECT s.gzip, m.size, b.address, b.store FROM messages m JOIN message_sources s ON s.message_id = m.id
     JOIN mailboxes b ON b.id = :mailbox WHERE m.id = :id`,
    { id: letter.message_id ?? 0, mailbox: letter.mailbox_id },
  )
  // Nobody keeps it any more: there is nothing left to be put anywhere.
  if (!source) return null
  const mailbox = { id: letter.mailbox_id, address: source.address, store: source.store }
  const raw = await unpack(source)
  try {
    const filed = await stores.visit(mailbox, visit => intoSent(visit, { raw, at: letter.sent_at }))
    if (filed !== null) return null
  } catch (error) {
    if (error instanceof StoreError) return error.message || error.trouble
    throw error
  }
  // A store that can't be looked into gets a copy like any other mail.
  const copy = Buffer.concat([
    Buffer.from(`Pendro-Delivery: sent-${letter.id}\r\nPendro-Place: inbox\r\n`),
    raw,
  ])
  const result = await send({ from: '', to: source.address, store: source.store }, copy, 'store')
  return result.status === 'later' ? result.problem : null
}

const messageIdOf = (raw: Buffer): string =>
  /^message-id:[ \t]*(<[^<>\s]{1,900}>)/im.exec(raw.subarray(0, 64_000).toString('latin1'))?.[1] ?? ''

/** Appends a letter to the folder of sent mail, unless it is there already. */
async function intoSent(
  { client, store }: Visit,
  { raw, at }: { readonly raw: Buffer; readonly at: Date },
): Promise<true> {
  const folders = await foldersOf(client, store)
  const sent = folders.find(({ kind }) => kind === 'sent')?.path ?? usualSent
  if (!folders.some(({ path }) => path === sent)) await client.mailboxCreate(sent)
  await openFolder(client, sent)
  const there = await searchIn(client, { header: { 'Message-ID': messageIdOf(raw) } })
  if (there.length === 0) await client.append(sent, raw, ['\\Seen'], at)
  return true
}

interface Mark {
  readonly mailbox_id: number
  readonly kind: 'delivery' | 'relay'
  readonly subject_id: number
  readonly answered_at: Date | null
  readonly address: string
  readonly store: string
  /** Where it landed; `null` while it waits. */
  readonly place: string | null
  readonly gzip: Buffer | null
  readonly size: number
}

/** Marks as read and answered, at the store, what was read and answered elsewhere; how many messages were tried. */
export async function copyMarks({ db, stores, log, now }: Deps): Promise<number> {
  const marks = await select<Mark>(
    db,
    `SELECT k.mailbox_id, k.kind, k.subject_id, k.answered_at, b.address, b.store,
       IF(d.id IS NOT NULL, IF(d.state = 'deferred', NULL, d.state), IF(r.state = 'waiting', NULL, 'inbox')) AS place,
       s.gzip, COALESCE(m.size, 0) AS size
     FROM standby_marks k JOIN mailboxes b ON b.id = k.mailbox_id
     LEFT JOIN deliveries d ON k.kind = 'delivery' AND d.id = k.subject_id
     LEFT JOIN relays r ON k.kind = 'relay' AND r.id = k.subject_id
     LEFT JOIN messages m ON m.id = r.message_id LEFT JOIN message_sources s ON s.message_id = m.id
     WHERE k.done_at IS NULL AND k.next_at <= :at AND (d.state <> 'deferred' OR r.state <> 'waiting') ORDER BY k.next_at LIMIT ${together}`,
    { at: now() },
  )
  const key = await signingKey(db, 'deliveries')
  await Promise.all(
    marks.map(async mark => {
      try {
        await copyMark({ db, stores, now }, mark, key)
      } catch (error) {
        log.jobFailed('marks', error)
      }
    }),
  )
  return marks.length
}

async function copyMark(
  { db, stores, now }: Omit<Deps, 'send' | 'log'>,
  mark: Mark,
  key: Buffer,
): Promise<void> {
  const { mailbox_id: mailboxId, kind, subject_id: id, address, store } = mark
  const done = (column: 'done_at' | 'next_at', at: Date) =>
    execute(
      db,
      `UPDATE standby_marks SET ${column} = :at WHERE mailbox_id = :mailboxId AND kind = :kind AND subject_id = :id`,
      { at, mailboxId, kind, id },
    )
  try {
    await stores.visit({ id: mailboxId, address, store }, async visit => {
      const uid = kind === 'delivery' ? await ofDelivery(visit, id, mark, key) : await ofRelay(visit, mark)
      if (uid === null) return
      const flags = ['\\Seen', ...(mark.answered_at === null ? [] : ['\\Answered'])]
      await visit.client.messageFlagsAdd([uid], flags, { uid: true })
    })
    await done('done_at', now())
  } catch (error) {
    if (!(error instanceof StoreError)) throw error
    await done('next_at', new Date(now().getTime() + patience))
  }
}

async function ofDelivery(visit: Visit, id: number, { place }: Mark, key: Buffer): Promise<number | null> {
  const found = await find(visit, deliveryMark(key, id, place ?? 'inbox'))
  if (found === null) return null
  await openFolder(visit.client, found.path, true)
  return found.uid
}

/** What another colleague sent has no mark of Pendro’s. */
async function ofRelay(visit: Visit, { gzip, size }: Mark): Promise<number | null> {
  if (gzip === null) return null
  await openFolder(visit.client, 'INBOX', true)
  const [uid] = await searchIn(visit.client, {
    header: { 'Message-ID': messageIdOf(await unpack({ gzip, size })) },
  })
  return uid ?? null
}
