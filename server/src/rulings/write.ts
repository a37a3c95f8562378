import type { RulingSentence } from '@pendro/contract'
import { transitions, type PlannedMove } from '@pendro/core/delivery'
import { insertRuling, noteDeliveries } from '../acts/ruling-rows.ts'
import type { Database, Tx } from '../db/database.ts'
import { moveDeliveries } from '../deliveries/move.ts'
import { shiftClusters } from '../judging/clusters.ts'
import { writeAsks, type Ask } from '../lists/ask.ts'
import { changeLists, type ListChange } from '../lists/change.ts'
import { askUpkeep } from '../lists/upkeep-asked.ts'
import { announce } from '../live/events.ts'
import { enqueue } from '../outbox/queue.ts'
import { moveBlocked } from '../stores/blocking.ts'
import { writeRecord, type Actor, type RecordLine } from '../record/write.ts'
import { makeInboxRules, type InboxRule } from './inbox-rules.ts'
import { learn, type Teaching, type Verdict } from './learning.ts'

/** Who makes a ruling: as its row has them, and as the record names them. */
export interface RuledBy {
  readonly actor: Actor
  readonly columns: { readonly staffer_id: number | null; readonly colleague_id?: number | null }
}

/** An act of a person as plain data: what it does to deliveries, lists and what is learned, and what is said of it. */
export interface RulingPlan {
  /** Of the client: the same one twice is one act. */
  readonly token: string
  readonly by: RuledBy
  readonly at: Date
  readonly sentence: RulingSentence
  /** What becomes of each delivery; one that stays where it is is noted, too. */
  readonly moves: readonly PlannedMove[]
  readonly lists: ListChange | null
  /** What the stewards are asked for. */
  readonly asks?: readonly Ask[]
  readonly lesson: Lesson | null
  /** Mail rules made with it. */
  readonly rules?: readonly InboxRule[]
  readonly record: RecordLine
}

interface Lesson {
  readonly verdict: Verdict
  readonly teachings: readonly Teaching[]
  /** Texts that are ranked anew with it. */
  readonly clusters: readonly string[]
}

/** What was written: the ruling's number, and the entries it made. */
export interface WrittenRuling {
  readonly id: number
  readonly added: Awaited<ReturnType<typeof changeLists>>
}

/**
 * The one place that carries out an act of a person, in the caller's transaction: row, deliveries, outbox, lists, lesson,
 * record and news, all of it or nothing. The caller has locked what the plan was made from.
 */
export async function writeRuling(db: Database, tx: Tx, plan: RulingPlan): Promise<WrittenRuling> {
  const { token, by, at, sentence, moves, lists, asks = [], lesson, rules = [], record } = plan
  const id = await insertRuling(db, tx, { token, by: by.columns, at, sentence })
  const added = lists === null ? [] : await changeLists(db, tx, id, lists)
  await noteDeliveries(db, tx, id, moves)
  await carryOut(db, tx, plan)
  if (lesson !== null) {
    await learn(db, tx, id, lesson.verdict, lesson.teachings)
    await shiftClusters(db, tx, lesson.clusters, lesson.verdict, 1)
  }
  if (rules.length > 0) await makeInboxRules(db, tx, id, rules, at)
  if (takesOutOfSight(sentence))
    await moveBlocked(db, tx, { rulingId: id, deliveries: moves.map(move => move.id), at })
  const entry = added[0]?.id ?? lists?.end[0]?.id ?? 0
  await writeRecord(db, tx, [{ ...record, at, by: by.actor, rulingId: id, reason: sentence.reason, entry }])
  await writeAsks(db, tx, asks, { by: by.actor, at, reason: sentence.reason, rulingId: id })
  await tell(db, tx, plan)
  return { id, added }
}

/** Whoever blocks a sender for a colleague has the message at hand taken out of sight, too, unless the sentence says otherwise of it. */
export const takesOutOfSight = ({ message, sender, for: whom }: RulingSentence): boolean =>
  message === 'leave' && sender === 'blocked' && whom === 'colleague'

/** A part of a ruling that is under way: more of its deliveries, and what is learned from them. */
export async function continueRuling(
  db: Database,
  tx: Tx,
  id: number,
  part: Pick<RulingPlan, 'by' | 'at' | 'sentence' | 'moves' | 'lesson'>,
): Promise<void> {
  const { by, at, moves, lesson } = part
  await noteDeliveries(db, tx, id, moves)
  await carryOut(db, tx, part)
  if (lesson !== null) {
    await learn(db, tx, id, lesson.verdict, lesson.teachings)
    await shiftClusters(db, tx, lesson.clusters, lesson.verdict, 1)
  }
  // One word for all of them: thousands would drown the others' news.
  await announce(db, tx, at, [{ kind: 'ruled', deliveryId: null, state: null, by: by.actor.name }])
}

async function carryOut(
  db: Database,
  tx: Tx,
  { sentence: { message }, moves, at }: Pick<RulingPlan, 'sentence' | 'moves' | 'at'>,
): Promise<void> {
  if (message === 'leave' || moves.length === 0) return
  await moveDeliveries(
    db,
    tx,
    message,
    moves.map(move => ({ ...move, boundFor: move.to === 'deferred' ? 'released' : null })),
  )
  if (transitions[message].queues)
    await enqueue(
      db,
      tx,
      'delivery',
      moves.map(({ id }) => ({ subjectId: id, place: 'released', at })),
      // A job that ended in a refusal makes room for a new try.
      { again: true },
    )
}

async function tell(db: Database, tx: Tx, { by, at, moves, lists, rules = [] }: RulingPlan): Promise<void> {
  const { name } = by.actor
  await announce(db, tx, at, [
    ...moves.map(({ id, to }) => ({ kind: 'ruled' as const, deliveryId: id, state: to, by: name })),
    ...(rules.length === 0 ? [] : [{ kind: 'mailbox' as const, deliveryId: null, state: null, by: name }]),
    ...(lists === null ? [] : [{ kind: 'senders' as const, deliveryId: null, state: null, by: name }]),
  ])
  if (lists !== null) await askUpkeep(db, tx, at)
}
