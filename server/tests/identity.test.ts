import { randomUUID } from 'node:crypto'
import request from 'supertest'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { execute, select } from '../src/db/database.ts'
import { isIssuer } from '../src/sign-in/identity-provider.ts'
import { grantOf } from '../src/staffers/identities.ts'
import { resetStaffer } from '../src/staffers/reset.ts'
import { answerOf, clientId, startLiar, startProvider, type Account, type Lie } from './identity-provider.ts'
import { password, signedIn, startTestServer, type TestServer } from './support.ts'

const host = 'pendro.harbour.example'
const accounts: Record<string, Account> = {
  mads: { name: 'Mads Ford', email: 'mads@harbour.example', groups: ['all', 'pendro-helpdesk'] },
  liv: { name: 'Liv Strand', email: 'liv@harbour.example', groups: ['pendro-stewards', 'pendro-helpdesk'] },
  oda: { name: 'Oda Rask', email: 'oda@harbour.example', groups: ['pendro-stewards'] },
  'o.rask': { name: 'Oda Rask', email: 'oda@harbour.example', groups: [] },
  guest: { name: 'A Guest', email: 'guest@harbour.example', groups: ['all'] },
  ingrid: { name: 'Ingrid Solvang', email: 'I.Solvang@harbour.example' },
  aksel: { name: 'Aksel', email: 'aksel@harbour.example', verified: false },
}

let server: TestServer
let provider: Awaited<ReturnType<typeof startProvider>>
let liar: Awaited<ReturnType<typeof startLiar>>
type Session = Awaited<ReturnType<typeof signedIn>>
let oda: Session
beforeAll(async () => {
  server = await startTestServer()
  provider = await startProvider(`http://${host}/sign-in/back`, accounts)
  liar = await startLiar()
})
afterAll(async () => {
  await provider.close()
  await liar.close()
  await server.close()
})

const grants = [
  { group: 'pendro-stewards', role: 'steward', departments: null },
  { group: 'pendro-helpdesk', role: 'helpdesk', departments: null },
] as const
const setting = (more: object = {}) => ({
  name: 'Harbour account',
  issuer: provider.issuer,
  clientId,
  groupsClaim: 'groups',
  grants,
  colleagues: true,
  passwords: true,
  ...more,
})
const now = async (by: Session = oda) =>
  ((await by.get('/api/organisation/settings')).body as OrganisationSettingsShape)['identity-provider']
const set = async (to: object, by: Session = oda) =>
  by.post('/api/organisation/settings/changes', {
    change: { what: 'identity-provider', was: await now(), to },
    token: randomUUID(),
  })

beforeEach(async () => {
  // The browser's way in, and nobody who came by the provider before.
  for (const table of [
    'staffer_identities',
    'sign_in_steps',
    'sign_in_tries',
    'recovery_codes',
    'staffer_factors',
  ])
    await execute(server.db, `DELETE FROM ${table}`)
  await execute(
    server.db,
    `DELETE FROM sessions WHERE staffer_id IN (SELECT id FROM staffers WHERE sign_in NOT IN ('oda', 'per', 'una'))`,
  )
  await execute(server.db, "DELETE FROM staffers WHERE sign_in NOT IN ('oda', 'per', 'una')")
  await execute(
    server.db,
    `UPDATE organisation SET settings = JSON_SET(settings, '$.secondFactor', 'optional', '$.identityProvider', JSON_EXTRACT(:to, '$'))`,
    { to: JSON.stringify(setting()) },
  )
  oda = await signedIn(server, 'oda')
})

/** What a browser sends from now on; a cookie that was emptied is none. */
const cookiesOf = (answer: request.Response) =>
  ((answer.headers['set-cookie'] ?? []) as unknown as string[])
    .map(one => one.split(';')[0] ?? '')
    .filter(one => !one.endsWith('='))
    .join('; ')
/** The cookies a request came with. */
const cookieSent = ({ request: sent }: request.Response): string =>
  (sent as unknown as { header: Record<string, string> }).header['Cookie'] ?? ''
const begin = (body: object = { as: 'staffer', from: '/senders' }) =>
  request(server.app).post('/api/session/identity/begin').set('Host', host).send(body)
const finish = (cookies: string, answer: string) =>
  request(server.app)
    .post('/api/session/identity/finish')
    .set('Host', host)
    .set('Cookie', cookies)
    .send({ answer })
/** All of the way, as one of the accounts there. */
async function come(login: string, body?: object, cookies = '') {
  const begun = await begin(body)
  expect(begun.status).toBe(200)
  const answer = await answerOf(begun.body.url as string, login)
  return finish(`${cookiesOf(begun)}; ${cookies}`, answer)
}
const record = async () =>
  (await oda.get('/api/record?what=signing-in&who=everybody')).body.lines as {
    act: string
    facts: Record<string, unknown>
    by: string
  }[]

describe('with a provider that is certified', () => {
  test('who is in a group becomes a staffer at the first sign-in, with what the first fitting line grants', async () => {
    const came = await come('mads')
    expect(came.body).toMatchObject({
      as: 'staffer',
      from: '/senders',
      session: { staffer: { name: 'Mads Ford', signIn: 'mads', role: 'helpdesk', departments: null } },
    })
    expect((await record()).slice(0, 2).map(({ act, facts }) => [act, facts['with'] ?? facts['by']])).toEqual(
      [
        ['signed-in', 'identity'],
        ['staffer-joined', 'identity'],
      ],
    )
    const session = request(server.app).get('/api/session').set('Cookie', cookiesOf(came))
    expect((await session).body.staffer.name).toBe('Mads Ford')
    // The second time it is the same one; two groups: the line that stands first.
    expect((await come('mads')).body.session.staffer.id).toBe(came.body.session.staffer.id)
    expect((await come('liv')).body.session.staffer.role).toBe('steward')
    const { body } = await oda.get('/api/staffers')
    expect(body.staffers.find((one: { signIn: string }) => one.signIn === 'mads').identity).toBe('groups')
  })

  test('role and departments follow the groups at each sign-in; who is in none is not let in any more', async () => {
    const { body } = await come('liv')
    const id = body.session.staffer.id as number
    const change = { what: 'role', was: 'steward', to: 'observer' }
    const refused = await oda.post(`/api/staffers/${id}/changes`, { change })
    expect(refused.body.code).toBe('ROLE_BY_GROUPS')
    const before = accounts['liv'] as Account
    accounts['liv'] = { ...before, groups: ['pendro-helpdesk'] }
    expect((await come('liv')).body.session.staffer.role).toBe('helpdesk')
    expect((await record())[1]).toMatchObject({
      act: 'staffer-changed',
      facts: { what: 'role', was: 'steward', now: 'helpdesk', by: 'identity' },
    })
    accounts['liv'] = { ...before, groups: ['all'] }
    expect((await come('liv')).body).toMatchObject({ code: 'NOT_KNOWN_HERE', facts: { context: 'groups' } })
    expect((await record())[0]).toMatchObject({ act: 'sign-in-failed', facts: { why: 'identity' } })
    accounts['liv'] = before
    // Suspended here is out, whatever the groups say.
    await oda.post(`/api/staffers/${id}/changes`, { change: { what: 'suspended', was: false, to: true } })
    expect((await come('liv')).body.code).toBe('SUSPENDED')
  })

  test('the last steward is not made something less by groups, and keeps nothing they no longer grant', async () => {
    await come('liv')
    const before = accounts['liv'] as Account
    await execute(server.db, "UPDATE staffers SET suspended_at = NOW() WHERE sign_in = 'oda'")
    accounts['liv'] = { ...before, groups: ['pendro-helpdesk'] }
    expect((await come('liv')).body.code).toBe('LAST_STEWARD')
    accounts['liv'] = before
    await execute(server.db, "UPDATE staffers SET suspended_at = NULL WHERE sign_in = 'oda'")
  })

  test('a name proves nothing: who is called as somebody here is, is not them until they connect it themselves', async () => {
    // In no group, and nobody's account here.
    expect((await come('guest')).body.code).toBe('NOT_KNOWN_HERE')
    // In a group, and called as a staffer is who came by a password.
    expect((await come('oda')).body.code).toBe('SIGN_IN_TAKEN')
    const begun = await oda.post('/api/session/identity', { from: '/me' }).set('Host', host)
    const mine = cookieSent(begun)
    const answer = await answerOf(begun.body.url as string, 'o.rask')
    // In a browser that is signed in as nobody, or as somebody else, it connects nobody.
    expect((await finish(cookiesOf(begun), answer)).body.code).toBe('STEP_OVER')
    const again = await oda.post('/api/session/identity', { from: '/me' }).set('Host', host)
    const done = await finish(
      `${cookiesOf(again)}; ${mine}`,
      await answerOf(again.body.url as string, 'o.rask'),
    )
    expect(done.body).toEqual({ as: 'connected', from: '/me' })
    expect((await come('o.rask')).body).toMatchObject({
      as: 'staffer',
      session: { staffer: { signIn: 'oda', role: 'steward' } },
    })
    // One account is one staffer's.
    const per = await signedIn(server, 'per')
    const other = await per.post('/api/session/identity', {}).set('Host', host)
    const cookie = cookieSent(other)
    const taken = await finish(
      `${cookiesOf(other)}; ${cookie}`,
      await answerOf(other.body.url as string, 'o.rask'),
    )
    expect(taken.body.code).toBe('IDENTITY_TAKEN')
  })

  test('an invitation is taken up by an account in place of a password, once', async () => {
    const invited = await oda.post('/api/staffers/invitations', {
      name: 'Guest Star',
      signIn: 'star',
      role: 'observer',
      departments: null,
    })
    const { secret } = invited.body as { secret: string }
    expect((await begin({ as: 'invited', secret: 'x'.repeat(30) })).body.code).toBe('INVITATION_OVER')
    const came = await come('guest', { as: 'invited', from: '/review', secret })
    expect(came.body).toMatchObject({ session: { staffer: { name: 'Guest Star', role: 'observer' } } })
    expect((await begin({ as: 'invited', secret })).body.code).toBe('INVITATION_OVER')
    // From now on without an invitation, and with no password.
    expect((await come('guest')).body.session.staffer.signIn).toBe('star')
    const typed = await request(server.app).post('/api/session').send({ signIn: 'star', password: ' ' })
    expect(typed.body.code).toBe('SIGN_IN_FAILED')
  })

  test('a colleague comes to their own page by an address that was checked, an alias too', async () => {
    const came = await come('ingrid', { as: 'colleague', from: '/my' })
    expect(came.body).toEqual({ as: 'colleague', from: '/my' })
    const own = await request(server.app).get('/api/own/session').set('Cookie', cookiesOf(came))
    expect(own.body.address).toBe('ingrid@harbour.example')
    expect((await come('aksel', { as: 'colleague' })).body.facts.context).toBe('address')
    expect((await come('guest', { as: 'colleague' })).body).toMatchObject({
      code: 'NOT_KNOWN_HERE',
      facts: { context: 'mailbox' },
    })
    await set(setting({ colleagues: false }))
    expect((await begin({ as: 'colleague' })).body.code).toBe('NO_PROVIDER')
  })

  test('keys it changed a moment ago are known at the next sign-in, even of somebody who is on the way', async () => {
    await come('mads')
    const begun = await begin()
    await provider.changeKeys()
    expect((await come('mads')).body.as).toBe('staffer')
    expect(begun.status).toBe(200)
  })

  test('an answer counts once, in the browser that began, for five minutes', async () => {
    const begun = await begin()
    const answer = await answerOf(begun.body.url as string, 'mads')
    expect((await finish('', answer)).body.code).toBe('STEP_OVER')
    const other = await begin()
    expect((await finish(cookiesOf(other), answer)).body.facts.context).toBe('forged')
    expect((await finish(cookiesOf(begun), answer)).body.as).toBe('staffer')
    expect((await finish(cookiesOf(begun), answer)).body.code).toBe('STEP_OVER')
    const late = await begin()
    const lateAnswer = await answerOf(late.body.url as string, 'mads')
    server.clock.now = new Date(server.clock.now.getTime() + 6 * 60_000)
    expect((await finish(cookiesOf(late), lateAnswer)).body.code).toBe('STEP_OVER')
  })

  test('what waits for the provider is no first step: a code of an app does not finish it', async () => {
    await execute(
      server.db,
      `INSERT INTO staffer_factors (staffer_id, kind, name, made_at, secret) SELECT id, 'code', '', NOW(), 'GEZDGNBVGY3TQOJQ' FROM staffers WHERE sign_in = 'per'`,
    )
    const per = await signedIn(server, 'per')
    const begun = await per.post('/api/session/identity', {}).set('Host', host)
    const typed = await request(server.app)
      .post('/api/session/factor')
      .set('Cookie', cookiesOf(begun))
      .send({ code: '123456' })
    expect(typed.body.code).toBe('STEP_OVER')
  })

  test('a second factor of one’s own is asked for after the provider', async () => {
    const first = await come('mads')
    const { id } = first.body.session.staffer as { id: number }
    await execute(
      server.db,
      `INSERT INTO staffer_factors (staffer_id, kind, name, made_at, secret) VALUES (:id, 'code', '', NOW(), 'GEZDGNBVGY3TQOJQ')`,
      { id },
    )
    const came = await come('mads')
    expect(came.body).toEqual({ as: 'second-step', from: '/senders', factors: ['code'] })
    expect((await request(server.app).get('/api/session').set('Cookie', cookiesOf(came))).status).toBe(401)
    const wrong = await request(server.app)
      .post('/api/session/factor')
      .set('Cookie', cookiesOf(came))
      .send({ code: '000000' })
    expect(wrong.body.code).toBe('FACTOR_WRONG')
  })
})

describe('with a provider that lies', () => {
  beforeEach(async () => {
    liar.lies({})
    expect((await set(setting({ issuer: liar.issuer }))).status).toBe(200)
  })

  const tell = async (lie: Lie, more: Readonly<Record<string, string>> = {}, body?: object) => {
    liar.lies({})
    const begun = await begin(body)
    expect(begun.status).toBe(200)
    return finish(cookiesOf(begun), liar.answer(begun.body.url as string, lie, more))
  }

  test('the truth is believed', async () => {
    expect((await tell({})).body).toMatchObject({
      as: 'staffer',
      session: { staffer: { name: 'Some Body' } },
    })
  })

  test.each<[why: string, lie: Lie, context: string]>([
    ['another issuer', { claims: { iss: 'https://other.example' } }, 'forged'],
    ['another audience', { claims: { aud: 'another-program' } }, 'forged'],
    ['several audiences and none of them ours', { claims: { aud: ['a', 'b'] } }, 'forged'],
    ['another authorised party', { claims: { aud: [clientId, 'b'], azp: 'b' } }, 'forged'],
    ['another nonce', { claims: { nonce: 'of-another-sign-in' } }, 'forged'],
    ['no nonce', { leftOut: ['nonce'] }, 'forged'],
    ['no subject', { leftOut: ['sub'] }, 'forged'],
    ['signed by another key', { signedBy: 'a stranger' }, 'forged'],
    ['not signed', { signedBy: 'nobody' }, 'forged'],
    ['ended', { times: { iat: -700, exp: -300 } }, 'clock'],
    ['not yet begun', { times: { nbf: 300 } }, 'clock'],
    ['an answer that is no JSON', { token: { status: 200, body: '<html>' } }, 'forged'],
    ['an answer without a token', { token: { status: 200, body: { access_token: 'a' } } }, 'forged'],
    ['half a megabyte too much', { token: { status: 200, body: 'x'.repeat(600_000) } }, 'no-provider'],
    ['our secret is refused', { token: { status: 401, body: { error: 'invalid_client' } } }, 'client'],
    ['the code is refused', { token: { status: 400, body: { error: 'invalid_grant' } } }, 'forged'],
  ])('%s lets nobody in', async (_why, lie, context) => {
    const { body, headers } = await tell(lie)
    expect(body).toMatchObject({ code: 'PROVIDER_FAILED', facts: { context } })
    expect(headers['set-cookie']?.toString() ?? '').not.toContain('pendro_session')
    const [row] = await select<{ n: number }>(server.db, 'SELECT COUNT(*) AS n FROM staffer_identities')
    expect(row?.n).toBe(0)
  })

  test.each([
    ['another state', { state: 'of-somebody-else' }, 'forged'],
    ['another provider’s answer (RFC 9207)', { iss: 'https://other.example' }, 'forged'],
    ['a refusal', { error: 'access_denied', code: '' }, 'refused'],
  ])('%s in the address lets nobody in', async (_why, more, context) => {
    const { body } = await tell({}, more)
    expect(body).toMatchObject({ code: 'PROVIDER_FAILED', facts: { context } })
  })

  test.each<[why: string, lie: Lie]>([
    ['its clock is half a minute ahead', { times: { iat: 30, nbf: 30, exp: 330 } }],
    ['its clock is half a minute behind', { times: { iat: -330, exp: -30 } }],
    ['its groups are one text', { claims: { groups: 'pendro-helpdesk' } }],
    ['its name has a line break', { claims: { name: 'Some\r\nBody' } }],
  ])('%s: let in all the same', async (_why, lie) => {
    const { body } = await tell(lie)
    expect(body.session.staffer.name).toBe('Some Body')
  })

  test('what it asked for counts: its second factor stands for one here, and is proved again there', async () => {
    await execute(
      server.db,
      `UPDATE organisation SET settings = JSON_SET(settings, '$.secondFactor', 'required')`,
    )
    const without = await tell({ claims: { amr: ['pwd'] } })
    expect(without.body.session.factorFirst).toBe(true)
    const came = await tell({ claims: { amr: ['pwd', 'mfa'] } })
    expect(came.body.session.factorFirst).toBe(false)
    // Oda has none herself, and reads nothing until she has.
    const [noted] = await select<{ by: string }>(
      server.db,
      "SELECT JSON_VALUE(facts, '$.with') AS `by` FROM record_entries WHERE act = 'signed-in' ORDER BY id DESC LIMIT 1",
    )
    expect(noted?.by).toBe('identity-factor')
    const cookies = cookiesOf(came)
    const post = (path: string, body: object = {}) =>
      request(server.app)
        .post(path)
        .set('Host', host)
        .set('Cookie', cookies)
        .set('X-Pendro-Token', came.body.session.csrf as string)
        .send(body)
    expect((await post('/api/session/codes')).status).toBe(200)
    server.clock.now = new Date(server.clock.now.getTime() + 11 * 60_000)
    expect((await post('/api/session/codes')).body.code).toBe('PROVE_AGAIN')
    expect((await post('/api/session/proof/begin')).body.kinds).toEqual(['identity'])
    const begun = await post('/api/session/proof/identity', { from: '/senders' })
    const { searchParams } = new URL(begun.body.url as string)
    expect([searchParams.get('prompt'), searchParams.get('max_age')]).toEqual(['login', '0'])
    const prove = async (lie: Lie) => {
      const asked = await post('/api/session/proof/identity', { from: '/senders' })
      const answer = liar.answer(asked.body.url as string, lie)
      return finish(`${cookies}; ${cookiesOf(asked)}`, answer)
    }
    // Somebody who signed in there an hour ago has proved nothing now; and somebody else nothing at all.
    expect((await prove({ times: { auth_time: -3600 } })).body.facts.context).toBe('clock')
    expect((await prove({})).body.code).toBe('PROVIDER_FAILED')
    expect((await prove({ times: { auth_time: -5 }, claims: { sub: 'another' } })).body.code).toBe(
      'IDENTITY_TAKEN',
    )
    expect((await prove({ times: { auth_time: -5 } })).body).toEqual({ as: 'proven', from: '/senders' })
    expect((await post('/api/session/codes')).status).toBe(200)
  })

  test('what a provider says of itself has to fit where it was asked', async () => {
    const tried = async (metadata: object) => {
      liar.lies({ metadata })
      const answer = await oda.post('/api/organisation/settings/effect', {
        change: { what: 'identity-provider', was: setting(), to: setting({ issuer: liar.issuer }) },
      })
      return (answer.body.facts as { context?: string }).context
    }
    expect(await tried({})).toBeUndefined()
    expect(await tried({ issuer: 'https://other.example' })).toBe('issuer')
    expect(await tried({ token_endpoint: undefined })).toBe('no-provider')
    expect(await tried({ jwks_uri: undefined })).toBe('no-provider')
    expect(await tried({ note: 'x'.repeat(600_000) })).toBe('no-provider')
    liar.lies({})
  })
})

describe('the setting', () => {
  test.each([
    ['https://login.harbour.example', true],
    ['https://login.harbour.example/realm', true],
    ['http://127.0.0.1:9000', true],
    ['http://localhost', true],
    ['http://login.harbour.example', false],
    ['https://login.harbour.example/?a=b', false],
    ['https://somebody@login.harbour.example', false],
    ['http://127.0.0.1.elsewhere.example', false],
    ['login.harbour.example', false],
    ['file:///etc/passwd', false],
  ])('%s as an issuer: %s', (text, may) => expect(isIssuer(text)).toBe(may))

  test('the first line with a group of theirs counts, and none adds to another', () => {
    const lines = [
      { group: 'a', role: 'observer', departments: null },
      { group: 'b', role: 'steward', departments: ['Port'] },
    ] as const
    expect(grantOf(['b', 'a'], lines)).toBe(lines[0])
    expect(grantOf(['b'], lines)).toBe(lines[1])
    expect(grantOf(['A', 'c'], lines)).toBeNull()
    expect(grantOf([], lines)).toBeNull()
  })

  test('one that nobody answers at, or that is none, is told at once and changes nothing', async () => {
    const before = await now()
    const unreachable = await set(setting({ issuer: 'http://127.0.0.1:9' }))
    expect(unreachable.body).toMatchObject({
      code: 'PROVIDER_FAILED',
      facts: { context: 'unreachable' },
    })
    expect((await set(setting({ issuer: 'http://login.harbour.example' }))).body.code).toBe('BAD_SETTING')
    expect((await set(setting({ clientId: '' }))).body.code).toBe('BAD_SETTING')
    const grant = { group: 'x', role: 'helpdesk', departments: ['Nowhere'] }
    expect((await set(setting({ grants: [grant] }))).body.code).toBe('DEPARTMENT_NOT_FOUND')
    expect(await now()).toEqual(before)
  })

  test('passwords go off only when a steward can come back without one; then they let nobody in', async () => {
    expect((await set(setting({ passwords: false }))).body.code).toBe('PROVIDER_FIRST')
    await come('liv')
    const effect = await oda.post('/api/organisation/settings/effect', {
      change: { what: 'identity-provider', was: await now(), to: setting({ passwords: false }) },
    })
    // Oda, Per and Una have nothing else.
    expect(effect.body.facts).toEqual({ without: 3 })
    const off = await set(setting({ passwords: false }))
    expect(off.status).toBe(200)
    const enter = (word: string) =>
      request(server.app).post('/api/session').send({ signIn: 'oda', password: word })
    expect((await enter(password)).body.code).toBe('PASSWORDS_OFF')
    // Whoever does not know it hears no more than before.
    expect((await enter('wrong')).body.code).toBe('SIGN_IN_FAILED')
    const changed = await oda.post('/api/session/password', { old: password, password: 'quite another one' })
    expect(changed.body.code).toBe('PASSWORDS_OFF')
    const own = await request(server.app)
      .post('/api/own/session')
      .send({ address: 'ingrid@harbour.example', password: 'any' })
    expect(own.body.code).toBe('PASSWORDS_OFF')
    expect((await request(server.app).get('/api/sign-in/ways')).body).toEqual({
      provider: 'Harbour account',
      colleagues: true,
      passwords: false,
    })
    // Taken back, they count again.
    expect((await oda.post(`/api/mailbox-changes/${off.body.change}/undo`, {})).status).toBe(200)
    expect((await enter(password)).status).toBe(200)
    // Without a provider there is nothing but passwords.
    await set(setting({ issuer: '', passwords: false }))
    expect(await now()).toMatchObject({ passwords: true, colleagues: false })
  })

  test('an undo is asked the same: passwords do not go off again once nobody could come back', async () => {
    await come('liv')
    await set(setting({ passwords: false }))
    const on = await set(setting({ passwords: true }))
    await execute(server.db, 'DELETE FROM staffer_identities')
    expect((await oda.post(`/api/mailbox-changes/${on.body.change}/undo`, {})).body.code).toBe(
      'PROVIDER_FIRST',
    )
  })

  test('an account is given up only by who has another way in, and never where groups decide', async () => {
    const mads = await come('mads')
    const drop = (cookies: string, csrf: string) =>
      request(server.app).delete('/api/session/identity').set('Cookie', cookies).set('X-Pendro-Token', csrf)
    expect((await drop(cookiesOf(mads), mads.body.session.csrf as string)).body.code).toBe('IDENTITY_NEEDED')
    await execute(
      server.db,
      "INSERT INTO staffer_identities (staffer_id, issuer, subject_hash, by_groups, made_at) SELECT id, 'x', 'y', 0, NOW() FROM staffers WHERE sign_in = 'una'",
    )
    const una = await request(server.app).post('/api/session').send({ signIn: 'una', password })
    const cookies = cookiesOf(una)
    const read = await request(server.app).get('/api/session/identity').set('Cookie', cookies)
    expect(read.body).toMatchObject({ provider: 'Harbour account', byGroups: false, hasPassword: true })
    expect(read.body.connectedAt).not.toBeNull()
    expect((await drop(cookies, una.body.csrf as string)).status).toBe(200)
    expect((await drop(cookies, una.body.csrf as string)).body.code).toBe('NOT_CONNECTED')
  })

  test('the way back on the machine: a password for a day, where passwords are off and factors lost', async () => {
    await come('liv')
    await set(setting({ passwords: false }))
    await execute(
      server.db,
      `INSERT INTO staffer_factors (staffer_id, kind, name, made_at, secret) SELECT id, 'code', '', NOW(), 'GEZDGNBVGY3TQOJQ' FROM staffers WHERE sign_in = 'liv'`,
    )
    await execute(server.db, "UPDATE staffers SET suspended_at = NOW() WHERE sign_in = 'liv'")
    expect(await resetStaffer(server.db, 'nobody', server.clock.now)).toBeNull()
    const given = await resetStaffer(server.db, 'liv', server.clock.now)
    const enter = () => request(server.app).post('/api/session').send({ signIn: 'liv', password: given })
    expect((await enter()).body.staffer).toMatchObject({ signIn: 'liv', role: 'steward' })
    expect((await record()).slice(0, 2).map(({ act }) => act)).toEqual(['signed-in', 'staffer-reset'])
    server.clock.now = new Date(server.clock.now.getTime() + 86_400_001)
    expect((await enter()).body.code).toBe('PASSWORDS_OFF')
    await execute(
      server.db,
      `UPDATE organisation SET settings = JSON_SET(settings, '$.identityProvider.passwords', TRUE)`,
    )
    // Where groups decide, a password is no way around them.
    expect((await enter()).body.code).toBe('COME_BY_PROVIDER')
  })

  test('the way back is an address of ours, whatever the Host header says', async () => {
    const begun = await begin().set('Host', 'elsewhere.example')
    expect(new URL(begun.body.url as string).searchParams.get('redirect_uri')).toBe(
      `http://${host}/sign-in/back`,
    )
    for (const from of ['//elsewhere.example', '/\\elsewhere.example', 'https://elsewhere.example'])
      expect((await begin({ as: 'staffer', from })).body.code).toBe('BAD_REQUEST')
  })
})
