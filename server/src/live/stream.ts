import type { Response, Router } from 'express'
import type { LiveEvent } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { whoIs } from '../http.ts'
import { startLoop, type Loop } from '../work/loop.ts'
import { eventsAfter, lastEventId } from './events.ts'

export interface LiveStream {
  readonly routes: (router: Router) => void
  readonly stop: () => Promise<void>
}

/** How far back a look at the table reaches: ids are given out before they are committed, so a smaller one can appear later. */
const overlap = 200

/**
 * Server-sent events to every browser of this process, read from the table all processes write to.
 * A browser that comes back with Last-Event-ID gets what it missed.
 */
export function createLiveStream({ db, log }: Pick<Deps, 'db' | 'log'>): LiveStream {
  const listeners = new Set<Response>()
  let seen = new Set<number>()
  let last: number | null = null

  const look = async (): Promise<number> => {
    if (last === null) {
      last = await lastEventId(db)
      seen = new Set((await eventsAfter(db, last - overlap)).map(({ id }) => id))
      return 0
    }
    const fresh = (await eventsAfter(db, last - overlap)).filter(({ id }) => !seen.has(id))
    for (const event of fresh) {
      seen.add(event.id)
      last = Math.max(last, event.id)
      for (const res of listeners) write(res, event)
    }
    const floor = last - 2 * overlap
    if (seen.size > 4 * overlap) seen = new Set([...seen].filter(id => id > floor))
    return 0
  }
  const loop: Loop = startLoop('live', 400, look, log)

  return {
    routes: router => {
      router.get('/api/live', async (req, res) => {
        whoIs(res)
        res.set({
          'Content-Type': 'text/event-stream',
          'Cache-Control': 'no-store',
          Connection: 'keep-alive',
          'X-Accel-Buffering': 'no',
        })
        res.flushHeaders()
        res.write('retry: 2000\n\n')
        const after = Number(req.get('Last-Event-ID'))
        if (Number.isSafeInteger(after) && after > 0)
          for (const event of await eventsAfter(db, after)) write(res, event)
        listeners.add(res)
        const pulse = setInterval(() => res.write(': here\n\n'), 20_000)
        res.on('close', () => {
          clearInterval(pulse)
          listeners.delete(res)
        })
      })
    },
    stop: async () => {
      await loop.stop()
      for (const res of listeners) res.end()
    },
  }
}

function write(res: Response, event: LiveEvent): void {
  res.write(`id: ${event.id}\ndata: ${JSON.stringify(event)}\n\n`)
}
