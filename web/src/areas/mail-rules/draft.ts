import {
  mailRuleDraft,
  ruleTests,
  type MailRuleDraft,
  type MailRuleShape,
  type RuleConditionShape,
} from '@pendro/contract'

/** A rule while it is written: conditions may still want a value, the folder a name. */
export type Draft = MailRuleDraft

type Field = RuleConditionShape['field']
type Text = Extract<RuleConditionShape, { readonly field: 'subject' }>

/** What a new rule begins with. */
export const emptyDraft: Draft = {
  name: '',
  needs: 'all',
  conditions: [{ field: 'from', test: 'contains', values: [] }],
  action: { hold: null, place: { kind: 'folder', folder: '' }, important: false, stop: false },
}

export const draftOf = ({ name, needs, conditions, action }: MailRuleShape): Draft => ({
  name,
  needs,
  conditions,
  action,
})

/** The condition on another field; what can be kept of it is. */
export function withField(condition: RuleConditionShape, field: Field): RuleConditionShape {
  if (condition.field === field) return condition
  if (field === 'size') return { field, test: 'over', bytes: 1_000_000 }
  if (field === 'kind') return { field, test: 'is', values: [] }
  return { field, ...(isText(condition) ? textOf(condition) : { test: 'contains', values: [] }) }
}

const textOf = ({ test, values }: Text): Pick<Text, 'test' | 'values'> => ({ test, values })

/** Whether a condition compares texts. */
const isText = (condition: RuleConditionShape): condition is Text =>
  condition.field !== 'size' && condition.field !== 'kind'

/** How a field can be compared. */
export const testsOf = ({ field }: RuleConditionShape): readonly RuleConditionShape['test'][] =>
  field === 'size' ? ['over', 'under'] : field === 'kind' ? ['is'] : ruleTests

/** The draft with one condition in place of another; `null` takes it out. */
export function withCondition(draft: Draft, at: number, condition: RuleConditionShape | null): Draft {
  return {
    ...draft,
    conditions: draft.conditions.flatMap((one, i) => (i === at ? (condition ?? []) : [one])),
  }
}

/** Values that were typed or pasted, one a line, after those there are; none twice. */
export function withValues(values: readonly string[], typed: string): string[] {
  const added = typed
    .split(/\r?\n/)
    .map(line => line.trim().slice(0, 200))
    .filter(line => line !== '')
  const known = new Set(values.map(value => value.toLowerCase()))
  return [
    ...values,
    ...added.filter(value => !known.has(value.toLowerCase()) && known.add(value.toLowerCase())),
  ]
}

/** The rule as it can be sent; without a name of its own it is called by its first value. `null`: not finished. */
export function finished(draft: Draft): Draft | null {
  const [first] = draft.conditions
  const value = first && 'values' in first ? first.values[0] : undefined
  const read = mailRuleDraft.safeParse({
    ...draft,
    name: draft.name.trim() || (value ?? '').slice(0, 120) || '–',
  })
  return read.success ? read.data : null
}

/** Compared by what they would do. */
export const isSame = (a: Draft, b: Draft): boolean => JSON.stringify(a) === JSON.stringify(b)
