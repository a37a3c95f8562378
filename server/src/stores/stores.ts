import type { ImapFlow } from 'imapflow'
import { findOne } from '../db/rows.ts'
import type { Database } from '../db/database.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { organisationNow } from '../db/organisation.ts'
import { createLimiter, type Limiter } from '../jobs/limiter.ts'
import type { Secrets } from '../outbox/secrets.ts'
import { storeOf } from '../outbox/stores.ts'
import { endImap, hasImap, openImap, storeErrorOf, type LookedInto } from './imap.ts'

/** A mailbox that is looked into. */
export interface Visited {
  readonly id: number
  readonly address: string
  readonly store: string
}

/** Where somebody is while they look into a mailbox. */
export interface Visit {
  readonly client: ImapFlow
  readonly mailbox: Visited
  readonly store: LookedInto
}

/** Opens mailboxes at their stores, a bounded number at a time. */
export interface Stores {
  /** The store of a mailbox where it can be looked into; `null` where not. */
  readonly of: (mailbox: Visited) => Promise<LookedInto | null>
  /**
   * Looks into a mailbox; `null` where its store can't be looked into. `urgent`: somebody waits for it.
   * @throws {StoreError}
   */
  readonly visit: <T>(
    mailbox: Visited,
    work: (visit: Visit) => Promise<T>,
    urgent?: boolean,
  ) => Promise<T | null>
}

/** Connections to one store at most, of one process; some of them are for people alone. */
const most = 20
const forPeople = 4

/** @param speak How a connection is made; tests put in their own. */
export function createStores(db: Database, secrets: Secrets, speak: typeof openImap = openImap): Stores {
  const limiters = new Map<string, Limiter>()
  const limiterOf = ({ imap }: LookedInto) => {
    const name = `${imap.host}:${imap.port}`
    const known = limiters.get(name) ?? createLimiter(most, forPeople)
    limiters.set(name, known)
    return known
  }
  const of = async (mailbox: Visited) => {
    const store = storeOf(await organisationNow(db), mailbox)
    return hasImap(store) ? store : null
  }
  return {
    of,
    visit: async (mailbox, work, urgent = false) => {
      const store = await of(mailbox)
      if (store === null) return null
      return limiterOf(store).run(async () => {
        const client = await speak(store, mailbox.address, secrets)
        try {
          return await work({ client, mailbox, store })
        } catch (error) {
          throw isOurs(error) ? error : storeErrorOf(error)
        } finally {
          await endImap(client)
        }
      }, urgent)
    },
  }
}

/** Of our database or our code, and nothing the store did. */
const isOurs = (error: unknown): boolean =>
  error instanceof TypeError ||
  error instanceof RangeError ||
  (error instanceof Error && error.name.startsWith('Sequelize'))

/** A mailbox as it is visited; `null` where there is none. */
export const visited = (db: Database, id: number): Promise<Visited | null> =>
  findOne(db, Mailboxes, { id }, { columns: ['id', 'address', 'store'] })
