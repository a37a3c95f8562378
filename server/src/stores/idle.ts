import { setTimeout } from 'node:timers/promises'
import type { ImapFlow } from 'imapflow'
import { inTransaction, type Database } from '../db/database.ts'
import { announce } from '../live/events.ts'
import type { Log } from '../log.ts'
import { openFolder } from './folders.ts'
import { StoreError } from './imap.ts'
import { lookInto } from './look.ts'
import { visited, type Stores, type Visit } from './stores.ts'

/** Mailboxes that somebody has before them: what changes there is seen at once, and not at the next look. */
export interface Idle {
  /** Somebody looks at this mailbox just now. */
  readonly watch: (mailboxId: number) => void
  readonly stop: () => Promise<void>
}

interface Deps {
  readonly db: Database
  readonly stores: Stores
  readonly log: Log
  readonly now: () => Date
}

/** Connections held so, of one process; each is one of those that a store may have. */
const mostHeld = 4
/** Milliseconds a connection is held after the last time somebody looked: screens ask every 30 s. */
const holdFor = 90_000
/** A server ends a connection that says nothing (RFC 2177); ours does sooner. */
const idleFor = 20_000
/** A mail program that moves many says so many times: they are looked at together. */
const settle = 300

/** Holds IDLE (RFC 2177) at the inboxes of mailboxes that are looked at, where the store offers it. */
export function createIdle({ db, stores, log, now }: Deps): Idle {
  const until = new Map<number, number>()
  const holding = new Map<number, Promise<void>>()
  const stopping = new AbortController()
  const isWanted = (id: number) => !stopping.signal.aborted && (until.get(id) ?? 0) > Date.now()

  async function hold(id: number): Promise<void> {
    const mailbox = await visited(db, id)
    if (!mailbox) return
    await stores.visit(
      mailbox,
      async visit => {
        if (!visit.client.capabilities.has('IDLE')) return
        while (isWanted(id)) if (await changed(visit.client, stopping.signal)) await lookAgain(visit)
      },
      true,
    )
  }

  async function lookAgain(visit: Visit): Promise<void> {
    await lookInto(db, visit, now(), { counted: true })
    await inTransaction(db, tx =>
      announce(db, tx, now(), [{ kind: 'mailbox', deliveryId: null, state: null, by: '' }]),
    )
  }

  return {
    watch: id => {
      until.set(id, Date.now() + holdFor)
      if (holding.has(id) || holding.size >= mostHeld || stopping.signal.aborted) return
      const under = hold(id)
        // What stands in the way is noted by the next look.
        .catch((error: unknown) => void (error instanceof StoreError || log.jobFailed('idle', error)))
        .finally(() => {
          holding.delete(id)
          until.delete(id)
        })
      holding.set(id, under)
    },
    stop: async () => {
      stopping.abort()
      await Promise.all(holding.values())
    },
  }
}

/** Waits until something changes in the inbox, for a while at most; whether it did. @throws {StoreError} */
async function changed(client: ImapFlow, stopping: AbortSignal): Promise<boolean> {
  await openFolder(client, 'INBOX')
  const over = new AbortController()
  const end = () => over.abort()
  let isChanged = false
  const note = () => {
    isChanged = true
    end()
  }
  const events = ['exists', 'expunge', 'flags'] as const
  for (const event of events) client.on(event, note)
  client.on('close', end)
  stopping.addEventListener('abort', end)
  try {
    const idling = client.idle().catch(() => false)
    await setTimeout(idleFor, undefined, { signal: over.signal, ref: false }).catch(() => {})
    if (isChanged) await setTimeout(settle)
    // Any command ends it.
    await client.noop()
    await idling
  } finally {
    for (const event of events) client.off(event, note)
    client.off('close', end)
    stopping.removeEventListener('abort', end)
  }
  return isChanged
}
