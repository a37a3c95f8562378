import { afterAll, beforeAll, expect, test } from 'vitest'
import request from 'supertest'
import { startUnsubscribeHost, type UnsubscribeHost } from '../../stand-ins/src/unsubscribe-host.ts'
import { createApp } from '../src/app.ts'
import { select } from '../src/db/database.ts'
import { requestUnsubscribe } from '../src/senders/unsubscribe.ts'
import { findStaffer, openSession } from '../src/sign-in/sessions.ts'
import { arrive, log, password, found, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let host: UnsubscribeHost
let post: (path: string) => request.Test
let sheet: (id: number) => request.Test

beforeAll(async () => {
  server = await startTestServer()
  host = await startUnsubscribeHost()
  const app = createApp({
    db: server.db,
    log,
    now: () => server.clock.now,
    settings: {
      PENDRO_WEB_DIR: '',
      PENDRO_SECURE_COOKIES: 'no',
      PENDRO_TRUST_PROXY: '',
      PENDRO_PICTURES: 'off',
      PENDRO_UNSUBSCRIBE: `http://127.0.0.1:${host.port}`,
      PENDRO_PUBLIC_URL: '',
      PENDRO_DIRECTORY_PASSWORD: '',
      PENDRO_DIRECTORY_CA: '',
      PENDRO_PROVIDER_SECRET: '',
    },
    queued: () => {},
    live: null,
  })
  const staffer = await findStaffer(server.db, 'per', password, new Date())
  if (!staffer) throw new Error('per')
  const { token, signedIn } = await openSession(server.db, staffer, server.clock.now)
  const cookie = `pendro_session=${token}`
  post = path =>
    request(app)
      .post(path)
      .set('Cookie', cookie)
      .set('X-Pendro-Token', signedIn.csrf)
      .send({ reason: 'she asked' })
  sheet = id => request(app).get(`/api/deliveries/${id}`).set('Cookie', cookie)
})
afterAll(async () => {
  await host.stop()
  await server.close()
})

const offered = (path: string, more: readonly string[] = []) => [
  found('dmarc=pass header.from=shop.example; dkim=pass header.d=shop.example', 'shop.example'),
  'DKIM-Signature: v=1; a=rsa-sha256; d=shop.example; s=m; h=From:List-Unsubscribe:List-Unsubscribe-Post; bh=a; b=c',
  `List-Unsubscribe: <https://out.shop.example${path}>`,
  'List-Unsubscribe-Post: List-Unsubscribe=One-Click',
  ...more,
]
const from = 'Shop <offers@shop.example>'

test('one click is asked for as RFC 8058 says, once, and stands in the record', async () => {
  const [id = 0] = await arrive(server, { from, headers: offered('/u?who=17') })
  expect((await sheet(id)).body.unsubscribe).toEqual({ kind: 'one-click', why: '', to: 'out.shop.example' })
  expect((await post(`/api/deliveries/${id}/unsubscribe`)).body).toEqual({ host: 'out.shop.example' })
  expect(host.requests).toHaveLength(1)
  expect(host.requests[0]).toMatchObject({
    host: 'out.shop.example',
    method: 'POST',
    body: 'List-Unsubscribe=One-Click',
  })
  expect(host.requests[0]?.headers).not.toHaveProperty('cookie')
  expect(host.requests[0]?.headers).not.toHaveProperty('referer')
  const [line] = await select(
    server.db,
    "SELECT act, by_name, reason FROM record_entries WHERE act = 'unsubscribed'",
  )
  expect(line).toEqual({ act: 'unsubscribed', by_name: 'Per Dal', reason: 'she asked' })
})

test('a host that refuses or leads elsewhere is told, and not followed', async () => {
  for (const path of ['/refuses', '/elsewhere']) {
    const [id = 0] = await arrive(server, { from, headers: offered(path) })
    const answer = await post(`/api/deliveries/${id}/unsubscribe`)
    expect([path, answer.status, answer.body.code]).toEqual([path, 502, 'UNSUBSCRIBE_FAILED'])
  }
  expect(host.requests.map(({ path }) => path)).not.toContain('/taken')
})

test('a message that proves nothing gives nothing away', async () => {
  const headers = offered('/u').filter(header => !header.startsWith('Authentication-Results'))
  const [id = 0] = await arrive(server, { from, headers })
  expect((await sheet(id)).body.unsubscribe).toMatchObject({ kind: 'by-hand', why: 'not-authenticated' })
  expect((await post(`/api/deliveries/${id}/unsubscribe`)).body.code).toBe('NO_UNSUBSCRIBE')
})

test.each(['https://127.0.0.1/u', 'https://[::1]/u', 'https://10.0.0.7/u', 'https://[::ffff:127.0.0.1]/u'])(
  'without a stand-in %s is never asked: it is no public host',
  async url => expect(await requestUnsubscribe(url, null)).toBe(false),
)
