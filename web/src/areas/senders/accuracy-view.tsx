import { useEffect, useRef } from 'react'
import {
  CategoryScale,
  Chart,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js'
import { useTranslation } from 'react-i18next'
import type { UpkeepShape } from '@pendro/contract'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Empty } from '../../parts/states.tsx'
import { SidePanel } from './side-panel.tsx'
import { useUpkeep } from './use-senders.ts'

Chart.register(CategoryScale, LinearScale, LineController, LineElement, PointElement, Tooltip)

type Week = UpkeepShape['accuracy'][number]
const share = ({ decided, reversed }: Week) => (decided === 0 ? null : (100 * (decided - reversed)) / decided)

/** How right the lists were, week by week: a line, and the same in numbers. */
export function AccuracyView({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { number } = useNumbers()
  const { data } = useUpkeep()
  const weeks = data?.accuracy ?? []
  return (
    <SidePanel title={t('senders.accuracy.title')} text={t('senders.accuracy.text')} onClose={onClose}>
      {data && weeks.length === 0 && (
        <Empty title={t('senders.accuracy.none')}>{t('senders.accuracy.noneText')}</Empty>
      )}
      {weeks.length > 0 && (
        <>
          <Line weeks={weeks} />
          <table className="mt-4 w-full text-[0.95rem]">
            <thead>
              <tr className="border-b border-line-strong text-left text-ink-2">
                <th className="py-1 font-normal">{t('senders.accuracy.week')}</th>
                <th className="py-1 text-right font-normal">{t('senders.accuracy.decided')}</th>
                <th className="py-1 text-right font-normal">{t('senders.accuracy.reversed')}</th>
                <th className="py-1 text-right font-normal">{t('senders.accuracy.share')}</th>
              </tr>
            </thead>
            <tbody>
              {[...weeks].reverse().map(week => (
                <tr key={week.week} className="border-b border-line">
                  <td className="py-1">{times.day(`${week.week}T12:00:00`)}</td>
                  <td className="py-1 text-right">{number(week.decided)}</td>
                  <td className="py-1 text-right">{number(week.reversed)}</td>
                  <td className="py-1 text-right">
                    {share(week) === null ? '' : `${number(Math.floor((share(week) ?? 0) * 10) / 10)} %`}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </SidePanel>
  )
}

function Line({ weeks }: { weeks: readonly Week[] }) {
  const { t } = useTranslation()
  const times = useTimes()
  const canvas = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    if (!canvas.current) return
    const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()
    const values = weeks.map(share)
    const least = Math.min(...values.flatMap(value => value ?? []), 99)
    const font = { family: 'Atkinson Hyperlegible Next Variable', size: 12 }
    const chart = new Chart(canvas.current, {
      type: 'line',
      data: {
        labels: weeks.map(({ week }) => times.day(`${week}T12:00:00`)),
        datasets: [
          {
            data: values,
            borderColor: colour('--petrol'),
            backgroundColor: colour('--petrol'),
            pointRadius: 4,
            borderWidth: 2,
            tension: 0,
          },
        ],
      },
      options: {
        animation: false,
        layout: { padding: { top: 6, right: 8 } },
        maintainAspectRatio: false,
        plugins: {
          tooltip: { callbacks: { label: item => `${Math.floor(Number(item.parsed.y) * 10) / 10} %` } },
        },
        scales: {
          x: {
            grid: { display: false },
            ticks: { color: colour('--ink-2'), font, maxRotation: 0, autoSkipPadding: 12 },
          },
          y: {
            min: Math.max(0, Math.floor(least - 2)),
            max: 100,
            grid: { color: colour('--line') },
            ticks: { color: colour('--ink-2'), font, callback: value => `${value} %` },
          },
        },
      },
    })
    return () => chart.destroy()
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `times` is new at each render; the weeks are what is drawn
  }, [weeks])
  return (
    <div className="h-48 rounded-md border border-line bg-sheet p-3">
      <canvas ref={canvas} role="img" aria-label={t('senders.accuracy.chart')} />
    </div>
  )
}
