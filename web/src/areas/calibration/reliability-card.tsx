import type { ChartConfiguration } from 'chart.js'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import type { CalibrationShape } from '@pendro/contract'
import { useNumbers } from '../../app/times.ts'
import { Card } from '../../parts/card.tsx'
import { NumberTable } from './number-table.tsx'
import { axis, colour, font, useChart } from './use-chart.ts'

const percent = (share: number | null) => (share === null ? '–' : `${Math.round(share * 100)} %`)

/** Bands with enough messages against the straight line that would be perfect. */
const curve = (enough: CalibrationShape['reliability'], t: TFunction): ChartConfiguration => ({
  type: 'line',
  data: {
    datasets: [
      {
        label: t('calibration.reliability.perfect'),
        data: [
          { x: 0, y: 0 },
          { x: 100, y: 100 },
        ],
        borderColor: colour('--line-strong'),
        borderDash: [4, 4],
        borderWidth: 1,
        pointRadius: 0,
      },
      {
        label: t('calibration.reliability.found'),
        data: enough.map(({ said, was }) => ({ x: (said ?? 0) * 100, y: (was ?? 0) * 100 })),
        borderColor: colour('--petrol'),
        backgroundColor: colour('--petrol'),
        pointRadius: enough.map(({ count }) => Math.min(9, 3 + Math.log10(count) * 2)),
        borderWidth: 2,
      },
    ],
  },
  options: {
    animation: false,
    maintainAspectRatio: false,
    plugins: {
      legend: { labels: { color: colour('--ink-2'), font, boxWidth: 12, boxHeight: 2 } },
    },
    scales: {
      x: { ...axis(), type: 'linear', min: 0, max: 100 },
      y: { ...axis(), min: 0, max: 100, ticks: { ...axis().ticks, callback: value => `${value} %` } },
    },
  },
})

/** What the score said against how often it was junk. */
export function ReliabilityCard({ bands }: { bands: CalibrationShape['reliability'] }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const enough = bands.filter(band => band.enough && band.said !== null && band.was !== null)
  const { canvas } = useChart(() => curve(enough, t), bands)
  return (
    <Card title={t('calibration.reliability.title')}>
      <p className="mb-2 text-ink-2">{t('calibration.reliability.text')}</p>
      <div className="relative h-48">
        <canvas ref={canvas} role="img" aria-label={t('calibration.reliability.chart')} />
      </div>
      <NumberTable
        heads={[
          t('calibration.scores.score'),
          t('calibration.reliability.count'),
          t('calibration.reliability.said'),
          t('calibration.reliability.was'),
        ]}
        rows={bands.map(({ from, to, count, said, was, enough: tells }) => [
          `${from}–${to}`,
          number(count),
          percent(said),
          tells ? (
            percent(was)
          ) : count === 0 ? (
            '–'
          ) : (
            <span className="text-ink-2">{t('calibration.reliability.few')}</span>
          ),
        ])}
      />
    </Card>
  )
}
