import { addressText } from '../address/index.ts'
import type { SenderFacts } from '../senders/index.ts'
import type { RuleCondition } from '../mail-rules/index.ts'

/** How a rule for messages like one begins: its mailing list (RFC 2919), else its sender; none without either. */
export function conditionsLike({
  from,
  listId,
}: Pick<SenderFacts, 'from' | 'listId'>): readonly RuleCondition[] {
  if (listId !== null) return [{ field: 'list', test: 'is', values: [listId] }]
  return from[0] ? [{ field: 'from', test: 'is', values: [addressText(from[0])] }] : []
}
