import { addressText, withoutTag, type Address } from '@pendro/core/address'
import type { Message } from '@pendro/core/message'
import { noAuthentication, type SenderFacts } from '@pendro/core/senders'
import type { Database, Tx } from '../db/database.ts'
import type { NewRowOf } from '../db/models/columns.ts'
import type { Harm } from '../db/models/shapes.ts'
import { MessageReadings, MessageSenders, MessageSources, Messages } from '../db/models/messages.ts'
import { idAt, insert } from '../db/rows.ts'
import { hashMessageId } from '../judging/knowledge.ts'
import type { Packed } from '../reading/reading.ts'
import { shownFrom } from '../reading/shown-from.ts'
import { domainKey } from '../lists/domain-key.ts'
import { profileIds } from '../lists/profiles.ts'
import { indexMessages } from './index-messages.ts'

/** A message as it is stored, wherever it came from: the door, a colleague who sent it, or somebody who handed it in. */
export interface NewMessage {
  readonly direction: 'in' | 'out'
  readonly receivedAt: Date
  /** `null` when it could not be read. */
  readonly message: Message | null
  readonly envelopeFrom: string
  readonly size: number
  readonly packed: Packed
  readonly connection?: { readonly ip: string; readonly helo: string }
  /** Of what a colleague sends: to whom, as the envelope has it. */
  readonly sentTo?: readonly string[]
  /** Of what goes out: no colleague wrote it, and an answer to it is none to us. */
  readonly byProgram?: boolean
  /** `null` for what colleagues send: it proves nothing and needs to prove nothing. */
  readonly sender: SenderFacts | null
  readonly harm?: Harm | null
  readonly bulk?: boolean
  /** Why it could not be read. */
  readonly unreadable?: string | null
  readonly language?: string | null
}

const ofOurs: SenderFacts = {
  from: [],
  envelopeFrom: null,
  sender: null,
  listId: null,
  authentication: noAuthentication,
}

/** The one writer of messages: bytes, reading, what they are found by and who sent them; their ids in order. */
export async function storeMessages(
  db: Database,
  tx: Tx,
  messages: readonly NewMessage[],
): Promise<readonly number[]> {
  const senders = messages.flatMap(({ sender }) => sender ?? [])
  const profiles = [...(await profileIds(db, tx, senders))]
  const ids = await insert(
    db,
    Messages,
    messages.map(one => rowOf(one, one.sender === null ? null : (profiles.shift() ?? null))),
    tx,
  )
  await insert(
    db,
    MessageSources,
    messages.map(({ packed }, i) => ({ message_id: idAt(ids, i), gzip: packed.source })),
    tx,
  )
  await insert(
    db,
    MessageReadings,
    messages.flatMap(({ packed }, i) =>
      packed.reading ? [{ message_id: idAt(ids, i), gzip: packed.reading }] : [],
    ),
    tx,
  )
  await indexMessages(
    db,
    tx,
    messages.map(({ message }, i) => ({ id: idAt(ids, i), message })),
  )
  await insert(
    db,
    MessageSenders,
    messages.flatMap(({ sender }, i) => (sender ? senderRows(idAt(ids, i), sender) : [])),
    tx,
  )
  return ids
}

function rowOf(
  {
    direction,
    receivedAt,
    message,
    envelopeFrom,
    size,
    connection,
    sender,
    harm,
    bulk,
    unreadable,
    language,
    sentTo = [],
    byProgram = false,
  }: NewMessage,
  profileId: number | null,
): NewRowOf<typeof Messages> {
  return {
    direction,
    received_at: receivedAt,
    message_id_hash: message?.messageId ? hashMessageId(message.messageId) : null,
    by_program: byProgram,
    envelope_from: envelopeFrom.slice(0, 320),
    ...shownFrom(message),
    size,
    client_ip: (connection?.ip ?? '').slice(0, 45),
    client_helo: (connection?.helo ?? '').slice(0, 255),
    sender_facts: sender ?? ofOurs,
    profile_id: profileId,
    harm: harm ?? null,
    bulk: bulk ?? false,
    unreadable: unreadable ?? null,
    language: language ?? null,
    sent_to: recipientsText(sentTo),
  }
}

const mostRecipients = 50

/** The first of them as they fit, parted by commas; the others are counted. */
function recipientsText(recipients: readonly string[]): string {
  const shown: string[] = []
  for (const recipient of recipients.slice(0, mostRecipients))
    if ([...shown, recipient].join(', ').length <= 960) shown.push(recipient)
  const more = recipients.length - shown.length
  return [...shown, ...(more > 0 ? [`+${more}`] : [])].join(', ')
}

type Place = NewRowOf<typeof MessageSenders>['place']

/** Under whose names a message came: what sender lists and the filters look for. */
function senderRows(
  messageId: number,
  { from, envelopeFrom, sender, listId }: SenderFacts,
): readonly NewRowOf<typeof MessageSenders>[] {
  const row = (place: Place, n: number, domain: string, address: string) => ({
    message_id: messageId,
    place,
    n,
    domain_key: domainKey(domain).slice(0, 260),
    address: address.slice(0, 320),
  })
  const of = (place: Place, address: Address | null, n = 0) =>
    address ? [row(place, n, address.domain, addressText(withoutTag(address)))] : []
  return [
    ...from.slice(0, 50).flatMap((address, n) => of('from', address, n)),
    ...of('envelope', envelopeFrom),
    ...of('sender', sender),
    // A list id is looked up by its own text; its "domain" would match domain patterns.
    ...(listId === null ? [] : [{ ...row('list', 0, '', `<${listId}>`), domain_key: '' }]),
  ]
}
