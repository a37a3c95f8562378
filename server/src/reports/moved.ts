import { randomUUID } from 'node:crypto'
import type { DeliveryState } from '@pendro/core/delivery'
import { execute, findRow, inTransaction, select, type Database } from '../db/database.ts'
import { organisationNow, usualMoves } from '../db/organisation.ts'
import type { Reader } from '../reading/reader.ts'
import { pendro } from '../record/write.ts'
import { teachingsOf, type Teaching } from '../rulings/learning.ts'
import { writeRuling, type RulingPlan } from '../rulings/write.ts'

/** Different mailboxes that have to agree before anything is learned. */
const fewest = 3
/** So many for one against. */
const against = 4
/** Moves of so many days count together. */
const days = 30
const day = 86_400_000
/** Lessons of one look. */
const most = 20

interface Agreed {
  readonly cluster_key: string
  readonly junk: number
  readonly wanted: number
}

/**
 * Learns from what people move in their mail programs: where several mailboxes agree on messages that are alike, one of these
 * teaches, once, as a ruling by Pendro that staffers can undo. Where a person has ruled already nothing is added. How many were learned.
 */
export async function learnFromMoves(
  db: Database,
  { read, now }: { readonly read: Reader['read']; readonly now: () => Date },
): Promise<number> {
  const organisation = await organisationNow(db)
  if (!organisation || !(organisation.moves ?? usualMoves).learn) return 0
  const at = now()
  const agreed = await select<Agreed>(
    db,
    `SELECT v.cluster_key, COUNT(DISTINCT IF(v.verdict = 'junk', v.mailbox_id, NULL)) AS junk,
       COUNT(DISTINCT IF(v.verdict = 'wanted', v.mailbox_id, NULL)) AS wanted
     FROM colleague_moves v WHERE v.at > :since AND NOT EXISTS (SELECT 1 FROM lessons l WHERE l.cluster_key = v.cluster_key)
     GROUP BY v.cluster_key
     HAVING SUM(v.ruling_id IS NOT NULL) = 0 AND (junk >= ${fewest} AND wanted * ${against} <= junk OR wanted >= ${fewest} AND junk * ${against} <= wanted)
     LIMIT ${most}`,
    { since: new Date(at.getTime() - days * day) },
  )
  let learned = 0
  for (const one of agreed) if (await learnOne(db, one, { read, at })) learned += 1
  return learned
}

interface Example {
  readonly id: number
  readonly message_id: number
  readonly mailbox_id: number
  readonly state: DeliveryState
  readonly subject: string
  readonly from_address: string
}

async function learnOne(
  db: Database,
  { cluster_key: cluster, junk, wanted }: Agreed,
  { read, at }: { readonly read: Reader['read']; readonly at: Date },
): Promise<boolean> {
  const verdict = junk > wanted ? 'junk' : 'wanted'
  const values = { cluster, verdict }
  const example = await findRow<Example>(
    db,
    `SELECT d.id, d.message_id, d.mailbox_id, d.state, d.subject, d.from_address FROM colleague_moves v JOIN deliveries d ON d.id = v.delivery_id
     WHERE v.cluster_key = :cluster AND v.verdict = :verdict ORDER BY d.id LIMIT 1`,
    values,
  )
  const teachings = example ? await teachingsOf(db, [example.message_id], read) : []
  if (!example || teachings.length === 0) return false
  return inTransaction(db, async tx => {
    // In the order in which a look at a mailbox locks them.
    const row = await findRow<{ state: DeliveryState }>(
      db,
      'SELECT state FROM deliveries WHERE id = :id FOR UPDATE',
      { id: example.id },
      tx,
    )
    // Another process may have been first.
    const rows = await select<{ ruling_id: number | null }>(
      db,
      'SELECT ruling_id FROM colleague_moves WHERE cluster_key = :cluster FOR UPDATE',
      values,
      tx,
    )
    if (!row || rows.some(({ ruling_id }) => ruling_id !== null)) return false
    const plan = planOf(
      { ...example, state: row.state },
      { at, verdict, colleagues: Math.max(junk, wanted), teachings, cluster },
    )
    const ruling = await writeRuling(db, tx, plan)
    await execute(
      db,
      'UPDATE colleague_moves SET ruling_id = :ruling WHERE cluster_key = :cluster',
      { ...values, ruling: ruling.id },
      tx,
    )
    return true
  })
}

interface Lesson {
  readonly at: Date
  readonly verdict: 'junk' | 'wanted'
  readonly colleagues: number
  readonly teachings: readonly Teaching[]
  readonly cluster: string
}

function planOf(
  { id, mailbox_id: mailboxId, subject, from_address: from, state }: Example,
  { at, verdict, colleagues, teachings, cluster }: Lesson,
): RulingPlan {
  const said = { learn: verdict, sender: 'as-is', for: 'everyone' } as const
  return {
    token: randomUUID(),
    by: { actor: pendro, columns: { staffer_id: null } },
    at,
    sentence: { message: 'leave', ...said, width: 'address', withoutAuthentication: false, reason: '' },
    moves: [{ id, from: state, to: state, cameFrom: null }],
    lists: null,
    lesson: { verdict, teachings, clusters: [cluster] },
    record: {
      act: 'ruling',
      mailboxId,
      deliveryId: id,
      facts: {
        message: 'moved',
        ...said,
        until: '',
        deliveries: colleagues,
        colleagues,
        subject: subject.slice(0, 500),
        from,
        patterns: '',
        ended: 0,
      },
    },
  }
}
