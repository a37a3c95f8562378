import type { LiveEvent } from '@pendro/contract'
import { hearLive } from '../../app/live.ts'

/** Milliseconds after which nobody looks at what was said any more. */
const longEnough = 60_000

interface Arrivals {
  /** Calls back once, when the mail store has taken all of `ids`. */
  readonly of: (ids: readonly number[], onAll: () => void) => void
  readonly stop: () => void
}

/**
 * Hears which released deliveries the mail store takes. Begun before the release: the store can be quicker than the answer to whoever
 * released.
 */
export function watchArrivals(hear: typeof hearLive = hearLive): Arrivals {
  const arrived = new Set<number>()
  let wanted: { readonly ids: readonly number[]; readonly onAll: () => void } | null = null
  const look = () => {
    if (!wanted?.ids.every(id => arrived.has(id))) return
    const { onAll } = wanted
    stop()
    onAll()
  }
  const unhear = hear(({ deliveryId, state }: LiveEvent) => {
    if (state !== 'released' || deliveryId === null) return
    arrived.add(deliveryId)
    look()
  })
  const timer = setTimeout(() => stop(), longEnough)
  const stop = () => {
    wanted = null
    clearTimeout(timer)
    unhear()
  }
  return {
    of: (ids, onAll) => {
      wanted = { ids, onAll }
      look()
    },
    stop,
  }
}
