import type { CalibrationShape } from '@pendro/contract'
import { isBetter, leastForWeights } from '@pendro/core/calibration'
import { weightBounds, weights as shipped, type Finding } from '@pendro/core/weights'
import { findRow, type Database } from '../db/database.ts'
import type { Organisation } from '../db/organisation.ts'
import { readWeightFit } from '../judging/fit-weights.ts'
import { shippedWeighting, weightsInUse } from '../judging/weights.ts'

/** The weights in use beside the shipped ones, and what the last fit came to. */
export async function readWeights(
  db: Database,
  organisation: Organisation,
): Promise<CalibrationShape['weights']> {
  const { version, own, refit } = organisation.weights ?? shippedWeighting
  const table = weightsInUse(organisation)
  const [fit, changed] = await Promise.all([
    readWeightFit(db),
    findRow<{ id: number; at: Date; by_name: string; undone_at: Date | null }>(
      db,
      `SELECT c.id, c.at, e.by_name, c.undone_at FROM mailbox_changes c
         JOIN record_entries e ON e.act = c.what AND JSON_VALUE(e.facts, '$.change') = c.id AND e.at = c.at
       WHERE c.what = 'organisation-weights' ORDER BY c.id DESC LIMIT 1`,
    ),
  ])
  return {
    inUse: { own: { ...own }, refit },
    table: (Object.keys(shipped) as Finding[]).map(finding => {
      const [from = null, to = null] = weightBounds(finding) ?? []
      return { finding, weight: table[finding], shipped: shipped[finding], from, to }
    }),
    changed: changed && {
      at: changed.at.toISOString(),
      by: changed.by_name,
      change: changed.id,
      undone: changed.undone_at !== null,
    },
    fit:
      fit && fit.lessons > 0 && fit.base === version
        ? {
            own: { ...fit.own },
            lessons: fit.lessons,
            before: fit.loss_before,
            after: fit.loss_after,
            better: isBetter({ before: fit.loss_before, after: fit.loss_after, error: fit.loss_error }),
            at: fit.fitted_at.toISOString(),
          }
        : null,
    least: leastForWeights,
  }
}
