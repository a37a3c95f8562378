export { matchingRules } from './match.ts'
export type { MailRule, RuleAction, RuleCondition, RuleField, RuleTest, RuleVerdict } from './rule.ts'
