import { gzipSync } from 'node:zlib'
import { addressText, parseAddress, withoutTag, type Address } from '@pendro/core/address'
import type { Connection } from '@pendro/core/authentication'
import { clusterKey } from '@pendro/core/clusters'
import {
  byWeight,
  crowdShift,
  reviewRank,
  type Evidence,
  type OrganisationPolicy,
} from '@pendro/core/judgement'
import { dayOf, expiryOf } from '@pendro/core/keeping'
import { isWorthInspecting, type Message } from '@pendro/core/message'
import { noAuthentication, type Authentication, type SenderFacts } from '@pendro/core/senders'
import {
  execute,
  findRow,
  inTransaction,
  insert,
  select,
  type Database,
  type Row,
  type Tx,
} from '../db/database.ts'
import {
  mailboxPolicy,
  mailboxRows,
  findOrganisation,
  readOrganisation,
  type MailboxRow,
  type Organisation,
} from '../db/organisation.ts'
import { enqueue } from '../outbox/queue.ts'
import { announce } from '../live/events.ts'
import { growClusters } from '../judging/clusters.ts'
import { noteMatches } from '../senders/matches.ts'
import { profileIds } from '../senders/profiles.ts'
import { findAuthentication, type Authenticate } from '../reading/authenticate.ts'
import { domainKey } from '../senders/domain-key.ts'
import { hashMessageId, seenKeys } from '../judging/knowledge.ts'
import type { Reader } from '../reading/reader.ts'
import { packReading, readMessage, type Reading } from '../reading/reading.ts'
import { judgeArrivals, type Arrival, type Judged, type JudgedDelivery } from '../judging/judge.ts'
import { shownFrom } from '../reading/shown-from.ts'
import { indexMessages } from './index-messages.ts'

/** One message as SMTP handed it over. */
export interface Incoming {
  readonly raw: Buffer
  /** '' for the empty reverse-path of RFC 5321 §4.5.5. */
  readonly envelopeFrom: string
  readonly recipients: readonly string[]
  readonly receivedAt: Date
  /** Who handed it over; a gateway's Received field tells better where there is one. */
  readonly connection?: Connection
}

export interface TakenIn {
  readonly messageId: number
  readonly deliveries: readonly { readonly id: number; readonly mailboxId: number; readonly state: string }[]
}

export interface IntakeOptions {
  /** 'queue': what may go on is queued for the mail store. 'history': it went on long ago. */
  readonly onward: 'queue' | 'history'
  /** Reads the bytes; worker threads with a deadline in the server, so that no message holds up the rest. */
  readonly read?: typeof readMessage
  /** The same for messages attached to a report. */
  readonly attachedMessages?: Reader['attachedMessages']
  /** The same for what the mail store reports. */
  readonly statusReport?: Reader['statusReport']
  /** Own checks of messages that no listed gateway has checked; without it they count as not authenticated. */
  readonly authenticate?: Authenticate
  /** There is an attachment lab: what it should look at waits as `inspecting`. */
  readonly lab?: boolean
}

export interface Read {
  readonly incoming: Incoming
  readonly message: Message | null
  readonly reading: Reading | null
  readonly cluster: string
  readonly problem: string | null
  readonly authentication: Authentication
}

/**
 * Takes in a batch of messages: reads, judges and stores them with their deliveries in one transaction.
 * When the promise resolves everything is committed; when it rejects nothing is.
 * Recipients must be resolved before (see `resolveRecipients`); unknown ones are left out.
 */
export async function takeIn(
  db: Database,
  batch: readonly Incoming[],
  options: IntakeOptions = { onward: 'queue' },
): Promise<readonly TakenIn[]> {
  const { policy } = await readOrganisation(db)
  const read = await Promise.all(batch.map(incoming => readIncoming(incoming, policy, options)))
  return inTransaction(db, async tx => {
    const organisation = await readOrganisation(db, tx)
    const resolved = await resolveRecipients(
      db,
      [...new Set(batch.flatMap(({ recipients }) => recipients))],
      tx,
    )
    const mailboxes = await mailboxRows(db, [...new Set(resolved.values())], tx)
    const arrivals = read.map(({ incoming, message, problem, authentication }): Arrival => ({
      message,
      problem,
      envelopeFrom: readAddress(incoming.envelopeFrom),
      receivedAt: incoming.receivedAt,
      authentication,
      mailboxes: recipientMailboxes(incoming, resolved, mailboxes).map(({ mailbox }) => mailbox),
    }))
    const judged = await judgeArrivals(db, organisation, arrivals, tx)
    const profiles = await profileIds(
      db,
      tx,
      judged.map(({ sender }) => sender),
    )
    const ids = await storeMessages(db, tx, read, judged, profiles)
    await countSenders(
      db,
      tx,
      judged.map(({ sender }) => sender),
    )
    return storeDeliveries(db, tx, { organisation, read, judged, ids, resolved, mailboxes, options })
  })
}

export async function readIncoming(
  incoming: Incoming,
  policy: Pick<OrganisationPolicy, 'trustedHosts' | 'gateways' | 'arcSealers'>,
  { read = readMessage, authenticate }: IntakeOptions,
): Promise<Read> {
  const { parsed, reading, cluster } = await read(incoming.raw)
  if (!parsed.ok)
    return {
      incoming,
      message: null,
      reading,
      cluster,
      problem: parsed.problem.code,
      authentication: noAuthentication,
    }
  const message = parsed.value
  const { raw, envelopeFrom, connection = nobody, receivedAt: now } = incoming
  const authentication = await findAuthentication(
    { raw, message, envelopeFrom, connection, now },
    policy,
    authenticate,
  )
  return { incoming, message, reading, cluster, problem: null, authentication }
}

const nobody: Connection = { ip: '', helo: '' }

export function readAddress(text: string): Address | null {
  const parsed = parseAddress(text)
  return parsed.ok ? parsed.value : null
}

/** RFC 5321 §4.5.1: 'postmaster' without a domain is ours. */
async function withDomain(db: Database, recipient: string, tx?: Tx): Promise<string> {
  if (!/^postmaster$/i.test(recipient)) return recipient
  const organisation = await findOrganisation(db, tx)
  return `postmaster@${organisation?.policy.ownDomains[0] ?? 'invalid'}`
}

/** Which mailbox each address belongs to, aliases and tags resolved; unknown addresses are absent. */
export async function resolveRecipients(
  db: Database,
  recipients: readonly string[],
  tx?: Tx,
): Promise<ReadonlyMap<string, number>> {
  const texts = new Map<string, string>()
  for (const recipient of recipients) {
    const address = readAddress(await withDomain(db, recipient, tx))
    if (address) texts.set(recipient, addressText(withoutTag(address)))
  }
  if (texts.size === 0) return new Map()
  const rows = await select<{ address: string; mailbox_id: number }>(
    db,
    'SELECT address, mailbox_id FROM mailbox_addresses WHERE address IN (:texts)',
    { texts: [...new Set(texts.values())] },
    tx,
  )
  const known = new Map(rows.map(row => [row.address, row.mailbox_id]))
  // RFC 5321 §4.5.1: postmaster is always there, whatever its case; somebody reads it.
  for (const [recipient, text] of texts)
    if (/^postmaster(@|$)/i.test(recipient) && !known.has(text)) {
      const postmaster = await findPostmaster(db, text.slice(text.indexOf('@') + 1), tx)
      if (postmaster !== null) known.set(text, postmaster)
    }
  return new Map(
    [...texts].flatMap(([recipient, text]) => {
      const id = known.get(text)
      return id === undefined ? [] : [[recipient, id] as const]
    }),
  )
}

/** The mailbox that gets what is sent to postmaster at one of our domains: the one named for it, else the first. */
async function findPostmaster(db: Database, domain: string, tx?: Tx): Promise<number | null> {
  const organisation = await findOrganisation(db, tx)
  if (!organisation?.policy.ownDomains.includes(domain)) return null
  const row = await findRow<{ id: number }>(
    db,
    `SELECT b.id FROM mailboxes b LEFT JOIN mailbox_addresses a ON a.mailbox_id = b.id AND a.address = :wanted
     ORDER BY a.address IS NULL, b.id LIMIT 1`,
    { wanted: organisation.postmaster ?? '' },
    tx,
  )
  return row?.id ?? null
}

/** One delivery a mailbox, with the address that was really used; the same mailbox twice counts once. */
function recipientMailboxes(
  { recipients }: Incoming,
  resolved: ReadonlyMap<string, number>,
  mailboxes: ReadonlyMap<number, MailboxRow>,
): readonly { mailbox: MailboxRow; addressUsed: string }[] {
  const found = new Map<number, { mailbox: MailboxRow; addressUsed: string }>()
  for (const addressUsed of recipients) {
    const mailbox = mailboxes.get(resolved.get(addressUsed) ?? 0)
    if (mailbox && !found.has(mailbox.id)) found.set(mailbox.id, { mailbox, addressUsed })
  }
  return [...found.values()]
}

async function storeMessages(
  db: Database,
  tx: Tx,
  read: readonly Read[],
  judged: readonly Judged[],
  profiles: readonly number[],
): Promise<readonly number[]> {
  const ids = await insert(
    db,
    'messages',
    read.map(({ incoming, message, problem }, i): Row => ({
      direction: 'in',
      received_at: incoming.receivedAt,
      message_id_hash: message?.messageId ? hashMessageId(message.messageId) : null,
      envelope_from: incoming.envelopeFrom.slice(0, 320),
      ...shownFrom(message),
      size: incoming.raw.length,
      client_ip: (incoming.connection?.ip ?? '').slice(0, 45),
      client_helo: (incoming.connection?.helo ?? '').slice(0, 255),
      sender_facts: judged[i]?.sender,
      profile_id: profiles[i],
      harm: judged[i]?.harm ?? null,
      bulk: judged[i]?.bulk ?? false,
      unreadable: problem,
    })),
    tx,
  )
  await insert(
    db,
    'message_sources',
    read.map(({ incoming }, i) => ({ message_id: ids[i], gzip: gzipSync(incoming.raw, { level: 4 }) })),
    tx,
  )
  await insert(
    db,
    'message_readings',
    read.flatMap(({ reading }, i) => (reading ? [{ message_id: ids[i], gzip: packReading(reading) }] : [])),
    tx,
  )
  await indexMessages(
    db,
    tx,
    read.map(({ message }, i) => ({ id: ids[i] ?? 0, message })),
  )
  await insert(
    db,
    'message_senders',
    judged.flatMap(({ sender }, i) => senderRows(ids[i] ?? 0, sender)),
    tx,
  )
  return ids
}

function senderRows(messageId: number, { from, envelopeFrom, sender, listId }: SenderFacts): readonly Row[] {
  const row = (place: string, n: number, domain: string, address: string): Row => ({
    message_id: messageId,
    place,
    n,
    domain_key: domainKey(domain).slice(0, 260),
    address: address.slice(0, 320),
  })
  const of = (place: string, address: Address | null, n = 0) =>
    address ? [row(place, n, address.domain, addressText(withoutTag(address)))] : []
  return [
    ...from.slice(0, 50).flatMap((address, n) => of('from', address, n)),
    ...of('envelope', envelopeFrom),
    ...of('sender', sender),
    // A list id is looked up by its own text; its "domain" would match domain patterns.
    ...(listId === null ? [] : [{ ...row('list', 0, '', `<${listId}>`), domain_key: '' }]),
  ]
}

async function countSenders(db: Database, tx: Tx, senders: readonly SenderFacts[]): Promise<void> {
  const counts = new Map<string, number>()
  for (const { from } of senders) {
    const first = from[0]
    if (!first) continue
    for (const key of seenKeys(first)) counts.set(key, (counts.get(key) ?? 0) + 1)
  }
  // In one order everywhere, so that two intakes wait for each other instead of deadlocking.
  for (const [sender, n] of [...counts].sort(([a], [b]) => (a < b ? -1 : 1))) {
    await execute(
      db,
      'INSERT INTO senders_seen (sender, n) VALUES (:sender, :n) ON DUPLICATE KEY UPDATE n = n + :n',
      { sender, n },
      tx,
    )
  }
}

interface ToStore {
  readonly organisation: Organisation
  readonly read: readonly Read[]
  readonly judged: readonly Judged[]
  readonly ids: readonly number[]
  readonly resolved: ReadonlyMap<string, number>
  readonly mailboxes: ReadonlyMap<number, MailboxRow>
  readonly options: IntakeOptions
}

async function storeDeliveries(
  db: Database,
  tx: Tx,
  { organisation, read, judged, ids, resolved, mailboxes, options }: ToStore,
): Promise<readonly TakenIn[]> {
  const rows: Row[] = []
  const judgements: JudgedDelivery[] = []
  read.forEach(({ incoming, message, cluster: known }, i) => {
    const used = new Map(
      recipientMailboxes(incoming, resolved, mailboxes).map(r => [r.mailbox.id, r.addressUsed]),
    )
    const cluster = known || clusterKey({ subject: '', text: '', messageId: `unreadable ${ids[i]}` })
    const lookInside = options.lab === true && (message?.attachments.some(isWorthInspecting) ?? false)
    for (const delivery of judged[i]?.deliveries ?? []) {
      judgements.push(delivery)
      const rank = reviewRank({ ...delivery, limits: mailboxPolicy(delivery.mailbox, organisation).limits })
      rows.push({
        message_id: ids[i],
        mailbox_id: delivery.mailbox.id,
        address_used: (used.get(delivery.mailbox.id) ?? '').slice(0, 320),
        ...timesOf(incoming.receivedAt, organisation),
        ...placeOf(delivery, options, lookInside),
        score: delivery.score,
        rule_id: delivery.rules[0]?.id ?? null,
        rule_says: delivery.rules[0]?.place ?? null,
        folder: folderOf(delivery),
        left_out: delivery.decision.leftOut,
        ...shownFrom(message),
        reasons: reasonsOf(delivery),
        attachments: Math.min(255, message?.attachments.filter(a => !a.inline).length ?? 0),
        cluster_key: cluster,
        rank_base: rank,
        rank_score: rank,
      })
    }
  })
  const clusters = await growClusters(
    db,
    tx,
    countBy(rows, row => row.cluster_key as string),
  )
  const ranked = rows.map(row => {
    const { deliveries = 1, shift = 0 } = clusters.get(row.cluster_key as string) ?? {}
    return { ...row, rank_score: (row.rank_base as number) + crowdShift(deliveries) + shift }
  })
  const deliveryIds = await insert(db, 'deliveries', ranked, tx)
  await insert(
    db,
    'delivery_judgements',
    judgements.map(({ evidence, path }, i) => ({
      delivery_id: deliveryIds[i],
      evidence: byWeight(evidence),
      path,
    })),
    tx,
  )
  await noteMatches(
    db,
    tx,
    judgements.map(({ decision }, i) => ({
      deliveryId: deliveryIds[i] ?? 0,
      path: decision.path,
      at: rows[i]?.received_at as Date,
      day: rows[i]?.received_day as string,
    })),
  )
  const stored = rows.map((row, i) => ({
    id: deliveryIds[i] ?? 0,
    messageId: row.message_id,
    mailboxId: row.mailbox_id as number,
    state: row.state as string,
    boundFor: row.bound_for as string | null,
    at: row.received_at as Date,
  }))
  const inspected = [
    ...new Set(stored.filter(({ state }) => state === 'inspecting').map(({ messageId }) => messageId)),
  ]
  await insert(
    db,
    'inspections',
    inspected.map(messageId => ({
      message_id: messageId,
      next_at: read[ids.indexOf(messageId as number)]?.incoming.receivedAt,
      tickets: [],
    })),
    tx,
  )
  if (options.onward === 'queue') {
    await insert(
      db,
      'enquiry_queue',
      stored.map(({ id }) => ({ delivery_id: id })),
      tx,
    )
    const onward = stored.filter(({ boundFor, state }) => boundFor !== null && state === 'deferred')
    await enqueue(
      db,
      tx,
      'delivery',
      onward.map(({ id, boundFor, at }) => ({ subjectId: id, place: boundFor ?? '', at })),
    )
    const at = stored[0]?.at
    if (at)
      await announce(
        db,
        tx,
        at,
        stored.map(({ id, state }) => ({ kind: 'came-in', deliveryId: id, state: state as 'inbox', by: '' })),
      )
  }
  return ids.map(messageId => ({
    messageId,
    deliveries: stored
      .filter(s => s.messageId === messageId)
      .map(({ id, mailboxId, state }) => ({ id, mailboxId, state })),
  }))
}

function countBy<T>(items: readonly T[], keyOf: (item: T) => string): ReadonlyMap<string, number> {
  const counts = new Map<string, number>()
  for (const item of items) counts.set(keyOf(item), (counts.get(keyOf(item)) ?? 0) + 1)
  return counts
}

function timesOf(receivedAt: Date, { timeZone, keepDays }: Organisation) {
  return {
    received_at: receivedAt,
    received_day: dayOf(receivedAt.getTime(), timeZone),
    expires_at: new Date(expiryOf(receivedAt.getTime(), keepDays)),
  }
}

/** What goes on is `deferred` until the mail store has it; what is kept back is where it was judged to be. */
function placeOf(
  { decision: { state } }: JudgedDelivery,
  { onward }: IntakeOptions,
  lookInside: boolean,
): { state: string; bound_for: string | null } {
  if (lookInside && state !== 'sealed') return { state: 'inspecting', bound_for: state }
  const goesOn = state === 'inbox' || state === 'aside' || state === 'moved' || state === 'junk'
  return onward === 'queue' && goesOn ? { state: 'deferred', bound_for: state } : { state, bound_for: null }
}

/** The named folder a mail rule puts it in; `null` when it goes elsewhere. */
const folderOf = ({ decision, rules }: JudgedDelivery): string | null =>
  decision.state === 'moved' ? (rules[0]?.folder ?? null) : null

/** What the row of the list says about why: what decided, else the heaviest evidence towards junk. */
function reasonsOf({
  path,
  evidence,
}: JudgedDelivery): readonly { finding: string; facts: Evidence['facts'] }[] {
  const decided = path.find(({ outcome }) => outcome === 'decided')
  if (decided?.stage === 'harm') return [{ finding: 'harm', facts: decided.facts }]
  if (decided?.stage === 'rules')
    return [{ finding: 'mail-rule', facts: { rule: decided.rules?.[0]?.name ?? '' } }]
  if (decided?.decided)
    return [{ finding: `entry-${decided.decided.standing}`, facts: { pattern: decided.decided.pattern } }]
  return byWeight(evidence)
    .filter(({ weight, finding }) => weight > 0 && finding !== 'starting-point')
    .slice(0, 2)
    .map(({ finding, facts }) => ({ finding, facts }))
}
