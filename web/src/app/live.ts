import { useEffect } from 'react'
import { create } from 'zustand'
import type { LiveEvent } from '@pendro/contract'

type Connection = 'connecting' | 'live' | 'broken'

interface LiveState {
  readonly connection: Connection
  readonly set: (connection: Connection) => void
}

export const useLive = create<LiveState>(set => ({
  connection: 'connecting',
  set: connection => set({ connection }),
}))

type Listener = (event: LiveEvent) => void
const listeners = new Set<Listener>()

/**
 * Holds the event stream open while mounted. The browser reconnects by itself and names the last event it
 * had, so what was missed arrives then.
 */
export function useLiveStream(): void {
  useEffect(() => {
    const { set } = useLive.getState()
    const source = new EventSource('/api/live')
    source.onopen = () => set('live')
    source.onerror = () => set('broken')
    source.onmessage = message => {
      const event = JSON.parse(String(message.data)) as LiveEvent
      for (const listener of listeners) listener(event)
    }
    return () => {
      source.close()
      set('connecting')
    }
  }, [])
}

/** Calls back for each event; `listener` should be stable. */
export function useLiveEvents(listener: Listener): void {
  useEffect(() => {
    listeners.add(listener)
    return () => void listeners.delete(listener)
  }, [listener])
}
