import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import request from 'supertest'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { plainStore, type OutageShape } from '@pendro/contract'
import { execute, select } from '../src/db/database.ts'
import { createSecrets } from '../src/outbox/secrets.ts'
import { createNotices } from '../src/standby/notices.ts'
import { freePort } from './ports.ts'
import { log, setOrganisation, signedIn, startTestServer, type TestServer } from './support.ts'

/** Colleagues are told of an outage by an address of the organisation's; what it is sent is what counts here. */
let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let gateway: Server
let port: number
let secret: string | null = 'a token'

interface Heard {
  readonly headers: IncomingMessage['headers']
  readonly body: {
    readonly id: string
    readonly to: { readonly address: string; readonly language: string }
    readonly text: string
    readonly link: string
  }
}
let heard: Heard[] = []
/** How the gateway answers: a status, or nothing at all. */
let answers: (to: string) => number | null = () => 202

beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  work = createNotices({ db: server.db, secrets, log, publicUrl: 'https://pendro.example', now })
  gateway = createServer((req, res) => {
    let text = ''
    req.on('data', part => (text += part))
    req.on('end', () => {
      const body = JSON.parse(text) as Heard['body']
      heard.push({ headers: req.headers, body })
      const status = answers(body.to.address)
      if (status === null) req.socket.destroy()
      else
        res
          .writeHead(status, { Location: 'http://192.0.2.1/' })
          .end(status === 202 ? '' : 'no such phone\r\nX: y')
    })
  }).listen(0, '127.0.0.1')
  await new Promise(done => gateway.once('listening', done))
  port = (gateway.address() as AddressInfo).port
})
afterAll(async () => {
  gateway.close()
  await server.close()
})

const now = () => server.clock.now
const later = (seconds: number) => {
  server.clock.now = new Date(server.clock.now.getTime() + seconds * 1000)
}
const secrets = createSecrets({ passwordOf: async () => secret }, { passwords: '', authorities: '' })
let work: () => Promise<number>
const use = (webhook = `http://127.0.0.1:${port}/send`) =>
  setOrganisation(server.db, {
    routes: {
      smartHosts: [],
      stores: [
        {
          ...plainStore,
          name: 'pier',
          hosts: [{ host: '127.0.0.1', port: 9, tls: 'off', certificate: '', protocol: 'lmtp', user: '' }],
        },
      ],
    },
    standby: { on: true, after: 10, webhook },
  })
const tell = async (store = 'pier') =>
  (await oda.post('/api/stores/outages/tell', { store })).body as { colleagues?: number; code?: string }
const outage = async () =>
  ((await oda.get('/api/stores/outages')).body as { outages: OutageShape[] }).outages[0]
const declare = (away: boolean) => oda.post('/api/stores/outages', { store: 'pier', away })

beforeEach(async () => {
  await use()
  await declare(true)
})
afterEach(async () => {
  heard = []
  answers = () => 202
  secret = 'a token'
  await execute(server.db, 'DELETE FROM outage_notices')
  await declare(false)
})

describe('telling colleagues of an outage', () => {
  test('each is told once, in their language, with a way in that opens their standby mailbox once', async () => {
    await execute(server.db, "UPDATE mailboxes SET language = 'nb' WHERE address = 'ingrid@harbour.example'")
    const { colleagues = 0 } = await tell()
    expect(colleagues).toBe((await outage())?.people)
    while ((await work()) > 0);
    expect(heard).toHaveLength(colleagues)
    expect(new Set(heard.map(({ body }) => body.to.address)).size).toBe(colleagues)
    const ingrid = heard.find(({ body }) => body.to.address === 'ingrid@harbour.example')
    if (!ingrid) throw new Error('Ingrid was not told')
    expect(ingrid.headers).toMatchObject({
      authorization: 'Bearer a token',
      'idempotency-key': ingrid.body.id,
    })
    expect(ingrid.body.text).toContain(ingrid.body.link)
    expect(ingrid.body.text).toMatch(/^E-postserveren til /)
    expect(heard.some(({ body }) => /^The mail server of /.test(body.text))).toBe(true)
    const [, address = '', code = ''] =
      /^https:\/\/pendro\.example\/own\/standby#(.+)\/([\w-]{16})$/.exec(ingrid.body.link) ?? []
    expect(decodeURIComponent(address)).toBe('ingrid@harbour.example')
    // The database can't tell it.
    const rows = await select<object>(server.db, 'SELECT * FROM colleague_access')
    expect(JSON.stringify(rows)).not.toContain(code)
    const enter = () =>
      request(server.app).post('/api/own/session').send({ address: 'ingrid@harbour.example', code })
    expect((await enter()).status).toBe(200)
    expect((await enter()).status).toBe(401)
    expect((await outage())?.told).toEqual({ sent: colleagues, waiting: 0, failed: 0, said: '' })
    expect(await tell()).toMatchObject({ code: 'NOTHING_TO_DO' })
    expect(JSON.stringify((await oda.get('/api/record')).body)).toContain('colleagues-told')
  })

  test.each<[what: string, status: number | null]>([
    ['is busy', 429],
    ['is broken', 503],
    ['hangs up', null],
  ])('an address that %s is tried again, as the same message, until it has taken it', async (_, status) => {
    answers = () => status
    await tell()
    while ((await work()) > 0);
    const first = heard.length
    expect(await outage()).toMatchObject({ told: { sent: 0, waiting: first } })
    expect((await outage())?.told?.said).not.toBe('')
    answers = () => 202
    later(11)
    while ((await work()) > 0);
    const ids = heard.map(({ body }) => body.id)
    expect(ids.slice(first).sort()).toEqual(ids.slice(0, first).sort())
    // Whoever had it already, and drops the second, has the link that opens.
    const links = heard.map(({ body }) => body.link)
    expect(links.slice(first).sort()).toEqual(links.slice(0, first).sort())
    expect(await outage()).toMatchObject({ told: { sent: first, waiting: 0, failed: 0, said: '' } })
  })

  test('who can’t be told is counted with what was answered, and told again when somebody asks', async () => {
    answers = to => (to.startsWith('ingrid@') ? 404 : 202)
    await tell()
    while ((await work()) > 0);
    expect(await outage()).toMatchObject({ told: { failed: 1, waiting: 0, said: '404 no such phone X: y' } })
    answers = () => 202
    heard = []
    expect(await tell()).toEqual({ colleagues: 1 })
    while ((await work()) > 0);
    expect(heard.map(({ body }) => body.to.address)).toEqual(['ingrid@harbour.example'])
  })

  test('one that sends elsewhere is not followed; one that never answers well is given up', async () => {
    answers = to => (to.startsWith('ingrid@') ? 302 : 500)
    await tell()
    while ((await work()) > 0);
    expect(await outage()).toMatchObject({ told: { failed: 1 } })
    for (let i = 0; i < 5; i += 1) {
      later(1000)
      while ((await work()) > 0);
    }
    expect(await outage()).toMatchObject({ told: { sent: 0, waiting: 0 } })
  })

  test('nobody is told any more of a store that is back', async () => {
    answers = () => 503
    await tell()
    await work()
    await declare(false)
    later(11)
    heard = []
    answers = () => 202
    while ((await work()) > 0);
    expect(heard).toEqual([])
  })

  test('without a secret nothing is said of one; an address that nobody listens at is trouble and no end', async () => {
    secret = null
    await tell()
    await work()
    expect(heard[0]?.headers.authorization).toBeUndefined()
    await execute(server.db, 'DELETE FROM outage_notices')
    await use(`http://127.0.0.1:${await freePort()}/send`)
    await tell()
    while ((await work()) > 0);
    expect((await outage())?.told?.said).toContain('ECONNREFUSED')
  })

  test('is refused without an address, and where no store is away', async () => {
    expect(await tell('quay')).toMatchObject({ code: 'STORE_NOT_FOUND' })
    await use('')
    expect(await tell()).toMatchObject({ code: 'NO_WEBHOOK' })
    expect((await oda.get('/api/stores/outages')).body).toMatchObject({ canTell: false })
    await use()
    await declare(false)
    expect(await tell()).toMatchObject({ code: 'STORE_NOT_FOUND' })
  })
})
