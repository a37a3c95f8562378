import { useEffect, useRef, useState, type RefObject } from 'react'
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  LogarithmicScale,
  PointElement,
  Tooltip,
  type ChartConfiguration,
} from 'chart.js'

Chart.register(
  BarController,
  BarElement,
  CategoryScale,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  LogarithmicScale,
  PointElement,
  Tooltip,
)

export interface Place {
  readonly left: number
  readonly right: number
  readonly top: number
  readonly bottom: number
}

/** A colour of the theme, as the page has it now. */
export const colour = (name: string) =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim()

/** Letters of charts, as everywhere. */
export const font = { family: 'Atkinson Hyperlegible Next Variable', size: 12 }

/** Axes without much ink. */
export const axis = () => ({
  grid: { color: colour('--line') },
  ticks: { color: colour('--ink-2'), font, maxRotation: 0, autoSkipPadding: 12 },
})

/** Draws a chart on a canvas, anew when `of` changes; gives the place of its plot, for what is laid over it. */
export function useChart(
  make: () => ChartConfiguration,
  of: unknown,
): { readonly canvas: RefObject<HTMLCanvasElement | null>; readonly place: Place | null } {
  const canvas = useRef<HTMLCanvasElement>(null)
  const [place, setPlace] = useState<Place | null>(null)
  const key = JSON.stringify(of)
  useEffect(() => {
    if (!canvas.current) return
    const config = make()
    const chart = new Chart(canvas.current, {
      ...config,
      plugins: [
        {
          id: 'place',
          afterLayout: ({ chartArea: { left, right, top, bottom } }) =>
            setPlace(before =>
              before?.left === left && before.right === right && before.bottom === bottom
                ? before
                : { left, right, top, bottom },
            ),
        },
      ],
    })
    return () => chart.destroy()
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `make` is new at each render; what it draws is in the key
  }, [key])
  return { canvas, place }
}
