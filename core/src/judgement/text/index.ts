export type { Curve } from './curve.ts'
export { isotonic } from './isotonic.ts'
export { classify } from './classify.ts'
export { fitText, type FittedText, type TextLesson } from './fit.ts'
export { gramsOf, gramSpace } from './grams.ts'
export { learnAtOnce, type Linear } from './linear.ts'
export {
  boundOf,
  noText,
  uncalibrated,
  type TextCalibration,
  type TextKnowledge,
  type TokenCount,
} from './knowledge.ts'
export { shownToken, tokensOf } from './tokens.ts'
