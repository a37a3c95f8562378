export { createAudit, usualLimits, type Audit, type AuditContext, type AuditLimits } from './audit.ts'
export { findCover, sendingElsewhere, sortByText } from './covering.ts'
export {
  findingKinds,
  tidyKinds,
  type FindingKind,
  type RegisteredEntry,
  type Remedy,
  type UpkeepFinding,
} from './finding.ts'
export { findSlips } from './slips.ts'
export { comparePrecedence, effect } from './precedence.ts'
export type { SenderTally, Tally } from './tally.ts'
