import type { TFunction } from 'i18next'
import type { MailRuleDraft, RuleConditionShape } from '@pendro/contract'
import { listFormat, numberFormat } from '../app/formats.ts'

type Rule = Pick<MailRuleDraft, 'needs' | 'conditions' | 'action'>

/** As many values as anybody reads in a sentence. */
const mostTold = 3

/** Where the words of the sentence stand: the staffers', or those of colleagues' own pages. */
export type RuleWords = 'mailRules' | 'own.rules'

/** "When the subject contains “proof” or “draft”: file it in Print and mark it as important." */
export function ruleSentence(
  { needs, conditions, action }: Rule,
  t: TFunction,
  language: string,
  words: RuleWords = 'mailRules',
): string {
  const type = needs === 'all' ? 'conjunction' : 'disjunction'
  return t(`${words}.says`, {
    conditions: listFormat(language, type).format(
      conditions.map(condition => conditionText(condition, t, language, words)),
    ),
    actions: listFormat(language, 'conjunction').format(actionTexts(action, t, words)),
  })
}

function conditionText(
  condition: RuleConditionShape,
  t: TFunction,
  language: string,
  words: RuleWords,
): string {
  if (condition.field === 'size')
    return t(`${words}.test.${condition.test}`, { size: sizeText(condition.bytes, language) })
  const values =
    condition.field === 'kind'
      ? condition.values.map(kind => t(`${words}.kind.${kind}`))
      : condition.values.map(value => t(`${words}.quoted`, { value }))
  const told = values.slice(0, mostTold)
  const rest = values.length - told.length
  const list = listFormat(language, 'disjunction').format(
    rest > 0 ? [...told, t(`${words}.more`, { count: rest })] : told,
  )
  return condition.field === 'kind'
    ? t(`${words}.test.kind`, { values: list })
    : t(`${words}.test.${condition.test}`, {
        field: t(`${words}.field.${condition.field}`),
        values: list,
      })
}

function actionTexts(
  { hold, place, important, stop }: Rule['action'],
  t: TFunction,
  words: RuleWords,
): string[] {
  return [
    ...(hold === null ? [] : [t(`${words}.do.${hold}`)]),
    ...(place === null ? [] : [t(`${words}.do.${place.kind}`, place)]),
    ...(important ? [t(`${words}.do.important`)] : []),
    ...(stop ? [t(`${words}.do.stop`)] : []),
  ]
}

/** Bytes in the unit people read: a thousand bytes are a kilobyte (IEC 80000-13). */
export function sizeText(bytes: number, language: string): string {
  const [unit, by] = bytes >= 1_000_000 ? (['megabyte', 1_000_000] as const) : (['kilobyte', 1000] as const)
  return numberFormat(language, {
    style: 'unit',
    unit,
    maximumFractionDigits: bytes % by === 0 ? 0 : 1,
  }).format(bytes / by)
}
