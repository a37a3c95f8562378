import { addressText, withoutTag } from '@pendro/core/address'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { moveVersion } from '../db/versions.ts'
import { frequently } from '../judging/knowledge.ts'
import { readIncoming, type Incoming, type Read } from './incoming.ts'
import { readAddress, resolveRecipients } from './recipients.ts'
import { storeMessages } from './store-messages.ts'

/** What colleagues send proves nothing and needs to prove nothing here. */
const readOwn = (incoming: Incoming) => readIncoming(incoming, { trustedHosts: [], gateways: [] })

/** Notes what colleagues sent: who was written to, and each Message-ID for answers to come. */
export async function takeOutgoing(db: Database, batch: readonly Incoming[]): Promise<void> {
  const read = await Promise.all(batch.map(incoming => readOwn(incoming)))
  await inTransaction(db, async tx => {
    await storeMessages(
      db,
      tx,
      read.map(({ incoming, message, packed }) => ({
        direction: 'out',
        receivedAt: incoming.receivedAt,
        message,
        envelopeFrom: incoming.envelopeFrom,
        size: incoming.raw.length,
        packed: { ...packed, reading: null },
        sender: null,
        sentTo: incoming.recipients,
      })),
    )
    await noteCorrespondence(db, tx, read)
  })
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
