export {
  decide,
  findHarm,
  type Decision,
  type DeliveryFacts,
  type JudgedState,
  type ListStage,
  type PathLine,
  type Register,
} from './decide.ts'
export { byWeight, evidence, junkScore, weights, type Evidence, type Finding } from './evidence.ts'
export {
  findLimitsProblem,
  type Limits,
  type MailboxPolicy,
  type OrganisationPolicy,
} from './organisation.ts'
export {
  isBulk,
  senderFacts,
  weighForMailbox,
  weighMessage,
  weighUnreadable,
  type SenderKnowledge,
  type WeighContext,
} from './weigh.ts'
export { noWords, weighWords, wordsOf, type WordCount, type WordKnowledge } from './words.ts'
