import { randomUUID } from 'node:crypto'
import { isBetter } from '@pendro/core/calibration'
import { execute, findRow, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { fitWeightsOnLessons, isWeightFitDue, readWeightFit } from '../judging/fit-weights.ts'
import { shippedWeighting } from '../judging/weights.ts'
import { applyDefaults } from '../mailboxes/defaults.ts'
import { pendro } from '../record/write.ts'

/** A step is taken by itself only when so many lessons have come since the last one: the same lessons move a weight once. */
const lessonsAStep = 50

/**
 * Fits the weights when it is due and, where the organisation lets it, takes them into use when they judge its rulings better by more
 * than chance. 1 when it fitted. `fit` does the work, in a thread of its own where there is one.
 */
export async function refitWeights(
  db: Database,
  now: Date,
  fit: (at: Date) => Promise<unknown> = at => fitWeightsOnLessons(db, at),
): Promise<number> {
  if (!(await isWeightFitDue(db))) return 0
  await fit(now)
  await takeFitted(db, now)
  return 1
}

async function takeFitted(db: Database, now: Date): Promise<void> {
  const [found, { weights = shippedWeighting }] = await Promise.all([readWeightFit(db), readOrganisation(db)])
  if (!found || found.lessons === 0 || !weights.refit || found.base !== weights.version) return
  const { own, loss_before: before, loss_after: after, loss_error: error } = found
  if (!isBetter({ before, after, error })) return
  const come = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM lessons WHERE counted AND id > :taken',
    { taken: found.taken_lesson },
  )
  if ((come?.n ?? 0) < lessonsAStep) return
  const was = { own: weights.own, refit: weights.refit }
  try {
    await applyDefaults(db, {
      by: pendro,
      change: { what: 'weights', was, to: { own, refit: true } },
      reason: '',
      token: randomUUID(),
      now,
    })
  } catch (error_) {
    // Somebody was quicker, or it came to what is in use: the next fit begins from there.
    if (error_ instanceof AppError && ['MAILBOX_CHANGED', 'NOTHING_TO_DO'].includes(error_.code)) return
    throw error_
  }
  await execute(db, 'UPDATE weight_fit SET taken_lesson = :last WHERE id = 1', { last: found.last_lesson })
}
