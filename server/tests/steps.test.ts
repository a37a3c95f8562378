import { afterAll, beforeAll, expect, test } from 'vitest'
import type { StepShape } from '@pendro/contract'
import { execute } from '../src/db/database.ts'
import { takeOutgoing } from '../src/intake/outbound.ts'
import { createTraffic } from '../src/traffic/traffic.ts'
import { sample, setOrganisation, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  await setOrganisation(server.db, { 'policy.gateways': [], watching: true })
})
afterAll(() => server.close())

const steps = async () => {
  const { body } = (await oda.get('/api/steps')) as { body: { steps: StepShape[]; closed: boolean } }
  return { ...Object.fromEntries(body.steps.map(({ name, state }) => [name, state])), closed: body.closed }
}

test('each step is done by what there is, and by nothing else', async () => {
  expect(await steps()).toEqual({
    domains: 'done',
    people: 'done',
    doors: 'open',
    store: 'open',
    outgoing: 'open',
    learning: 'open',
    staffers: 'done',
    holding: 'open',
    closed: false,
  })
  const traffic = createTraffic(server.db, () => server.clock.now)
  traffic.count('incoming', 'taken')
  traffic.count('127.0.0.1:2526', 'later', '450 4.2.0 Later')
  await traffic.write()
  // Mail came in, but from nobody whose word counts; the store took none yet.
  expect(await steps()).toMatchObject({ doors: 'open', store: 'open' })
  await setOrganisation(server.db, { 'policy.gateways': ['192.0.2.0/24'] })
  traffic.count('127.0.0.1:2526', 'taken')
  await traffic.write()
  expect(await steps()).toMatchObject({ doors: 'done', store: 'done' })
  await takeOutgoing(server.db, [
    {
      raw: sample({ from: 'ingrid@harbour.example' }),
      envelopeFrom: 'ingrid@harbour.example',
      recipients: ['lars@shipyard.example'],
      receivedAt: server.clock.now,
    },
  ])
  await execute(
    server.db,
    "INSERT INTO history_runs (at, name, by_name, state, taken, left_out) VALUES (UTC_TIMESTAMP(), 'x', 'x', 'done', 3, 0)",
  )
  await setOrganisation(server.db, { watching: false })
  expect(await steps()).toMatchObject({ outgoing: 'done', learning: 'done', holding: 'done' })
  await execute(server.db, "UPDATE history_runs SET state = 'undone'")
  expect(await steps()).toMatchObject({ learning: 'open' })
})

test('left out, come back to, put away and had back; by stewards alone', async () => {
  const per = await signedIn(server, 'per')
  expect((await per.post('/api/steps', { skip: 'learning' })).status).toBe(403)
  expect((await oda.post('/api/steps', { skip: 'learning' })).body).toEqual({ ok: true })
  expect(await steps()).toMatchObject({ learning: 'skipped', closed: false })
  await oda.post('/api/steps', { skip: 'doors' })
  // What is done is not left out, whatever was said before.
  expect(await steps()).toMatchObject({ learning: 'skipped', doors: 'done' })
  await oda.post('/api/steps', { comeBackTo: 'learning' })
  expect(await steps()).toMatchObject({ learning: 'open' })
  await oda.post('/api/steps', { closed: true })
  expect(await steps()).toMatchObject({ closed: true })
  await oda.post('/api/steps', { closed: false })
  expect(await steps()).toMatchObject({ closed: false })
  expect((await oda.post('/api/steps', { skip: 'nothing' })).status).toBe(400)
})
