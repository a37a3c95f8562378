import { fork, type ChildProcess } from 'node:child_process'
import { plainStore } from '@pendro/contract'
import { once } from 'node:events'
import { fileURLToPath } from 'node:url'
import { ImapFlow } from 'imapflow'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, findRow, select } from '../src/db/database.ts'
import { route } from './mail-servers.ts'
import { arrive, setOrganisation, startTestServer, type TestServer } from './support.ts'

/** Messages; `PENDRO_HAND_OVER=2000` for the whole campaign. */
const messages = Number(process.env.PENDRO_HAND_OVER ?? 60)
const master = 'a master password'
const names = ['ingrid', 'aksel', 'kari']
let server: TestServer
let store: RealStore

beforeAll(async () => {
  server = await startTestServer()
  store = await startRealStore({ accounts: {}, master: { user: 'pendro', password: master } })
  await setOrganisation(server.db, {
    watching: true,
    routes: {
      smartHosts: [],
      stores: [
        {
          ...plainStore,
          name: 'pier',
          hosts: [route(store.ports.lmtp, { protocol: 'lmtp' })],
          identity: { kind: 'proxy', user: 'pendro', tokenUrl: '', scope: '' },
          imap: { host: '127.0.0.1', port: store.ports.imap, tls: 'off', certificate: '' },
        },
      ],
    },
  })
})
afterAll(async () => {
  await store.close()
  await server.close()
})

let ahead = 0
const minutes = 60_000
async function startProcess(): Promise<ChildProcess> {
  // Each comes when the claims of the one before have run out.
  ahead += 3 * minutes
  const child = fork(
    fileURLToPath(new URL('hand-over-process.ts', import.meta.url)),
    [server.url, master, String(ahead)],
    { execArgv: ['--import', 'tsx'], stdio: ['ignore', 'ignore', 'inherit', 'ipc'] },
  )
  await once(child, 'message')
  return child
}
async function kill(child: ChildProcess): Promise<void> {
  const ended = once(child, 'exit')
  child.kill('SIGKILL')
  await ended
}

const pause = (milliseconds: number) => new Promise(done => setTimeout(done, milliseconds))
const left = async () =>
  (await findRow<{ n: number }>(server.db, 'SELECT COUNT(*) AS n FROM outbox WHERE done_at IS NULL'))?.n ?? 0

/** Subjects an IMAP client finds, in any folder. */
async function subjectsOf(name: string): Promise<readonly string[]> {
  const client = new ImapFlow({
    host: '127.0.0.1',
    port: store.ports.imap,
    secure: false,
    doSTARTTLS: false,
    auth: { user: 'pendro', pass: master, authzid: `${name}@harbour.example` },
    logger: false,
  })
  await client.connect()
  const found: string[] = []
  for (const { path } of await client.list()) {
    const box = await client.mailboxOpen(path, { readOnly: true })
    if (box.exists > 0)
      found.push(
        ...(await client.fetchAll('1:*', { envelope: true })).map(({ envelope }) => envelope?.subject ?? ''),
      )
  }
  await client.logout()
  return found
}

test(
  'processes and the mail store are killed while they hand over: nothing is lost, nothing is there twice',
  async () => {
    const sent: Record<string, string[]> = { ingrid: [], aksel: [], kari: [] }
    for (let i = 0; i < messages; i += 1) {
      const name = names[i % names.length] ?? ''
      const subject = `Tide table ${i}`
      sent[name]?.push(subject)
      await arrive(server, { subject, to: [`${name}@harbour.example`] })
    }
    // In the middle of everything, again and again; a run that hands over quickly is killed sooner.
    let kills = 0
    let stores = 0
    let chance = 7
    const random = () => {
      chance = (chance * 16_807) % 2_147_483_647
      return chance / 2_147_483_647
    }
    let child = await startProcess()
    let before = messages
    while ((await left()) > 0) {
      // Killed in the middle of its work, however quick it is.
      for (let i = 0; i < 200 && (await left()) === before; i += 1) await pause(10)
      await pause(random() * 60)
      before = await left()
      if (kills < messages / 12) {
        await kill(child)
        kills += 1
        if (random() < 0.3) {
          await store.kill()
          stores += 1
          child = await startProcess()
          await pause(150)
          await store.start()
        } else child = await startProcess()
      } else {
        // The clock of one that is not killed goes on.
        await pause(500)
        await execute(
          server.db,
          'UPDATE outbox SET next_at = NOW() WHERE done_at IS NULL AND claimed_until IS NULL',
        )
      }
    }
    await kill(child)
    expect([kills > 2, stores > 0]).toEqual([true, true])
    const states = await select<{ state: string; n: number }>(
      server.db,
      'SELECT state, COUNT(*) AS n FROM deliveries GROUP BY state',
    )
    expect(states).toEqual([{ state: 'inbox', n: messages }])
    for (const name of names)
      expect([...(await subjectsOf(name))].sort()).toEqual([...(sent[name] ?? [])].sort())
  },
  180_000 + messages * 600,
)
