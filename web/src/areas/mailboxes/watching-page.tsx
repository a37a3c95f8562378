import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { readWatching, type WatchingDays } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { maySteer, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { AreaPage } from '../../parts/area-page.tsx'
import { Card } from '../../parts/card.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { WatchingCard } from './watching-card.tsx'

/** The days on which mail is only watched: what would have been held, and whether that would have been right. */
export function WatchingPage() {
  const { t } = useTranslation()
  const may = maySteer(useSession())
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('watching'),
    queryFn: ({ signal }) => call(readWatching, { signal }),
    refetchInterval: 10_000,
  })
  return (
    <AreaPage
      title={t('mailboxes.watched.title')}
      lead={
        <>
          {data && t(data.watching ? 'mailboxes.watched.lead' : 'mailboxes.watched.over')}{' '}
          <Link
            to="/review?states=watched&days=28&order=newest"
            className="border-b border-current text-petrol"
          >
            {t('mailboxes.watched.review')}
          </Link>
        </>
      }
    >
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={5} />}
      {data && (
        <div className="grid items-start gap-3 min-[1080px]:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
          <DaysCard days={data.days} />
          <WatchingCard key={String(data.watching)} watching={data.watching} may={may} withDays={false} />
        </div>
      )}
    </AreaPage>
  )
}

const sum = (days: WatchingDays['days'], of: 'would' | 'wanted' | 'junk') =>
  days.reduce((total, day) => total + day[of], 0)

function DaysCard({ days }: { days: WatchingDays['days'] }) {
  const { t } = useTranslation()
  const times = useTimes()
  if (days.length === 0)
    return (
      <Card title={t('mailboxes.watched.days')}>
        <p>{t('mailboxes.watched.none')}</p>
      </Card>
    )
  const [would, wanted, junk] = [sum(days, 'would'), sum(days, 'wanted'), sum(days, 'junk')]
  const most = Math.max(...days.map(day => day.came))
  const head = 'border-b border-line px-2 pb-1 text-right font-semibold first:pl-0 first:text-left'
  const cell = 'border-b border-line px-2 py-1 text-right tabular-nums first:pl-0 first:text-left'
  return (
    <Card title={t('mailboxes.watched.days')}>
      <p className="mb-2">
        {t('mailboxes.watched.of', { count: would })}{' '}
        {wanted + junk === 0
          ? t('mailboxes.watched.unruled')
          : t('mailboxes.watched.called', {
              wanted,
              share: Math.round((100 * wanted) / (wanted + junk)),
              ruled: wanted + junk,
            })}
      </p>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={t('mailboxes.watched.days')}>
        <table className="w-full min-w-[30rem]">
          <thead>
            <tr>
              {(['day', 'came', 'would', 'wanted', 'junk'] as const).map(column => (
                <th key={column} scope="col" className={head}>
                  {t(`mailboxes.watched.columns.${column}`)}
                </th>
              ))}
              <th scope="col" className={`${head} w-1/4`}>
                <span className="sr-only">{t('mailboxes.watched.columns.bar')}</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {days.map(day => (
              <tr key={day.day}>
                <td className={cell}>{times.dayHeading(`${day.day}T12:00:00.000Z`)}</td>
                <td className={cell}>{day.came}</td>
                <td className={cell}>{day.would}</td>
                <td className={`${cell} ${day.wanted > 0 ? 'text-stop' : ''}`}>{day.wanted}</td>
                <td className={cell}>{day.junk}</td>
                <td className={cell}>
                  <Bar of={most} came={day.came} would={day.would} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Card>
  )
}

/** How much came in, and how much of it would have been held. */
function Bar({ of, came, would }: { of: number; came: number; would: number }) {
  const width = (n: number) => `${Math.round((100 * n) / Math.max(1, of))}%`
  return (
    <span aria-hidden className="relative block h-3 rounded-sm">
      <span className="absolute inset-y-0 left-0 rounded-sm bg-tint" style={{ width: width(came) }} />
      <span className="absolute inset-y-0 left-0 rounded-sm bg-petrol" style={{ width: width(would) }} />
    </span>
  )
}
