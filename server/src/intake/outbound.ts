import { addressText, covers, withoutTag } from '@pendro/core/address'
import { findAutomaticSign } from '@pendro/core/digest'
import type { HeaderField } from '@pendro/core/message'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { Relays } from '../db/models/messages.ts'
import { organisationNow } from '../db/organisation.ts'
import { idAt, insert } from '../db/rows.ts'
import { moveVersion } from '../db/versions.ts'
import { frequently } from '../judging/knowledge.ts'
import { enqueue } from '../outbox/queue.ts'
import { readIncoming, type Incoming, type Read } from './incoming.ts'
import { readAddress, resolveRecipients } from './recipients.ts'
import { storeMessages } from './store-messages.ts'

/** What colleagues send proves nothing and needs to prove nothing here. */
const readOwn = (incoming: Incoming) => readIncoming(incoming, { trustedHosts: [], gateways: [] })

/** Days that mail on its way out is tried; RFC 5321 §4.5.4.1 wants four or five. */
const triedFor = 5 * 86_400_000

/** What colleagues sent, read before it is stored. */
export type Sent = Read & {
  /** It goes on from here; copies do not. */
  readonly goesOn?: boolean
}

/** Notes what colleagues sent: who was written to, and each Message-ID for answers to come. */
export async function takeOutgoing(db: Database, batch: readonly Incoming[]): Promise<void> {
  await storeOutgoing(db, await Promise.all(batch.map(incoming => readOwn(incoming))))
}

/**
 * Stores what colleagues sent, and what of it goes on, in one transaction; the numbers of the messages, in order.
 * @param also What else is to be true with it, or not at all.
 */
export async function storeOutgoing(
  db: Database,
  sent: readonly Sent[],
  also: (tx: Tx, ids: readonly number[]) => Promise<void> = async () => {},
): Promise<readonly number[]> {
  return inTransaction(db, async tx => {
    const organisation = await organisationNow(db, tx)
    const byPeople = sent.map(one => isByColleague(one, organisation?.policy.ownDomains ?? []))
    const ids = await storeMessages(
      db,
      tx,
      sent.map(({ incoming, message, packed }, i) => ({
        direction: 'out',
        receivedAt: incoming.receivedAt,
        message,
        byProgram: !byPeople[i],
        envelopeFrom: incoming.envelopeFrom,
        size: incoming.raw.length,
        packed: { ...packed, reading: null },
        connection: incoming.connection,
        sender: null,
        sentTo: incoming.recipients,
      })),
    )
    await noteCorrespondence(
      db,
      tx,
      sent.filter((_, i) => byPeople[i]),
    )
    await queueRelays(db, tx, sent, ids)
    await also(tx, ids)
    return ids
  })
}

/**
 * Whether a colleague wrote it. Only that says whom we write to: an automatic reply answers everybody, and what is passed on was
 * written by somebody else, who must not come to be known for it.
 */
function isByColleague({ incoming, message }: Read, ownDomains: readonly string[]): boolean {
  if (message === null) return false
  const isOurs = (domain: string) => ownDomains.some(own => covers(own, domain))
  if (message.fromDomains.length === 0 || !message.fromDomains.every(isOurs)) return false
  const { headers, subject } = message
  return (
    findAutomaticSign({ headers, envelopeFrom: incoming.envelopeFrom, subject }) === null &&
    !headers.some(isOfReport)
  )
}

/** Receipts and delivery reports (RFC 6522) are written by programs. */
const isOfReport = ({ name, value }: HeaderField) =>
  name.toLowerCase() === 'content-type' && /^\s*multipart\/report\b/i.test(value)

async function queueRelays(
  db: Database,
  tx: Tx,
  sent: readonly Sent[],
  ids: readonly number[],
): Promise<void> {
  const rows = sent.flatMap(({ goesOn = false, incoming }, i) =>
    goesOn
      ? incoming.recipients.map(recipient => ({
          message_id: ids[i] ?? 0,
          recipient,
          give_up_at: new Date(incoming.receivedAt.getTime() + triedFor),
        }))
      : [],
  )
  if (rows.length === 0) return
  const at = sent[0]?.incoming.receivedAt ?? new Date(0)
  const relays = await insert(db, Relays, rows, tx)
  await enqueue(
    db,
    tx,
    'relay',
    rows.map((_, i) => ({ subjectId: idAt(relays, i), place: 'outside', at })),
  )
}

interface Written {
  readonly address: string
  readonly mailboxId: number
  readonly domain: string
  n: number
}

/** To whom which colleague wrote, and how often. */
async function noteCorrespondence(db: Database, tx: Tx, read: readonly Read[]): Promise<void> {
  const senders = await resolveRecipients(
    db,
    read.map(({ incoming }) => incoming.envelopeFrom),
    tx,
  )
  const written = new Map<string, Written>()
  for (const { incoming } of read) {
    const mailboxId = senders.get(incoming.envelopeFrom)
    if (mailboxId === undefined) continue
    for (const recipient of incoming.recipients) {
      const address = readAddress(recipient)
      if (!address) continue
      const text = addressText(withoutTag(address))
      const key = `${text} ${mailboxId}`
      const known = written.get(key) ?? { address: text, mailboxId, domain: address.domain, n: 0 }
      written.set(key, { ...known, n: known.n + 1 })
    }
  }
  // In one order everywhere, so that two at once wait for each other instead of deadlocking.
  const sorted = [...written].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, one]) => one)
  for (let start = 0; start < sorted.length; start += 200)
    await addLetters(db, tx, sorted.slice(start, start + 200))
  await countDomains(db, tx, sorted)
}

async function addLetters(db: Database, tx: Tx, written: readonly Written[]): Promise<void> {
  await execute(
    db,
    `INSERT INTO correspondence (address, mailbox_id, domain, n)
     VALUES ${written.map((_, i) => `(:a${i}, :m${i}, :d${i}, :n${i})`).join(',')} ON DUPLICATE KEY UPDATE n = n + VALUES(n)`,
    Object.fromEntries(
      written.flatMap(({ address, mailboxId, domain, n }, i) => [
        [`a${i}`, address],
        [`m${i}`, mailboxId],
        [`d${i}`, domain],
        [`n${i}`, n],
      ]),
    ),
    tx,
  )
}

/** Letters by domain; when one has become frequent, who keeps the list of these reads it anew. */
async function countDomains(db: Database, tx: Tx, written: readonly Written[]): Promise<void> {
  const added = new Map<string, number>()
  for (const { domain, n } of written) added.set(domain, (added.get(domain) ?? 0) + n)
  const sorted = [...added].sort(([a], [b]) => (a < b ? -1 : 1))
  for (let start = 0; start < sorted.length; start += 200) {
    const some = sorted.slice(start, start + 200)
    await execute(
      db,
      `INSERT INTO correspondence_domains (domain, n) VALUES ${some.map((_, i) => `(:d${i}, :n${i})`).join(',')}
       ON DUPLICATE KEY UPDATE n = n + VALUES(n)`,
      Object.fromEntries(
        some.flatMap(([domain, n], i) => [
          [`d${i}`, domain],
          [`n${i}`, n],
        ]),
      ),
      tx,
    )
    const rows = await select<{ domain: string; n: number }>(
      db,
      'SELECT domain, n FROM correspondence_domains WHERE domain IN (:domains)',
      { domains: some.map(([domain]) => domain) },
      tx,
    )
    const isNew = ({ domain, n }: { domain: string; n: number }) =>
      n >= frequently && n - (added.get(domain) ?? 0) < frequently
    if (rows.some(isNew)) await moveVersion(db, 'correspondents', tx)
  }
}
