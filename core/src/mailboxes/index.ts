export { foldReach, planFold, type FoldPlan, type FoldReach, type Stays } from './fold.ts'
export { policyReach, type ChangedOne, type PolicyReach, type SeenOne } from './policy-reach.ts'
export {
  rulesReach,
  type RuledOne,
  type RulePlace,
  type RulesReach,
  type SeenByRules,
} from './rules-reach.ts'
export { conditionsLike } from './like.ts'
