import { queryKeyOf } from '../../app/query-keys.ts'
import { lazy, Suspense, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Navigate, useLocation } from 'react-router'
import { setUpNeeded, signIn, type FactorKind } from '@pendro/contract'
import type { z } from 'zod'
import { call, problemOf } from '../../app/api.ts'
import { enter, useSessionQuery } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { FormProblem, inputStyle, TextField } from '../../parts/field.tsx'
import { IdentityButton, useWaysIn } from './identity.tsx'
import { PasskeyButton, SecondStep } from './second-step.tsx'

// Once in the life of an installation.
const FirstSetUp = lazy(() =>
  import('../first-set-up/first-set-up.tsx').then(m => ({ default: m.FirstSetUp })),
)

/** Only paths of our own: an address from elsewhere in the state must not lead away. */
function cameFrom(state: unknown): string {
  const from = (state as { from?: unknown } | null)?.from
  return typeof from === 'string' && from.startsWith('/') && !from.startsWith('//') ? from : '/review'
}

export function SignIn() {
  const { data } = useSessionQuery()
  const { state } = useLocation()
  const setUp = useQuery({
    queryKey: queryKeyOf('set-up'),
    queryFn: ({ signal }) => call(setUpNeeded, { signal }),
    staleTime: Infinity,
  })
  if (data) return <Navigate to={cameFrom(state)} replace />
  if (setUp.data?.needed)
    return (
      <Suspense fallback={null}>
        <FirstSetUp />
      </Suspense>
    )
  return (
    <main className="grid h-full lg:grid-cols-[minmax(0,11fr)_minmax(0,9fr)]">
      <Beside />
      <div className="grid place-items-center px-8">
        <Steps from={cameFrom(state)} />
      </div>
    </main>
  )
}

/** What it is for, beside the form where there is room. */
function Beside() {
  const { t } = useTranslation()
  return (
    <div className="relative hidden overflow-hidden bg-petrol-deep text-[#F7F3EA] lg:block">
      <SwingingField />
      <div className="absolute inset-x-0 bottom-0 p-14">
        <p className="font-serif text-[2.3rem] leading-tight font-medium text-balance">
          {t('signIn.promise')}
        </p>
        <p className="mt-4 max-w-md text-[1.05rem] text-[#C4D5D3]">{t('signIn.more')}</p>
      </div>
    </div>
  )
}

const wide = 'w-full justify-center py-2.5 text-[1.05rem]'
const large = `${inputStyle} py-2.5 text-[1.05rem] outline-offset-1`

/** The password, and what is asked for beside it. */
function Steps({ from }: { from: string }) {
  const { t } = useTranslation()
  const ways = useWaysIn()
  const [typed, setTyped] = useState(false)
  const [factors, setFactors] = useState<readonly FactorKind[]>([])
  return (
    <div className="w-full max-w-sm">
      <div className="mb-8 flex items-center gap-3 font-serif text-[1.7rem] font-semibold">
        <img src="/mark.svg" alt="" className="size-10" />
        Pendro
      </div>
      {factors.length === 0 ? (
        <>
          <h1 className="mb-5 font-serif text-[1.35rem] font-semibold">{t('signIn.title')}</h1>
          {ways.data && ways.data.provider !== '' && (
            <IdentityButton as="staffer" from={from} kind="main" className={wide}>
              {t('signIn.identity', { provider: ways.data.provider })}
            </IdentityButton>
          )}
          {ways.data?.passwords === false && !typed ? (
            <NoPasswords onTyped={() => setTyped(true)} />
          ) : (
            ways.data && <Form isFirst={ways.data.provider === ''} onMore={setFactors} />
          )}
          {ways.error && <FormProblem>{problemOf(ways.error).text}</FormProblem>}
        </>
      ) : (
        <SecondStep factors={factors} text={t('signIn.secondText')} onBack={() => setFactors([])} />
      )}
    </div>
  )
}

/** Passwords are off: a passkey is left, and a password that was given on the machine. */
function NoPasswords({ onTyped }: { onTyped: () => void }) {
  const { t } = useTranslation()
  return (
    <>
      <PasskeyButton className="mt-3 w-full justify-center py-2" />
      <Button kind="link" className="mt-6" onClick={onTyped}>
        {t('signIn.wayBack')}
      </Button>
    </>
  )
}

/** Name and password; below the organisation's own sign-in where there is one. */
function Form({ isFirst, onMore }: { isFirst: boolean; onMore: (factors: readonly FactorKind[]) => void }) {
  const { t } = useTranslation()
  const client = useQueryClient()
  const { register, handleSubmit, formState } = useContractForm(signIn.body, { signIn: '', password: '' })
  const { errors } = formState
  const entering = useAct({
    send: (given: z.output<typeof signIn.body>) => enter(client, given),
    onDone: onMore,
    quiet: true,
  })
  return (
    <form noValidate onSubmit={event => void handleSubmit(given => entering.mutate(given))(event)}>
      {!isFirst && <p className="my-5 border-t border-line pt-5 text-ink-2">{t('signIn.orPassword')}</p>}
      <TextField
        label={t('signIn.name')}
        problem={errors.signIn?.message}
        className="mb-4"
        {...register('signIn')}
        autoFocus={isFirst}
        autoComplete="username"
        look={large}
      />
      <TextField
        label={t('signIn.password')}
        problem={errors.password?.message}
        className="mb-5"
        {...register('password')}
        type="password"
        autoComplete="current-password"
        look={large}
      />
      {entering.isError && <FormProblem className="mb-4">{problemOf(entering.error).text}</FormProblem>}
      <Button kind={isFirst ? 'main' : 'plain'} type="submit" disabled={entering.isPending} className={wide}>
        {t('signIn.go')}
      </Button>
      <PasskeyButton className="mt-3 w-full justify-center py-2" />
    </form>
  )
}

/** Five positions of one pendulum between the two sides: the product in one picture. */
function SwingingField() {
  const angles = [-58, -30, 0, 30, 58]
  const point = (degrees: number, length: number) =>
    [
      320 + Math.sin((degrees * Math.PI) / 180) * length,
      30 + Math.cos((degrees * Math.PI) / 180) * length,
    ] as const
  const [lx, ly] = point(-66, 330)
  const [rx, ry] = point(66, 330)
  return (
    <svg viewBox="0 0 640 480" aria-hidden className="absolute inset-x-0 top-10 w-full">
      <path
        d={`M${lx} ${ly} A330 330 0 0 0 ${rx} ${ry}`}
        fill="none"
        stroke="#F2E8CF"
        strokeOpacity=".25"
        strokeWidth="2"
        strokeDasharray="2 10"
        strokeLinecap="round"
      />
      {angles.map((angle, i) => {
        const [x, y] = point(angle, 330)
        const here = i === 1
        return (
          <g key={angle} opacity={here ? 1 : 0.2}>
            <line
              x1="320"
              y1="30"
              x2={x}
              y2={y}
              stroke="#F2E8CF"
              strokeWidth={here ? 5 : 3}
              strokeLinecap="round"
            />
            <circle cx={x} cy={y} r={here ? 26 : 18} fill={here ? '#E8C872' : '#F2E8CF'} />
          </g>
        )
      })}
      <circle cx="320" cy="30" r="8" fill="#F2E8CF" />
    </svg>
  )
}
