export {
  boundOf,
  classify,
  fitText,
  gramsOf,
  gramSpace,
  isotonic,
  learnAtOnce,
  noText,
  tokensOf,
  uncalibrated,
  type Curve,
  type FittedText,
  type Linear,
  type TextCalibration,
  type TextKnowledge,
  type TextLesson,
  type TokenCount,
} from './text/index.ts'
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
  rangeOf,
  realShares,
  reweighed,
  timesOf,
  weighForMailbox,
  weighMessage,
  weighUnreadable,
  weightBounds,
  weights,
  weightsWith,
  type Evidence,
  type Finding,
  type Nearness,
  type RawFact,
  type SenderKnowledge,
  type WeighContext,
  type Weighed,
  type Weights,
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
