import type { KeyboardEvent, PointerEvent } from 'react'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import type { MailboxSheet } from '@pendro/contract'

export type Limits = MailboxSheet['organisation']['limits']
export type LimitName = keyof Limits
export const limitNames = ['junk', 'quarantined', 'nearCertain'] as const satisfies readonly LimitName[]

const width = 300
const height = 150
const middle = { x: width / 2, y: -30 }
const radius = 140
/** Degrees from hanging straight to either end, as the pendulum has it. */
const reach = 62

/** The three stand one behind the other, so that none hides another where they are at the same score. */
const offsets: Readonly<Record<LimitName, number>> = { junk: -24, quarantined: 0, nearCertain: 24 }
const tones: Readonly<Record<LimitName, string>> = {
  junk: 'fill-petrol',
  quarantined: 'fill-between',
  nearCertain: 'fill-junk',
}

const radians = (score: number) => (((score - 50) / 50) * reach * Math.PI) / 180
const pointAt = (score: number, r: number) => ({
  x: middle.x + Math.sin(radians(score)) * r,
  y: middle.y + Math.cos(radians(score)) * r,
})
/** Score of a place on the drawing, from 1 to 100. */
export function scoreAt(x: number, y: number): number {
  const degrees = (Math.atan2(x - middle.x, y - middle.y) * 180) / Math.PI
  return Math.min(100, Math.max(1, Math.round(50 + (degrees / reach) * 50)))
}

/** A limit set to a score; the others give way, so that each stays as high as the one before or higher. */
export function withLimit(limits: Limits, name: LimitName, score: number): Limits {
  const at = limitNames.indexOf(name)
  const next = { ...limits, [name]: score }
  limitNames.forEach((other, i) => {
    if (i < at) next[other] = Math.min(next[other], score)
    if (i > at) next[other] = Math.max(next[other], score)
  })
  return next
}

/** By how much a key moves a limit. */
export const limitSteps: Readonly<Record<string, number>> = {
  ArrowRight: 1,
  ArrowUp: 1,
  ArrowLeft: -1,
  ArrowDown: -1,
  PageUp: 5,
  PageDown: -5,
}

interface Props {
  readonly limits: Limits
  readonly disabled: boolean
  readonly onChange: (limits: Limits) => void
}

const stretch = (from: number, to: number) => {
  const [a, b] = [pointAt(from, radius), pointAt(to, radius)]
  return `M${a.x} ${a.y} A${radius} ${radius} 0 0 0 ${b.x} ${b.y}`
}

/** The arc of the pendulum with the three limits on it, to be dragged or moved by the keyboard. */
export function LimitsArc({ limits, disabled, onChange }: Props) {
  const { t } = useTranslation()
  const { junk, nearCertain } = limits
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      role="group"
      aria-label={t('mailboxes.limits.arc')}
      className="block w-full max-w-[300px] touch-none select-none"
    >
      <path d={stretch(0, junk)} className="fill-none stroke-wanted/40" strokeWidth="9" />
      <path d={stretch(junk, nearCertain)} className="fill-none stroke-between/55" strokeWidth="9" />
      <path d={stretch(nearCertain, 100)} className="fill-none stroke-junk/60" strokeWidth="9" />
      <text x="4" y="16" className="fill-ink-2" fontSize="12">
        {t('mailboxes.limits.wanted')}
      </text>
      <text x={width - 4} y="16" textAnchor="end" className="fill-ink-2" fontSize="12">
        {t('mailboxes.limits.junk')}
      </text>
      {limitNames.map(name => (
        <Bob
          key={name}
          name={name}
          score={limits[name]}
          disabled={disabled}
          onMove={score => onChange(withLimit(limits, name, score))}
        />
      ))}
    </svg>
  )
}

interface BobProps {
  readonly name: LimitName
  readonly score: number
  readonly disabled: boolean
  readonly onMove: (score: number) => void
}

function Bob({ name, score, disabled, onMove }: BobProps) {
  const { t } = useTranslation()
  const bob = pointAt(score, radius + offsets[name])
  const inner = pointAt(score, radius - 38)
  const drag = (event: PointerEvent<SVGGElement>) => {
    const drawing = event.currentTarget.ownerSVGElement
    if (disabled || !drawing || !event.currentTarget.hasPointerCapture(event.pointerId)) return
    const box = drawing.getBoundingClientRect()
    const to = scoreAt(
      ((event.clientX - box.left) / box.width) * width,
      ((event.clientY - box.top) / box.height) * height,
    )
    if (to !== score) onMove(to)
  }
  const press = (event: KeyboardEvent) => {
    const by = limitSteps[event.key]
    if (by === undefined || disabled) return
    event.preventDefault()
    event.stopPropagation()
    onMove(Math.min(100, Math.max(1, score + by)))
  }
  return (
    <g
      role="slider"
      tabIndex={disabled ? -1 : 0}
      aria-label={t(`mailboxes.limits.limit.${name}`)}
      aria-valuemin={1}
      aria-valuemax={100}
      aria-valuenow={score}
      aria-disabled={disabled}
      onPointerDown={event => !disabled && event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={drag}
      onKeyDown={press}
      className={clsx('outline-none', disabled ? 'opacity-80' : 'group cursor-grab')}
    >
      <line {...lineOf(inner, bob)} className="stroke-ink-2" strokeWidth="1" strokeDasharray="3 3" />
      <circle
        {...{ cx: bob.x, cy: bob.y, r: 14 }}
        className="fill-transparent stroke-transparent group-focus-visible:stroke-ink"
        strokeWidth="2"
      />
      <circle cx={bob.x} cy={bob.y} r="11" className={tones[name]} />
      <text
        {...bob}
        textAnchor="middle"
        dominantBaseline="central"
        className="fill-raised font-bold"
        fontSize="11"
      >
        {Math.round(score)}
      </text>
    </g>
  )
}

const lineOf = (from: { x: number; y: number }, to: { x: number; y: number }) => ({
  x1: from.x,
  y1: from.y,
  x2: to.x,
  y2: to.y,
})
