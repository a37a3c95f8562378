import { createHash } from 'node:crypto'
import { addressText, withoutTag, type Address } from '@pendro/core/address'
import {
  noText,
  tokensOf,
  type Nearness,
  type SenderKnowledge,
  type TextKnowledge,
  type TokenCount,
} from '@pendro/core/judgement'
import type { Message } from '@pendro/core/message'
import { provenList, type SenderFacts } from '@pendro/core/senders'
import { select, type Database, type Tx } from '../db/database.ts'
import { keep, readVersions } from '../db/versions.ts'
import { textModel, type TextModel } from './text-model.ts'

/** Under which names a sender is counted: the address, its domain as '@domain', and a list that is proven as '<list>'. */
export function seenKeys({
  from: [first],
  listId,
  authentication,
}: Pick<SenderFacts, 'from' | 'listId' | 'authentication'>): readonly string[] {
  const list = provenList(listId, authentication)
  return [
    ...(first ? [addressText(withoutTag(first)), `@${first.domain}`] : []),
    ...(list === null ? [] : [listKey(list)]),
  ]
}

/** Under which name a mailing list is counted. */
export const listKey = (list: string) => `<${list.toLowerCase()}>`.slice(0, 320)

export const hashMessageId = (messageId: string): string =>
  createHash('sha256').update(messageId).digest('hex')

/** What the organisation knows, loaded once for a batch of messages in a handful of statements. */
export interface Knowledge {
  readonly text: TextKnowledge
  /** Domains colleagues write to often, most written to first. */
  readonly frequentDomains: readonly string[]
  sender(message: Message, facts: SenderFacts): SenderKnowledge
  /** What is known of the sender in one mailbox. */
  nearness(mailboxId: number, message: Message): Nearness
}

export async function loadKnowledge(
  db: Database,
  messages: readonly Message[],
  senders: readonly SenderFacts[],
  tx?: Tx,
): Promise<Knowledge> {
  const versions = await readVersions(db, tx)
  const frequent = await keep(db, versions, 'correspondents', () => readFrequentDomains(db, tx))
  const model = await textModel(db, versions, tx)
  return knowledgeOf(await loadRows(db, messages, senders, tx), frequent, model)
}

/** The mailbox of contacts that are everybody's. */
export const everybody = 0

type Rows = Awaited<ReturnType<typeof loadRows>>

/** What is known about some messages' senders, their names, what they answer, and their words. */
async function loadRows(db: Database, messages: readonly Message[], facts: readonly SenderFacts[], tx?: Tx) {
  const senders = messages.flatMap(({ from }) =>
    from.flatMap(({ address }) => (address ? [withoutTag(address)] : [])),
  )
  const addresses = [...new Set(senders.map(addressText))]
  const domains = [...new Set(senders.map(({ domain }) => domain))]
  const names = new Set(messages.flatMap(({ from }) => from.map(({ name }) => name)))
  const answered = new Set(messages.flatMap(({ answers }) => answers.map(hashMessageId)))
  const words = new Set(['', ...messages.flatMap(tokensOf)])
  names.delete('')

  // A transaction speaks through one connection; the driver sends these one after the other.
  const query = <T extends object>(sql: string, keys: Iterable<string>): Promise<T[]> => {
    const list = [...keys]
    return list.length === 0 ? Promise.resolve([]) : select<T>(db, sql, { keys: list }, tx)
  }
  const [written, domainTotals, seen, colleagues, sent, known] = await Promise.all([
    // Whom a colleague wrote to, and with 0 who is in an address book: in one statement.
    query<{ address: string; mailbox_id: number; n: number }>(
      `SELECT address, mailbox_id, n FROM correspondence WHERE address IN (:keys)
       UNION ALL SELECT address, mailbox_id, 0 FROM contacts WHERE address IN (:keys)`,
      addresses,
    ),
    query<{ domain: string; n: number }>(
      'SELECT domain, n FROM correspondence_domains WHERE domain IN (:keys)',
      domains,
    ),
    query<{ sender: string; n: number; wanted: number; junk: number }>(
      'SELECT sender, n, wanted, junk FROM senders_seen WHERE sender IN (:keys)',
      [...new Set([...addresses, ...domains.map(domain => `@${domain}`), ...facts.flatMap(seenKeys)])],
    ),
    query<{ name: string; address: string }>(
      "SELECT m.name, a.address FROM mailboxes m JOIN mailbox_addresses a ON a.mailbox_id = m.id WHERE m.kind = 'person' AND m.name IN (:keys)",
      names,
    ),
    query<{ message_id_hash: string; subject: string }>(
      `SELECT message_id_hash, subject FROM messages WHERE direction = 'out' AND NOT by_program AND message_id_hash IN (:keys)
       UNION ALL SELECT message_id_hash, subject FROM history_messages WHERE message_id_hash IN (:keys)`,
      answered,
    ),
    query<TokenCount & { word: string }>('SELECT word, wanted, junk FROM words WHERE word IN (:keys)', words),
  ])
  return { written, domainTotals, seen, colleagues, sent, known }
}

/** Letters by address, and by mailbox and address; and who is in whose address book. */
function lettersOf(written: Rows['written']) {
  const perAddress = new Map<string, number>()
  const perMailbox = new Map<string, number>()
  const contacts = new Set<string>()
  for (const { address, mailbox_id, n } of written) {
    const key = `${mailbox_id} ${address}`
    if (n === 0) {
      contacts.add(key)
      continue
    }
    perAddress.set(address, (perAddress.get(address) ?? 0) + n)
    perMailbox.set(key, n)
  }
  return { perAddress, perMailbox, contacts }
}

function knowledgeOf(
  { written, domainTotals, seen, colleagues, sent, known }: Rows,
  frequentDomains: readonly string[],
  model: TextModel,
): Knowledge {
  const { perAddress, perMailbox, contacts } = lettersOf(written)
  const perDomain = new Map(domainTotals.map(({ domain, n }) => [domain, n]))
  const seenBy = new Map(seen.map(row => [row.sender, row]))
  const addressesOf = new Map<string, Set<string>>()
  for (const { name, address } of colleagues) {
    const key = name.toLowerCase()
    addressesOf.set(key, (addressesOf.get(key) ?? new Set()).add(address))
  }
  const subjects = new Map(sent.map(row => [row.message_id_hash, row.subject]))
  const counts = new Map<string, TokenCount>(known.map(({ word, wanted, junk }) => [word, { wanted, junk }]))

  return {
    text: { total: counts.get('') ?? noText.total, tokens: counts, ...model },
    frequentDomains,
    nearness(mailboxId, message) {
      const sender = senderOf(message)
      if (!sender) return { written: 0, isContact: false }
      const text = addressText(sender)
      const isOwn = contacts.has(`${mailboxId} ${text}`) && !contacts.has(`${everybody} ${text}`)
      const written = perMailbox.get(`${mailboxId} ${text}`) ?? 0
      // A colleague wrote there: that weighs for all, and more.
      return { written, isContact: isOwn && !perAddress.has(text) }
    },
    sender(message, { listId, authentication }) {
      const sender = senderOf(message)
      const text = sender ? addressText(sender) : ''
      const history = seenBy.get(text)
      const own = addressesOf.get(message.from[0]?.name.toLowerCase() ?? '')
      const list = provenList(listId, authentication)
      const ofList = list === null ? undefined : seenBy.get(listKey(list))
      const answered = message.answers.map(id => subjects.get(hashMessageId(id)))
      return {
        writtenToAddress: perAddress.get(text) ?? 0,
        writtenToDomain: perDomain.get(sender?.domain ?? '') ?? 0,
        answered: answered.find(subject => subject !== undefined) ?? null,
        seenAddress: history?.n ?? 0,
        seenDomain: seenBy.get(`@${sender?.domain ?? ''}`)?.n ?? 0,
        ruledWanted: Math.max(0, history?.wanted ?? 0),
        ruledJunk: Math.max(0, history?.junk ?? 0),
        isContact: contacts.has(`${everybody} ${text}`),
        list: ofList ? { wanted: Math.max(0, ofList.wanted), junk: Math.max(0, ofList.junk) } : null,
        imitates: own && !own.has(text) ? (message.from[0]?.name ?? null) : null,
      }
    },
  }
}

/** Domains colleagues write to often, most written to first: what an impostor would resemble. */
export async function frequentDomains(db: Database, tx?: Tx): Promise<readonly string[]> {
  return keep(db, await readVersions(db, tx), 'correspondents', () => readFrequentDomains(db, tx))
}

/** From so many letters on a domain is one that colleagues write to often. */
export const frequently = 3

async function readFrequentDomains(db: Database, tx?: Tx): Promise<readonly string[]> {
  const rows = await select<{ domain: string }>(
    db,
    'SELECT domain FROM correspondence_domains WHERE n >= :frequently ORDER BY n DESC LIMIT 300',
    { frequently },
    tx,
  )
  return rows.map(({ domain }) => domain)
}

function senderOf(message: Message): Address | null {
  const address = message.from[0]?.address ?? null
  return address && withoutTag(address)
}
