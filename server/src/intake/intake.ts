import type { SenderFacts } from '@pendro/core/senders'
import { execute, inTransaction, isBusy, type Database, type Tx } from '../db/database.ts'
import { mailboxRows, readOrganisation, type Organisation } from '../db/organisation.ts'
import { isDatabaseAway } from '../errors.ts'
import { createBatches } from '../jobs/batches.ts'
import { seenKeys } from '../judging/knowledge.ts'
import { judgeArrivals, type Judged } from '../judging/judge.ts'
import type { Authenticate } from '../reading/authenticate.ts'
import type { Reader } from '../reading/reader.ts'
import type { readMessage } from '../reading/reading.ts'
import { readIncoming, type Incoming, type Read } from './incoming.ts'
import { readAddress, recipientMailboxes, resolveRecipients, type Recipient } from './recipients.ts'
import { storeDeliveries, type Onward, type StoredDelivery } from './store-deliveries.ts'
import { storeMessages } from './store-messages.ts'

export interface TakenIn {
  readonly messageId: number
  readonly deliveries: readonly { readonly id: number; readonly mailboxId: number; readonly state: string }[]
}

export interface IntakeOptions {
  readonly onward: Onward
  /** Reads the bytes; worker threads with a deadline in the server, so that no message holds up the rest. */
  readonly read?: typeof readMessage
  /** The same for messages attached to a report. */
  readonly attachedMessages?: Reader['attachedMessages']
  /** The same for delivery status notifications of the mail store. */
  readonly statusNotification?: Reader['statusNotification']
  /** Own checks of messages that no listed gateway has checked; without it they count as not authenticated. */
  readonly authenticate?: Authenticate
  /** There is an attachment lab: what it should look at waits as `inspecting`. */
  readonly lab?: boolean
}

/**
 * Takes in a batch of messages: reads and judges them, and stores them with their deliveries in one transaction.
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
  return storeJudged(db, await judgeRead(db, read), options)
}

/** Messages of one transaction at most; more do not make it faster, and a client waits for all of them. */
const mostTogether = 64

/** Milliseconds a message waits for others that are being read at the same moment; alone it waits for none. */
const gatherFor = 40

/** The intake of a server: each message is read for itself, and those that are ready together are judged and stored together. */
export function createIntake(
  db: Database,
  { onward, lab }: Pick<IntakeOptions, 'onward' | 'lab'>,
  isMoreComing: () => boolean,
): (read: Read) => Promise<TakenIn> {
  return createBatches({
    most: mostTogether,
    gather: { isMoreComing, atMost: gatherFor },
    run: async read => storeJudged(db, await judgeRead(db, read), { onward, lab }),
    isEverybodys: error => isDatabaseAway(error) || isBusy(error),
  })
}

/** A message that has been read, whose it is, and what became of it. */
interface JudgedRead {
  readonly read: Read
  readonly judged: Judged
  readonly recipients: readonly Recipient[]
  readonly organisation: Organisation
}

/** Judges messages by what is committed: those that are stored meanwhile are as new to them as they are to each other. */
async function judgeRead(db: Database, read: readonly Read[]): Promise<readonly JudgedRead[]> {
  const organisation = await readOrganisation(db)
  const recipients = await recipientsOf(db, read)
  const judged = await judge(db, organisation, read, recipients)
  return read.map((one, i) => ({
    read: one,
    judged: judged[i] as Judged,
    recipients: recipients[i] ?? [],
    organisation,
  }))
}

/** Stores messages with their deliveries, in one transaction. */
function storeJudged(
  db: Database,
  all: readonly JudgedRead[],
  { onward, lab = false }: Pick<IntakeOptions, 'onward' | 'lab'>,
): Promise<readonly TakenIn[]> {
  // Of a setting that has just been changed what was read last counts.
  const { organisation } = all.at(-1) ?? {}
  if (!organisation) return Promise.resolve([])
  return inTransaction(db, async tx => {
    const ids = await storeMessages(
      db,
      tx,
      all.map(({ read, judged }) => newMessage(read, judged)),
    )
    await countSenders(
      db,
      tx,
      all.map(({ judged }) => judged.sender),
    )
    const messages = all.map((one, i) => ({ ...one, id: ids[i] ?? 0 }))
    const stored = await storeDeliveries(db, tx, messages, { organisation, onward, lab })
    return ids.map(messageId => takenIn(messageId, stored))
  })
}

async function recipientsOf(db: Database, read: readonly Read[]) {
  const all = [...new Set(read.flatMap(({ incoming }) => incoming.recipients))]
  const resolved = await resolveRecipients(db, all)
  const mailboxes = await mailboxRows(db, [...new Set(resolved.values())])
  return read.map(({ incoming }) => recipientMailboxes(incoming.recipients, resolved, mailboxes))
}

const judge = (
  db: Database,
  organisation: Organisation,
  read: readonly Read[],
  recipients: Awaited<ReturnType<typeof recipientsOf>>,
) =>
  judgeArrivals(
    db,
    organisation,
    read.map(({ incoming, message, problem, authentication }, i) => ({
      message,
      problem,
      envelopeFrom: readAddress(incoming.envelopeFrom),
      receivedAt: incoming.receivedAt,
      size: incoming.raw.length,
      authentication,
      mailboxes: (recipients[i] ?? []).map(({ mailbox }) => mailbox),
    })),
  )

const newMessage = (
  { incoming, message, packed, problem, language }: Read,
  { sender, harm, bulk }: Judged,
) => ({
  direction: 'in' as const,
  receivedAt: incoming.receivedAt,
  message,
  envelopeFrom: incoming.envelopeFrom,
  size: incoming.raw.length,
  packed,
  connection: incoming.connection,
  sender,
  harm: harm && { ...harm },
  bulk,
  unreadable: problem,
  language,
})

const takenIn = (messageId: number, stored: readonly StoredDelivery[]): TakenIn => ({
  messageId,
  deliveries: stored
    .filter(one => one.messageId === messageId)
    .map(({ id, mailboxId, state }) => ({ id, mailboxId, state })),
})

/** How often each address and domain has written; one statement for the batch. */
async function countSenders(db: Database, tx: Tx, senders: readonly SenderFacts[]): Promise<void> {
  const counts = new Map<string, number>()
  for (const sender of senders) {
    for (const key of seenKeys(sender)) counts.set(key, (counts.get(key) ?? 0) + 1)
  }
  if (counts.size === 0) return
  // In one order everywhere, so that two intakes wait for each other instead of deadlocking.
  const sorted = [...counts].sort(([a], [b]) => (a < b ? -1 : 1))
  await execute(
    db,
    `INSERT INTO senders_seen (sender, n) VALUES ${sorted.map((_, i) => `(:s${i}, :n${i})`).join(',')}
     ON DUPLICATE KEY UPDATE n = n + VALUES(n)`,
    Object.fromEntries(
      sorted.flatMap(([sender, n], i) => [
        [`s${i}`, sender],
        [`n${i}`, n],
      ]),
    ),
    tx,
  )
}
