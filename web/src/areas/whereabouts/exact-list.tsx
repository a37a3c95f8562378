import { queryKeyOf } from '../../app/query-keys.ts'
import { useMemo, useState } from 'react'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link, useSearchParams } from 'react-router'
import { listMail, whereFilter, whereState, type ListedMail } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { readFilterBy } from '../../app/url-filter.ts'
import { Button } from '../../parts/buttons.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { areaLayout } from '../../parts/layout.ts'
import { useLiveWhereabouts } from './use-where.ts'

const names = [
  'direction',
  'state',
  'mailbox',
  'since',
  'until',
  'scoreFrom',
  'scoreTo',
  'sizeFrom',
  'sizeTo',
  'messageId',
  'from',
  'to',
  'subject',
  'without',
] as const
type Name = (typeof names)[number]

const keptKey = 'pendro.exact-filters'

type Filters = Partial<Record<Name, string>>

/** The filters as the address has them, and how one is set there. */
function useExactFilters() {
  const [search, setSearch] = useSearchParams()
  const filter = useMemo(() => {
    const known = readFilterBy(whereFilter.shape, search)
    // As text, for the fields; what the server would refuse is left out.
    return Object.fromEntries(
      names.flatMap(name => (name in known && search.get(name) ? [[name, search.get(name) ?? '']] : [])),
    ) as Filters
  }, [search])
  const set = (name: Name, value: string) =>
    setSearch(
      before => {
        const next = new URLSearchParams(before)
        if (value === '') next.delete(name)
        else next.set(name, value)
        return next
      },
      { replace: true },
    )
  return { filter, set, search, setSearch }
}

/** All mail by exact filters, for those who want a list; every filter stands in the address. */
export function ExactList() {
  const { t } = useTranslation()
  const { filter, set } = useExactFilters()
  return (
    <div className={areaLayout}>
      <h1 className="sr-only">{t('whereabouts.exact.title')}</h1>
      <section className="border-b border-line-strong px-6 py-4 text-[1.05rem] leading-[2.3rem]">
        <p>
          <Link to="/whereabouts" className="border-b border-current text-petrol">
            {t('whereabouts.exact.back')}
          </Link>
        </p>
        <FilterSentence filter={filter} set={set} />
        <Views />
      </section>
      <Results filter={filter} />
    </div>
  )
}

interface FilterProps {
  readonly filter: Filters
  readonly set: (name: Name, value: string) => void
}

function FilterSentence({ filter, set }: FilterProps) {
  const { t } = useTranslation()
  const field = (name: Name, type: 'date' | 'number' | 'text', className = '') => (
    <FilterField name={name} type={type} className={className} filter={filter} set={set} />
  )
  const direction = filter.direction === 'out' ? 'out' : 'in'
  return (
    <Sentence
      text={t('whereabouts.exact.sentence')}
      slots={{
        direction: (
          <SentenceSlot
            label={t('whereabouts.exact.direction')}
            text={t(`whereabouts.exact.directions.${direction}`)}
            value={direction}
            options={(['in', 'out'] as const).map(value => ({
              value,
              text: t(`whereabouts.exact.directions.${value}`),
            }))}
            onPick={value => set('direction', value === 'in' ? '' : value)}
          />
        ),
        state: <StateSlot filter={filter} set={set} />,
        mailbox: (
          <MailboxSlot
            mailbox={filter.mailbox ? Number(filter.mailbox) : undefined}
            onPick={id => set('mailbox', id === undefined ? '' : String(id))}
          />
        ),
        since: field('since', 'date'),
        until: field('until', 'date'),
        scoreFrom: field('scoreFrom', 'number', 'w-20'),
        scoreTo: field('scoreTo', 'number', 'w-20'),
        sizeFrom: field('sizeFrom', 'number', 'w-24'),
        sizeTo: field('sizeTo', 'number', 'w-24'),
        from: field('from', 'text', 'w-52 font-mono'),
        to: field('to', 'text', 'w-52 font-mono'),
        subject: field('subject', 'text', 'w-52'),
        messageId: field('messageId', 'text', 'w-60 font-mono'),
        without: field('without', 'text', 'w-52 font-mono'),
      }}
    />
  )
}

function StateSlot({ filter, set }: FilterProps) {
  const { t } = useTranslation()
  const stateText = (state: string) =>
    t(state === 'misjudged' ? 'whereabouts.exact.misjudged' : `state.${state}`)
  return (
    <SentenceSlot
      label={t('whereabouts.exact.state')}
      text={filter.state ? stateText(filter.state) : t('whereabouts.exact.anyState')}
      value={filter.state ?? ''}
      options={[
        { value: '', text: t('whereabouts.exact.anyState') },
        ...whereState.options.map(value => ({
          value: value as string,
          text: stateText(value),
          ...(value === 'misjudged' ? { hint: t('whereabouts.exact.misjudgedHint') } : {}),
        })),
      ]}
      onPick={value => set('state', value)}
    />
  )
}

interface FieldProps extends FilterProps {
  readonly name: Name
  readonly type: 'date' | 'number' | 'text'
  readonly className: string
}

function FilterField({ name, type, className, filter, set }: FieldProps) {
  const { t } = useTranslation()
  return (
    <input
      type={type}
      min={type === 'number' ? 0 : undefined}
      value={filter[name] ?? ''}
      aria-label={t(`whereabouts.exact.${name}`)}
      onChange={event => set(name, event.target.value)}
      className={`rounded-t-sm border-b-2 border-petrol bg-raised px-2 py-0.5 ${className}`}
    />
  )
}

/** A view of one's own, on this device: it hides nothing from anybody else, and nothing for good. */
function Views() {
  const { t } = useTranslation()
  const { search, setSearch } = useExactFilters()
  const [kept, setKept] = useState(() => localStorage.getItem(keptKey) ?? '')
  const keep = (filters: string) => {
    localStorage.setItem(keptKey, filters)
    setKept(filters)
  }
  return (
    <p className="flex gap-4">
      <Button kind="link" disabled={search.size === 0} onClick={() => keep(search.toString())}>
        {t('whereabouts.exact.keep')}
      </Button>
      {kept !== '' && kept !== search.toString() && (
        <Button kind="link" onClick={() => setSearch(new URLSearchParams(kept))}>
          {t('whereabouts.exact.asKept')}
        </Button>
      )}
      {search.size > 0 && (
        <Button kind="link" onClick={() => setSearch(new URLSearchParams())}>
          {t('whereabouts.exact.all')}
        </Button>
      )}
    </p>
  )
}

function Results({ filter }: Pick<FilterProps, 'filter'>) {
  const { t } = useTranslation()
  useLiveWhereabouts()
  const list = useInfiniteQuery({
    queryKey: queryKeyOf('where', 'list', filter),
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam, signal }) =>
      call(listMail, { query: { ...filter, after: pageParam } as object, signal }),
    getNextPageParam: page => page.next ?? undefined,
  })
  const rows = list.data?.pages.flatMap(page => page.rows) ?? []
  return (
    <div className="overflow-y-auto" tabIndex={0} role="region" aria-label={t('whereabouts.exact.title')}>
      {list.isPending && <SkeletonRows count={8} height={48} />}
      {list.error && !list.data && <Failed error={list.error} onAgain={() => void list.refetch()} />}
      {list.data && rows.length === 0 && (
        <Empty title={t('whereabouts.exact.none')}>{t('whereabouts.exact.noneText')}</Empty>
      )}
      {rows.length > 0 && <Table rows={rows} />}
      {list.hasNextPage && (
        <p className="p-3 text-center">
          <Button disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            {t('whereabouts.exact.more')}
          </Button>
        </p>
      )}
    </div>
  )
}

function Table({ rows }: { rows: readonly ListedMail[] }) {
  const { t } = useTranslation()
  return (
    <table className="w-full border-collapse bg-sheet">
      <thead>
        <tr className="border-b border-line-strong text-left text-ink-2">
          {(['at', 'from', 'subject', 'to', 'state', 'score', 'size'] as const).map(name => (
            <th key={name} scope="col" className="px-3 py-1.5 font-semibold">
              {t(`whereabouts.exact.column.${name}`)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(row => (
          <Row key={`${row.kind}${row.id}`} row={row} />
        ))}
      </tbody>
    </table>
  )
}

function Row({ row }: { row: ListedMail }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { size } = useNumbers()
  return (
    <tr className="border-b border-line align-top hover:bg-raised">
      <td className="px-3 py-1.5 whitespace-nowrap">{times.full(row.at)}</td>
      <td className="max-w-64 px-3 py-1.5">
        <span className="block truncate">{row.fromName}</span>
        <span className="block truncate font-mono text-[0.9rem] text-ink-2">{row.fromAddress}</span>
      </td>
      <td className="px-3 py-1.5">
        {row.kind === 'delivery' ? (
          <Link to={`/whereabouts/account/${row.id}`} className="border-b border-current text-petrol">
            {row.subject || t('review.noSubject')}
          </Link>
        ) : (
          row.subject
        )}
      </td>
      <td className="px-3 py-1.5">{row.to}</td>
      <td className="px-3 py-1.5">
        {row.state === null ? t('whereabouts.outbound') : t(`state.${row.state}`)}
      </td>
      <td className="px-3 py-1.5 text-right">{row.score ?? ''}</td>
      <td className="px-3 py-1.5 text-right whitespace-nowrap">{size(row.size)}</td>
    </tr>
  )
}
