import type { Evidence } from '@pendro/core/judgement'
import { select, type Database } from '../server/src/db/database.ts'

/** A delivery of the demo with what a person would call it. */
export interface JudgedMail {
  readonly id: number
  readonly evidence: readonly Evidence[]
  readonly score: number
  readonly state: string
  readonly isJunk: boolean
  /** Wanted mail that was made to look like junk. */
  readonly isHeld: boolean
}

/** All inbound deliveries with their truth, which the fill writes beside them for measuring. */
export async function judgedMail(db: Database): Promise<readonly JudgedMail[]> {
  const rows = await select<{
    id: number
    evidence: Evidence[]
    score: number
    state: string
    truth: string
    cause: string | null
  }>(
    db,
    `SELECT d.id, j.evidence, d.score, d.state, t.truth, t.cause FROM deliveries d
     JOIN delivery_judgements j ON j.delivery_id = d.id JOIN demo_truth t ON t.message_id = d.message_id ORDER BY d.id`,
  )
  return rows.map(({ id, evidence, score, state, truth, cause }) => ({
    id,
    evidence,
    score,
    state,
    isJunk: truth !== 'wanted',
    isHeld: cause !== null,
  }))
}

/** Area under the ROC curve by ranks; ties count half. */
export function auc(mail: readonly Pick<JudgedMail, 'score' | 'isJunk'>[]): number {
  const sorted = [...mail].sort((a, b) => a.score - b.score)
  let [below, area, i] = [0, 0, 0]
  while (i < sorted.length) {
    let j = i
    while (j < sorted.length && sorted[j]?.score === sorted[i]?.score) j += 1
    const tied = sorted.slice(i, j)
    const junk = tied.filter(({ isJunk }) => isJunk).length
    const wanted = tied.length - junk
    area += junk * (below + wanted / 2)
    below += wanted
    i = j
  }
  return area / (below * (mail.length - below))
}
