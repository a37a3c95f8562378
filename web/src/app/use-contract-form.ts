import { zodResolver } from '@hookform/resolvers/zod'
import { useForm, type DefaultValues, type FieldValues, type UseFormReturn } from 'react-hook-form'
import { useTranslation } from 'react-i18next'
import type { TFunction } from 'i18next'
import type { z } from 'zod'

type Issue = Parameters<z.core.$ZodErrorMap>[0]

/** What is wrong with one field, as a sentence of the wording (`form.*`). */
export function issueText(issue: Issue, t: TFunction): string {
  const isText = 'origin' in issue && issue.origin === 'string'
  if (issue.code === 'too_small' && isText)
    return Number(issue.minimum) <= 1
      ? t('form.missing')
      : t('form.tooShort', { count: Number(issue.minimum) })
  if (issue.code === 'too_big' && isText) return t('form.tooLong', { count: Number(issue.maximum) })
  if (issue.code === 'invalid_format' && issue.format === 'email') return t('form.address')
  if (issue.code === 'invalid_type' && issue.input === undefined) return t('form.missing')
  return t('form.notThis')
}

/** A form over the body of a request: the contract's own schema says what may be sent, in the words of the screen. */
export function useContractForm<Typed extends FieldValues, Sent>(
  schema: z.ZodType<Sent, Typed>,
  defaultValues: DefaultValues<Typed>,
): UseFormReturn<Typed, unknown, Sent> {
  const { t } = useTranslation()
  return useForm<Typed, unknown, Sent>({
    defaultValues,
    resolver: zodResolver(schema, { error: issue => issueText(issue, t) }),
  })
}
