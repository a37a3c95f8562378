import { useTranslation } from 'react-i18next'

const [width, height, gap] = [84, 18, 0.8]

/** What an entry met on each of 30 days; the highest day fills the height. */
export function Bars({ days }: { days: readonly number[] }) {
  const { t } = useTranslation()
  const total = days.reduce((sum, n) => sum + n, 0)
  const most = Math.max(...days, 1)
  const step = width / days.length
  return (
    <svg
      width={width}
      height={height}
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label={t('senders.bars', { count: total })}
      className="fill-petrol/65"
    >
      {total === 0 && (
        <line
          x1="0"
          x2={width}
          y1={height - 0.5}
          y2={height - 0.5}
          className="stroke-line-strong"
          strokeDasharray="3 3"
        />
      )}
      {days.map((n, i) => {
        const tall = n === 0 ? 0 : Math.max(2, (n / most) * height)
        return <rect key={i} x={i * step} y={height - tall} width={step - gap} height={tall} />
      })}
    </svg>
  )
}
