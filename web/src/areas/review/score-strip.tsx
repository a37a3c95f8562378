import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'

interface Band {
  readonly from: number
  readonly to: number
}

interface Props {
  readonly bins: readonly number[]
  readonly limits: { readonly quarantined: number; readonly nearCertain: number }
  readonly band: Band
  readonly onBand: (band: Band) => void
}

const step = 2
const snap = (x: number) => Math.min(100, Math.max(0, Math.round(x / step) * step))

/** Drawing a band over the strip: where it began, and the band so far. */
function useBandDrag(band: Band, onBand: (band: Band) => void) {
  const strip = useRef<HTMLDivElement>(null)
  const [drag, setDrag] = useState<{ anchor: number; band: Band } | null>(null)
  const shown = drag?.band ?? band
  const chosen = shown.from > 0 || shown.to < 100

  const scoreAt = (event: PointerEvent) => {
    const box = strip.current?.getBoundingClientRect()
    return box ? snap(((event.clientX - box.left) / box.width) * 100) : 0
  }
  const start = (event: PointerEvent<HTMLDivElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId)
    const at = scoreAt(event)
    // Near an end of the band that end is taken; anywhere else a new band begins.
    const near = (edge: number) => chosen && Math.abs(at - edge) <= 3
    const anchor = near(shown.from) ? shown.to : near(shown.to) ? shown.from : at
    setDrag({ anchor, band: bandOf(anchor, at) })
  }
  const move = (event: PointerEvent) => {
    if (drag) setDrag({ ...drag, band: bandOf(drag.anchor, scoreAt(event)) })
  }
  const end = () => {
    if (!drag) return
    // A click without a drag shows everything again.
    onBand(drag.band.to - drag.band.from < step ? { from: 0, to: 100 } : drag.band)
    setDrag(null)
  }
  useEffect(() => {
    if (!drag) return
    const cancel = (event: globalThis.KeyboardEvent) => event.key === 'Escape' && setDrag(null)
    document.addEventListener('keydown', cancel)
    return () => document.removeEventListener('keydown', cancel)
  }, [drag])
  const handlers = {
    ref: strip,
    onPointerDown: start,
    onPointerMove: move,
    onPointerUp: end,
    onPointerCancel: () => setDrag(null),
  }
  return { shown, chosen, handlers }
}

/**
 * All mail under the filter along its junk score. Dragging over it chooses a band; both ends are sliders
 * for the keyboard. Heights grow with the square root, so that one tall bar does not flatten the rest.
 */
export function ScoreStrip({ bins, limits, band, onBand }: Props) {
  const { shown, chosen, handlers } = useBandDrag(band, onBand)
  return (
    <div className="w-full select-none">
      <div {...handlers} className="relative h-13 cursor-crosshair touch-none">
        {chosen && (
          <div
            className="absolute inset-y-0 bg-line/60"
            style={{ left: `${shown.from}%`, right: `${100 - shown.to}%` }}
          />
        )}
        <Bars bins={bins} band={chosen ? shown : null} />
        <div
          className="absolute inset-y-1 border-l-2 border-dashed border-ink-2"
          style={{ left: `${limits.quarantined}%` }}
        />
        <div
          className="absolute inset-y-1 border-l-2 border-dashed border-junk"
          style={{ left: `${limits.nearCertain}%` }}
        />
        {chosen &&
          (['from', 'to'] as const).map(edge => (
            <BandEnd key={edge} edge={edge} band={shown} onBand={onBand} />
          ))}
      </div>
      <Labels limits={limits} />
    </div>
  )
}

/** `band`: what is chosen; `null` for all of it. */
function Bars({ bins, band }: Pick<Props, 'bins'> & { band: Band | null }) {
  const { t } = useTranslation()
  const top = Math.sqrt(Math.max(1, ...bins))
  return (
    <div className="absolute inset-x-0 bottom-0 flex h-11 items-end border-b border-line-strong">
      {bins.map((n, i) => {
        const inBand = band !== null && i * step >= band.from && i * step < band.to
        return (
          <div
            key={i}
            className="flex-1 px-px"
            title={t('strip.bin', { count: n, from: i * step, to: (i + 1) * step })}
          >
            <div
              className={clsx('rounded-t-[1.5px]', inBand ? 'bg-petrol' : 'bg-line-strong')}
              style={{ height: n === 0 ? 0 : Math.max(2, (Math.sqrt(n) / top) * 42) }}
            />
          </div>
        )
      })}
    </div>
  )
}

function Labels({ limits }: Pick<Props, 'limits'>) {
  const { t } = useTranslation()
  return (
    <div className="relative h-5 text-[0.82rem] text-ink-2">
      <span className="absolute left-0">{t('strip.wanted')}</span>
      <span
        className="absolute -translate-x-1/2 whitespace-nowrap"
        style={{ left: `${limits.quarantined}%` }}
      >
        {t('strip.limit', { at: limits.quarantined })}
      </span>
      <span
        className="absolute -translate-x-1/2 whitespace-nowrap"
        style={{ left: `${Math.min(limits.nearCertain, 82)}%` }}
      >
        {t('strip.nearCertain', { at: limits.nearCertain })}
      </span>
      <span className="absolute right-0">{t('strip.junk')}</span>
    </div>
  )
}

const bandOf = (a: number, b: number): Band => ({ from: Math.min(a, b), to: Math.max(a, b) })

function BandEnd({ edge, band, onBand }: { edge: 'from' | 'to'; band: Band; onBand: (band: Band) => void }) {
  const { t } = useTranslation()
  const value = band[edge]
  const press = (event: KeyboardEvent) => {
    const by = {
      ArrowLeft: -step,
      ArrowDown: -step,
      ArrowRight: step,
      ArrowUp: step,
      PageDown: -10,
      PageUp: 10,
    }[event.key]
    if (by === undefined) return
    event.preventDefault()
    const next = { ...band, [edge]: snap(value + by) }
    if (next.from < next.to) onBand(next)
  }
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={t(`strip.${edge}`)}
      aria-valuenow={value}
      aria-valuemin={0}
      aria-valuemax={100}
      onKeyDown={press}
      className="absolute inset-y-0 w-0 cursor-ew-resize border-l-2 border-petrol"
      style={{ left: `${value}%` }}
    >
      <span className="absolute top-4 -left-[5px] h-4 w-2 rounded-sm bg-petrol" />
      <span className="absolute -top-3.5 -translate-x-1/2 text-[0.82rem] whitespace-nowrap font-bold text-petrol">
        {value}
      </span>
    </div>
  )
}
