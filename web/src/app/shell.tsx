import { queryKeyOf } from './query-keys.ts'
import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState, type RefObject } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { NavLink, Outlet } from 'react-router'
import { openWork, reviewCounts } from '@pendro/contract'
import { call, onProveAgain } from './api.ts'
import { FindBox } from './find-box.tsx'
import { useKeys } from './keys.ts'
import { useLive, useLiveEvents, useLiveStream } from './live.ts'
import { NoticeBar } from './notice-bar.tsx'
import { askProof, useProof } from './proof.ts'
import { useSession } from './session.ts'
import { faceStyle, StafferFace } from './staffer-face.tsx'
import { isForeign, useZone } from './times.ts'

// What opens above the screen comes with code of its own, when the screen is there.
const KeysHelp = lazy(() => import('./keys-help.tsx').then(m => ({ default: m.KeysHelp })))
const StafferMenu = lazy(() => import('./staffer-menu.tsx').then(m => ({ default: m.StafferMenu })))
const ProofDialog = lazy(() => import('../areas/me/index.ts').then(m => ({ default: m.ProofDialog })))
const FactorFirst = lazy(() => import('../areas/me/index.ts').then(m => ({ default: m.FactorFirst })))

onProveAgain(askProof)

/** The frame, or what comes before it: the second factor that the organisation asks for. */
export function Shell() {
  const { factorFirst } = useSession()
  if (!factorFirst) return <Frame />
  return (
    <>
      <Suspense fallback={null}>
        <FactorFirst />
      </Suspense>
      <NoticeBar />
    </>
  )
}

/** Ctrl K leads to the search from anywhere, from a field too. */
function useFindKey(find: RefObject<HTMLInputElement | null>): void {
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'k') return
      event.preventDefault()
      find.current?.focus()
    }
    document.addEventListener('keydown', press)
    return () => document.removeEventListener('keydown', press)
  }, [find])
}

/** Top bar and everything that is there on each screen. */
function Frame() {
  const { t } = useTranslation()
  const [helpOpen, setHelpOpen] = useState<boolean | null>(null)
  const isProofAsked = useProof(state => state.answer !== null)
  const find = useRef<HTMLInputElement>(null)
  useLiveStream()
  useKeys(useMemo(() => ({ '/': () => find.current?.focus(), '?': () => setHelpOpen(true) }), []))
  useFindKey(find)
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_minmax(0,1fr)]">
      <a
        href="#main"
        className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-raised focus:p-2"
      >
        {t('shell.skip')}
      </a>
      <header className="flex min-h-[52px] flex-wrap items-stretch gap-x-5 bg-petrol-deep px-5 text-[#EFF4F2] max-[899px]:gap-x-4 max-[899px]:px-3">
        <span className="flex items-center gap-2.5 font-serif text-[1.42rem] font-semibold text-[#F7F3EA]">
          <img src="/mark.svg" alt="" className="size-7" />
          <span className="max-[899px]:sr-only">Pendro</span>
        </span>
        <Areas />
        <div className="ml-auto flex min-w-0 flex-wrap items-center gap-3.5 py-1.5 max-[899px]:gap-2">
          <LiveMark />
          <ZoneMark />
          <FindBox input={find} onKeys={() => setHelpOpen(true)} />
          <StafferSpot onKeys={() => setHelpOpen(true)} />
        </div>
      </header>
      <main id="main" className="relative min-h-0 overflow-clip">
        <Outlet />
      </main>
      <NoticeBar />
      {helpOpen !== null && (
        <Suspense fallback={null}>
          <KeysHelp open={helpOpen} onOpenChange={setHelpOpen} />
        </Suspense>
      )}
      {isProofAsked && (
        <Suspense fallback={null}>
          <ProofDialog />
        </Suspense>
      )}
    </div>
  )
}

/** The areas, each with what waits in it. */
function Areas() {
  const { t } = useTranslation()
  return (
    <nav
      aria-label={t('shell.areas')}
      className="flex flex-wrap gap-x-5 max-[899px]:gap-x-4 max-[639px]:order-last max-[639px]:w-full max-[639px]:pb-1"
    >
      <Area to="/review" text={t('areas.review')} count={<WorthALook />} />
      <Area to="/whereabouts" text={t('areas.whereabouts')} count={<OpenWork of="enquiries" />} />
      <Area to="/digests" text={t('areas.digests')} />
      <Area to="/senders" text={t('areas.senders')} count={<OpenWork of="senders" />} />
      <Area to="/mailboxes" text={t('areas.mailboxes')} />
      <Area to="/calibration" text={t('areas.calibration')} />
      <Area to="/organisation" text={t('areas.organisation')} />
      <Area to="/record" text={t('areas.record')} />
    </nav>
  )
}

/** The staffer's name, and the menu behind it. */
function StafferSpot({ onKeys }: { onKeys: () => void }) {
  const [open, setOpen] = useState(false)
  return (
    <Suspense
      fallback={
        <button type="button" aria-haspopup="menu" className={faceStyle} onClick={() => setOpen(true)}>
          <StafferFace />
        </button>
      }
    >
      <StafferMenu open={open} onOpenChange={setOpen} onKeys={onKeys} />
    </Suspense>
  )
}

function Area({ to, text, count }: { to: string; text: string; count?: React.ReactNode }) {
  return (
    <NavLink
      to={to}
      className={({ isActive }) =>
        clsx(
          'flex items-center gap-1.5 border-b-4 border-transparent pt-1 whitespace-nowrap outline-offset-[-4px] hover:text-white focus-visible:outline-brass',
          isActive && 'border-brass font-bold text-white',
        )
      }
    >
      {text}
      {count}
    </NavLink>
  )
}

/** Kept-back mail below near-certain junk, of the last 14 days. */
function WorthALook() {
  const { data } = useQuery({
    queryKey: queryKeyOf('review-counts', 'nav'),
    queryFn: ({ signal }) => call(reviewCounts, { query: {}, signal }),
    staleTime: 30_000,
  })
  if (!data) return null
  return <span className="text-[0.85rem] font-bold text-brass">{worthALook(data)}</span>
}

/** What waits in an area: findings and requests about sender lists, colleagues who asked for a message. */
function OpenWork({ of }: { of: 'senders' | 'enquiries' }) {
  const client = useQueryClient()
  const { data } = useQuery({
    queryKey: openWorkKey,
    queryFn: ({ signal }) => call(openWork, { signal }),
    staleTime: 30_000,
  })
  useLiveEvents(
    useCallback(
      ({ kind }) => {
        if (kind === 'senders' || kind === 'enquiry') void client.invalidateQueries({ queryKey: openWorkKey })
      },
      [client],
    ),
  )
  if (!data || data[of] === 0) return null
  return <span className="text-[0.85rem] font-bold text-brass">{data[of]}</span>
}

const openWorkKey = ['open-work']

export function worthALook({
  bins,
  limits,
}: {
  bins: readonly number[]
  limits: { nearCertain: number }
}): number {
  return bins.reduce((sum, n, bin) => (bin * 2 < limits.nearCertain ? sum + n : sum), 0)
}

function LiveMark() {
  const { t } = useTranslation()
  const connection = useLive(state => state.connection)
  if (connection !== 'broken') return null
  return (
    <span role="status" className="rounded-sm bg-amber-tint px-2 py-0.5 text-[0.9rem] text-amber">
      {t('shell.notLive')}
    </span>
  )
}

/** Times are the organisation's; whoever sits elsewhere is told. */
function ZoneMark() {
  const { t } = useTranslation()
  const zone = useZone(state => state.zone)
  if (!isForeign(zone)) return null
  return <span className="text-[0.9rem] whitespace-nowrap">{t('shell.zone', { zone })}</span>
}
