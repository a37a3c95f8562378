import request from 'supertest'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { findSession, findStaffer, openSession } from '../src/sign-in/sessions.ts'
import { password, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

const enter = (name: string, word: string) =>
  request(server.app).post('/api/session').send({ signIn: name, password: word })

test('the cookie is out of reach of scripts and other sites, and ends the session when it goes', async () => {
  const answer = await enter('oda', password)
  expect(answer.status).toBe(200)
  const given = answer.headers['set-cookie'] as unknown as string[]
  const cookie = given.find(one => one.startsWith('pendro_session=')) ?? ''
  expect(cookie).toMatch(/HttpOnly/)
  expect(cookie).toMatch(/SameSite=Strict/)
  const name = cookie.split(';')[0] ?? ''
  expect((await request(server.app).get('/api/session').set('Cookie', name)).body.staffer).toMatchObject({
    name: 'Oda Rask',
    role: 'steward',
  })
  await request(server.app).delete('/api/session').set('Cookie', name).set('X-Pendro-Token', answer.body.csrf)
  expect((await request(server.app).get('/api/session').set('Cookie', name)).body.code).toBe('SIGN_IN_FIRST')
})

test('a session ends by itself', async () => {
  const oda = await signedIn(server, 'oda')
  expect((await oda.get('/api/session')).status).toBe(200)
  const before = server.clock.now
  server.clock.now = new Date(before.getTime() + 13 * 3_600_000)
  expect((await oda.get('/api/session')).status).toBe(401)
  server.clock.now = before
})

test.each([
  ['oda', 'wrong'],
  ['nobody', password],
  ["oda' OR '1'='1", password],
])('%s with %s: not let in, and not told which was wrong', async (name, word) => {
  const answer = await enter(name, word)
  expect([answer.status, answer.body.code]).toEqual([401, 'SIGN_IN_FAILED'])
})

test('guessing is slowed down', async () => {
  const codes: string[] = []
  for (let i = 0; i < 25; i += 1) codes.push((await enter('oda', `guess ${i}`)).body.code)
  expect(codes.at(-1)).toBe('TOO_MANY_TRIES')
})

test('what is not of the expected form is a 400 that names the field', async () => {
  const oda = await signedIn(server, 'oda')
  const bad = await oda.get('/api/review?days=0&order=upside')
  expect([bad.status, bad.body.code]).toEqual([400, 'BAD_REQUEST'])
  expect(bad.body.text).toMatch(/days.*order/s)
})

test('a body too large for what is asked is refused, and only a handed-in message may be large', async () => {
  const large = 'A'.repeat(400_000)
  const oda = await signedIn(server, 'oda')
  const refused = await oda.post('/api/rulings', { deliveries: [1], note: large })
  expect([refused.status, refused.body.text]).toEqual([413, expect.stringContaining('too large')])
  expect((await oda.postFile('/api/reports?verdict=junk', large)).body.code).toBe('NO_MESSAGE')
})

test('a session nobody uses ends after two hours; one that is used goes on', async () => {
  const begin = new Date('2026-11-20T08:00:00Z')
  const staffer = await findStaffer(server.db, 'una', password, new Date())
  if (!staffer) throw new Error('una')
  const { token } = await openSession(server.db, staffer, begin)
  const at = (minutes: number, options?: { use: boolean }) =>
    findSession(server.db, token, new Date(begin.getTime() + minutes * 60_000), options)
  expect(await at(100)).not.toBeNull()
  expect(await at(219)).not.toBeNull()
  // a stream that only listens does not keep it
  expect(await at(330, { use: false })).not.toBeNull()
  expect(await at(340)).toBeNull()
})

test('answers are not kept on the way, and a stranger may send no more than a sign-in', async () => {
  const res = await request(server.app).get('/api/set-up')
  expect(res.headers['cache-control']).toBe('no-store')
  const large = await request(server.app)
    .post('/api/session')
    .send({ signIn: 'x'.repeat(30_000), password: 'y' })
  expect([large.status, large.body.code]).toEqual([413, 'TOO_LARGE'])
  const report = await request(server.app)
    .post('/api/reports?verdict=junk')
    .send({ source: 'x'.repeat(400_000) })
  expect([401, 413]).toContain(report.status)
})
