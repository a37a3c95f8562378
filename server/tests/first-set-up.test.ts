import request from 'supertest'
import type { Express } from 'express'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { createApp } from '../src/app.ts'
import { select, type Database } from '../src/db/database.ts'
import { migratedDatabase, log } from './support.ts'

let db: Database
let app: Express
beforeAll(async () => {
  ;({ db } = await migratedDatabase())
  app = createApp({
    db,
    log,
    now: () => new Date(),
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
    live: null,
  })
})
afterAll(() => db.close())

const form = {
  organisation: 'Skerry Library',
  timeZone: 'Europe/Oslo',
  ownDomains: 'skerry-library.example\n',
  trustedHosts: '',
  name: 'Oda Rask',
  signIn: 'oda',
  password: 'a long enough one',
  mailboxes: 'anna@skerry-library.example, Anna Berg\n\nDESK@skerry-library.example',
}
const begin = (more: object) =>
  request(app)
    .post('/api/set-up')
    .send({ ...form, ...more })
const mailboxes = async () =>
  await select<{ address: string; name: string }>(db, 'SELECT address, name FROM mailboxes ORDER BY id')

test.each<[string, object, readonly unknown[]]>([
  [
    'a line without an address',
    { mailboxes: 'anna@skerry-library.example, Anna\nNobody here' },
    [{ code: 'no-address', line: 'Nobody here' }],
  ],
  [
    'an address twice',
    { mailboxes: 'anna@x.example\nAnna@X.example' },
    [{ code: 'listed-twice', line: 'anna@x.example' }],
  ],
  ['no domain', { ownDomains: 'not a domain' }, [{ code: 'not-a-domain', line: 'not a domain' }]],
  ['a zone that is none', { timeZone: 'Oslo' }, [expect.stringMatching(/time zone such as Europe\/Oslo/)]],
  ['a short password', { password: 'short' }, [expect.stringMatching(/at least 12 characters/)]],
])('%s: told in words, nothing half set up', async (_name, more, want) => {
  const { status, body } = await begin(more)
  expect(status).toBe(400)
  expect(body.facts.wrong).toEqual(want)
  expect(body.text).not.toMatch(/\{\{|problem\./)
  expect(await mailboxes()).toEqual([])
  expect((await request(app).get('/api/set-up')).body).toEqual({ needed: true })
})

test('works once, also when two begin at the same moment; then the steward signs in', async () => {
  const answers = await Promise.all([begin({}), begin({})])
  expect(answers.map(({ status }) => status).sort()).toEqual([200, 409])
  expect(await mailboxes()).toEqual([
    { address: 'anna@skerry-library.example', name: 'Anna Berg' },
    { address: 'desk@skerry-library.example', name: 'desk@skerry-library.example' },
  ])
  expect((await begin({})).body.code).toBe('ALREADY_SET_UP')
  const { body } = await request(app).post('/api/session').send({ signIn: 'oda', password: form.password })
  expect(body.staffer).toMatchObject({ role: 'steward' })
})
