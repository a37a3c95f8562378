import { queryKeyOf } from '../../app/query-keys.ts'
import { useEffect, useState } from 'react'
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { Link, useSearchParams } from 'react-router'
import { isUndecided, ownMail, type OwnRow } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { Miss } from './miss.tsx'
import { StandbyBanner } from './standby/standby-banner.tsx'
import { useOwnSession, useProblemText } from './own-session.ts'
import { useActs, useOfferedActs } from './use-acts.ts'

const shows = ['kept', 'near-certain', 'sent', 'refused'] as const
type Show = (typeof shows)[number]

/** What is shown and looked for, as the address has it. */
function useOwnFilter() {
  const [search, setSearch] = useSearchParams()
  const show: Show = shows.find(one => one === search.get('show')) ?? 'kept'
  const find = search.get('find') ?? ''
  const set = (key: string, value: string) =>
    setSearch(
      before => {
        const next = new URLSearchParams(before)
        if (value === '') next.delete(key)
        else next.set(key, value)
        return next
      },
      { replace: true },
    )
  return { show, find, set }
}

type Junk = 'chosen' | 'shown' | 'hidden'

const useOwnList = (show: Show, find: string, junk: Junk) =>
  useInfiniteQuery({
    queryKey: queryKeyOf('own', 'mail', show, find, junk),
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam, signal }) =>
      call(ownMail, { query: { show, find, junk, after: pageParam }, signal }),
    getNextPageParam: page => page.next ?? undefined,
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  })

/** A colleague's own kept-back mail; read anew every ten seconds while it is looked at. */
export function OwnMail() {
  const { t } = useTranslation()
  const { name } = useOwnSession()
  const { show, find, set } = useOwnFilter()
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set())
  const change = (key: string, value: string) => {
    setMarked(new Set())
    set(key, value)
  }
  const mark = (id: number, on: boolean) =>
    setMarked(before => {
      const next = new Set(before)
      if (on) next.add(id)
      else next.delete(id)
      return next
    })
  // Settled for this visit: looking at it makes it old, and it must not go away while it is read.
  const [junk, setJunk] = useState<Junk>('chosen')
  const list = useOwnList(show, find, junk)
  const inJunk = list.data?.pages[0]?.junk
  useEffect(() => {
    if (junk === 'chosen' && inJunk) setJunk(inJunk.shown ? 'shown' : 'hidden')
  }, [junk, inJunk])
  const rows = list.data?.pages.flatMap(page => page.rows) ?? []
  // Somebody else may have ruled on a marked one meanwhile.
  const ids = rows.filter(row => marked.has(row.id) && isOpen(row)).map(({ id }) => id)
  return (
    <>
      <StandbyBanner />
      <h1 className="font-serif text-[1.35rem] font-semibold">{t('own.heading', { name })}</h1>
      <Shows
        show={show}
        counts={list.data?.pages[0]?.counts}
        onShow={one => change('show', one === 'kept' ? '' : one)}
      />
      <input
        type="search"
        value={find}
        onChange={event => change('find', event.target.value)}
        aria-label={t('own.find')}
        placeholder={t('own.find')}
        className="mt-3 w-full rounded-md border border-line-strong bg-raised px-3 py-2"
      />
      {show === 'kept' && inJunk && !inJunk.shown && inJunk.count > 0 && (
        <p className="mt-3 flex flex-wrap items-center gap-x-4 text-ink-2">
          {t('own.junk.hidden', { count: inJunk.count })}
          <Button kind="link" onClick={() => setJunk('shown')}>
            {t('own.junk.show')}
          </Button>
        </p>
      )}
      <Rows list={list} rows={rows} show={show} find={find} marked={marked} onMark={mark} />
      <Miss />
      {ids.length > 0 && <MarkedBar ids={ids} onDone={() => setMarked(new Set())} />}
    </>
  )
}

interface ShowsProps {
  readonly show: Show
  readonly counts: { readonly kept: number; readonly nearCertain: number } | undefined
  readonly onShow: (show: Show) => void
}

function Shows({ show, counts, onShow }: ShowsProps) {
  const { t } = useTranslation()
  const countOf = (one: Show) =>
    one === 'kept' ? counts?.kept : one === 'near-certain' ? counts?.nearCertain : undefined
  return (
    <div role="group" aria-label={t('own.show.label')} className="mt-2 flex flex-wrap gap-2">
      {shows.map(one => (
        <button
          key={one}
          type="button"
          aria-pressed={one === show}
          onClick={() => onShow(one)}
          className={clsx(
            'min-h-9 rounded-md border px-3',
            one === show
              ? 'border-petrol bg-tint font-bold text-petrol-deep dark:text-ink'
              : 'border-line-strong bg-raised hover:border-petrol',
          )}
        >
          {t(`own.show.${one}`)}
          {countOf(one) !== undefined && <b className="ml-1.5">{countOf(one)}</b>}
        </button>
      ))}
    </div>
  )
}

interface RowsProps {
  readonly list: ReturnType<typeof useOwnList>
  readonly rows: readonly OwnRow[]
  readonly show: Show
  readonly find: string
  readonly marked: ReadonlySet<number>
  readonly onMark: (id: number, on: boolean) => void
}

function Rows({ list, rows, show, find, marked, onMark }: RowsProps) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  return (
    <div className="mt-3 overflow-hidden rounded-lg border border-line bg-sheet">
      {list.isPending && <SkeletonRows count={5} />}
      {list.error && !list.data && (
        <Failed say={problemText} error={list.error} onAgain={() => void list.refetch()} />
      )}
      {list.data && rows.length === 0 && (
        <Empty title={find === '' ? t(`own.empty.${show}`) : t('own.emptyFind', { find })}>
          {t(find === '' ? 'own.emptyText' : 'own.emptyFindText')}
        </Empty>
      )}
      <ul>
        {rows.map(row => (
          <Row key={row.id} row={row} marked={marked.has(row.id)} onMark={on => onMark(row.id, on)} />
        ))}
      </ul>
      {list.hasNextPage && (
        <p className="p-3 text-center">
          <Button disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            {t('own.more')}
          </Button>
        </p>
      )}
    </div>
  )
}

/** Whether a colleague can still decide about it. */
export const isOpen = ({ state }: Pick<OwnRow, 'state'>) => isUndecided(state)

function Row({ row, marked, onMark }: { row: OwnRow; marked: boolean; onMark: (on: boolean) => void }) {
  const { t } = useTranslation()
  const times = useTimes()
  const subject = row.subject || t('own.noSubject')
  const days = Math.max(0, times.daysLeft(row.expiresAt))
  return (
    <li className={clsx('flex gap-3 border-b border-line px-3 last:border-b-0', marked && 'bg-tint')}>
      <span className="pt-3.5">
        {isOpen(row) ? (
          <Checkbox checked={marked} label={t('own.mark', { subject })} onChange={onMark} />
        ) : (
          <span className="block size-4" />
        )}
      </span>
      <Link to={`/own/mail/${row.id}`} className="min-w-0 flex-1 py-2.5 outline-offset-[-2px]">
        <span className="flex flex-wrap items-baseline justify-between gap-x-3">
          <b className="min-w-0 truncate">{row.fromName || row.fromAddress}</b>
          <span className="text-[0.92rem] text-ink-2">{times.short(row.receivedAt)}</span>
        </span>
        <span className="block truncate font-mono text-[0.9rem] text-ink-2">{row.fromAddress}</span>
        <span className="block truncate">{subject}</span>
        <span className="block text-[0.92rem] text-ink-2">
          {isOpen(row) || row.state === 'sealed' ? t(`held.${row.reason}`) : t(`own.state.${row.state}`)}{' '}
          {isOpen(row) && (
            <span
              className={clsx('inline-block first-letter:uppercase', days <= 3 && 'font-semibold text-amber')}
            >
              {t('own.goesAway', { count: days })}
            </span>
          )}
          {row.attachments > 0 && ` · ${t('own.attached', { count: row.attachments })}`}
          {row.mailbox !== '' && ` · ${t('own.for', { mailbox: row.mailbox })}`}
        </span>
      </Link>
    </li>
  )
}

function MarkedBar({ ids, onDone }: { ids: readonly number[]; onDone: () => void }) {
  const { t } = useTranslation()
  const acting = useActs(onDone)
  const offered = useOfferedActs()
  return (
    <div className="sticky bottom-0 z-10 -mx-4 mt-3 flex flex-wrap items-center gap-2 border-t border-line-strong bg-sheet px-4 py-3">
      <b className="mr-2">{t('own.marked', { count: ids.length })}</b>
      {offered.map(act => (
        <Button
          key={act}
          kind={act === 'send' ? 'main' : 'plain'}
          disabled={acting.isPending}
          onClick={() => acting.mutate({ ids, act })}
        >
          {t(`act.${act}`)}
        </Button>
      ))}
      <Button kind="link" onClick={onDone}>
        {t('own.unmark')}
      </Button>
    </div>
  )
}
