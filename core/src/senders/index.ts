export {
  isAuthenticated,
  noAuthentication,
  isProvenDomain,
  provenList,
  type Authentication,
  type AuthResult,
} from './authentication.ts'
export {
  isExpired,
  isOwner,
  type Owner,
  type Register,
  type SenderEntry,
  type SenderFacts,
  type Standing,
} from './entry.ts'
export {
  candidateTexts,
  consultList,
  matchesAddress,
  matchesBlocked,
  type ListVerdict,
  type RefusedEntry,
} from './matching.ts'
export {
  displayPattern,
  overlaps,
  parsePattern,
  patternAtWidth,
  patternCovers,
  patternText,
  specificity,
  widerPatterns,
  type PatternKind,
  type PatternProblem,
  type SenderPattern,
} from './pattern.ts'
export { indexRegister, type RegisterIndex } from './register-index.ts'
export { findUnsubscribe, type Unsubscribe } from './unsubscribe.ts'
