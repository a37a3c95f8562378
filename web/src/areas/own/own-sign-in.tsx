import { useState, type FormEvent } from 'react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { askCode, enterOwn } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { Button } from '../../parts/buttons.tsx'
import { keptOwn, ownSessionKey, useProblemText } from './own-session.ts'

const field = 'w-full rounded-md border border-line-strong bg-raised px-3 py-2.5 text-[1.05rem]'

type Way = 'password' | 'code'

interface Typed {
  readonly address: string
  readonly secret: string
  readonly way: Way
}

function useEntering({ address, secret, way }: Typed, onCodeSent: () => void) {
  const client = useQueryClient()
  const entering = useMutation({
    mutationFn: () =>
      call(enterOwn, {
        body: way === 'password' ? { address, password: secret } : { address, code: secret },
      }),
    onSuccess: session => client.setQueryData(ownSessionKey, keptOwn(session)),
  })
  const asking = useMutation({
    mutationFn: () => call(askCode, { body: { address } }),
    onSuccess: onCodeSent,
  })
  return { entering, asking }
}

/** First use on a device: a password of one's own, or a code sent to the mailbox. */
export function OwnSignIn({ address: known }: { address: string }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const [address, setAddress] = useState(known)
  const [secret, setSecret] = useState('')
  const [way, setWay] = useState<Way>('password')
  const change = (next: Way) => {
    setWay(next)
    setSecret('')
  }
  const { entering, asking } = useEntering({ address, secret, way }, () => change('code'))
  const problem = entering.error ?? asking.error
  const submit = (event: FormEvent) => {
    event.preventDefault()
    entering.mutate()
  }
  return (
    <form onSubmit={submit} className="mx-auto max-w-md rounded-lg border border-line bg-sheet p-5">
      <h1 className="font-serif text-[1.35rem] font-semibold">{t('own.signIn.title')}</h1>
      <p className="mb-4 text-ink-2">{t('own.signIn.once')}</p>
      <label className="mb-3 block">
        <span className="mb-1 block font-semibold">{t('own.signIn.address')}</span>
        <input
          type="email"
          required
          autoComplete="username"
          value={address}
          onChange={event => setAddress(event.target.value)}
          className={field}
        />
      </label>
      {way === 'code' && asking.data && (
        <p role="status" className="mb-3 rounded-md bg-tint px-3 py-2">
          {t('own.signIn.sent', { address, count: asking.data.minutes })}
        </p>
      )}
      <Secret way={way} secret={secret} onChange={setSecret} />
      {problem && (
        <p role="alert" className="mb-4 rounded-md border border-stop/40 bg-amber-tint px-3 py-2 text-stop">
          {problemText(problem)}
        </p>
      )}
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
        onCode={() => asking.mutate()}
        onPassword={() => change('password')}
      />
    </form>
  )
}

interface SecretProps {
  readonly way: Way
  readonly secret: string
  readonly onChange: (secret: string) => void
}

function Secret({ way, secret, onChange }: SecretProps) {
  const { t } = useTranslation()
  return (
    <label className="mb-4 block">
      <span className="mb-1 block font-semibold">{t(`own.signIn.${way}`)}</span>
      <input
        key={way}
        type={way === 'password' ? 'password' : 'text'}
        inputMode={way === 'code' ? 'numeric' : undefined}
        required
        autoComplete={way === 'password' ? 'current-password' : 'one-time-code'}
        value={secret}
        onChange={event => onChange(event.target.value)}
        className={field}
      />
    </label>
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
