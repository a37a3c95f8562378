import type { FindingKind } from '@pendro/contract'

/** Kinds somebody has to decide about; the rest is tidying and old age. */
export const decisionKinds: readonly FindingKind[] = [
  'contradicts',
  'lets-in-too-much',
  'let-harm-in',
  'blocks-wanted',
  'for-everyone',
  'never-authenticated',
  'slip',
]

const allLive = `NOT EXISTS (SELECT 1 FROM upkeep_finding_entries x JOIN sender_entries y ON y.id = x.entry_id
  WHERE x.finding_key = g.finding_key AND y.ended_at IS NOT NULL)`

/** Findings that still hold (none of their entries has ended since) and were not set aside as they are now. */
export const openFindings = `SELECT g.* FROM upkeep_findings g
  LEFT JOIN upkeep_aside a ON a.finding_key = g.finding_key AND a.basis = g.basis
  WHERE a.finding_key IS NULL AND ${allLive}`

/** Findings that still hold and were set aside. */
export const asideFindings = `SELECT g.*, a.reason AS aside_reason, a.by_name AS aside_by, a.at AS aside_at FROM upkeep_findings g
  JOIN upkeep_aside a ON a.finding_key = g.finding_key AND a.basis = g.basis WHERE ${allLive}`
