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

/** A browser that listens. It is known before it is told what it missed, so that nothing gets lost between the two. */
interface Listener {
  readonly res: Response
  who: SignedIn
  /** What it was told as missed: the next look finds the same, and tells it to the others. */
  readonly told: Set<number>
  /** What is to be told when what was missed has been; `null` from then on. */
  held: LiveEvent[] | null
}

/**
 * Server-sent events to every browser of this process, read from the table all processes write to.
 * A browser that comes back with Last-Event-ID gets what it missed.
 */
export function createLiveStream({ db, log, now }: Pick<Deps, 'db' | 'log' | 'now'>): LiveStream {
  const listeners = new Set<Listener>()
  let seen = new Set<number>()
  let last: number | null = null

  const look = async (): Promise<number> => {
    if (last === null) {
      last = await lastEventId(db)
      seen = new Set((await eventsAfter(db, last - overlap)).map(({ id }) => id))
      return 0
    }
    const fresh = (await eventsAfter(db, last - overlap)).filter(({ id }) => !seen.has(id))
    const scopes = [...listeners].map(({ who }) => who.scope)
    const mailboxOf = await mailboxesOf(db, fresh, scopes)
    for (const event of fresh) {
      seen.add(event.id)
      last = Math.max(last, event.id)
      for (const listener of listeners) {
        const heard = heardWithin(listener.who.scope, event, mailboxOf)
        if (heard) tell(listener, heard)
      }
    }
    const floor = last - 2 * overlap
    if (seen.size > 4 * overlap) seen = new Set([...seen].filter(id => id > floor))
    return 0
  }
  const loop: Loop = startLoop('live', 400, look, log)

  return {
    routes: router => {
      mountFile(router, liveStream, async ({ req, res, query, who }) => {
        const listener: Listener = { res, who, told: new Set(), held: [] }
        listeners.add(listener)
        const token = readCookie(req, sessionCookie) ?? ''
        const pulse = setInterval(() => {
          res.write(': here\n\n')
          // A stream lives no longer than the session that opened it, and hears of what is theirs by now.
          findSession(db, token, now(), { use: false }).then(
            still => {
              if (still) listener.who = still
              else res.end()
            },
            () => undefined,
          )
        }, 20_000)
        res.on('close', () => {
          clearInterval(pulse)
          listeners.delete(listener)
        })
        await begin(db, listener, Number(req.get('Last-Event-ID') ?? query.after))
      })
    },
    stop: async () => {
      await loop.stop()
      for (const { res } of listeners) res.end()
    },
  }
}

/** Opens a stream, and tells what was missed since `after`. A stream that was opened anew by hand says in its address where it was. */
async function begin(db: Database, listener: Listener, after: number): Promise<void> {
  const { res, who, told } = listener
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
      for (const event of missed) {
        told.add(event.id)
        write(res, heardWithin(who.scope, event, mailboxOf))
      }
    }
  }
  const held = listener.held ?? []
  listener.held = null
  for (const event of held) tell(listener, event)
}

function tell({ res, told, held }: Listener, event: LiveEvent): void {
  if (held) held.push(event)
  else if (!told.has(event.id)) write(res, event)
}

function write(res: Response, event: LiveEvent | null): void {
  if (event === null) return
  // Who does not read is cut rather than kept in memory; the browser comes back and gets what it missed.
  if (res.writableLength > mostUnread) return void res.destroy()
  res.write(`id: ${event.id}\ndata: ${JSON.stringify(event)}\n\n`)
}
