import request from 'supertest'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { InvitationRow, StafferRow } from '@pendro/contract'
import { parseMessage } from '@pendro/core/message'
import { execute, select } from '../src/db/database.ts'
import { fakeStore, password as usual, signedIn, startTestServer, work, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let per: typeof oda
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())

const list = async () =>
  (await oda.get('/api/staffers')).body as { staffers: StafferRow[]; invitations: InvitationRow[] }
const named = async (name: string) => {
  const found = (await list()).staffers.find(one => one.signIn === name)
  if (!found) throw new Error(name)
  return found
}
const change = (id: number, what: string, was: unknown, to: unknown, by = oda) =>
  by.post(`/api/staffers/${id}/changes`, { change: { what, was, to }, reason: 'a test' })
const invite = (signIn: string, more: object = {}) =>
  oda.post('/api/staffers/invitations', { name: `Of ${signIn}`, signIn, role: 'helpdesk', ...more })
const anybody = (path: string, body: object) => request(server.app).post(path).send(body)
const enter = (signIn: string, password: string) => anybody('/api/session', { signIn, password })
const own = 'harbour lantern quilt seven'

describe('invitations', () => {
  test('one that goes as a message: in the reader’s language, with a secret that is made as it goes and shown to nobody else', async () => {
    await execute(server.db, "UPDATE mailboxes SET language = 'de' WHERE address = 'kari@harbour.example'")
    const refused = await invite('kari', { mailTo: 'kari@elsewhere.example' })
    expect(refused.body.code).toBe('MAILBOX_NOT_FOUND')
    expect((await invite('kari', { mailTo: 'bookings@harbour.example' })).body.code).toBe('MAILBOX_NOT_FOUND')
    const { body } = await invite('kari', { mailTo: 'Kari@harbour.example' })
    expect(body.secret).toBeNull()
    const store = fakeStore()
    await work(server, store.send)
    const sent = store.taken.filter(({ to }) => to === 'kari@harbour.example')
    expect(sent).toHaveLength(1)
    const parsed = await parseMessage(Buffer.from(sent[0]?.raw ?? ''))
    const text = parsed.ok ? parsed.value.text : ''
    expect(text).toContain('Oda Rask lädt Sie ein')
    const secret = /invitation#([\w-]{43})/.exec(text)?.[1] ?? ''
    expect((await anybody('/api/invitation', { secret })).body).toMatchObject({ signIn: 'kari' })
    expect((await anybody('/api/invitation/accept', { secret, password: own })).status).toBe(200)
  })

  test('one that was taken back before its message went sends none', async () => {
    const { body } = await invite('kari2', { mailTo: 'kari@harbour.example' })
    await oda.post(`/api/staffers/invitations/${body.invitation.id}/withdraw`, {})
    const store = fakeStore()
    await work(server, store.send)
    expect(store.taken).toEqual([])
  })

  test('a steward’s link makes a staffer with a password of their own, once', async () => {
    const { body } = await invite('siv')
    expect(body.invitation).toMatchObject({ name: 'Of siv', role: 'helpdesk', by: 'Oda Rask' })
    const { secret } = body as { secret: string }
    expect((await list()).invitations).toHaveLength(1)
    // The secret is told once, and kept nowhere.
    expect(JSON.stringify(await list())).not.toContain(secret)
    const kept = await select(server.db, 'SELECT * FROM staffer_invitations')
    expect(JSON.stringify(kept)).not.toContain(secret)
    const shown = await anybody('/api/invitation', { secret })
    expect(shown.body).toMatchObject({ name: 'Of siv', signIn: 'siv' })
    expect((await anybody('/api/invitation/accept', { secret, password: 'password1234' })).body.code).toBe(
      'EASY_PASSWORD',
    )
    expect((await anybody('/api/invitation/accept', { secret, password: 'short' })).status).toBe(400)
    expect((await anybody('/api/invitation/accept', { secret, password: own })).body).toEqual({
      signIn: 'siv',
    })
    expect((await enter('siv', own)).body.staffer).toMatchObject({ name: 'Of siv', role: 'helpdesk' })
    expect((await anybody('/api/invitation/accept', { secret, password: own })).body.code).toBe(
      'INVITATION_OVER',
    )
    expect((await list()).invitations).toEqual([])
    const { body: record } = await oda.get('/api/record?what=signing-in&who=everybody')
    expect(record.lines.map(({ act }: { act: string }) => act)).toEqual(
      expect.arrayContaining(['staffer-invited', 'staffer-joined']),
    )
  })
  test('two at the same moment make one', async () => {
    const { body } = await invite('twin')
    const both = await Promise.all(
      [1, 2].map(() => anybody('/api/invitation/accept', { secret: body.secret, password: own })),
    )
    expect(both.map(({ status }) => status).sort()).toEqual([200, expect.any(Number)])
    expect(both.filter(({ status }) => status === 200)).toHaveLength(1)
  })
  test('taken back, ended, or never made: over', async () => {
    const back = (await invite('back')).body
    expect((await oda.post(`/api/staffers/invitations/${back.invitation.id}/withdraw`, {})).status).toBe(200)
    expect((await anybody('/api/invitation', { secret: back.secret })).body.code).toBe('INVITATION_OVER')
    expect((await oda.post(`/api/staffers/invitations/${back.invitation.id}/withdraw`, {})).body.code).toBe(
      'INVITATION_OVER',
    )
    const late = (await invite('late')).body
    server.clock.now = new Date(server.clock.now.getTime() + 3 * 86_400_000 + 1000)
    expect((await anybody('/api/invitation', { secret: late.secret })).body.code).toBe('INVITATION_OVER')
    expect((await anybody('/api/invitation', { secret: 'x'.repeat(43) })).body.code).toBe('INVITATION_OVER')
    oda = await signedIn(server, 'oda')
    per = await signedIn(server, 'per')
    // The name is free again.
    expect((await invite('late')).status).toBe(200)
  })
  test('a name that somebody has, or is invited by, is taken', async () => {
    expect((await invite('per')).body.code).toBe('SIGN_IN_TAKEN')
    await invite('once')
    expect((await invite('once')).body.code).toBe('SIGN_IN_TAKEN')
  })
  test('only stewards see and invite', async () => {
    expect((await per.get('/api/staffers')).body.code).toBe('NEEDS_STEWARD')
    expect(
      (await per.post('/api/staffers/invitations', { name: 'X', signIn: 'x', role: 'steward' })).body.code,
    ).toBe('NEEDS_STEWARD')
    expect(
      (await anybody('/api/staffers/invitations', { name: 'X', signIn: 'x', role: 'steward' })).status,
    ).toBe(401)
  })
})

describe('roles and suspending', () => {
  test('suspended: every session ends at once, the password lets nobody in; let in again, it does', async () => {
    const before = await signedIn(server, 'una')
    const una = await named('una')
    expect((await change(una.id, 'suspended', false, true)).body).toMatchObject({ sessions: 0 })
    expect((await before.get('/api/session')).status).toBe(401)
    expect((await enter('una', usual)).body.code).toBe('SUSPENDED')
    // Whoever does not know the password is told nothing of it.
    expect((await enter('una', 'a wrong password')).body.code).toBe('SIGN_IN_FAILED')
    await change(una.id, 'suspended', true, false)
    expect((await enter('una', usual)).status).toBe(200)
  })
  test('a role counts from the next request on; who saw another is told', async () => {
    const una = await named('una')
    const session = await signedIn(server, 'una')
    expect((await session.post('/api/rulings', {})).body.code).toBe('OBSERVER')
    await change(una.id, 'role', 'observer', 'steward')
    expect((await session.get('/api/staffers')).status).toBe(200)
    expect((await change(una.id, 'role', 'observer', 'helpdesk')).body.code).toBe('MAILBOX_CHANGED')
    await change(una.id, 'role', 'steward', 'observer')
    expect((await session.get('/api/staffers')).body.code).toBe('OBSERVER')
  })
  test('a steward is always left, even when two suspend each other at the same moment', async () => {
    const [one, other] = [await named('oda'), await named('per')]
    expect((await change(one.id, 'role', 'steward', 'helpdesk')).body.code).toBe('LAST_STEWARD')
    expect((await change(one.id, 'suspended', false, true)).body.code).toBe('LAST_STEWARD')
    await change(other.id, 'role', 'helpdesk', 'steward')
    per = await signedIn(server, 'per')
    const both = await Promise.all([
      change(one.id, 'suspended', false, true, per),
      change(other.id, 'suspended', false, true, oda),
    ])
    expect(both.filter(({ status }) => status === 200)).toHaveLength(1)
    const left = await select<{ n: number }>(
      server.db,
      "SELECT COUNT(*) AS n FROM staffers WHERE role = 'steward' AND suspended_at IS NULL",
    )
    expect(left[0]?.n).toBe(1)
    const [survivor, lost] = both[0]?.status === 200 ? [per, one] : [oda, other]
    expect((await change(lost.id, 'suspended', true, false, survivor)).status).toBe(200)
    oda = await signedIn(server, 'oda')
    per = await signedIn(server, 'per')
    await change(other.id, 'role', 'steward', 'helpdesk')
  })
  test('somebody who is not there', async () => {
    expect((await change(999_999, 'role', 'observer', 'steward')).body.code).toBe('STAFFER_NOT_FOUND')
  })
})

describe('sessions and passwords', () => {
  test('signed out everywhere, but for the session that asks', async () => {
    const [first, second] = [await signedIn(server, 'oda'), await signedIn(server, 'oda')]
    const id = (await named('oda')).id
    expect((await first.post(`/api/staffers/${id}/sign-out`, {})).body.ended).toBeGreaterThan(0)
    expect((await first.get('/api/session')).status).toBe(200)
    expect((await second.get('/api/session')).status).toBe(401)
    oda = first
  })
  test('another password: with the old one, hard to guess; all other sessions end', async () => {
    const [here, there] = [await signedIn(server, 'per'), await signedIn(server, 'per')]
    const set = (old: string, password: string) => here.post('/api/session/password', { old, password })
    expect((await set('not the old one', own)).body.code).toBe('OLD_PASSWORD_WRONG')
    expect((await set(usual, 'password1234')).body.code).toBe('EASY_PASSWORD')
    expect((await set(usual, 'too short')).status).toBe(400)
    expect((await set(usual, own)).status).toBe(200)
    expect((await here.get('/api/session')).status).toBe(200)
    expect((await there.get('/api/session')).status).toBe(401)
    expect((await enter('per', usual)).body.code).toBe('SIGN_IN_FAILED')
    expect((await enter('per', own)).status).toBe(200)
  })
  test('guessing at the old one comes to an end', async () => {
    const una = await signedIn(server, 'una')
    const answers: string[] = []
    for (let i = 0; i < 11; i += 1)
      answers.push((await una.post('/api/session/password', { old: `guess ${i}`, password: own })).body.code)
    expect(answers.at(-1)).toBe('TOO_MANY_TRIES')
  })
  test('when somebody was last seen, and on how many devices', async () => {
    const una = await named('una')
    expect(una.sessions).toBeGreaterThan(0)
    expect(una.lastSeen).not.toBeNull()
  })
})
