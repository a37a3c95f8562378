export {
  classify,
  fitCalibration,
  heldOut,
  noText,
  tokensOf,
  uncalibrated,
  type Sample,
  type TextCalibration,
  type TextKnowledge,
  type TokenCount,
} from './classifier.ts'
export {
  decide,
  findHarm,
  type Decision,
  type DeliveryFacts,
  type ListStage,
  type PathLine,
} from './decide.ts'
export {
  byWeight,
  evidence,
  isBulk,
  junkScore,
  weighForMailbox,
  weighMessage,
  weighUnreadable,
  weights,
  type Evidence,
  type Finding,
  type RawFact,
  type SenderKnowledge,
  type WeighContext,
  type Weighed,
} from './evidence/index.ts'
export { isSharedProvider } from './shared-providers.ts'
export {
  findLimitsProblem,
  type Limits,
  type MailboxPolicy,
  type OrganisationPolicy,
} from './organisation.ts'
export { provenance, type Provenance } from './provenance.ts'
export { clusterShift, crowdShift, reviewRank } from './ranking.ts'
export { senderFacts } from './sender-facts.ts'
export type { Register } from '../senders/index.ts'
