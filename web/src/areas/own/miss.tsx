import { useTranslation } from 'react-i18next'
import { askWhere } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { TextField } from '../../parts/field.tsx'
import { useOwnAct } from './use-own-act.ts'
import type { z } from 'zod'

const fields = ['from', 'about', 'when'] as const

/** What is not among the kept-back mail may be anywhere: the help desk is asked. */
export function Miss() {
  const { t } = useTranslation()
  const { register, handleSubmit, reset, formState } = useContractForm(askWhere.body, {
    from: '',
    about: '',
    when: '',
  })
  const asking = useOwnAct({
    send: (body: z.output<typeof askWhere.body>) => call(askWhere, { body }),
    notice: () => ({ text: t('own.miss.sent') }),
    onDone: () => reset(),
  })
  return (
    <details className="mt-5 rounded-lg border border-line bg-sheet px-4 py-3">
      <summary className="cursor-pointer font-bold">{t('own.miss.title')}</summary>
      <form
        noValidate
        onSubmit={event => void handleSubmit(body => asking.mutate(body))(event)}
        className="mt-2 grid gap-3"
      >
        <p className="text-ink-2">{t('own.miss.text')}</p>
        {fields.map(name => (
          <TextField
            key={name}
            label={t(`own.miss.${name}`)}
            problem={formState.errors[name]?.message}
            {...register(name)}
          />
        ))}
        <p>
          <Button kind="main" type="submit" disabled={asking.isPending}>
            {t('own.miss.send')}
          </Button>
        </p>
      </form>
    </details>
  )
}
