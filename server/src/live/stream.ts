import type { Response, Router } from 'express'
import { liveStream, type LiveEvent } from '@pendro/contract'
import type { Deps } from '../app.ts'
import type { Database } from '../db/database.ts'
import { mountFile } from '../http.ts'
import { readCookie } from '../sign-in/requests.ts'
import { findSession, sessionCookie, type SignedIn } from '../sign-in/sessions.ts'
import { startLoop, type Loop } from '../jobs/loop.ts'
import { eventsAfter, heardWithin, lastEventId, mailboxesOf } from './events.ts'

export interface LiveStream {
  readonly routes: (router: Router) => void
  readonly stop: () => Promise<void>
}

/** How far back a look at the table reaches: ids are given out before they are committed, so a smaller one can appear later. */
const overlap = 200
/** So many events are told to a browser that comes back; after more it reads everything anew. */
const mostMissed = 500
const mostUnread = 1_000_000

/**
 * Server-sent events to every browser of this process, read from the table all processes write to.
 * A browser that comes back with Last-Event-ID gets what it missed.
 */
export function createLiveStream({ db, log, now }: Pick<Deps, 'db' | 'log' | 'now'>): LiveStream {
  const listeners = new Map<Response, SignedIn>()
  let seen = new Set<number>()
  let last: number | null = null

  const look = async (): Promise<number> => {
    if (last === null) {
      last = await lastEventId(db)
      seen = new Set((await eventsAfter(db, last - overlap)).map(({ id }) => id))
      return 0
    }
    const fresh = (await eventsAfter(db, last - overlap)).filter(({ id }) => !seen.has(id))
    const scopes = [...listeners.values()].map(({ scope }) => scope)
    const mailboxOf = await mailboxesOf(db, fresh, scopes)
    for (const event of fresh) {
      seen.add(event.id)
      last = Math.max(last, event.id)
      for (const [res, { scope }] of listeners) write(res, heardWithin(scope, event, mailboxOf))
    }
    const floor = last - 2 * overlap
    if (seen.size > 4 * overlap) seen = new Set([...seen].filter(id => id > floor))
    return 0
  }
  const loop: Loop = startLoop('live', 400, look, log)

  return {
    routes: router => {
      mountFile(router, liveStream, async ({ req, res, query, who }) => {
        await begin(db, res, { who, after: Number(req.get('Last-Event-ID') ?? query.after) })
        listeners.set(res, who)
        const token = readCookie(req, sessionCookie) ?? ''
        const pulse = setInterval(() => {
          res.write(': here\n\n')
          // A stream lives no longer than the session that opened it, and hears of what is theirs by now.
          findSession(db, token, now(), { use: false }).then(
            still => {
              if (!still) res.end()
              else if (listeners.has(res)) listeners.set(res, still)
            },
            () => undefined,
          )
        }, 20_000)
        res.on('close', () => {
          clearInterval(pulse)
          listeners.delete(res)
        })
      })
    },
    stop: async () => {
      await loop.stop()
      for (const res of listeners.keys()) res.end()
    },
  }
}

/** Opens a stream, and tells what was missed since `after`. A stream that was opened anew by hand says in its address where it was. */
async function begin(
  db: Database,
  res: Response,
  { who, after }: { readonly who: SignedIn; readonly after: number },
): Promise<void> {
  res.set({
    'Content-Type': 'text/event-stream',
    'Cache-Control': 'no-store',
    Connection: 'keep-alive',
    'X-Accel-Buffering': 'no',
  })
  res.flushHeaders()
  res.write('retry: 2000\n\n')
  if (Number.isSafeInteger(after) && after > 0) {
    const missed = await eventsAfter(db, after, mostMissed + 1)
    // Too much to tell one by one: the screens ask for everything again.
    if (missed.length > mostMissed) res.write(`id: ${await lastEventId(db)}\nevent: reload\ndata: {}\n\n`)
    else {
      const mailboxOf = await mailboxesOf(db, missed, [who.scope])
      for (const event of missed) write(res, heardWithin(who.scope, event, mailboxOf))
    }
  }
}

function write(res: Response, event: LiveEvent | null): void {
  if (event === null) return
  // Who does not read is cut rather than kept in memory; the browser comes back and gets what it missed.
  if (res.writableLength > mostUnread) return void res.destroy()
  res.write(`id: ${event.id}\ndata: ${JSON.stringify(event)}\n\n`)
}
