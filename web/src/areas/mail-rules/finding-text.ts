import type { TFunction } from 'i18next'
import type { RuleFindingShape } from '@pendro/contract'

/** What is odd about a rule, as a sentence. */
export const findingText = (finding: RuleFindingShape, t: TFunction): string =>
  t(`mailRules.finding.${finding.kind}`, { name: 'byName' in finding ? finding.byName : '' })
