import type { RulingSentence } from '@pendro/contract'
import { planMoves, type PlannedMove } from '@pendro/core/delivery'
import { findToken } from '../acts/ruling-rows.ts'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { Rulings } from '../db/models/rulings.ts'
import { Selections } from '../db/models/selections.ts'
import { readOrganisation } from '../db/organisation.ts'
import { findOne, update } from '../db/rows.ts'
import { within, type Scope } from '../db/scope.ts'
import { AppError } from '../errors.ts'
import { claim, giveBack } from '../jobs/claim.ts'
import { announce } from '../live/events.ts'
import { pendro, writeRecord } from '../record/write.ts'
import type { Reader } from '../reading/reader.ts'
import { ruledBy, type SignedIn } from '../sign-in/sessions.ts'
import { teachingsOf } from './learning.ts'
import { ruledDeliveries, type RuledDelivery } from './proposals.ts'
import { describeRuling, planSenders, refuseIdle, rulingFacts, type AppliedRuling } from './rulings.ts'
import { sendersOfSelection, takeOff, weighSelection } from './selections.ts'
import { undoPart } from './undo.ts'
import { continueRuling, writeRuling } from './write.ts'

interface Request {
  readonly who: SignedIn
  readonly selection: number
  readonly sentence: RulingSentence
  readonly token: string
  readonly now: Date
}

/**
 * Begins a ruling on everything that was selected: row, lists, requests and record at once; the deliveries follow in parts
 * (`workSelections`), so that nobody's mail waits for them. One undo takes back all of it, at any moment.
 */
export async function ruleOnSelection(db: Database, request: Request): Promise<AppliedRuling> {
  const { who, selection, sentence, token, now } = request
  refuseIdle(who, sentence)
  const work = async (tx: Tx): Promise<AppliedRuling> => {
    const organisation = await readOrganisation(db, tx)
    const row = await findOne(
      db,
      Selections,
      { id: selection, staffer_id: who.staffer.id },
      { tx, lock: true },
    )
    if (!row) throw new AppError('SELECTION_GONE')
    const context = { organisation, now }
    const before = await findToken(db, tx, token)
    if (before !== null) return describeRuling(db, tx, before, [], context)
    if (row.state !== 'open') throw new AppError('SELECTION_GONE')
    await refuseOutside(db, tx, selection, who.scope)
    await refuseImpossible(db, tx, selection, sentence)
    // Senders are few where messages are many: entries are made from one message of each.
    const ids = sentence.sender === 'as-is' ? [] : await sendersOfSelection(db, selection, sentence.for, tx)
    const samples = ids.length === 0 ? [] : await ruledDeliveries(db, ids, { tx })
    const senders = await planSenders(db, tx, request, { deliveries: samples, organisation })
    const about = await aboutWhat(db, tx, selection)
    const { id } = await writeRuling(db, tx, {
      token,
      by: ruledBy(who),
      at: now,
      sentence,
      moves: [],
      lists: senders.lists,
      asks: senders.asks,
      lesson: null,
      record: {
        act: 'ruling',
        facts: rulingFacts(sentence, senders, { deliveries: row.total, ...about }),
      },
    })
    await update(db, Selections, { state: 'ruling', ruling_id: id }, { id: selection }, tx)
    return describeRuling(db, tx, id, samples, context)
  }
  return inTransaction(db, work, { againOnDuplicate: true })
}

/** A mailbox that came to another department since the mail was selected is not theirs any more. */
async function refuseOutside(db: Database, tx: Tx, selection: number, scope: Scope): Promise<void> {
  const row = await findRow<{ id: number }>(
    db,
    `SELECT d.id FROM selection_deliveries x JOIN deliveries d ON d.id = x.delivery_id
     WHERE x.selection_id = :selection AND NOT ${within(scope, 'd.mailbox_id')} LIMIT 1`,
    { selection },
    tx,
  )
  if (row) throw new AppError('OUT_OF_SCOPE')
}

async function refuseImpossible(
  db: Database,
  tx: Tx,
  selection: number,
  { message, reason }: RulingSentence,
): Promise<void> {
  const { possible, against } = await weighSelection(db, tx, selection, message)
  if (possible === 0) throw new AppError('WRONG_STATE', { context: 'all' })
  if (against > 0 && reason === '') throw new AppError('NEEDS_REASON', { context: 'against' })
}

async function aboutWhat(db: Database, tx: Tx, id: number) {
  const first = await findRow<Pick<RuledDelivery, 'subject' | 'from_address'>>(
    db,
    `SELECT d.subject, d.from_address FROM selection_deliveries x JOIN deliveries d ON d.id = x.delivery_id
     WHERE x.selection_id = :id ORDER BY x.delivery_id LIMIT 1`,
    { id },
    tx,
  )
  const wide = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(DISTINCT d.mailbox_id) AS n FROM selection_deliveries x JOIN deliveries d ON d.id = x.delivery_id
     WHERE x.selection_id = :id`,
    { id },
    tx,
  )
  return { first, colleagues: wide?.n ?? 0 }
}

/** So many at a time: a transaction that nobody notices. */
const atOnce = 200
/** So many released copies may wait for the mail store before more are queued: new mail never waits behind thousands. */
const mostQueued = 400
const holdFor = 60_000
const table = { table: 'selections', key: 'id' } as const

interface Working {
  readonly now: Date
  readonly read: Reader['read']
}

/** Does the next part of what is being ruled on or undone; 1 when there was one. */
export async function workSelections(db: Database, working: Working): Promise<number> {
  const [next] = await claim<{ id: number; state: 'ruling' | 'undoing'; ruling_id: number }>(
    db,
    { ...table, columns: 'id, state, ruling_id', due: "state IN ('ruling', 'undoing')", order: 'id' },
    { at: working.now, holdFor, limit: 1 },
  )
  if (!next) return 0
  try {
    return next.state === 'ruling'
      ? await rulePart(db, next.id, next.ruling_id, working)
      : await undoPart(db, next.id, next.ruling_id, atOnce, working.now)
  } finally {
    await giveBack(db, table, [next.id])
  }
}

async function rulePart(db: Database, id: number, rulingId: number, { now, read }: Working): Promise<number> {
  const ruling = await findOne(db, Rulings, { id: rulingId }, { columns: ['sentence', 'staffer_id', 'at'] })
  if (!ruling) throw new Error(`selection ${id} is of ruling ${rulingId}, which is not there`)
  const { sentence } = ruling
  if (sentence.message === 'release' && (await isCrowded(db))) return 0
  const ids = await nextOf(db, id)
  if (ids.length === 0) return finish(db, id, rulingId, now)
  const teachings =
    sentence.learn === 'nothing' ? [] : await teachingsOf(db, await messagesToTeach(db, rulingId, ids), read)
  await inTransaction(db, async tx => {
    const row = await findOne(db, Selections, { id }, { columns: ['state'], tx, lock: true })
    // Undone meanwhile: what is left stays as it is.
    if (row?.state !== 'ruling') return
    const deliveries = await ruledDeliveries(db, ids, { tx, lock: true })
    const moves = deliveries.flatMap(delivery => moveOf(sentence, delivery))
    const moved = new Set(moves.map(move => move.id))
    const learned = deliveries.filter(delivery => moved.has(delivery.id))
    const taught = new Set(learned.map(({ message_id }) => message_id))
    const by = await nameOf(db, tx, ruling.staffer_id)
    await continueRuling(db, tx, rulingId, {
      by,
      at: now,
      sentence,
      moves,
      lesson:
        sentence.learn === 'nothing'
          ? null
          : {
              verdict: sentence.learn,
              teachings: teachings.filter(({ messageId }) => taught.has(messageId)),
              clusters: learned.map(({ cluster_key }) => cluster_key),
            },
    })
    await takeOff(db, tx, id, ids)
    await execute(
      db,
      'UPDATE selections SET done = done + :moved, left_alone = left_alone + :left WHERE id = :id',
      { id, moved: moves.length, left: ids.length - moves.length },
      tx,
    )
  })
  return 1
}

/** Where one goes; nowhere when somebody was first, or when it is sealed. */
function moveOf({ message }: RulingSentence, delivery: RuledDelivery): readonly PlannedMove[] {
  const planned = planMoves(message, [{ ...delivery, cameFrom: delivery.came_from }])
  return planned.ok ? planned.value : []
}

async function nextOf(db: Database, id: number): Promise<readonly number[]> {
  const rows = await select<{ delivery_id: number }>(
    db,
    'SELECT delivery_id FROM selection_deliveries WHERE selection_id = :id ORDER BY delivery_id LIMIT :atOnce',
    { id, atOnce },
  )
  return rows.map(({ delivery_id }) => delivery_id)
}

async function isCrowded(db: Database): Promise<boolean> {
  const row = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM (SELECT 1 FROM outbox WHERE done_at IS NULL AND place = 'released' AND attempts = 0 LIMIT ${mostQueued}) x`,
    {},
  )
  return (row?.n ?? 0) >= mostQueued
}

/** Of their messages those this ruling has not taught from yet: two colleagues may have the same one. */
async function messagesToTeach(
  db: Database,
  rulingId: number,
  ids: readonly number[],
): Promise<readonly number[]> {
  const rows = await select<{ message_id: number }>(
    db,
    `SELECT DISTINCT d.message_id FROM deliveries d WHERE d.id IN (:ids)
       AND NOT EXISTS (SELECT 1 FROM lessons l WHERE l.message_id = d.message_id AND l.ruling_id = :rulingId)`,
    { ids, rulingId },
  )
  return rows.map(({ message_id }) => message_id)
}

async function nameOf(db: Database, tx: Tx, stafferId: number | null) {
  const row = await findRow<{ name: string }>(
    db,
    'SELECT name FROM staffers WHERE id = :stafferId',
    { stafferId },
    tx,
  )
  return {
    actor: { kind: 'staffer' as const, id: stafferId, name: row?.name ?? '' },
    columns: { staffer_id: stafferId },
  }
}

async function finish(db: Database, id: number, rulingId: number, now: Date): Promise<number> {
  await inTransaction(db, async tx => {
    const row = await findOne(
      db,
      Selections,
      { id },
      { columns: ['state', 'done', 'left_alone'], tx, lock: true },
    )
    if (row?.state !== 'ruling') return
    await update(db, Selections, { state: 'ruled' }, { id }, tx)
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'ruling-done',
        by: pendro,
        rulingId,
        facts: { deliveries: row.done, left: row.left_alone },
      },
    ])
    await announce(db, tx, now, [{ kind: 'ruled', deliveryId: null, state: null, by: '' }])
  })
  return 1
}
