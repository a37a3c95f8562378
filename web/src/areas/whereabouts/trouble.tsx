import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { readTrouble, type MailTrouble } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { problemWords } from '../../parts/hand-over.ts'
import { TryAllAgain } from '../../parts/try-again.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'

type Row = MailTrouble['stuck'][number]

/** Before anybody asks: what reaches nobody at the moment. */
export function Trouble() {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const { data, error, refetch } = useTrouble()
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={4} height={60} />
  const { waiting, stuck, bounced, refused, inspecting } = data
  const calm = waiting + inspecting + bounced.count + refused.count === 0
  return (
    <div className="grid gap-5">
      <header>
        <h2 className="font-serif text-[1.3rem] font-semibold">{t('whereabouts.trouble.title')}</h2>
        <p className="text-ink-2">
          {calm
            ? t('whereabouts.trouble.calm')
            : [
                t('whereabouts.trouble.waiting', { count: waiting, shown: number(waiting) }),
                ...(inspecting > 0 ? [t('whereabouts.trouble.inspecting', { count: inspecting })] : []),
              ].join(' ')}
        </p>
      </header>
      {waiting > 0 && <Waiting stuck={stuck} />}
      {bounced.count > 0 && (
        <Kind
          title={t('whereabouts.trouble.bounced', { count: bounced.count })}
          rows={bounced.rows}
          of="delivery"
        />
      )}
      {refused.count > 0 && (
        <Kind
          title={t('whereabouts.trouble.refused', { count: refused.count })}
          rows={refused.rows}
          of="refusal"
        />
      )}
    </div>
  )
}

/** What comes in or goes on is followed by the area, with all else that is asked of it. */
const useTrouble = () =>
  useQuery({
    queryKey: queryKeyOf('where', 'trouble'),
    queryFn: ({ signal }) => call(readTrouble, { signal }),
    refetchInterval: 30_000,
  })

function Waiting({ stuck }: { stuck: readonly Row[] }) {
  const { t } = useTranslation()
  return (
    <Kind
      title={t('whereabouts.trouble.stuck', { count: stuck.length })}
      rows={stuck}
      of="delivery"
      act={<TryAllAgain />}
    />
  )
}

interface KindProps {
  readonly title: string
  readonly rows: readonly Row[]
  readonly of: 'delivery' | 'refusal'
  readonly act?: React.ReactNode
}

function Kind({ title, rows, of, act }: KindProps) {
  return (
    <section>
      <div className="flex items-center justify-between gap-4">
        <h3 className="font-bold">{title}</h3>
        {act}
      </div>
      <ul className="mt-1 grid gap-1.5">
        {rows.map(row => (
          <TroubleRow key={row.id} row={row} of={of} />
        ))}
      </ul>
    </section>
  )
}

/** Two lines: which mail, and what is the matter with it. */
function TroubleRow({ row, of }: { row: Row; of: KindProps['of'] }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { subject, from, to, at, nextAt, attempts, problem } = row
  const where =
    of === 'delivery' ? `/whereabouts/account/${row.id}` : `/whereabouts?${new URLSearchParams({ from, to })}`
  return (
    <li className="rounded-md border border-line bg-sheet px-4 py-1.5">
      <p className="flex min-w-0 items-baseline gap-2">
        <Link
          to={where}
          className="min-w-0 truncate border-b border-line-strong font-bold hover:border-current"
        >
          {of === 'delivery' ? subject || t('review.noSubject') : from || t('whereabouts.trouble.nobody')}
        </Link>
        <span className="min-w-0 truncate text-ink-2">
          {of === 'delivery' && <span className="font-mono text-[0.92em]">{from}</span>}{' '}
          {t('whereabouts.to', { to })}
        </span>
        <time dateTime={at} className="ml-auto text-[0.92rem] whitespace-nowrap text-ink-2">
          {times.short(at)}
        </time>
      </p>
      <p className="text-[0.95rem] text-ink-2">
        {[
          of === 'refusal' ? problem : problemWords(problem, t),
          ...(nextAt === null
            ? []
            : [t('whereabouts.trouble.next', { count: attempts, time: times.short(nextAt) })]),
        ].join(' · ')}
      </p>
    </li>
  )
}
