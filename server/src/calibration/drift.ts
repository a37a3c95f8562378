import type { DriftFinding } from '@pendro/contract'
import { findDrift, type Drift, type DriftSample } from '@pendro/core/calibration'
import { isSharedProvider } from '@pendro/core/judgement'
import { isAuthenticated, type SenderFacts } from '@pendro/core/senders'
import { inTransaction, select, type Database } from '../db/database.ts'
import { DriftAside } from '../db/models/learning.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { findAll, insert, remove } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { readRuled, type Of, type Ruled } from './ruled.ts'

/** The newest rulings are looked at. */
const mostRuled = 4000
const mostFindings = 20
const mostExamples = 5

interface Row {
  readonly id: number
  readonly from_name: string
  readonly from_address: string
  readonly subject: string
  readonly attachments: number
  readonly cluster_key: string
  readonly bulk: number
  readonly language: string | null
  readonly sender_facts: SenderFacts
}

/** Where people ruled against judgement more often than elsewhere. */
export async function readDrift(
  db: Database,
  { policy }: Organisation,
  ruled: readonly Ruled[],
): Promise<readonly DriftFinding[]> {
  const newest = ruled.slice(-mostRuled)
  if (newest.length === 0) return []
  const rows = await select<Row>(
    db,
    `SELECT d.id, d.from_name, d.from_address, d.subject, d.attachments, d.cluster_key, m.bulk, m.language, m.sender_facts
     FROM deliveries d JOIN messages m ON m.id = d.message_id WHERE d.id IN (:ids)`,
    { ids: newest.map(({ deliveryId }) => deliveryId) },
  )
  const byId = new Map(rows.map(row => [row.id, row]))
  const isShared = (domain: string) => isSharedProvider(domain, policy)
  // A text that went to twenty colleagues is one case, however often it was ruled on.
  const met = new Set<string>()
  const samples = newest.flatMap(({ deliveryId, isJunk, hadArrived }): DriftSample[] => {
    const row = byId.get(deliveryId)
    const key = `${row?.cluster_key} ${isJunk}`
    if (!row || met.has(key)) return []
    met.add(key)
    return [{ id: deliveryId, isJunk, isWrong: isJunk === hadArrived, of: groupsOf(row, isShared) }]
  })
  const found = findDrift(samples).slice(0, mostFindings)
  const aside = await findAll(db, DriftAside, { drift_key: ['', ...found.map(keyOf)] })
  const asideOf = new Map(aside.map(row => [row.drift_key, row]))
  return found.map(drift => {
    const left = asideOf.get(keyOf(drift))
    const examples = drift.ids.flatMap(id => byId.get(id) ?? [])
    return {
      key: keyOf(drift),
      kind: drift.kind,
      value: drift.value,
      rulings: drift.rulings,
      wrong: drift.wrong,
      held: drift.held,
      missed: drift.missed,
      examples: examples.slice(0, mostExamples).map(({ id, from_name, from_address, subject }) => ({
        id,
        from: from_name || from_address,
        subject,
      })),
      remedy: remedyOf(drift, examples),
      aside:
        left && drift.wrong < 2 * left.wrong
          ? { at: left.at.toISOString(), by: left.by_name, reason: left.reason }
          : null,
    }
  })
}

const keyOf = ({ kind, value }: Pick<Drift, 'kind' | 'value'>) => `${kind} ${value}`.slice(0, 330)

function groupsOf(row: Row, isShared: (domain: string) => boolean): DriftSample['of'] {
  const domain = row.from_address.slice(row.from_address.lastIndexOf('@') + 1)
  return {
    // Of a provider with many unrelated senders each is one.
    sender: isShared(domain) ? row.from_address : domain,
    language: row.language ?? '',
    mail:
      row.sender_facts.listId !== null
        ? 'list'
        : row.bulk === 1
          ? 'bulk'
          : row.attachments > 0
            ? 'attachment'
            : 'personal',
  }
}

/** An entry for everybody, where all mistakes go one way; safe only for a sender that proved itself each time. */
function remedyOf({ kind, value, held, missed }: Drift, wrong: readonly Row[]): DriftFinding['remedy'] {
  if (kind !== 'sender' || value === '') return null
  if (held === 0) return { standing: 'blocked', pattern: value }
  const isProven = wrong.every(({ sender_facts: { from, authentication } }) =>
    from.some(({ domain }) => isAuthenticated(domain, authentication)),
  )
  return missed === 0 && isProven ? { standing: 'safe', pattern: value } : null
}

/** Leaves a finding as it is, with a reason, or takes that back. */
export async function setAside(
  db: Database,
  by: Actor,
  { key, reason, back, of }: { key: string; reason: string; back: boolean; of: Of },
  now: Date,
): Promise<void> {
  if (!back && reason === '') throw new AppError('NEEDS_REASON', { context: 'leave-finding' })
  const found = back ? [] : await readDrift(db, await readOrganisation(db), await readRuled(db, of))
  const finding = found.find(one => one.key === key)
  if (!back && !finding) throw new AppError('FINDING_NOT_FOUND')
  return inTransaction(db, async tx => {
    const gone = await remove(db, DriftAside, { drift_key: key }, tx)
    if (back && gone === 0) throw new AppError('FINDING_NOT_FOUND')
    if (finding)
      await insert(
        db,
        DriftAside,
        [{ drift_key: key, wrong: finding.wrong, at: now, by_name: by.name, reason }],
        tx,
      )
    await writeRecord(db, tx, [
      { act: back ? 'drift-back' : 'drift-aside', at: now, by, reason, facts: { place: key } },
    ])
    await announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
  })
}
