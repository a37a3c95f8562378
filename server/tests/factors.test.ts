import { createHmac } from 'node:crypto'
import request from 'supertest'
import { TOTP, Secret } from 'otpauth'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { execute, select } from '../src/db/database.ts'
import { stepOfCode } from '../src/sign-in/codes.ts'
import { readOrganisation } from '../src/db/organisation.ts'
import { arrive, password, ruling, signedIn, startTestServer, type TestServer } from './support.ts'

/** The codes themselves, against the standard; passkeys are tried with a real browser (e2e/second-factor.test.ts). */
describe('one-time codes (RFC 6238)', () => {
  // Appendix B: the SHA-1 secret "12345678901234567890", eight digits; ours are the last six of the same number.
  const vectors = [
    [59, '94287082'],
    [1111111109, '07081804'],
    [1111111111, '14050471'],
    [1234567890, '89005924'],
    [2000000000, '69279037'],
    [20000000000, '65353130'],
  ] as const
  const secret = Secret.fromUTF8('12345678901234567890').base32
  test.each(vectors)('at %i s it is %s', (seconds, code) => {
    const now = new Date(seconds * 1000)
    expect(stepOfCode(secret, code.slice(2), now)).toBe(Math.floor(seconds / 30))
    // The one before and the one after count; others, and other digits, do not.
    for (const [by, counts] of [
      [-60, false],
      [-30, true],
      [30, true],
      [60, false],
    ] as const)
      expect(stepOfCode(secret, code.slice(2), new Date((seconds + by) * 1000)) !== null).toBe(counts)
    expect(stepOfCode(secret, code, now)).toBeNull()
    expect(stepOfCode(secret, `${(Number(code.slice(2)) + 1) % 1e6}`.padStart(6, '0'), now)).toBeNull()
  })
})

let server: TestServer
type Session = Awaited<ReturnType<typeof signedIn>>
let oda: Session
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())
beforeEach(async () => {
  for (const table of ['staffer_factors', 'recovery_codes', 'sign_in_steps', 'sign_in_tries'])
    await execute(server.db, `DELETE FROM ${table}`)
  oda = await signedIn(server, 'oda')
})

/** The code an app shows; worked out by hand, so that the library is not asked about itself. */
function codeOf(secret: string, at: Date): string {
  const counter = Buffer.alloc(8)
  counter.writeBigUInt64BE(BigInt(Math.floor(at.getTime() / 30_000)))
  const hash = createHmac('sha1', Buffer.from(Secret.fromBase32(secret).bytes))
    .update(counter)
    .digest()
  const offset = (hash.at(-1) ?? 0) & 15
  return String((hash.readUInt32BE(offset) & 0x7fffffff) % 1e6).padStart(6, '0')
}

const later = (seconds: number) => (server.clock.now = new Date(server.clock.now.getTime() + seconds * 1000))
const cookiesOf = (answer: request.Response) =>
  ((answer.headers['set-cookie'] ?? []) as unknown as string[]).map(one => one.split(';')[0] ?? '').join('; ')
const enter = (signIn: string, word = password) =>
  request(server.app).post('/api/session').send({ signIn, password: word })
const prove = (cookies: string, code: string) =>
  request(server.app).post('/api/session/factor').set('Cookie', cookies).send({ code })

/** Adds an app to somebody; its secret and the recovery codes. */
async function addApp(session: Session): Promise<{ secret: string; recovery: string[] }> {
  const { secret, uri } = (await session.post('/api/session/codes', {})).body as {
    secret: string
    uri: string
  }
  expect(uri).toMatch(/^otpauth:\/\/totp\/Pendro:\w+\?issuer=Pendro&secret=/)
  expect(new TOTP({ secret: Secret.fromBase32(secret) }).secret.base32).toBe(secret)
  const added = await session.post('/api/session/codes/first', {
    code: codeOf(secret, server.clock.now),
    name: 'Phone',
  })
  expect(added.status).toBe(200)
  return { secret, recovery: (added.body as { recoveryCodes: string[] }).recoveryCodes }
}

describe('signing in with a code', () => {
  test('the password alone opens nothing; a code of the app does, once', async () => {
    const { secret } = await addApp(oda)
    later(60)
    const first = await enter('oda')
    expect(first.body).toEqual({ factors: ['code'] })
    const cookies = cookiesOf(first)
    expect(cookies).not.toContain('pendro_session')
    expect((await request(server.app).get('/api/session').set('Cookie', cookies)).status).toBe(401)
    expect((await prove(cookies, '000000')).body.code).toBe('FACTOR_WRONG')
    const code = codeOf(secret, server.clock.now)
    const done = await prove(cookies, code)
    expect(done.body.staffer).toMatchObject({ signIn: 'oda' })
    expect(cookiesOf(done)).toContain('pendro_session=')
    // Neither the step nor the code is good twice.
    expect((await prove(cookies, code)).body.code).toBe('STEP_OVER')
    const again = await enter('oda')
    expect((await prove(cookiesOf(again), code)).body.code).toBe('FACTOR_WRONG')
    later(30)
    expect((await prove(cookiesOf(again), codeOf(secret, server.clock.now))).status).toBe(200)
    const { body } = await oda.get('/api/record?what=signing-in&who=everybody')
    expect(body.lines.map(({ act }: { act: string }) => act)).toEqual(
      expect.arrayContaining(['signed-in', 'sign-in-failed', 'factor-added']),
    )
  })
  test('the same code at the same moment opens one session', async () => {
    const { secret } = await addApp(oda)
    later(60)
    const begun = await Promise.all([enter('oda'), enter('oda')])
    const code = codeOf(secret, server.clock.now)
    const ends = await Promise.all(begun.map(one => prove(cookiesOf(one), code)))
    expect(ends.map(({ status }) => status).sort()).toEqual([200, 401])
  })
  test('a recovery code works once, however it is typed; new ones end the old', async () => {
    const { recovery } = await addApp(oda)
    expect(recovery).toHaveLength(10)
    const [one = '', two = '', three = ''] = recovery
    expect((await prove(cookiesOf(await enter('oda')), one.toLowerCase().replace('-', ' '))).status).toBe(200)
    expect((await prove(cookiesOf(await enter('oda')), one)).body.code).toBe('FACTOR_WRONG')
    expect((await oda.get('/api/session/factors')).body).toMatchObject({ recoveryLeft: 9 })
    const renewed = await oda.post('/api/session/recovery', {})
    expect((await prove(cookiesOf(await enter('oda')), two)).body.code).toBe('FACTOR_WRONG')
    expect((await prove(cookiesOf(await enter('oda')), renewed.body.recoveryCodes[3])).status).toBe(200)
    // Kept nowhere as they are.
    const kept = JSON.stringify(await select(server.db, 'SELECT * FROM recovery_codes'))
    expect(kept).not.toContain(three)
  })
  test('guessing ends after ten, and leaves whoever knows nothing of the password out of it', async () => {
    // Of one network address so many fail in a minute; the other tests need some of them.
    const shared = server
    server = await startTestServer()
    const { recovery } = await addApp(await signedIn(server, 'oda'))
    const cookies = cookiesOf(await enter('oda'))
    const codes: string[] = []
    for (let i = 0; i < 11; i += 1) codes.push((await prove(cookies, `00000${i % 10}`)).body.code)
    expect(codes.at(-1)).toBe('TOO_MANY_TRIES')
    expect((await prove(cookies, recovery[0] ?? '')).body.code).toBe('TOO_MANY_TRIES')
    later(16 * 60)
    expect((await prove(cookiesOf(await enter('oda')), recovery[0] ?? '')).status).toBe(200)
    await server.close()
    server = shared
  })
  test('a step ends after five minutes, and none is begun by a cookie that was made up', async () => {
    const { recovery } = await addApp(oda)
    const cookies = cookiesOf(await enter('oda'))
    later(5 * 60 + 1)
    expect((await prove(cookies, recovery[0] ?? '')).body.code).toBe('STEP_OVER')
    expect((await prove('pendro_step=abc', recovery[0] ?? '')).body.code).toBe('STEP_OVER')
    expect((await prove('', recovery[0] ?? '')).body.code).toBe('STEP_OVER')
  })
  test('a secret is kept only when its first code was right', async () => {
    await oda.post('/api/session/codes', {})
    expect((await oda.post('/api/session/codes/first', { code: '123456' })).body.code).toBe('FACTOR_WRONG')
    expect((await enter('oda')).body.staffer).toBeDefined()
    expect(
      (await (await signedIn(server, 'per')).post('/api/session/codes/first', { code: '123456' })).body.code,
    ).toBe('STEP_OVER')
  })
})

describe('what can’t be taken back', () => {
  test('asks again after ten minutes; a proof is good for ten more', async () => {
    const { secret, recovery } = await addApp(oda)
    const [id = 0] = await arrive(server)
    await oda.post('/api/rulings', ruling([id], { message: 'discard' }))
    const ask = () => oda.post('/api/deliveries/erase', { deliveries: [id] })
    later(11 * 60)
    expect((await ask()).body.code).toBe('PROVE_AGAIN')
    expect((await oda.get('/api/senders/export?format=csv')).body.code).toBe('PROVE_AGAIN')
    // What can be undone does not ask.
    expect((await oda.get('/api/review')).status).toBe(200)
    expect((await oda.post('/api/session/proof/begin', {})).body).toEqual({ kinds: ['code'], options: null })
    expect((await oda.post('/api/session/proof', { password })).body.code).toBe('FACTOR_WRONG')
    expect((await oda.post('/api/session/proof', { code: '000000' })).body.code).toBe('FACTOR_WRONG')
    expect((await oda.post('/api/session/proof', { code: codeOf(secret, server.clock.now) })).status).toBe(
      200,
    )
    expect((await oda.get('/api/senders/export?format=csv')).status).toBe(200)
    expect((await ask()).status).toBe(200)
    later(11 * 60)
    expect((await oda.post('/api/session/recovery', {})).body.code).toBe('PROVE_AGAIN')
    expect((await oda.post('/api/session/proof', { code: recovery[0] })).status).toBe(200)
    expect((await oda.post('/api/session/recovery', {})).status).toBe(200)
  })
  test('who has no second factor is not asked, and proves by password where they want to', async () => {
    later(11 * 60)
    expect((await oda.get('/api/senders/export?format=csv')).status).toBe(200)
    expect((await oda.post('/api/session/proof/begin', {})).body).toEqual({
      kinds: ['password'],
      options: null,
    })
    expect((await oda.post('/api/session/proof', { password: 'wrong' })).body.code).toBe('OLD_PASSWORD_WRONG')
    expect((await oda.post('/api/session/proof', { password })).status).toBe(200)
  })
})

describe('an organisation that asks for one', () => {
  const setRequired = (value: string) =>
    execute(server.db, "UPDATE organisation SET settings = JSON_SET(settings, '$.secondFactor', :value)", {
      value,
    })
  test('everything waits until there is one, and the last one stays', async () => {
    await setRequired('required')
    expect((await readOrganisation(server.db)).secondFactor).toBe('required')
    const per = await signedIn(server, 'per')
    expect((await per.get('/api/session')).body).toMatchObject({ factorFirst: true })
    expect((await per.get('/api/review')).body.code).toBe('FACTOR_FIRST')
    expect((await per.get('/api/session/factors')).body).toMatchObject({ required: true, factors: [] })
    await addApp(per)
    expect((await per.get('/api/review')).status).toBe(200)
    const { body } = await per.get('/api/session/factors')
    const remove = (id: number) => per.post(`/api/session/factors/${id}/remove`, {})
    expect((await remove(body.factors[0].id)).body.code).toBe('FACTOR_NEEDED')
    await setRequired('optional')
    expect((await remove(999)).body.code).toBe('FACTOR_NOT_FOUND')
    expect((await remove(body.factors[0].id)).status).toBe(200)
    expect((await per.get('/api/session/factors')).body).toMatchObject({ factors: [], recoveryLeft: 0 })
  })
  test('a steward without one can’t ask it of everybody', async () => {
    const change = () =>
      oda.post('/api/organisation/settings/changes', {
        change: { what: 'second-factor', was: 'optional', to: 'required' },
        token: crypto.randomUUID(),
      })
    expect((await change()).body.code).toBe('FACTOR_FIRST')
    await addApp(oda)
    const changed = await change()
    expect(changed.status).toBe(200)
    await oda.post(`/api/mailbox-changes/${changed.body.change}/undo`, {})
  })
  test('lost: a steward takes them away with a reason, which signs out everywhere; the password is enough again', async () => {
    const per = await signedIn(server, 'per')
    await addApp(per)
    const { body } = await oda.get('/api/staffers')
    const { id, factors } = body.staffers.find((one: { signIn: string }) => one.signIn === 'per')
    expect(factors).toBe(1)
    const clear = (reason: string, by = oda) => by.post(`/api/staffers/${id}/factors/clear`, { reason })
    expect((await clear('')).status).toBe(400)
    expect((await clear('mine', per)).body.code).toBe('NEEDS_STEWARD')
    expect((await clear('Phone lost')).body).toEqual({ cleared: 1 })
    expect((await per.get('/api/session')).status).toBe(401)
    expect((await enter('per')).body.staffer).toMatchObject({ signIn: 'per' })
    expect((await clear('Phone lost')).body.code).toBe('FACTOR_NOT_FOUND')
  })
})

describe('passkeys, where there is no browser', () => {
  test('an address in numbers has none; a made-up answer proves nothing, and takes the challenge with it', async () => {
    const begin = (host: string) =>
      request(server.app).post('/api/session/passkey').set('Host', host).send({})
    // The public address of these tests is a name; a Host that is made up is not believed.
    const begun = await begin('evil.example')
    expect(begun.body.options).toMatchObject({ rpId: 'pendro.harbour.example', userVerification: 'required' })
    const made = {
      id: 'abc',
      rawId: 'abc',
      type: 'public-key',
      response: { clientDataJSON: 'e30', authenticatorData: 'AAAA', signature: 'AAAA' },
    }
    const use = () =>
      request(server.app).post('/api/session/factor').set('Cookie', cookiesOf(begun)).send({ passkey: made })
    expect((await use()).body.code).toBe('FACTOR_WRONG')
    expect((await use()).body.code).toBe('STEP_OVER')
    const other = await begin('localhost:8025')
    expect(other.body.options.rpId).toBe('localhost')
    // Codes need a password first: without one a step is nobody's.
    expect((await prove(cookiesOf(other), '123456')).body.code).toBe('STEP_OVER')
  })
})

test('challenges are kept for so many a minute of one address, and no more', async () => {
  const shared = server
  server = await startTestServer()
  const codes: number[] = []
  for (let i = 0; i < 245; i += 1)
    codes.push((await request(server.app).post('/api/session/passkey').send({})).status)
  expect(codes.filter(code => code === 200)).toHaveLength(240)
  expect(codes.at(-1)).toBe(429)
  await server.close()
  server = shared
})

describe('devices', () => {
  test('each is listed with what its browser calls itself, and ended one by one', async () => {
    const phone = await request(server.app)
      .post('/api/session')
      .set('User-Agent', 'A telephone')
      .send({ signIn: 'oda', password })
    const { devices } = (await oda.get('/api/session/devices')).body as {
      devices: { id: number; agent: string; own: boolean }[]
    }
    const found = devices.find(({ agent }) => agent === 'A telephone')
    expect(devices.filter(({ own }) => own)).toHaveLength(1)
    const per = await signedIn(server, 'per')
    expect((await per.post(`/api/session/devices/${found?.id}/end`, {})).body.code).toBe('DEVICE_NOT_FOUND')
    expect((await oda.post(`/api/session/devices/${found?.id}/end`, {})).status).toBe(200)
    expect((await request(server.app).get('/api/session').set('Cookie', cookiesOf(phone))).status).toBe(401)
    expect((await oda.get('/api/session')).status).toBe(200)
  })
})

test('a wrong password is in the record by the name of somebody; what nobody is called is not kept', async () => {
  await enter('per', 'wrong')
  await enter('my secret typed in the wrong place', 'wrong')
  const { body } = await oda.get('/api/record?what=signing-in&who=everybody')
  const failed = body.lines.filter(({ act }: { act: string }) => act === 'sign-in-failed')
  expect(failed.slice(0, 2).map((one: { facts: { signIn: string } }) => one.facts.signIn)).toEqual([
    '',
    'per',
  ])
})
