import type { ChartConfiguration } from 'chart.js'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import type { CalibrationShape } from '@pendro/contract'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Card } from '../../parts/card.tsx'
import { NumberTable } from './number-table.tsx'
import { axis, colour, font, useChart } from './use-chart.ts'

/** Both kinds of mistakes side by side, a pair a week. */
const mistakes = (
  weeks: CalibrationShape['weeks'],
  labels: readonly string[],
  t: TFunction,
): ChartConfiguration => ({
  type: 'bar',
  data: {
    labels: [...labels],
    datasets: [
      {
        label: t('calibration.weeks.held'),
        data: weeks.map(({ held }) => held),
        backgroundColor: colour('--wanted'),
      },
      {
        label: t('calibration.weeks.missed'),
        data: weeks.map(({ missed }) => missed),
        backgroundColor: colour('--junk'),
      },
    ],
  },
  options: {
    animation: false,
    maintainAspectRatio: false,
    plugins: {
      legend: { labels: { color: colour('--ink-2'), font, boxWidth: 12, boxHeight: 12 } },
    },
    scales: {
      x: { ...axis(), grid: { display: false } },
      y: { ...axis(), beginAtZero: true, ticks: { ...axis().ticks, precision: 0 } },
    },
  },
})

/** Mistakes found, how long held mail waited, and the loss, week by week. */
export function WeeksCard({ weeks }: { weeks: CalibrationShape['weeks'] }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { number } = useNumbers()
  const dayOf = (from: string) => times.day(`${from}T12:00:00Z`)
  const { canvas } = useChart(
    () =>
      mistakes(
        weeks,
        weeks.map(({ from }) => dayOf(from)),
        t,
      ),
    weeks,
  )
  const hours = (n: number | null) => (n === null ? '–' : number(Math.round(n * 10) / 10))
  return (
    <Card title={t('calibration.weeks.title')}>
      <div className="relative h-44">
        <canvas ref={canvas} role="img" aria-label={t('calibration.weeks.chart')} />
      </div>
      <NumberTable
        heads={['from', 'rulings', 'held', 'missed', 'undone', 'median', 'ninth', 'loss'].map(head =>
          t(`calibration.weeks.${head}`),
        )}
        rows={[...weeks]
          .reverse()
          .map(({ from, rulings, held, missed, undone, median, ninth, logLoss }) => [
            dayOf(from),
            number(rulings),
            number(held),
            number(missed),
            number(undone),
            hours(median),
            hours(ninth),
            logLoss === null ? '–' : logLoss.toFixed(2),
          ])}
      />
      <p className="mt-2 text-[0.92rem] text-ink-2">{t('calibration.weeks.note')}</p>
    </Card>
  )
}
