import { useState, type FormEvent } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useWatch, type UseFormRegisterReturn } from 'react-hook-form'
import { z } from 'zod'
import { useTranslation } from 'react-i18next'
import { useLocation, useNavigate } from 'react-router'
import { askCode, enterOwn } from '@pendro/contract'
import { call, Problem } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { FormProblem, inputStyle, TextField } from '../../parts/field.tsx'
import { IdentityButton, useWaysIn } from '../sign-in/identity.tsx'
import { keptOwn, ownSessionKey, useProblemText } from './own-session.ts'

const wide = 'w-full justify-center py-2.5 text-[1.05rem]'
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

/** First use on a device: the organisation's account, a password of one's own, or a code sent to the mailbox. */
export function OwnSignIn({ address }: { address: string }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const { pathname, search, state, hash } = useLocation()
  const wayIn = wayInOf(hash)
  const Title = wayIn ? 'h2' : 'h1'
  // What kept somebody out who comes back from the identity provider.
  const refused = (state as { refused?: Problem['code'] } | null)?.refused
  const { data: ways } = useWaysIn()
  return (
    <section className="mx-auto max-w-md rounded-lg border border-line bg-sheet p-5">
      {wayIn && <WayIn {...wayIn} />}
      <Title className="font-serif text-[1.35rem] font-semibold">{t('own.signIn.title')}</Title>
      <p className="mb-4 text-ink-2">{t('own.signIn.once')}</p>
      {refused && (
        <FormProblem className="mb-4">
          {problemText(new Problem(refused, t('failed.unknown'), 0))}
        </FormProblem>
      )}
      {ways?.colleagues && (
        <div className="mb-5 border-b border-line pb-5">
          <IdentityButton
            as="colleague"
            from={pathname + search}
            kind="main"
            className={wide}
            say={problemText}
          >
            {t('own.signIn.identity', { provider: ways.provider })}
          </IdentityButton>
        </div>
      )}
      <Typed
        address={address || (wayIn?.address ?? '')}
        passwords={ways?.passwords !== false}
        isFirst={!ways?.colleagues && wayIn === null}
      />
    </section>
  )
}

/** What a message about an outage brings along behind the mark: whose mailbox it opens, and the code. */
function wayInOf(hash: string): { readonly address: string; readonly code: string } | null {
  const [, address = '', code = ''] = /^#([^/]{3,330})\/([\w-]{16})$/.exec(hash) ?? []
  try {
    return code === '' ? null : { address: decodeURIComponent(address), code }
  } catch {
    return null
  }
}

/** Opens the mailbox when somebody presses, and not when a program looks what is there: the code works once. */
function WayIn({ address, code }: { address: string; code: string }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const navigate = useNavigate()
  const { entering } = useEntering(() => {})
  const open = () =>
    entering.mutate(
      { address, secret: code, way: 'code' },
      { onSuccess: () => void navigate({ hash: '' }, { replace: true }) },
    )
  return (
    <section className="mb-5 border-b border-line pb-5">
      <h1 className="font-serif text-[1.35rem] font-semibold">{t('own.signIn.wayIn')}</h1>
      <p className="font-mono break-words">{address}</p>
      <p className="mb-4 text-ink-2">{t('own.signIn.wayInText')}</p>
      {entering.error && <FormProblem className="mb-4">{problemText(entering.error)}</FormProblem>}
      <Button kind="main" className={wide} disabled={entering.isPending} onClick={open}>
        {t('own.signIn.wayInGo')}
      </Button>
    </section>
  )
}

/** What is typed, and where it goes. */
function useTyped(known: string, passwords: boolean) {
  const [way, setWay] = useState<Way>('password')
  const form = useContractForm(typed, { address: known, secret: '' })
  const { handleSubmit, control, resetField } = form
  const address = useWatch({ control, name: 'address' })
  const change = (next: Way) => {
    setWay(next)
    resetField('secret')
  }
  const { entering, asking } = useEntering(() => change('code'))
  const isAsking = way === 'password' && !passwords
  const mayAsk = !asking.isPending && address.includes('@')
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (!isAsking) void handleSubmit(given => entering.mutate({ ...given, way }))()
    else if (mayAsk) asking.mutate(address)
  }
  return { way, change, form, address, entering, asking, isAsking, mayAsk, submit }
}

/** The address with a password or a code; only a code where passwords are switched off. */
function Typed({
  address: known,
  passwords,
  isFirst,
}: {
  address: string
  passwords: boolean
  /** The main way in, and not one below another. */
  isFirst: boolean
}) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const { way, change, form, address, entering, asking, isAsking, mayAsk, submit } = useTyped(
    known,
    passwords,
  )
  const { register, formState } = form
  const problem = entering.error ?? asking.error
  return (
    <form noValidate onSubmit={submit}>
      <TextField
        label={t('own.signIn.address')}
        problem={formState.errors.address?.message}
        className="mb-3"
        {...register('address')}
        type="email"
        autoComplete="username"
        look={large}
      />
      {way === 'code' && asking.data && <Sent address={address} minutes={asking.data.minutes} />}
      {!isAsking && (
        <Secret way={way} field={register('secret')} problem={formState.errors.secret?.message} />
      )}
      {problem && <FormProblem className="mb-4">{problemText(problem)}</FormProblem>}
      <Button
        kind={isFirst ? 'main' : 'plain'}
        type="submit"
        disabled={isAsking ? !mayAsk : entering.isPending}
        className={wide}
      >
        {t(isAsking ? 'own.signIn.askCode' : 'own.signIn.go')}
      </Button>
      {!isAsking && (
        <Ways
          way={way}
          disabled={!mayAsk}
          onCode={() => asking.mutate(address)}
          onPassword={passwords ? () => change('password') : undefined}
        />
      )}
    </form>
  )
}

function Sent({ address, minutes }: { address: string; minutes: number }) {
  const { t } = useTranslation()
  return (
    <p role="status" className="mb-3 rounded-md bg-tint px-3 py-2">
      {t('own.signIn.sent', { address, count: minutes })}
    </p>
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
    <TextField
      label={t(`own.signIn.${way}`)}
      problem={problem}
      className="mb-4"
      key={way}
      {...field}
      type={way === 'password' ? 'password' : 'text'}
      inputMode={way === 'code' ? 'numeric' : undefined}
      autoComplete={way === 'password' ? 'current-password' : 'one-time-code'}
      look={large}
    />
  )
}

interface WaysProps {
  readonly way: Way
  readonly disabled: boolean
  readonly onCode: () => void
  readonly onPassword: (() => void) | undefined
}

/** The other ways in: a code, another code, or the password after all. */
function Ways({ way, disabled, onCode, onPassword }: WaysProps) {
  const { t } = useTranslation()
  return (
    <p className="mt-4 flex flex-wrap gap-x-6 gap-y-2">
      <Button kind="link" disabled={disabled} onClick={onCode}>
        {t(way === 'code' ? 'own.signIn.again' : 'own.signIn.sendCode')}
      </Button>
      {way === 'code' && onPassword && (
        <Button kind="link" onClick={onPassword}>
          {t('own.signIn.usePassword')}
        </Button>
      )}
    </p>
  )
}
