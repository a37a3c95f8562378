import type { ReactNode } from 'react'
import { useQueries, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { reviewCounts, type ReviewRow } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { Button, KeyCap } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { TryAllAgain } from '../../parts/try-again.tsx'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { usualFilter, useFilter, writeFilter } from './filter.ts'
import { useRuling } from './ruling-store.ts'
import { useReviewList, useReviewLive } from './review-queries.ts'

interface ListPaneProps extends ReturnType<typeof useFilter> {
  readonly list: ReturnType<typeof useReviewList>
  readonly rows: readonly ReviewRow[]
  readonly live: ReturnType<typeof useReviewLive>
  readonly onMarkAll: () => void
  readonly children: ReactNode
}

/** The list, or why there is none; what has come in meanwhile waits above it. */
export function ListPane({ list, rows, filter, change, live, onMarkAll, children }: ListPaneProps) {
  const { t } = useTranslation()
  return (
    <>
      {live.arrived > 0 && (
        <Button
          // What has just come is at the top of the newest, and nowhere in particular of what is likely wanted.
          onClick={() => {
            live.showArrived()
            change({ order: 'newest' })
          }}
          className="absolute top-2 left-1/2 z-10 -translate-x-1/2 rounded-full"
        >
          {t('review.arrived', { count: live.arrived })}
        </Button>
      )}
      {list.isPending && <SkeletonRows count={9} />}
      {list.error && !list.data && <Failed error={list.error} onAgain={() => void list.refetch()} />}
      {list.data && rows.length === 0 && !list.isFetching && (
        <Empty title={t(`review.empty.${filter.states === 'kept' ? 'kept' : 'other'}`)}>
          <p>{t('review.emptyText')}</p>
          <FirstSteps className="mt-2" />
          {filter.states === 'kept' && <WouldHaveBeenHeld filter={filter} />}
          {filter.find && <Elsewhere filter={filter} />}
          <Button
            className="mt-4"
            onClick={() => change({ ...usualFilter, mailbox: undefined, find: undefined, days: 28 })}
          >
            {t('review.emptyAction')}
          </Button>
        </Empty>
      )}
      {rows.length > 0 && (
        <div className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
          <div>
            <MarkAll onMarkAll={onMarkAll} />
            {filter.states === 'waiting' && (
              <p className="border-b border-line px-4 py-1.5">
                <TryAllAgain />
              </p>
            )}
          </div>
          {children}
        </div>
      )}
    </>
  )
}

/** Everything the filter shows, as one: also what is not on the screen yet. */
function MarkAll({ onMarkAll }: Pick<ListPaneProps, 'onMarkAll'>) {
  const { t } = useTranslation()
  const session = useSession()
  const selection = useRuling(state => state.selection)
  if (!mayWrite(session)) return null
  return (
    <label className="flex items-center gap-2.5 border-b border-line py-1 pr-4 pl-5 text-[0.92rem]">
      <Checkbox checked={selection !== null} label={t('review.markAll')} onChange={onMarkAll} />
      {t('review.markAll')} <KeyCap>{t('review.markAllKey')}</KeyCap>
    </label>
  )
}

/** While mail is only watched nothing is kept; what would have been is here. */
function WouldHaveBeenHeld({ filter }: Pick<ReturnType<typeof useFilter>, 'filter'>) {
  const { t } = useTranslation()
  const { order: _, ...asked } = filter
  const { data } = useQuery({
    queryKey: queryKeyOf('review-counts', 'watched', filter),
    queryFn: ({ signal }) => call(reviewCounts, { query: { ...asked, states: 'watched' }, signal }),
  })
  if (!data || data.total === 0) return null
  return (
    <p className="mt-2">
      <Link
        className="border-b border-current font-semibold text-petrol"
        to={`/review?${writeFilter({ ...filter, states: 'watched', order: 'newest' })}`}
      >
        {t('review.wouldBe', { count: data.total })}
      </Link>
    </p>
  )
}

const elsewhere = [
  'moved',
  'watched',
  'sealed',
  'waiting',
  'released',
  'discarded',
  'delivered',
  'inspecting',
  'kept',
] as const

/** What was looked for may be somewhere else: how much of it, state by state. */
function Elsewhere({ filter }: Pick<ReturnType<typeof useFilter>, 'filter'>) {
  const { t } = useTranslation()
  const { order: _, ...asked } = filter
  const counts = useQueries({
    queries: elsewhere.map(states => ({
      queryKey: queryKeyOf('review-counts', 'elsewhere', states, filter),
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        call(reviewCounts, { query: { ...asked, states, days: 366, from: 0, to: 100 }, signal }),
      enabled: states !== filter.states || filter.days < 366,
    })),
  })
  const found = elsewhere.flatMap((states, i) => {
    const total = counts[i]?.data?.total ?? 0
    return total > 0 ? [{ states, total }] : []
  })
  if (found.length === 0) return null
  return (
    <div className="mt-3">
      <p>{t('review.elsewhere')}</p>
      <ul className="mt-1">
        {found.map(({ states, total }) => (
          <li key={states}>
            <Link
              className="border-b border-current text-petrol"
              to={`/review?${writeFilter({ ...filter, states, days: 366, from: 0, to: 100 })}`}
            >
              {t('review.elsewhereLink', { count: total, states: t(`review.states.${states}`) })}
            </Link>
          </li>
        ))}
      </ul>
    </div>
  )
}
