import request from 'supertest'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { execute } from '../src/db/database.ts'
import { storePassword } from '../src/own/access.ts'
import { mayTry } from '../src/sign-in/tries.ts'
import { fakeStore, password, signedIn, startTestServer, work, type TestServer } from './support.ts'
import { parseMessage } from '@pendro/core/message'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())
beforeEach(async () => {
  await execute(server.db, 'DELETE FROM sign_in_tries')
  // The limit of a network address counts failures of a minute in memory; each test gets an app of its own.
  const clean = await startTestServer()
  await server.close()
  server = clean
})

const ingrid = 'ingrid@harbour.example'
const own = 'lamps over grey water'

/** A browser: keeps the cookies it is given. */
function browser() {
  const cookies = new Map<string, string>()
  const send = async (path: string, body: object, csrf = '') => {
    const answer = await request(server.app)
      .post(path)
      .set('Cookie', [...cookies].map(([name, value]) => `${name}=${value}`).join('; '))
      .set('X-Pendro-Token', csrf)
      .send(body)
    for (const line of ([] as string[]).concat(answer.headers['set-cookie'] ?? [])) {
      const [, name = '', value = ''] = /^([^=]+)=([^;]*)/.exec(line) ?? []
      cookies.set(name, value)
    }
    return {
      status: answer.status,
      body: answer.body as { code?: string; csrf?: string; asksOldPassword?: boolean },
    }
  }
  return {
    cookies,
    send,
    staff: (word: string, signIn = 'oda') => send('/api/session', { signIn, password: word }),
    colleague: (word: string) => send('/api/own/session', { address: ingrid, password: word }),
  }
}

describe('whoever guesses locks nobody out', () => {
  test.each(['staff', 'colleague'] as const)('%s: the device of before still gets in', async kind => {
    await storePassword(server.db, server.mailbox('ingrid'), own)
    const right = kind === 'staff' ? password : own
    const owner = browser()
    expect((await owner[kind](right)).status).toBe(200)
    const stranger = browser()
    const codes: (string | undefined)[] = []
    for (let i = 0; i < 11; i += 1) codes.push((await stranger[kind](`guess ${i}`)).body.code)
    expect(codes.at(-2)).toBe(kind === 'staff' ? 'SIGN_IN_FAILED' : 'OWN_SIGN_IN_FAILED')
    expect(codes.at(-1)).toBe('TOO_MANY_TRIES')
    // Also with the right password: nobody finds it out by going on.
    expect((await browser()[kind](right)).body.code).toBe('TOO_MANY_TRIES')
    expect((await owner[kind](right)).status).toBe(200)
  })

  test('a device is known to its own account only, and a mark can’t be made up', async () => {
    const una = browser()
    expect((await una.staff(password, 'una')).status).toBe(200)
    for (let i = 0; i < 10; i += 1) await browser().staff(`guess ${i}`)
    expect((await una.staff(password)).body.code).toBe('TOO_MANY_TRIES')
    const forger = browser()
    forger.cookies.set('pendro_device', `${'A'.repeat(22)}.${'A'.repeat(22)}`)
    expect((await forger.staff(password)).body.code).toBe('TOO_MANY_TRIES')
    forger.cookies.set('pendro_device', '~~.~é~'.repeat(500))
    expect((await forger.staff(password)).body.code).toBe('TOO_MANY_TRIES')
  })

  test('a device that guesses uses up its own tries', async () => {
    const owner = browser()
    await owner.staff(password)
    for (let i = 0; i < 10; i += 1) await owner.staff(`guess ${i}`)
    expect((await owner.staff(password)).body.code).toBe('TOO_MANY_TRIES')
    server.clock.now = new Date(server.clock.now.getTime() + 16 * 60_000)
    expect((await owner.staff(password)).status).toBe(200)
  })

  test('the right password starts anew; a one-time code that was right still counts', async () => {
    await storePassword(server.db, server.mailbox('ingrid'), own)
    for (let round = 0; round < 3; round += 1) {
      for (let i = 0; i < 6; i += 1) await browser().colleague('not it')
      expect((await browser().colleague(own)).status).toBe(200)
      server.clock.now = new Date(server.clock.now.getTime() + 61_000)
      // Failures of one network address have a limit of their own, in memory.
      if (round === 0) break
    }
    for (let i = 0; i < 9; i += 1)
      await browser().send('/api/own/session', { address: ingrid, code: '000000' })
    const { code } = await codeFor()
    expect((await browser().send('/api/own/session', { address: ingrid, code })).status).toBe(200)
    expect((await browser().send('/api/own/session', { address: ingrid, code: '000000' })).body.code).toBe(
      'TOO_MANY_TRIES',
    )
  })
})

async function codeFor() {
  await request(server.app).post('/api/own/code').send({ address: ingrid })
  const store = fakeStore()
  await work(server, store.send)
  const raw = store.taken.find(({ to, raw }) => to === ingrid && raw.includes('is your code'))?.raw ?? ''
  const parsed = await parseMessage(Buffer.from(raw))
  return { code: /(\d{6})/.exec(parsed.ok ? parsed.value.text : '')?.[1] ?? '' }
}

describe('choosing a password', () => {
  const next = 'seven quiet harbour mice'
  test('the old one is asked for, and tries at it are counted', async () => {
    await storePassword(server.db, server.mailbox('ingrid'), own)
    const phone = browser()
    const { csrf = '', asksOldPassword } = (await phone.colleague(own)).body
    expect(asksOldPassword).toBe(true)
    const choose = (old: string) => phone.send('/api/own/password', { old, password: next }, csrf)
    expect((await choose('')).body.code).toBe('OLD_PASSWORD_WRONG')
    for (let i = 0; i < 10; i += 1) expect((await choose(`guess ${i}`)).body.code).toBe('OLD_PASSWORD_WRONG')
    expect((await choose(own)).body.code).toBe('TOO_MANY_TRIES')
    server.clock.now = new Date(server.clock.now.getTime() + 16 * 60_000)
    expect((await choose(own)).status).toBe(200)
    expect((await phone.colleague(next)).status).toBe(200)
    expect((await phone.colleague(own)).body.code).toBe('OWN_SIGN_IN_FAILED')
  })

  test('who has forgotten it comes in by a code, and has a quarter of an hour', async () => {
    await storePassword(server.db, server.mailbox('ingrid'), own)
    const { code } = await codeFor()
    const phone = browser()
    const { csrf = '', asksOldPassword } = (await phone.send('/api/own/session', { address: ingrid, code }))
      .body
    expect(asksOldPassword).toBe(false)
    expect((await phone.send('/api/own/password', { password: next }, csrf)).status).toBe(200)
    server.clock.now = new Date(server.clock.now.getTime() + 16 * 60_000)
    expect((await phone.send('/api/own/password', { password: own }, csrf)).body.code).toBe(
      'OLD_PASSWORD_WRONG',
    )
  })

  test('an easy one is refused', async () => {
    const phone = browser()
    const { code } = await codeFor()
    const { csrf = '' } = (await phone.send('/api/own/session', { address: ingrid, code })).body
    expect((await phone.send('/api/own/password', { password: 'password1234' }, csrf)).body.code).toBe(
      'EASY_PASSWORD',
    )
  })
})

describe('what waits is seen, and ended', () => {
  type Row = { kind: string; account: string; strange: boolean; until: string }
  const seen = async (who: Awaited<ReturnType<typeof signedIn>>) =>
    (await who.get('/api/staffers/throttles')).body.throttles as Row[]

  test('a steward sees who has to wait and until when, and lets them go on; it stands in the record', async () => {
    const oda = await signedIn(server, 'oda')
    await storePassword(server.db, server.mailbox('ingrid'), own)
    const stranger = browser()
    for (let i = 0; i < 9; i += 1) await stranger.staff(`guess ${i}`, 'per')
    // One more is allowed: nobody waits yet.
    expect(await seen(oda)).toEqual([])
    await stranger.staff('guess', 'per')
    for (let i = 0; i < 10; i += 1) await stranger.colleague(`guess ${i}`)
    // What nobody is called may be a password, typed in the wrong place.
    const typed = { kind: 'staff', account: 'correct horse battery', device: '' } as const
    for (let i = 0; i < 11; i += 1) await mayTry(server.db, typed, server.clock.now)
    const until = new Date(server.clock.now.getTime() + 15 * 60_000).toISOString()
    const rows = await seen(oda)
    expect(rows).toHaveLength(2)
    expect(rows).toContainEqual({ kind: 'staff', account: 'per', strange: true, until })
    expect(rows).toContainEqual({ kind: 'proof', account: ingrid, strange: true, until })
    expect((await stranger.staff(password, 'per')).body.code).toBe('TOO_MANY_TRIES')
    const clear = () => oda.post('/api/staffers/throttles/clear', { kind: 'staff', account: 'per' })
    expect((await clear()).body).toEqual({ cleared: 1 })
    expect((await clear()).body.code).toBe('THROTTLE_OVER')
    expect((await browser().staff(password, 'per')).status).toBe(200)
    const { lines } = (await oda.get('/api/record?what=signing-in&who=everybody')).body as {
      lines: { act: string; facts: object }[]
    }
    expect(lines.find(({ act }) => act === 'throttle-cleared')?.facts).toEqual({
      account: 'per',
      kind: 'staff',
    })
    server.clock.now = new Date(server.clock.now.getTime() + 16 * 60_000)
    expect(await seen(await signedIn(server, 'oda'))).toEqual([])
  })

  test('for stewards alone', async () => {
    const per = await signedIn(server, 'per')
    expect((await per.get('/api/staffers/throttles')).body.code).toBe('NEEDS_STEWARD')
  })
})
