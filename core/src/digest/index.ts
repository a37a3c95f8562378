export {
  composeDigest,
  type DigestInput,
  type DigestLine,
  type DigestLinks,
  type DigestText,
  type Translate,
} from './compose.ts'
export {
  findReferences,
  isReference,
  nearestReference,
  referenceCount,
  referenceOf,
  type FoundReferences,
} from './reference.ts'
export { findAutomaticSign, readReply, type AutomaticSign, type ReadReply, type Reply } from './reply.ts'
export { lastDigest, nextDigest, type DigestSchedule } from './schedule.ts'
