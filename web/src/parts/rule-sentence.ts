import type { TFunction } from 'i18next'
import type { MailRuleDraft, RuleConditionShape } from '@pendro/contract'

type Rule = Pick<MailRuleDraft, 'needs' | 'conditions' | 'action'>

/** As many values as anybody reads in a sentence. */
const mostTold = 3

/** "When the subject contains “proof” or “draft”: file it in Print and mark it as important." */
export function ruleSentence({ needs, conditions, action }: Rule, t: TFunction, language: string): string {
  const type = needs === 'all' ? 'conjunction' : 'disjunction'
  return t('mailRules.says', {
    conditions: new Intl.ListFormat(language, { type }).format(
      conditions.map(condition => conditionText(condition, t, language)),
    ),
    actions: new Intl.ListFormat(language, { type: 'conjunction' }).format(actionTexts(action, t)),
  })
}

function conditionText(condition: RuleConditionShape, t: TFunction, language: string): string {
  if (condition.field === 'size')
    return t(`mailRules.test.${condition.test}`, { size: sizeText(condition.bytes, language) })
  const values =
    condition.field === 'kind'
      ? condition.values.map(kind => t(`mailRules.kind.${kind}`))
      : condition.values.map(value => t('mailRules.quoted', { value }))
  const told = values.slice(0, mostTold)
  const rest = values.length - told.length
  const list = new Intl.ListFormat(language, { type: 'disjunction' }).format(
    rest > 0 ? [...told, t('mailRules.more', { count: rest })] : told,
  )
  return condition.field === 'kind'
    ? t('mailRules.test.kind', { values: list })
    : t(`mailRules.test.${condition.test}`, {
        field: t(`mailRules.field.${condition.field}`),
        values: list,
      })
}

function actionTexts({ hold, place, important, stop }: Rule['action'], t: TFunction): string[] {
  return [
    ...(hold === null ? [] : [t(`mailRules.do.${hold}`)]),
    ...(place === null ? [] : [t(`mailRules.do.${place.kind}`, place)]),
    ...(important ? [t('mailRules.do.important')] : []),
    ...(stop ? [t('mailRules.do.stop')] : []),
  ]
}

/** Bytes in the unit people read: a thousand bytes are a kilobyte (IEC 80000-13). */
export function sizeText(bytes: number, language: string): string {
  const [unit, by] = bytes >= 1_000_000 ? (['megabyte', 1_000_000] as const) : (['kilobyte', 1000] as const)
  return new Intl.NumberFormat(language, {
    style: 'unit',
    unit,
    maximumFractionDigits: bytes % by === 0 ? 0 : 1,
  }).format(bytes / by)
}
