import { afterAll, beforeAll, expect, test } from 'vitest'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { LiveEvent } from '@pendro/contract'
import { createApp } from '../src/app.ts'
import { openDatabase } from '../src/db/database.ts'
import { createLiveStream, type LiveStream } from '../src/live/stream.ts'
import { findStaffer, openSession } from '../src/sign-in/sessions.ts'
import { arrive, log, password, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let live: LiveStream
let http: Server
let cookie = ''

beforeAll(async () => {
  server = await startTestServer()
  // A second process on the same database: what one writes the other tells.
  const db = openDatabase(server.url)
  live = createLiveStream({ db, log, now: () => new Date() })
  const app = createApp({
    db,
    log,
    now: () => server.clock.now,
    settings: {
      PENDRO_WEB_DIR: '',
      PENDRO_SECURE_COOKIES: 'no',
      PENDRO_TRUST_PROXY: '',
      PENDRO_PICTURES: 'off',
      PENDRO_UNSUBSCRIBE: 'off',
      PENDRO_PUBLIC_URL: '',
      PENDRO_DIRECTORY_PASSWORD: '',
      PENDRO_DIRECTORY_CA: '',
      PENDRO_PROVIDER_SECRET: '',
    },
    queued: () => {},
    live,
  })
  http = await new Promise(resolve => {
    const listening = createServer(app).listen(0, '127.0.0.1', () => resolve(listening))
  })
  const staffer = await findStaffer(server.db, 'per', password, new Date())
  if (!staffer) throw new Error('per')
  cookie = `pendro_session=${(await openSession(server.db, staffer, server.clock.now)).token}`
})
afterAll(async () => {
  await live.stop()
  http.closeAllConnections()
  http.close()
  await server.close()
})

/** Events as a browser would get them, until `count` are there and `more` milliseconds have gone by without another. */
async function listen(
  count: number,
  headers: Record<string, string> = {},
  more = 0,
): Promise<readonly LiveEvent[]> {
  const abort = new AbortController()
  const response = await fetch(`http://127.0.0.1:${(http.address() as AddressInfo).port}/api/live`, {
    headers: { Cookie: cookie, ...headers },
    signal: abort.signal,
  })
  const events: LiveEvent[] = []
  const reader = (response.body as ReadableStream<Uint8Array>).getReader()
  const decoder = new TextDecoder()
  let text = ''
  const take = (chunk: Uint8Array) => {
    text += decoder.decode(chunk, { stream: true })
    const parts = text.split('\n\n')
    text = parts.pop() ?? ''
    for (const part of parts) {
      const data = /^data: (.*)$/m.exec(part)?.[1]
      if (data) events.push(JSON.parse(data) as LiveEvent)
    }
  }
  for (;;) {
    const quiet =
      events.length >= count ? new Promise<null>(resolve => setTimeout(() => resolve(null), more)) : null
    const next = await (quiet ? Promise.race([reader.read(), quiet]) : reader.read())
    if (!next?.value) break
    take(next.value)
  }
  abort.abort()
  return events
}

test('what another process takes in is told, and what was missed is told on coming back', async () => {
  const hearing = listen(1)
  await new Promise(resolve => setTimeout(resolve, 600))
  const [first = 0] = await arrive(server)
  const [heard] = await hearing
  expect(heard).toMatchObject({ kind: 'came-in', deliveryId: first })
  const [second = 0] = await arrive(server)
  const [third = 0] = await arrive(server)
  // Long enough for the next look, which finds the same two.
  const missed = await listen(2, { 'Last-Event-ID': String(heard?.id) }, 1500)
  expect(missed.map(({ deliveryId }) => deliveryId)).toEqual([second, third])
})

test('signed out: 401', async () => {
  const response = await fetch(`http://127.0.0.1:${(http.address() as AddressInfo).port}/api/live`)
  expect(response.status).toBe(401)
})
