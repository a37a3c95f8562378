export { conditionsKey, rulesWork, type RuleFinding, type RuleWork } from './findings.ts'
export {
  activeScript,
  filingScript,
  storeFolder,
  storeScripts,
  type FilingFolders,
  type FolderNames,
} from './filing.ts'
export { matchingRules, settleRules, verdictOf, type RulesAnswer } from './match.ts'
export {
  attachmentKinds,
  mostRules,
  type AttachmentKind,
  type MailRule,
  type RuleAction,
  type RuleCondition,
  type RuleTest,
  type RuleVerdict,
  type RuleView,
  type TextField,
} from './rule.ts'
export { compareRules, type RulesDifference } from './sieve-compare.ts'
export { readRules, type ReadRule, type SieveGap, type SieveLine } from './sieve-read.ts'
export { longestScript, parseSieve, type SieveCommand, type SieveProblem } from './sieve-syntax.ts'
export { writeRules, type LeftOut, type Vacation } from './sieve-write.ts'
