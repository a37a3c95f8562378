import { gzipSync } from 'node:zlib'
import { addressText, withoutTag } from '@pendro/core/address'
import { execute, inTransaction, insert, type Database, type Row } from '../db/database.ts'
import { readAddress, readIncoming, resolveRecipients, type Incoming } from './intake.ts'
import { hashMessageId } from '../judging/knowledge.ts'
import { shownFrom } from '../reading/shown-from.ts'
import { indexMessages } from './index-messages.ts'

/** What colleagues send proves nothing and needs to prove nothing here. */
const readOwn = (incoming: Incoming) =>
  readIncoming(incoming, { trustedHosts: [], gateways: [] }, { onward: 'history' })

/** Notes what a colleague sent: who was written to, and its Message-ID for answers to come. */
export async function takeOut(db: Database, batch: readonly Incoming[]): Promise<void> {
  const read = await Promise.all(batch.map(incoming => readOwn(incoming)))
  await inTransaction(db, async tx => {
    const domains = new Map<string, number>()
    const senders = await resolveRecipients(
      db,
      batch.map(({ envelopeFrom }) => envelopeFrom),
      tx,
    )
    const ids = await insert(
      db,
      'messages',
      read.map(({ incoming, message }): Row => ({
        direction: 'out',
        received_at: incoming.receivedAt,
        message_id_hash: message?.messageId ? hashMessageId(message.messageId) : null,
        envelope_from: incoming.envelopeFrom,
        ...shownFrom(message),
        size: incoming.raw.length,
        sender_facts: { from: [], envelopeFrom: null, sender: null, listId: null, authentication: null },
        harm: null,
        bulk: false,
        unreadable: null,
      })),
      tx,
    )
    await indexMessages(
      db,
      tx,
      read.map(({ message }, i) => ({ id: ids[i] ?? 0, message })),
    )
    await insert(
      db,
      'message_sources',
      read.map(({ incoming }, i) => ({ message_id: ids[i], gzip: gzipSync(incoming.raw, { level: 4 }) })),
      tx,
    )
    for (const { incoming } of read) {
      const mailboxId = senders.get(incoming.envelopeFrom)
      if (mailboxId === undefined) continue
      for (const recipient of incoming.recipients) {
        const address = readAddress(recipient)
        if (!address) continue
        await execute(
          db,
          'INSERT INTO correspondence (address, mailbox_id, domain, n) VALUES (:address, :mailboxId, :domain, 1) ON DUPLICATE KEY UPDATE n = n + 1',
          { address: addressText(withoutTag(address)), mailboxId, domain: address.domain },
          tx,
        )
        domains.set(address.domain, (domains.get(address.domain) ?? 0) + 1)
      }
    }
    // In one order everywhere, so that two at once wait for each other instead of deadlocking.
    for (const [domain, n] of [...domains].sort(([a], [b]) => (a < b ? -1 : 1)))
      await execute(
        db,
        'INSERT INTO correspondence_domains (domain, n) VALUES (:domain, :n) ON DUPLICATE KEY UPDATE n = n + :n',
        { domain, n },
        tx,
      )
  })
}
