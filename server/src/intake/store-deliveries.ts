import { clusterKey } from '@pendro/core/clusters'
import type { DeliveryState, JudgedState } from '@pendro/core/delivery'
import { byWeight, crowdShift, reviewRank, type Decision } from '@pendro/core/judgement'
import { dayOf } from '@pendro/core/calendar'
import { expiryOf } from '@pendro/core/keeping'
import { settleRules } from '@pendro/core/mail-rules'
import { isWorthInspecting } from '@pendro/core/message'
import type { Database, Tx } from '../db/database.ts'
import type { NewRowOf } from '../db/models/columns.ts'
import type { Reason } from '../db/models/shapes.ts'
import { Deliveries, DeliveryJudgements } from '../db/models/deliveries.ts'
import { Inspections } from '../db/models/messages.ts'
import { EnquiryQueue } from '../db/models/whereabouts.ts'
import { idAt, insert } from '../db/rows.ts'
import { mailboxPolicy, type Organisation } from '../db/organisation.ts'
import { keepingsOf, type KeepingOf } from '../deliveries/expiry.ts'
import { joinClusters } from '../judging/cluster-texts.ts'
import { growClusters } from '../judging/clusters.ts'
import { pointsOf, type Judged, type JudgedDelivery } from '../judging/judge.ts'
import { announce } from '../live/events.ts'
import { enqueue } from '../outbox/queue.ts'
import { shownFrom } from '../reading/shown-from.ts'
import { noteMatches } from '../lists/matches.ts'
import type { Read } from './incoming.ts'
import type { Recipient } from './recipients.ts'

/** 'queue': what may go on is queued for the mail store. 'history': it went on long ago. */
export type Onward = 'queue' | 'history'

/** A message that has its row, with what was judged for each of its mailboxes. */
export interface StoredMessage {
  readonly id: number
  readonly read: Read
  readonly judged: Judged
  readonly recipients: readonly Recipient[]
}

interface Terms {
  readonly organisation: Organisation
  readonly onward: Onward
  /** There is an attachment lab: what it should look at waits as `inspecting`. */
  readonly lab: boolean
}

interface NewDelivery {
  readonly messageId: number
  readonly mailboxId: number
  readonly state: DeliveryState
  readonly boundFor: Exclude<JudgedState, 'sealed'> | null
  readonly receivedAt: Date
  readonly day: string
  readonly cluster: string
  readonly rank: number
  readonly judged: JudgedDelivery
  /** Columns that nothing else here looks at. */
  readonly columns: Pick<
    NewRowOf<typeof Deliveries>,
    | 'address_used'
    | 'expires_at'
    | 'score'
    | 'rule_holds'
    | 'rule_places'
    | 'important'
    | 'folder'
    | 'left_out'
    | 'from_name'
    | 'from_address'
    | 'subject'
    | 'reasons'
    | 'points'
    | 'attachments'
    | 'would'
  >
}

export interface StoredDelivery extends NewDelivery {
  readonly id: number
}

/** The one writer of new deliveries: the rows, what was judged, which entries they met, and what follows from them. */
export async function storeDeliveries(
  db: Database,
  tx: Tx,
  messages: readonly StoredMessage[],
  terms: Terms,
): Promise<readonly StoredDelivery[]> {
  const keepingOf = await keepingsOf(
    db,
    terms.organisation,
    messages.flatMap(({ judged }) => judged.deliveries.map(({ mailbox }) => mailbox)),
    tx,
  )
  const clusterOf = await findClusters(db, tx, messages)
  const deliveries = messages.flatMap(message =>
    message.judged.deliveries.map(judged =>
      newDelivery(message, judged, clusterOf(message), terms, keepingOf),
    ),
  )
  const clusters = await growClusters(
    db,
    tx,
    countBy(deliveries, ({ cluster }) => cluster),
  )
  const ids = await insert(
    db,
    Deliveries,
    deliveries.map(delivery => {
      const { deliveries: alike = 1, shift = 0 } = clusters.get(delivery.cluster) ?? {}
      return rowOf(delivery, crowdShift(alike) + shift)
    }),
    tx,
  )
  const stored = deliveries.map((delivery, i) => ({ ...delivery, id: idAt(ids, i) }))
  await insert(
    db,
    DeliveryJudgements,
    stored.map(({ id, judged: { evidence, weights, path } }) => ({
      delivery_id: id,
      evidence: byWeight(evidence),
      path,
      weights,
    })),
    tx,
  )
  await noteMatches(
    db,
    tx,
    stored.map(({ id, judged, receivedAt: at, day }) => ({
      deliveryId: id,
      path: judged.decision.path,
      at,
      day,
    })),
  )
  await sendToLab(db, tx, stored)
  if (terms.onward === 'queue') await setGoing(db, tx, stored)
  return stored
}

/** The cluster each message is of. */
async function findClusters(
  db: Database,
  tx: Tx,
  messages: readonly StoredMessage[],
): Promise<(message: StoredMessage) => string> {
  const found = await joinClusters(
    db,
    tx,
    messages.flatMap(({ read }) => read.likeness ?? []),
    messages[0]?.read.incoming.receivedAt ?? new Date(0),
  )
  return ({ id, read }) =>
    found.get(read.likeness?.key ?? '') ??
    // What can't be read is like nothing else.
    clusterKey({ subject: '', text: '', messageId: `unreadable ${id}` })
}

function newDelivery(
  { id, read, recipients }: StoredMessage,
  judged: JudgedDelivery,
  cluster: string,
  terms: Terms,
  keepingOf: KeepingOf,
): NewDelivery {
  const { organisation } = terms
  const { message, incoming } = read
  const { mailbox, decision, score, rules } = judged
  const says = settleRules(rules)
  const attached = message?.attachments.filter(({ inline }) => !inline).length ?? 0
  const receivedAt = incoming.receivedAt
  const place = placeOf(decision.state, terms, message?.attachments.some(isWorthInspecting) ?? false)
  // What waits or is on its way is kept, if it is, as long as where it is bound for.
  const state = place.boundFor ?? place.state
  return {
    messageId: id,
    mailboxId: mailbox.id,
    ...place,
    receivedAt,
    day: dayOf(receivedAt.getTime(), organisation.timeZone),
    cluster,
    rank: reviewRank({ ...judged, limits: mailboxPolicy(mailbox, organisation).limits }),
    judged,
    columns: {
      address_used: (recipients.find(one => one.mailbox.id === mailbox.id)?.addressUsed ?? '').slice(0, 320),
      expires_at: new Date(
        expiryOf({ state, receivedAt: receivedAt.getTime(), keptUntil: null }, keepingOf(mailbox)),
      ),
      score,
      rule_holds: says.hold?.hold ?? null,
      rule_places: says.place?.place ?? null,
      important: decision.important,
      folder: decision.state === 'moved' ? decision.folder : null,
      left_out: decision.leftOut,
      would: wouldBe(decision),
      ...shownFrom(message),
      reasons: reasonsOf(judged),
      points: pointsOf(judged).direction,
      attachments: Math.min(255, attached),
    },
  }
}

const rowOf = (
  { messageId, mailboxId, state, boundFor, receivedAt, day, cluster, rank, columns }: NewDelivery,
  shift: number,
): NewRowOf<typeof Deliveries> => ({
  message_id: messageId,
  mailbox_id: mailboxId,
  state,
  bound_for: boundFor,
  received_at: receivedAt,
  received_day: day,
  cluster_key: cluster,
  rank_base: rank,
  rank_score: rank + shift,
  ...columns,
})

/** What the lab should look at, each message once. */
async function sendToLab(db: Database, tx: Tx, stored: readonly StoredDelivery[]): Promise<void> {
  const waiting = new Map(
    stored
      .filter(({ state }) => state === 'inspecting')
      .map(({ messageId, receivedAt }) => [messageId, receivedAt]),
  )
  await insert(
    db,
    Inspections,
    [...waiting].map(([messageId, at]) => ({ message_id: messageId, next_at: at, tickets: [] })),
    tx,
  )
}

/** What follows a delivery that has just come in: questions that may ask for it, the mail store, the open screens. */
async function setGoing(db: Database, tx: Tx, stored: readonly StoredDelivery[]): Promise<void> {
  const [first] = stored
  if (!first) return
  await insert(
    db,
    EnquiryQueue,
    stored.map(({ id }) => ({ delivery_id: id })),
    tx,
  )
  await enqueue(
    db,
    tx,
    'delivery',
    stored
      .filter(({ state }) => state === 'deferred')
      .map(({ id, boundFor, receivedAt: at }) => ({ subjectId: id, place: boundFor ?? '', at })),
  )
  await announce(
    db,
    tx,
    first.receivedAt,
    stored.map(({ id, state }) => ({ kind: 'came-in', deliveryId: id, state, by: '' })),
  )
}

function countBy<T>(items: readonly T[], keyOf: (item: T) => string): ReadonlyMap<string, number> {
  const counts = new Map<string, number>()
  for (const item of items) counts.set(keyOf(item), (counts.get(keyOf(item)) ?? 0) + 1)
  return counts
}

/** What goes on is `deferred` until the mail store has it; what is kept back is where it was judged to be. */
function placeOf(
  state: JudgedState,
  { onward, lab }: Terms,
  isWorthALook: boolean,
): Pick<NewDelivery, 'state' | 'boundFor'> {
  if (lab && isWorthALook && state !== 'sealed') return { state: 'inspecting', boundFor: state }
  const goesOn = state === 'inbox' || state === 'aside' || state === 'moved' || state === 'junk'
  return onward === 'queue' && goesOn ? { state: 'deferred', boundFor: state } : { state, boundFor: null }
}

/** Only what a mailbox that is watched would have kept back. */
const wouldBe = ({ would }: Decision): 'junk' | 'quarantined' | 'discarded' | null =>
  would === 'junk' || would === 'quarantined' || would === 'discarded' ? would : null

/** What the row of the list says about why: what decided, else the heaviest evidence towards junk. */
function reasonsOf({ path, evidence }: JudgedDelivery): readonly Reason[] {
  const decided = path.find(({ outcome }) => outcome === 'decided')
  if (decided?.stage === 'harm') return [{ finding: 'harm', facts: decided.facts }]
  if (decided?.stage === 'rules')
    return [
      {
        finding: decided.rules?.[0]?.owner === 'organisation' ? 'organisation-rule' : 'mail-rule',
        facts: { rule: decided.rules?.[0]?.name ?? '' },
      },
    ]
  if (decided?.decided)
    return [{ finding: `entry-${decided.decided.standing}`, facts: { pattern: decided.decided.pattern } }]
  return byWeight(evidence)
    .filter(({ weight, finding }) => weight > 0 && finding !== 'starting-point')
    .slice(0, 2)
    .map(({ finding, facts }) => ({ finding, facts }))
}
