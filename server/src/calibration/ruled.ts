import type { Evidence, Finding } from '@pendro/core/judgement'
import type { DeliveryState } from '@pendro/core/delivery'
import { select, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'

/** Whose mail is looked at, within what somebody looks after; '' for all of it. */
export interface Whose {
  readonly department: string
  readonly scope: Scope
}

/** Whose mail is looked at since when. */
export interface Of extends Whose {
  readonly since: Date
}

/** Nobody's mail is left out: what is counted for all of it says it at once. */
export const isEverybodys = ({ department, scope }: Whose): boolean => department === '' && scope === null

/** The condition on a mailbox `b`. */
export const isTheirs = ({ department, scope }: Whose): string =>
  `${department === '' ? 'TRUE' : 'b.department = :department'} AND ${within(scope, 'b.id')}`

/** The mailbox `b` of a delivery `d`, where the condition asks for it. */
export const withMailbox = (whose: Whose): string =>
  isEverybodys(whose) ? '' : 'JOIN mailboxes b ON b.id = d.mailbox_id'

/** The same without a mailbox that is not joined. */
export const areTheirs = (whose: Whose): string => (isEverybodys(whose) ? 'TRUE' : isTheirs(whose))

/** A delivery people ruled on, by the last ruling that stands. */
export interface Ruled {
  readonly deliveryId: number
  readonly isJunk: boolean
  readonly score: number
  readonly receivedAt: Date
  readonly ruledAt: Date
  /** It was with the colleague when it was ruled on. */
  readonly hadArrived: boolean
  readonly released: boolean
}

interface RuledRow {
  readonly id: number
  readonly score: number
  readonly received_at: Date
  readonly at: Date
  readonly learn: string
  readonly message: string
  readonly from_state: DeliveryState
}

const arrived: ReadonlySet<DeliveryState> = new Set([
  'inbox',
  'aside',
  'moved',
  'released',
  // On its way.
  'deferred',
])

/**
 * What people called wanted or junk since a day: by what they taught, and where they taught nothing by what they did. Whoever only left a message
 * where it was has called it nothing.
 */
export async function readRuled(db: Database, of: Of): Promise<readonly Ruled[]> {
  const { since, department } = of
  const rows = await select<RuledRow>(
    db,
    `SELECT d.id, d.score, d.received_at, r.at, JSON_VALUE(r.sentence, '$.learn') AS learn,
       JSON_VALUE(r.sentence, '$.message') AS message, x.from_state
     FROM rulings r JOIN ruling_deliveries x ON x.ruling_id = r.id JOIN deliveries d ON d.id = x.delivery_id
       ${withMailbox(of)}
     WHERE r.at >= :since AND r.undone_at IS NULL AND ${areTheirs(of)} ORDER BY r.at DESC, r.id DESC LIMIT :mostRuled`,
    { since, department, mostRuled },
  )
  const last = new Map<number, Ruled>()
  for (const row of rows.reverse()) {
    const isJunk = calledJunk(row)
    if (isJunk === null) continue
    last.set(row.id, {
      deliveryId: row.id,
      isJunk,
      score: row.score,
      receivedAt: row.received_at,
      ruledAt: row.at,
      hadArrived: arrived.has(row.from_state),
      released: row.message === 'release',
    })
  }
  return [...last.values()]
}

/** `null`: called nothing. */
function calledJunk({ learn, message }: Pick<RuledRow, 'learn' | 'message'>): boolean | null {
  if (learn === 'wanted') return false
  if (learn === 'junk' || learn === 'phishing') return true
  if (message === 'release') return false
  return message === 'discard' ? true : null
}

/** The newest of them are enough to tell how good a score is. */
const mostRuled = 50_000
/** The newest of them whose evidence is looked at. */
const mostEvidence = 4000

/** How often each finding was right and how often it decided, in what people ruled on. */
export interface FindingUse {
  readonly finding: Finding
  readonly wanted: number
  readonly junk: number
  readonly right: number
  readonly decisive: number
}

/** Evidence of ruled-on deliveries against what people said; `limit` is the score from which mail is held. */
export async function readEvidenceUse(
  db: Database,
  ruled: readonly Ruled[],
  limit: number,
): Promise<readonly FindingUse[]> {
  const newest = ruled.slice(-mostEvidence)
  if (newest.length === 0) return []
  const rows = await select<{ delivery_id: number; evidence: readonly Evidence[] }>(
    db,
    'SELECT delivery_id, evidence FROM delivery_judgements WHERE delivery_id IN (:ids)',
    { ids: newest.map(({ deliveryId }) => deliveryId) },
  )
  const isJunk = new Map(newest.map(one => [one.deliveryId, one.isJunk]))
  const edge = Math.log(limit / (100 - Math.min(99.9, limit)))
  const uses = new Map<Finding, { wanted: number; junk: number; right: number; decisive: number }>()
  for (const { delivery_id, evidence } of rows) {
    const junk = isJunk.get(delivery_id) ?? false
    const sum = evidence.reduce((total, { weight }) => total + weight, 0)
    for (const { finding, weight } of evidence) {
      if (finding === 'starting-point') continue
      const use = uses.get(finding) ?? { wanted: 0, junk: 0, right: 0, decisive: 0 }
      use[junk ? 'junk' : 'wanted'] += 1
      if (weight !== 0 && weight > 0 === junk) use.right += 1
      if (sum >= edge !== sum - weight >= edge) use.decisive += 1
      uses.set(finding, use)
    }
  }
  return [...uses]
    .map(([finding, use]) => ({ finding, ...use }))
    .sort((a, b) => b.wanted + b.junk - (a.wanted + a.junk))
}
