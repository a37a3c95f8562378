import { useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useWatch, type UseFormRegisterReturn } from 'react-hook-form'
import { z } from 'zod'
import { useTranslation } from 'react-i18next'
import { askCode, enterOwn } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { Field, FormProblem, inputStyle } from '../../parts/field.tsx'
import { keptOwn, ownSessionKey, useProblemText } from './own-session.ts'

const large = `${inputStyle} py-2.5 text-[1.05rem]`

type Way = 'password' | 'code'

/** What is typed here; the secret is sent as the password or the code, by the way that was chosen. */
const typed = z.object({ address: askCode.body.shape.address, secret: z.string().trim().min(1).max(500) })

function useEntering(onCodeSent: () => void) {
  const client = useQueryClient()
  const entering = useAct({
    send: ({ address, secret, way }: z.output<typeof typed> & { way: Way }) =>
      call(enterOwn, {
        body: way === 'password' ? { address, password: secret } : { address, code: secret },
      }),
    onDone: session => void client.setQueryData(ownSessionKey, keptOwn(session)),
    quiet: true,
  })
  const asking = useAct({
    send: (address: string) => call(askCode, { body: { address } }),
    onDone: onCodeSent,
    quiet: true,
  })
  return { entering, asking }
}

/** First use on a device: a password of one's own, or a code sent to the mailbox. */
export function OwnSignIn({ address: known }: { address: string }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const [way, setWay] = useState<Way>('password')
  const { register, handleSubmit, formState, control, resetField } = useContractForm(typed, {
    address: known,
    secret: '',
  })
  const address = useWatch({ control, name: 'address' })
  const change = (next: Way) => {
    setWay(next)
    resetField('secret')
  }
  const { entering, asking } = useEntering(() => change('code'))
  const problem = entering.error ?? asking.error
  return (
    <form
      noValidate
      onSubmit={event => void handleSubmit(given => entering.mutate({ ...given, way }))(event)}
      className="mx-auto max-w-md rounded-lg border border-line bg-sheet p-5"
    >
      <h1 className="font-serif text-[1.35rem] font-semibold">{t('own.signIn.title')}</h1>
      <p className="mb-4 text-ink-2">{t('own.signIn.once')}</p>
      <Field label={t('own.signIn.address')} problem={formState.errors.address?.message} className="mb-3">
        {input => (
          <input {...input} {...register('address')} type="email" autoComplete="username" className={large} />
        )}
      </Field>
      {way === 'code' && asking.data && (
        <p role="status" className="mb-3 rounded-md bg-tint px-3 py-2">
          {t('own.signIn.sent', { address, count: asking.data.minutes })}
        </p>
      )}
      <Secret way={way} field={register('secret')} problem={formState.errors.secret?.message} />
      {problem && <FormProblem className="mb-4">{problemText(problem)}</FormProblem>}
      <Button
        kind="main"
        type="submit"
        disabled={entering.isPending}
        className="w-full justify-center py-2.5 text-[1.05rem]"
      >
        {t('own.signIn.go')}
      </Button>
      <Ways
        way={way}
        disabled={asking.isPending || !address.includes('@')}
        onCode={() => asking.mutate(address)}
        onPassword={() => change('password')}
      />
    </form>
  )
}

interface SecretProps {
  readonly way: Way
  readonly field: UseFormRegisterReturn
  readonly problem: string | undefined
}

function Secret({ way, field, problem }: SecretProps) {
  const { t } = useTranslation()
  return (
    <Field label={t(`own.signIn.${way}`)} problem={problem} className="mb-4">
      {input => (
        <input
          key={way}
          {...input}
          {...field}
          type={way === 'password' ? 'password' : 'text'}
          inputMode={way === 'code' ? 'numeric' : undefined}
          autoComplete={way === 'password' ? 'current-password' : 'one-time-code'}
          className={large}
        />
      )}
    </Field>
  )
}

interface WaysProps {
  readonly way: Way
  readonly disabled: boolean
  readonly onCode: () => void
  readonly onPassword: () => void
}

/** The other ways in: a code, another code, or the password after all. */
function Ways({ way, disabled, onCode, onPassword }: WaysProps) {
  const { t } = useTranslation()
  return (
    <p className="mt-4 flex flex-wrap gap-x-6 gap-y-2">
      <Button kind="link" disabled={disabled} onClick={onCode}>
        {t(way === 'code' ? 'own.signIn.again' : 'own.signIn.sendCode')}
      </Button>
      {way === 'code' && (
        <Button kind="link" onClick={onPassword}>
          {t('own.signIn.usePassword')}
        </Button>
      )}
    </p>
  )
}
