import type { MailRuleDraft, MailRuleShape } from '@pendro/contract'

/** What a rule on a phone looks at and does: one condition, one place. */
export const ownFields = ['from', 'subject', 'list', 'body'] as const
export const ownTests = ['contains', 'is'] as const
export const ownThens = ['folder', 'inbox', 'aside', 'junk', 'discarded'] as const

/** A rule as the form has it. */
export interface OwnRuleForm {
  readonly field: (typeof ownFields)[number]
  readonly test: (typeof ownTests)[number]
  /** One a line. */
  readonly values: string
  readonly then: (typeof ownThens)[number]
  readonly folder: string
}

export const emptyForm: OwnRuleForm = {
  field: 'from',
  test: 'contains',
  values: '',
  then: 'folder',
  folder: '',
}

const isOneOf = <T extends string>(values: readonly T[], value: string): value is T =>
  (values as readonly string[]).includes(value)

/** The form of a rule; `null` for one that says more than the form can: it is only switched and removed here. */
export function formOf({
  conditions,
  action,
}: Pick<MailRuleShape, 'conditions' | 'action'>): OwnRuleForm | null {
  const [condition, ...more] = conditions
  const { hold, place, important, stop } = action
  if (!condition || more.length > 0 || important || stop || (hold !== null && place !== null)) return null
  if (condition.field === 'size' || !isOneOf(ownFields, condition.field)) return null
  if (!isOneOf(ownTests, condition.test) || hold === 'let-in') return null
  const then = hold ?? place?.kind
  if (then === undefined) return null
  return {
    field: condition.field,
    test: condition.test,
    values: condition.values.join('\n'),
    then,
    folder: place?.kind === 'folder' ? place.folder : '',
  }
}

/** The rule a form says; `null` while something is missing. */
export function draftOf({ field, test, values, then, folder }: OwnRuleForm): MailRuleDraft | null {
  const wanted = [...new Set(values.split('\n').map(value => value.trim()))].filter(value => value !== '')
  const name = wanted.join(', ').slice(0, 120)
  if (name === '' || (then === 'folder' && folder.trim() === '')) return null
  const place =
    then === 'folder'
      ? { kind: then, folder: folder.trim() }
      : then === 'inbox' || then === 'aside'
        ? { kind: then }
        : null
  return {
    name,
    needs: 'all',
    conditions: [{ field, test, values: wanted }],
    action: {
      hold: then === 'junk' || then === 'discarded' ? then : null,
      place,
      important: false,
      stop: false,
    },
  }
}
