import { useTranslation } from 'react-i18next'
import type { MailboxSheet } from '@pendro/contract'
import { useTimes } from '../../app/times.ts'

const [width, height, gap] = [360, 54, 2]

/** What was kept back on each of 30 days, with what of it was released again; a mark below for what got through. */
export function MonthChart({ days }: Pick<MailboxSheet, 'days'>) {
  const { t } = useTranslation()
  const times = useTimes()
  const most = Math.max(4, ...days.map(({ keptBack }) => keptBack))
  const step = width / days.length
  const tall = (n: number) => (n === 0 ? 0 : Math.max(2, (n / most) * (height - 8)))
  const sum = (of: 'keptBack' | 'released') => days.reduce((total, day) => total + day[of], 0)
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label={t('mailboxes.sheet.chart', { count: sum('keptBack'), released: sum('released') })}
      className="block h-[54px] w-full max-w-[420px]"
      preserveAspectRatio="none"
    >
      <line x1="0" x2={width} y1={height - 7} y2={height - 7} className="stroke-line-strong" />
      {days.map(({ day, keptBack, released, missed }, i) => (
        <g key={day}>
          <title>
            {t('mailboxes.sheet.chartDay', {
              day: times.day(`${day}T12:00:00Z`),
              kept: keptBack,
              released,
              missed,
            })}
          </title>
          <rect x={i * step} y={0} width={step} height={height} className="fill-transparent" />
          <rect
            x={i * step}
            y={height - 8 - tall(keptBack)}
            width={step - gap}
            height={tall(keptBack)}
            className="fill-junk/45"
          />
          <rect
            x={i * step}
            y={height - 8 - tall(released)}
            width={step - gap}
            height={tall(released)}
            className="fill-wanted"
          />
          {missed > 0 && (
            <rect x={i * step} y={height - 5} width={step - gap} height={4} className="fill-stop" />
          )}
        </g>
      ))}
    </svg>
  )
}
