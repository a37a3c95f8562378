import { useTranslation } from 'react-i18next'

/** Degrees from hanging straight: 0 (wanted) leans left, 100 (junk) leans right. */
const angleOf = (score: number) => ((score - 50) / 50) * 62

function scoreTone(score: number): 'wanted' | 'between' | 'junk' {
  if (score < 50) return 'wanted'
  return score < 60 ? 'between' : 'junk'
}

const fills = { wanted: 'fill-wanted', between: 'fill-between', junk: 'fill-junk' } as const
const strokes = { wanted: 'stroke-wanted', between: 'stroke-between', junk: 'stroke-junk' } as const

/** The junk score as a pendulum: the side it leans to, and the number in its bob. */
export function Pendulum({
  score,
  size = 'row',
  swings = false,
}: {
  score: number
  size?: 'row' | 'sheet'
  swings?: boolean
}) {
  const { t } = useTranslation()
  const tone = scoreTone(score)
  const shown = Math.round(score)
  const big = size === 'sheet'
  const length = big ? 36 : 24
  const bob = big ? 12 : 9
  const width = big ? 108 : 62
  const middle = width / 2
  const angle = (angleOf(score) * Math.PI) / 180
  const x = middle + Math.sin(angle) * length
  const y = 7 + Math.cos(angle) * length
  const arc = (from: number, to: number) => {
    const point = (degrees: number) =>
      `${middle + Math.sin((degrees * Math.PI) / 180) * length} ${7 + Math.cos((degrees * Math.PI) / 180) * length}`
    return `M${point(from)} A${length} ${length} 0 0 ${from < to ? 0 : 1} ${point(to)}`
  }
  return (
    <svg
      width={width}
      height={big ? 58 : 46}
      viewBox={`0 0 ${width} ${big ? 58 : 46}`}
      role="img"
      aria-label={t('pendulum.label', { score: shown })}
      className="shrink-0"
    >
      <path
        d={arc(-62, -6)}
        className="stroke-wanted/35 fill-none"
        strokeWidth={big ? 2 : 1.6}
        strokeLinecap="round"
      />
      <path
        d={arc(6, 62)}
        className="stroke-junk/35 fill-none"
        strokeWidth={big ? 2 : 1.6}
        strokeLinecap="round"
      />
      <g style={{ transformOrigin: `${middle}px 7px`, animation: swings ? 'swing .5s ease-out' : undefined }}>
        <line
          x1={middle}
          y1={7}
          x2={x}
          y2={y}
          className={strokes[tone]}
          strokeWidth={big ? 3 : 2}
          strokeLinecap="round"
        />
        <circle cx={middle} cy={7} r={big ? 2.6 : 2.2} className="fill-ink-2" />
        <circle cx={x} cy={y} r={bob} className={fills[tone]} />
        <text
          x={x}
          y={y}
          textAnchor="middle"
          dominantBaseline="central"
          className="fill-raised font-bold"
          fontSize={big ? 12.5 : 10}
        >
          {shown}
        </text>
      </g>
    </svg>
  )
}
