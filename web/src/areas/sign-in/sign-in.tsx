import { queryKeyOf } from '../../app/query-keys.ts'
import { lazy, Suspense, useState, type FormEvent } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Navigate, useLocation } from 'react-router'
import { setUpNeeded } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { enter, useSessionQuery } from '../../app/session.ts'
import { Button } from '../../parts/buttons.tsx'

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
        <Form />
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

const field =
  'w-full rounded-md border border-line-strong bg-raised px-3 py-2.5 text-[1.05rem] outline-offset-1'

function Form() {
  const { t } = useTranslation()
  const client = useQueryClient()
  const [problem, setProblem] = useState('')
  const [busy, setBusy] = useState(false)
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault()
    const form = new FormData(event.currentTarget)
    setBusy(true)
    setProblem('')
    try {
      await enter(client, { signIn: String(form.get('signIn')), password: String(form.get('password')) })
    } catch (error) {
      setProblem(problemOf(error).text)
    } finally {
      setBusy(false)
    }
  }
  return (
    <form onSubmit={event => void submit(event)} className="w-full max-w-sm">
      <div className="mb-8 flex items-center gap-3 font-serif text-[1.7rem] font-semibold">
        <img src="/mark.svg" alt="" className="size-10" />
        Pendro
      </div>
      <h1 className="mb-5 font-serif text-[1.35rem] font-semibold">{t('signIn.title')}</h1>
      <label className="mb-4 block">
        <span className="mb-1 block font-semibold">{t('signIn.name')}</span>
        <input name="signIn" required autoFocus autoComplete="username" className={field} />
      </label>
      <label className="mb-5 block">
        <span className="mb-1 block font-semibold">{t('signIn.password')}</span>
        <input name="password" type="password" required autoComplete="current-password" className={field} />
      </label>
      {problem !== '' && (
        <p role="alert" className="mb-4 rounded-md border border-stop/40 bg-amber-tint px-3 py-2 text-stop">
          {problem}
        </p>
      )}
      <Button
        kind="main"
        type="submit"
        disabled={busy}
        className="w-full justify-center py-2.5 text-[1.05rem]"
      >
        {t('signIn.go')}
      </Button>
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
