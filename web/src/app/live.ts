import { useEffect } from 'react'
import { useQueryClient } from '@tanstack/react-query'
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

const firstPause = 1000
const longestPause = 60_000

/**
 * Holds the event stream open while mounted. A browser gives up for good after an answer such as 502, so the stream is
 * opened again by hand, with growing pauses, from the last event there was; `onReload` is called when more was missed
 * than could be told. Gives what closes it.
 */
export function openLiveStream(
  open: (url: string) => EventSource,
  { onEvent, onReload, onConnection }: LiveHandlers,
): () => void {
  let source: EventSource | null = null
  let timer: ReturnType<typeof setTimeout> | undefined
  let pause = firstPause
  let last = ''
  let closed = false
  const connect = () => {
    source = open(last === '' ? '/api/live' : `/api/live?after=${last}`)
    source.onopen = () => {
      pause = firstPause
      onConnection('live')
    }
    source.onmessage = message => {
      last = message.lastEventId || last
      onEvent(JSON.parse(String(message.data)) as LiveEvent)
    }
    source.addEventListener('reload', message => {
      last = (message as MessageEvent).lastEventId || last
      onReload()
    })
    source.onerror = () => {
      onConnection('broken')
      // While it says it connects the browser tries by itself.
      if (source?.readyState !== 2 || closed) return
      source.close()
      clearTimeout(timer)
      timer = setTimeout(connect, pause)
      pause = Math.min(pause * 2, longestPause)
    }
  }
  connect()
  return () => {
    closed = true
    clearTimeout(timer)
    source?.close()
  }
}

interface LiveHandlers {
  readonly onEvent: (event: LiveEvent) => void
  /** Everything shown may be old. */
  readonly onReload: () => void
  readonly onConnection: (connection: Connection) => void
}

export function useLiveStream(): void {
  const client = useQueryClient()
  useEffect(() => {
    const { set } = useLive.getState()
    const close = openLiveStream(url => new EventSource(url), {
      onEvent: event => {
        for (const listener of listeners) listener(event)
      },
      onReload: () => void client.invalidateQueries(),
      onConnection: set,
    })
    return () => {
      close()
      set('connecting')
    }
  }, [client])
}

/** Calls back for each event until what it gives is called. */
export function hearLive(listener: Listener): () => void {
  listeners.add(listener)
  return () => void listeners.delete(listener)
}

/** Calls back for each event; `listener` should be stable. */
export function useLiveEvents(listener: Listener): void {
  useEffect(() => hearLive(listener), [listener])
}
