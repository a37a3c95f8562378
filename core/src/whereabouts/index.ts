export { ownWords } from './own-words.ts'
export { fold, isIdle, trigrams, wordsOf } from './fold.ts'
export { journeyOf, type Copy, type Facts, type Happening, type Stop, type Way } from './journey.ts'
export {
  domainLikeness,
  partyLikeness,
  readParty,
  wordLikeness,
  wordsLikeness,
  type Party,
  type PartyMatch,
  type TypedParty,
} from './likeness.ts'
export { rate, type Asked, type Candidate, type MatchLabel, type Rating } from './rate.ts'
export { readWhen, type TimeRange, type WhenProblem } from './when.ts'
export { readStatus, statusMeanings, type EnhancedStatus } from './status.ts'
