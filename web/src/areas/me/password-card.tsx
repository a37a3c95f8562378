import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import { changePassword } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { TextField } from '../../parts/field.tsx'

/** Another password of one's own; everywhere else one is signed out. */
export function PasswordCard() {
  const { t } = useTranslation()
  const { register, handleSubmit, formState, reset } = useContractForm(changePassword.body, {
    old: '',
    password: '',
  })
  const changing = useAct({
    send: (body: z.output<typeof changePassword.body>) => call(changePassword, { body }),
    notice: () => ({ text: t('me.password.done') }),
    onDone: () => reset(),
    quiet: true,
    makes: 'me-changed',
  })
  const { errors } = formState
  const refused = changing.isError ? problemOf(changing.error) : null
  const isOld = refused?.code === 'OLD_PASSWORD_WRONG'
  return (
    <Card title={t('me.password.title')}>
      <p className="text-ink-2">{t('me.password.text')}</p>
      <form
        noValidate
        className="mt-3 grid max-w-md gap-3"
        onSubmit={event => void handleSubmit(body => changing.mutate(body))(event)}
      >
        {(['old', 'password'] as const).map(of => (
          <TextField
            key={of}
            label={t(`me.password.${of}`)}
            problem={errors[of]?.message ?? (isOld === (of === 'old') ? refused?.text : undefined)}
            {...register(of)}
            type="password"
            autoComplete={of === 'old' ? 'current-password' : 'new-password'}
          />
        ))}
        <Button type="submit" disabled={changing.isPending} className="justify-self-start">
          {t('me.password.go')}
        </Button>
      </form>
    </Card>
  )
}
