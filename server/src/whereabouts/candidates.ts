import { parseDomain } from '@pendro/core/address'
import type { Asked, TypedParty } from '@pendro/core/whereabouts'
import { select, type Database, type Row } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'
import { domainKey } from '../lists/domain-key.ts'
import { mostMessages, queriesFor, type Window } from './search.ts'

/** A message that was found, once for each of its deliveries. */
export interface FoundMessage {
  /** `null` for what a colleague sent. */
  readonly delivery_id: number | null
  readonly message_id: number
  readonly mailbox_id: number | null
  readonly from_name: string
  readonly from_address: string
  readonly envelope_from: string
  readonly subject: string
  readonly received_at: Date
  readonly state: string | null
  readonly words: string | null
}

const foundColumns = `d.id AS delivery_id, m.id AS message_id, d.mailbox_id, m.from_name, m.from_address, m.envelope_from, m.subject, m.received_at, d.state, w.words`

const messageColumns =
  'm.id, m.direction, m.from_name, m.from_address, m.envelope_from, m.subject, m.received_at'

/** A question, as the ways of looking share it. */
interface Search {
  readonly asked: Pick<Asked, 'from' | 'to' | 'about'>
  readonly senders: readonly string[] | null
  /** Only these mailboxes are meant. */
  readonly toSomebody: boolean
  /** The condition on a message by its number: it came to, or was sent by, somebody whose mail may be looked at. */
  readonly isTheirs: (messageId: string) => string
  /** Rows of `messages`, a derived table m, with their deliveries; how many there were. */
  readonly take: (messages: string, where: string, values: object, limit?: number) => Promise<number>
}

/**
 * Messages that may be meant, with their deliveries, and what colleagues sent: "did my own mail go out?"
 * `senders`: addresses like the one that was typed; `null` when none was.
 */
export async function findMessages(
  db: Database,
  scope: Scope,
  asked: Pick<Asked, 'from' | 'to' | 'about'>,
  senders: readonly string[] | null,
  window: Window,
): Promise<readonly FoundMessage[]> {
  const mailboxIds = asked.to === null ? null : [...asked.to.keys()]
  const toSomebody = mailboxIds !== null && mailboxIds.length > 0
  const sentByThem =
    scope === null
      ? "m.direction = 'out'"
      : `(m.direction = 'out' AND m.from_address IN (SELECT address FROM mailbox_addresses WHERE ${within(scope, 'mailbox_id')}))`
  const theirs = `((d.id IS NOT NULL AND ${within(scope, 'd.mailbox_id')}) OR (d.id IS NULL AND ${sentByThem}))`
  const isTheirs = (messageId: string) =>
    scope === null
      ? 'TRUE'
      : `(EXISTS (SELECT 1 FROM deliveries q WHERE q.message_id = ${messageId} AND ${within(scope, 'q.mailbox_id')})
         OR NOT EXISTS (SELECT 1 FROM deliveries q WHERE q.message_id = ${messageId}))`
  const found = new Map<string, FoundMessage>()
  const read = async (messages: string, where: string, values: object, limit: number) => {
    const rows = await select<FoundMessage>(
      db,
      // A message without a delivery is one that a colleague sent; one that was only handed in is nowhere.
      `SELECT ${foundColumns} FROM (${messages}) m LEFT JOIN deliveries d ON d.message_id = m.id
       LEFT JOIN message_words w ON w.message_id = m.id
       WHERE ${where} AND ${theirs} LIMIT ${limit}`,
      { ...window, mailboxIds, ...values },
    )
    for (const row of rows) found.set(`${row.message_id} ${row.delivery_id ?? ''}`, row)
    return rows.length
  }
  const take: Search['take'] = async (messages, where, values, limit = mostMessages) => {
    const rows = await read(messages, where, values, limit)
    // One message to everybody fills the limit; the delivery that is asked for must not be the one left out.
    if (rows >= limit && toSomebody)
      await read(messages, `${where} AND d.mailbox_id IN (:mailboxIds)`, values, limit)
    return rows
  }
  const search = { asked, senders, toSomebody, isTheirs, take }
  // Side by side: each looks in its own way.
  await Promise.all([bySenders(search), byEnvelope(search), byWords(search), byMailbox(search)])
  return [...found.values()]
}

const newestOf = (joined: string, isTheirs: Search['isTheirs']) =>
  `SELECT ${messageColumns} FROM messages m ${joined} WHERE m.from_address IN (:senders) AND ${isTheirs('m.id')}
     AND m.received_at BETWEEN :since AND :until ORDER BY m.id DESC LIMIT ${mostMessages}`

async function bySenders({ senders, toSomebody, isTheirs, take }: Search): Promise<void> {
  if (senders === null || senders.length === 0) return
  const rows = await take(newestOf('', isTheirs), 'TRUE', { senders })
  // Somebody who writes a lot: their mail to this colleague may be older than their newest.
  if (rows >= mostMessages && toSomebody)
    await take(
      newestOf('JOIN deliveries o ON o.message_id = m.id AND o.mailbox_id IN (:mailboxIds)', isTheirs),
      'd.mailbox_id IN (:mailboxIds)',
      { senders },
    )
}

async function byWords({ asked, senders, isTheirs, take }: Search): Promise<void> {
  // Where the sender is known, others with these words are near misses only.
  const most = senders !== null && senders.length > 0 ? mostMessages / 3 : mostMessages
  for (const query of queriesFor(asked.about)) {
    const rows = await take(
      `SELECT ${messageColumns} FROM (
         SELECT message_id, MATCH (words) AGAINST (:query IN BOOLEAN MODE) AS fit FROM message_words
         WHERE MATCH (words) AGAINST (:query IN BOOLEAN MODE) AND ${isTheirs('message_id')} ORDER BY fit DESC LIMIT ${most + 100}) f
       JOIN messages m ON m.id = f.message_id AND m.direction = 'in' AND m.received_at BETWEEN :since AND :until
       ORDER BY f.fit DESC LIMIT ${most}`,
      'd.id IS NOT NULL',
      { query },
      3 * most,
    )
    if (rows > 0) return
  }
}

/** What a bounce or a server's log names is the return address (RFC 5321 §2.3.1), not the one in From. */
async function byEnvelope({ asked, isTheirs, take }: Search): Promise<void> {
  for (const { where, values } of envelopeKeys(asked.from)) {
    const rows = await take(
      `SELECT ${messageColumns} FROM (SELECT message_id FROM message_senders s WHERE ${where} AND s.place IN ('envelope', 'sender') AND ${isTheirs('s.message_id')}
         ORDER BY s.message_id DESC LIMIT ${mostMessages}) x JOIN messages m ON m.id = x.message_id AND m.received_at BETWEEN :since AND :until`,
      'TRUE',
      values,
    )
    if (rows > 0) return
  }
}

async function byMailbox({ asked, senders, toSomebody, take }: Search): Promise<void> {
  if (senders !== null || asked.about.length > 0 || !toSomebody) return
  await take(
    `SELECT ${messageColumns}, o.id AS only_id FROM deliveries o JOIN messages m ON m.id = o.message_id
     WHERE o.mailbox_id IN (:mailboxIds) AND o.received_at BETWEEN :since AND :until ORDER BY o.received_at DESC LIMIT ${mostMessages}`,
    'd.id = m.only_id',
    {},
  )
}

/** The rows of `message_senders` that a typed address or domain names, the narrower first; none for a name. */
function envelopeKeys(typed: TypedParty): readonly { where: string; values: Row }[] {
  if (typed.kind !== 'address' && typed.kind !== 'domain') return []
  const domain = parseDomain(typed.domain)
  if (!domain.ok) return []
  const byDomain = { where: 's.domain_key = :key', values: { key: domainKey(domain.value) } }
  if (typed.kind === 'domain') return [byDomain]
  // Kept without its tag (RFC 5233), which return addresses often have.
  const address = `${typed.local.replace(/\+.*$/, '')}@${domain.value}`
  return [{ where: 's.address = :address', values: { address } }, byDomain]
}
