import { useRef, type KeyboardEvent, type PointerEvent } from 'react'
import { clsx } from 'clsx'
import type { ChartConfiguration } from 'chart.js'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import type { CalibrationShape } from '@pendro/contract'
import { limitNames, limitSteps, withLimit, type LimitName, type Limits } from '../mailboxes/index.ts'
import { axis, colour, font, useChart, type Place } from './use-chart.ts'

/** Pixels over the plot, where each limit has its score. */
const headroom = 60

/** Two scores a bar. */
const bars = Array.from({ length: 50 }, (_, i) => i * 2)
const sum = (counts: readonly number[]) => counts.reduce((total, n) => total + n, 0)
const inBars = (counts: readonly number[]) =>
  bars.map(from => sum(counts.slice(from, from === 98 ? 101 : from + 2)))

const tones: Readonly<Record<LimitName, string>> = {
  junk: 'bg-petrol',
  quarantined: 'bg-between',
  nearCertain: 'bg-junk',
}

/** Called wanted and junk as bars upon each other, the rest as a line on a scale of its own. */
const scores = ({ wanted, junk, unruled }: CalibrationShape, t: TFunction): ChartConfiguration => ({
  type: 'bar',
  data: {
    labels: bars.map(String),
    datasets: [
      {
        label: t('calibration.scores.wanted'),
        data: inBars(wanted),
        backgroundColor: colour('--wanted'),
        stack: 'ruled',
      },
      {
        label: t('calibration.scores.junk'),
        data: inBars(junk),
        backgroundColor: colour('--junk'),
        stack: 'ruled',
      },
      {
        type: 'line',
        label: t('calibration.scores.unruled'),
        data: inBars(unruled).map(n => (n === 0 ? null : n)),
        borderColor: colour('--ink-2'),
        borderWidth: 1,
        borderDash: [3, 3],
        pointRadius: 0,
        spanGaps: true,
        stepped: 'middle',
        yAxisID: 'all',
      },
    ],
  },
  options: {
    animation: false,
    maintainAspectRatio: false,
    layout: { padding: { top: headroom } },
    plugins: {
      legend: {
        position: 'bottom',
        labels: { color: colour('--ink-2'), font, boxWidth: 12, boxHeight: 12 },
      },
      tooltip: {
        callbacks: { title: items => `${items[0]?.label ?? ''}–${Number(items[0]?.label ?? 0) + 2}` },
      },
    },
    scales: {
      x: {
        ...axis(),
        grid: { display: false },
        stacked: true,
        ticks: { ...axis().ticks, callback: (_, i) => (i % 5 === 0 ? String(i * 2) : '') },
      },
      y: { ...axis(), stacked: true, beginAtZero: true },
      all: { ...axis(), type: 'logarithmic', position: 'right', grid: { display: false }, min: 1 },
    },
  },
})

/** What people called wanted and junk, by score, and everything else behind it; the limits stand in it and can be moved. */
export function ScoreChart({
  data,
  limits,
  disabled,
  onChange,
}: {
  data: CalibrationShape
  limits: Limits
  disabled: boolean
  onChange: (limits: Limits) => void
}) {
  const { t } = useTranslation()
  const { wanted, junk, unruled } = data
  const { canvas, place } = useChart(() => scores(data, t), [wanted, junk, unruled])
  return (
    <div className="relative h-96">
      <canvas
        ref={canvas}
        role="img"
        aria-label={t('calibration.scores.chart', {
          wanted: sum(wanted),
          junk: sum(junk),
          unruled: sum(unruled),
        })}
      />
      {place &&
        limitNames.map((name, i) => (
          <Handle
            key={name}
            name={name}
            at={i}
            limits={limits}
            place={place}
            disabled={disabled}
            onChange={onChange}
          />
        ))}
    </div>
  )
}

interface HandleProps {
  readonly name: LimitName
  readonly at: number
  readonly limits: Limits
  readonly place: Place
  readonly disabled: boolean
  readonly onChange: (limits: Limits) => void
}

/** One limit as a line through the chart, with its score on top. */
function Handle({ name, at, limits, place, disabled, onChange }: HandleProps) {
  const { t } = useTranslation()
  const score = limits[name]
  const held = useRef(false)
  const width = place.right - place.left
  const move = (to: number) => onChange(withLimit(limits, name, Math.min(100, Math.max(1, Math.round(to)))))
  const drag = (event: PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.parentElement?.getBoundingClientRect()
    if (!held.current || !box) return
    move(((event.clientX - box.left - place.left) / width) * 100)
  }
  const press = (event: KeyboardEvent) => {
    const by = limitSteps[event.key]
    if (by === undefined || disabled) return
    event.preventDefault()
    event.stopPropagation()
    move(score + by)
  }
  // Near-certain stands highest, so that limits at the same score hide none of each other.
  const raised = (2 - at) * 20
  return (
    <div
      role="slider"
      tabIndex={disabled ? -1 : 0}
      aria-label={t(`calibration.scores.handle.${name}`)}
      aria-valuemin={1}
      aria-valuemax={100}
      aria-valuenow={score}
      aria-disabled={disabled}
      title={`${t(`calibration.scores.handle.${name}`)} ${score}`}
      onPointerDown={event => {
        if (disabled) return
        held.current = true
        event.currentTarget.setPointerCapture(event.pointerId)
      }}
      onPointerUp={() => (held.current = false)}
      onPointerMove={drag}
      onKeyDown={press}
      className={clsx(
        'pointer-events-none absolute -ml-[13px] w-[26px] touch-none',
        !disabled && 'cursor-ew-resize',
      )}
      style={{
        left: place.left + (score / 100) * width,
        top: place.top - headroom + raised,
        height: place.bottom - place.top + headroom - raised,
      }}
    >
      <Line tone={tones[name]} score={score} />
    </div>
  )
}

function Line({ tone, score }: { tone: string; score: number }) {
  return (
    <>
      <span
        className={clsx('pointer-events-auto absolute inset-y-0 left-1/2 w-[2px] -translate-x-1/2', tone)}
      />
      <span
        className={clsx(
          // Over the lines of the others, so that each can be taken where they stand at the same score.
          'pointer-events-auto absolute top-0 left-1/2 z-10 -translate-x-1/2 rounded-full px-1.5 text-[0.85rem] leading-[1.15rem] font-bold whitespace-nowrap text-raised',
          tone,
        )}
      >
        {Math.round(score)}
      </span>
    </>
  )
}
