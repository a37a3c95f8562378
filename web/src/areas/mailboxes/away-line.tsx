import { useTranslation } from 'react-i18next'
import type { MailboxSheet } from '@pendro/contract'
import { useTimes } from '../../app/times.ts'

const day = 86_400_000
const width = 460
const height = 62
/** Days shown before now, and after now where nothing reaches further. */
const [before, after] = [30, 75]

const at = (date: string) => Date.parse(`${date}T00:00:00Z`)

/** Times away on a line with now, and until when each of them holds what is kept back. */
export function AwayLine({ sheet, now = Date.now() }: { sheet: MailboxSheet; now?: number }) {
  const { t } = useTranslation()
  const times = useTimes()
  const days = (sheet.keeping ?? sheet.organisation.keep).quarantined
  const from = now - before * day
  const until = Math.max(now + after * day, ...sheet.away.map(({ back }) => at(back) + (days + 6) * day))
  const x = (time: number) => Math.min(width, Math.max(0, ((time - from) / (until - from)) * width))
  const iso = (time: number) => new Date(time).toISOString()
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label={t('mailboxes.away.line', { from: times.day(iso(from)), to: times.day(iso(until)) })}
      className="block w-full"
    >
      <line x1="0" x2={width} y1="30" y2="30" className="stroke-line-strong" strokeWidth="2" />
      {sheet.away.map(({ from: first, back }) => {
        const [left, right] = [x(at(first)), x(at(back))]
        const end = x(at(back) + days * day)
        return (
          <g key={first}>
            <line
              x1={right}
              x2={end}
              y1="30"
              y2="30"
              className="stroke-wanted"
              strokeWidth="5"
              strokeDasharray="2 5"
            />
            <rect
              x={left}
              y="20"
              width={Math.max(6, right - left)}
              height="20"
              rx="4"
              className="fill-tint stroke-petrol"
              strokeWidth="1.5"
            />
            <text x={Math.min(end, width - 2)} y="56" textAnchor="end" className="fill-wanted" fontSize="12">
              {t('mailboxes.away.keptUntil', { day: times.day(iso(at(back) + days * day)) })}
            </text>
          </g>
        )
      })}
      <line x1={x(now)} x2={x(now)} y1="12" y2="44" className="stroke-stop" strokeWidth="2" />
      <text x={x(now)} y="9" textAnchor="middle" className="fill-stop font-bold" fontSize="12">
        {t('mailboxes.away.now')}
      </text>
    </svg>
  )
}
