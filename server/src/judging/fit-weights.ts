import { fitWeights, weightLesson, type WeightLesson } from '@pendro/core/calibration'
import { timesOf, type Evidence } from '@pendro/core/judgement'
import { execute, findRow, select, type Database } from '../db/database.ts'
import { WeightFit } from '../db/models/learning.ts'
import { organisationNow, readOrganisation } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { shippedWeighting, tablesOf, weightsInUse } from './weights.ts'

/** So many lessons, the newest that count, are what the weights are fitted on. */
const most = 20_000
/** They are fitted anew when so many lessons have come. */
const enough = 50
const atOnce = 1000

/** The last fit; `null` before there were lessons enough. */
export const readWeightFit = (db: Database) => findOne(db, WeightFit, { id: 1 })

/** Whether weights are to be fitted anew: enough lessons have come, or others are in use than those it began from. */
export async function isWeightFitDue(db: Database): Promise<boolean> {
  const organisation = await organisationNow(db)
  if (!organisation) return false
  const { weights = shippedWeighting } = organisation
  const fit = await readWeightFit(db)
  const row = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM lessons WHERE counted AND id > :last',
    { last: fit?.last_lesson ?? 0 },
  )
  const come = row?.n ?? 0
  return come >= enough || (fit !== null && fit.base !== weights.version)
}

/** Fits weights on what people ruled, from those in use, and keeps what comes of it beside them. Nothing is changed by it. */
export async function fitWeightsOnLessons(db: Database, now: Date): Promise<void> {
  const organisation = await readOrganisation(db)
  const { lessons, last } = await readLessons(db)
  if (last === 0) return
  const inUse = weightsInUse(organisation)
  const fitted = fitWeights(lessons, inUse) ?? { own: {}, lessons: 0, before: 0, after: 0, error: 0 }
  await execute(
    db,
    `INSERT INTO weight_fit (id, base, own, lessons, last_lesson, loss_before, loss_after, loss_error, fitted_at)
     VALUES (1, :base, :own, :lessons, :last, :before, :after, :error, :now)
     ON DUPLICATE KEY UPDATE base = VALUES(base), own = VALUES(own), lessons = VALUES(lessons), last_lesson = VALUES(last_lesson),
       loss_before = VALUES(loss_before), loss_after = VALUES(loss_after), loss_error = VALUES(loss_error), fitted_at = VALUES(fitted_at)`,
    {
      ...fitted,
      own: JSON.stringify(fitted.own),
      base: (organisation.weights ?? shippedWeighting).version,
      last,
      now,
    },
  )
}

/** Lessons that count, oldest first, each with the evidence its message was judged by when it came in. */
async function readLessons(db: Database): Promise<{ lessons: readonly WeightLesson[]; last: number }> {
  const parts: WeightLesson[][] = []
  let [before, taken, last] = [Number.MAX_SAFE_INTEGER, 0, 0]
  while (taken < most) {
    const rows = await select<{ id: number; verdict: string; delivery_id: number | null }>(
      db,
      `SELECT l.id, l.verdict, (SELECT MIN(d.id) FROM deliveries d WHERE d.message_id = l.message_id) AS delivery_id
       FROM lessons l WHERE l.counted AND l.id < :before ORDER BY l.id DESC LIMIT :atOnce`,
      { before, atOnce },
    )
    last = Math.max(last, rows[0]?.id ?? 0)
    const evidence = await evidenceOf(
      db,
      rows.flatMap(row => row.delivery_id ?? []),
    )
    // Of mail that is gone, and of what somebody handed in, only the words are known.
    parts.push(
      rows.flatMap(row => {
        const judged = evidence.get(row.delivery_id ?? 0)
        return judged ? [weightLesson(judged, row.verdict !== 'wanted')] : []
      }),
    )
    taken += rows.length
    before = rows.at(-1)?.id ?? 0
    if (rows.length < atOnce) break
  }
  return { lessons: parts.flat().reverse(), last }
}

type Met = Pick<Evidence, 'finding' | 'weight'> & { readonly times: number }

/** What was found in deliveries and how strongly, whatever it weighed. */
async function evidenceOf(
  db: Database,
  deliveryIds: readonly number[],
): Promise<ReadonlyMap<number, readonly Met[]>> {
  if (deliveryIds.length === 0) return new Map()
  const rows = await select<{ delivery_id: number; evidence: readonly Evidence[]; weights: number }>(
    db,
    'SELECT delivery_id, evidence, weights FROM delivery_judgements WHERE delivery_id IN (:ids)',
    { ids: [...new Set(deliveryIds)] },
  )
  const tableOf = await tablesOf(
    db,
    rows.map(({ weights }) => weights),
  )
  return new Map(
    rows.map(({ delivery_id, evidence, weights }) => {
      const table = tableOf(weights)
      const met = evidence
        .filter(({ finding }) => finding in table)
        .map(({ finding, weight }) => ({ finding, weight, times: timesOf({ finding, weight }, table) }))
      return [delivery_id, met]
    }),
  )
}
