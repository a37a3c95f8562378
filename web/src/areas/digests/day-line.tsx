import { queryKeyOf } from '../../app/query-keys.ts'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { digestDay, type DigestDay } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Sentence } from '../../parts/sentence.tsx'

const day = 86_400_000
const [width, height, base] = [1180, 66, 48]

export function useDigestDay() {
  return useQuery({
    queryKey: queryKeyOf('digest', 'day'),
    queryFn: ({ signal }) => call(digestDay, { signal }),
    refetchInterval: 60_000,
  })
}

/** Twelve hours back and twelve on: when digests went, and when the next ones go. */
export function DayLine() {
  const { t } = useTranslation()
  const { data } = useDigestDay()
  const { number } = useNumbers()
  if (!data) return <div className="skeleton mx-5 my-3 h-16" />
  const sum = (past: boolean) =>
    data.moments.filter(moment => moment.past === past).reduce((all, { mailboxes }) => all + mailboxes, 0)
  const bounced = data.moments.reduce((all, moment) => all + moment.bounced, 0)
  return (
    <section aria-label={t('digests.day')} className="border-b border-line-strong px-5 pt-3 pb-1">
      <p className="text-[1.1rem]">
        <Sentence
          text={[
            t('digests.daySentence', { past: number(sum(true)), coming: number(sum(false)) }),
            ...(bounced > 0 ? [t('digests.dayBounced', { count: bounced })] : []),
          ].join(' ')}
        />
      </p>
      <Line day={data} />
    </section>
  )
}

function Line({ day: { now, moments } }: { day: DigestDay }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { number } = useNumbers()
  const from = Date.parse(now) - day / 2
  const x = (iso: string | number) =>
    ((typeof iso === 'number' ? iso : Date.parse(iso)) - from) * (width / day)
  const shown = moments.filter(({ at }) => x(at) >= 0 && x(at) <= width)
  const most = Math.max(...shown.map(({ mailboxes }) => mailboxes), 1)
  const firstHour = Math.ceil(from / 7_200_000) * 7_200_000
  // A label at the very edge would be cut off.
  const hours = Array.from({ length: 12 }, (_, i) => firstHour + i * 7_200_000).filter(
    hour => x(hour) > 20 && x(hour) < width - 20,
  )
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label={t('digests.dayLine', {
        moments: shown.map(({ at, mailboxes }) => `${times.clock(at)}: ${mailboxes}`).join(', '),
      })}
      className="mt-1 w-full"
    >
      <line x1="0" x2={width} y1={base} y2={base} className="stroke-line-strong" />
      {hours.map(hour => (
        <g key={hour}>
          <line x1={x(hour)} x2={x(hour)} y1={base} y2={base + 4} className="stroke-line-strong" />
          <text x={x(hour)} y={base + 16} textAnchor="middle" className="fill-ink-2 text-[11px]">
            {times.clock(new Date(hour).toISOString())}
          </text>
        </g>
      ))}
      {shown.map(({ at, mailboxes, past }) => {
        const r = 4 + 18 * Math.sqrt(mailboxes / most)
        return (
          <g key={at + String(past)}>
            <circle
              cx={x(at)}
              cy={base - r}
              r={r}
              className={past ? 'fill-petrol/35 stroke-petrol' : 'fill-petrol stroke-petrol'}
            />
            <text x={x(at) + r + 5} y={base - r + 4} className="fill-ink text-[12px]">
              {number(mailboxes)}
            </text>
          </g>
        )
      })}
      <line x1={x(now)} x2={x(now)} y1="0" y2={base} className="stroke-stop" strokeWidth="2" />
      <text x={x(now) + 6} y="11" className="fill-stop text-[12px] font-semibold">
        {t('digests.now', { time: times.clock(now) })}
      </text>
    </svg>
  )
}
