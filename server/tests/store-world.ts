import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import type { MailStoreShape } from '@pendro/contract'
import { select, type Database } from '../src/db/database.ts'
import { organisationNow } from '../src/db/organisation.ts'
import { createOutbox, workOutbox } from '../src/outbox/outbox.ts'
import { createSecrets, createVault, type Secrets } from '../src/outbox/secrets.ts'
import { createWays } from '../src/outbox/ways.ts'
import { createInStore } from '../src/stores/deliver.ts'
import { createIdle, type Idle } from '../src/stores/idle.ts'
import { createStores } from '../src/stores/stores.ts'
import { lookNow } from '../src/stores/watch.ts'
import { mailProgram, subjectsByFolder } from './imap-client.ts'
import { routesTo, storeAt } from './store-settings.ts'
import { arrive, log, setOrganisation, signedIn, startTestServer, stateOf } from './support.ts'

/** Of Pendro at the store. */
export const password = 'a master password'
const ingrid = 'ingrid@harbour.example'

const filing = `require ["fileinto", "mailbox", "variables"];
if header :is "Pendro-Place" "junk" { fileinto :create "Junk"; stop; }
if header :matches "Pendro-Folder" "*" { fileinto :create "\${0}"; stop; }
`

/** What an outbox needs to hand over to the stores that are set. */
export function handingTo({ db, secrets, now }: { db: Database; secrets: Secrets; now: () => Date }) {
  const send = createWays({
    organisation: () => organisationNow(db),
    store: { host: '127.0.0.1', port: 9 },
    secrets,
    now,
  })
  const inStore = createInStore(db, createStores(db, secrets), now)
  const deps = { db, send, log, now, letter: async () => null, inStore }
  return { deps, close: () => send.close() }
}

/** A server with Debian’s Dovecot as its mail store, colleagues’ mail programs at it, and a clock that stands until it is moved on. */
export async function startStoreWorld() {
  const secrets = createSecrets(
    { passwordOf: async ({ user }) => (user === 'pendro' ? password : null) },
    { passwords: '', authorities: '' },
  )
  const listening: Idle[] = []
  const server = await startTestServer(db => {
    const stores = createStores(db, secrets)
    const idle = createIdle({ db, stores, log, now: () => server.clock.now })
    listening.push(idle)
    return { storeView: { secrets, vault: createVault(db, Buffer.alloc(32, 7)), stores, idle } }
  })
  const store: RealStore = await startRealStore({
    accounts: { [ingrid]: 'own password' },
    master: { user: 'pendro', password },
    before: filing,
  })
  const oda = await signedIn(server, 'oda')
  const now = () => server.clock.now
  const stores = () => createStores(server.db, secrets)

  const handing = () => handingTo({ db: server.db, secrets, now })
  /** Hands everything over that waits. */
  async function handOver(): Promise<void> {
    const { deps, close } = handing()
    while ((await workOutbox(deps)) > 0);
    close()
  }
  /** The same with the slots of a server: one message of a mailbox at a time. */
  async function handOverBySlots(): Promise<void> {
    const { deps, close } = handing()
    const outbox = createOutbox(deps)
    // What waits behind another of its mailbox can be begun when that has ended.
    do await outbox.stop()
    while ((await outbox.work()) > 0)
    close()
  }

  const asColleague = (user = ingrid) => mailProgram(store.ports.imap, user, password)
  /** A mail program of a colleague’s acts in a folder. */
  async function inProgram(
    folder: string,
    act: (client: ReturnType<typeof mailProgram>) => Promise<unknown>,
    user = ingrid,
  ): Promise<void> {
    const client = asColleague(user)
    await client.connect()
    await client.mailboxOpen(folder)
    await act(client)
    await client.logout()
  }
  const found = async (client: ReturnType<typeof mailProgram>, subject: string) => [
    ...((await client.search({ subject }, { uid: true })) || []),
  ]
  const look = (name = 'ingrid') => lookNow({ db: server.db, stores: stores(), now }, server.mailbox(name))
  let serial = 0
  const letter = async (more: object = {}, to = 'ingrid') => {
    serial += 1
    const subject = `Berth ${serial} list`
    const [id = 0] = await arrive(server, { to: [`${to}@harbour.example`], subject, ...more })
    return { id, subject }
  }

  return {
    server,
    store,
    oda,
    now,
    stores,
    handOver,
    handOverBySlots,
    asColleague,
    look,
    letter,
    use: (more: Partial<MailStoreShape> = {}) =>
      setOrganisation(server.db, { routes: routesTo(storeAt(store.ports, more)), watching: true }),
    later: (seconds: number) => {
      server.clock.now = new Date(server.clock.now.getTime() + seconds * 1000)
    },
    state: (id: number) => stateOf(server.db, id),
    /** What an IMAP client of the colleague’s own sees: subjects by folder. */
    seen: (user = ingrid) => subjectsByFolder(asColleague(user)),
    moves: (subject: string, from: string, to: string, user = ingrid) =>
      inProgram(
        from,
        async client => {
          await client.mailboxCreate(to).catch(() => {})
          await client.messageMove(await found(client, subject), to, { uid: true })
        },
        user,
      ),
    /** Opens a message. */
    opens: (subject: string, folder: string) =>
      inProgram(folder, async client =>
        client.messageFlagsAdd(await found(client, subject), ['\\Seen'], { uid: true }),
      ),
    /** Removes a message of the inbox for good. */
    removes: (subject: string) =>
      inProgram('INBOX', async client => client.messageDelete(await found(client, subject), { uid: true })),
    /** Copies of a delivery as they were found. */
    copies: (deliveryId: number) =>
      select<{ path: string; seen: number; put_by: string; gone: number }>(
        server.db,
        `SELECT f.path, c.seen, c.put_by, c.gone_at IS NOT NULL AS gone FROM store_copies c JOIN store_folders f ON f.id = c.folder_id
         WHERE c.delivery_id = :deliveryId ORDER BY c.id`,
        { deliveryId },
      ),
    /** In the junk folder of the store. */
    junk: async () => {
      await setOrganisation(server.db, {
        watching: false,
        limits: { junk: 1, quarantined: 99.9, nearCertain: 99.9 },
      })
      const made = await letter()
      await handOver()
      await look()
      return made
    },
    close: async () => {
      for (const idle of listening) await idle.stop()
      await store.close()
      await server.close()
    },
  }
}
