import { once } from 'node:events'
import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { plainStore, type MailStoreShape } from '@pendro/contract'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, findRow } from '../src/db/database.ts'
import { createSecrets } from '../src/outbox/secrets.ts'
import { tryStore } from '../src/stores/check.ts'
import { createStores } from '../src/stores/stores.ts'
import { forgetToken } from '../src/stores/tokens.ts'
import { lookNow } from '../src/stores/watch.ts'
import { setOrganisation, startTestServer, type TestServer } from './support.ts'

/** Client credentials (RFC 6749 §4.4) for OAUTHBEARER (RFC 7628), as Debian's Dovecot takes them: it looks each token up (RFC 7662). */
let server: TestServer
let store: RealStore
let tokens: Server

/** What the server that gives tokens has been asked, and how it answers. */
let asked: { readonly client: string; readonly form: Record<string, string> }[] = []
let given: string[] = []
const believed = new Set<string>()
let life = 3600
let answers: ((token: string) => { status: number; body: string }) | null = null

const bodyOf = async (request: IncomingMessage): Promise<Record<string, string>> => {
  let text = ''
  for await (const part of request) text += String(part)
  return Object.fromEntries(new URLSearchParams(text))
}

beforeAll(async () => {
  tokens = createServer((request, response) => {
    void bodyOf(request).then(form => {
      const reply = (status: number, body: string) => {
        response.writeHead(status, { 'Content-Type': 'application/json' })
        response.end(body)
      }
      if (request.url === '/lookup') {
        const active = believed.has(form['token'] ?? '')
        reply(200, JSON.stringify(active ? { active, username: 'ingrid@harbour.example' } : { active }))
        return
      }
      const client = Buffer.from((request.headers.authorization ?? '').replace('Basic ', ''), 'base64')
      asked.push({ client: client.toString(), form })
      if (client.toString() !== 'pendro:the%20secret' && client.toString() !== 'pendro:the+secret')
        return reply(401, JSON.stringify({ error: 'invalid_client' }))
      const token = `token-${given.length}`
      given.push(token)
      believed.add(token)
      const { status, body } = answers?.(token) ?? {
        status: 200,
        body: JSON.stringify({ access_token: token, token_type: 'Bearer', expires_in: life }),
      }
      reply(status, body)
    })
  })
  await once(tokens.listen(0, '127.0.0.1'), 'listening')
  server = await startTestServer()
  store = await startRealStore({ accounts: {}, introspection: `${origin()}/lookup` })
  store.put('ingrid@harbour.example', 'INBOX', 'Subject: one\r\n\r\nbody\r\n')
})
afterAll(async () => {
  await store.close()
  await server.close()
  tokens.close()
})
const origin = () => `http://127.0.0.1:${(tokens.address() as AddressInfo).port}`

const at = (port: number) => ({ host: '127.0.0.1', port, tls: 'off' as const, certificate: '' })
const setting = (): MailStoreShape => ({
  ...plainStore,
  name: 'pier',
  hosts: [{ ...at(store.ports.lmtp), protocol: 'lmtp', user: '' }],
  identity: { kind: 'token', user: 'pendro', tokenUrl: `${origin()}/token`, scope: 'mail' },
  imap: at(store.ports.imap),
  sieve: at(store.ports.sieve),
})

let secret = 'the secret'
const secrets = createSecrets({ passwordOf: async () => secret }, { passwords: '', authorities: '' })

beforeEach(async () => {
  forgetToken(setting().identity)
  believed.clear()
  ;[asked, given, life, answers, secret] = [[], [], 3600, null, 'the secret']
  await execute(server.db, 'DELETE FROM store_folders')
  await execute(server.db, 'DELETE FROM store_mailboxes')
  await setOrganisation(server.db, { routes: { smartHosts: [], stores: [setting()] } })
})

const look = async (name = 'ingrid') => {
  server.clock.now = new Date(server.clock.now.getTime() + 60_000)
  const deps = { db: server.db, stores: createStores(server.db, secrets), now: () => server.clock.now }
  await lookNow(deps, server.mailbox(name))
  return findRow<{ trouble: string; detail: string }>(
    server.db,
    'SELECT trouble, detail FROM store_mailboxes WHERE mailbox_id = :id',
    { id: server.mailbox(name) },
  )
}
const well = { trouble: '', detail: '' }

describe('a store that takes tokens', () => {
  test('is looked into with one that the client was given', async () => {
    expect(await look()).toEqual(well)
    expect(asked.map(({ form }) => form)).toEqual([{ grant_type: 'client_credentials', scope: 'mail' }])
    const inbox = await findRow<{ total: number }>(
      server.db,
      "SELECT total FROM store_folders WHERE kind = 'inbox'",
    )
    expect(inbox).toEqual({ total: 1 })
  })

  test('one token does until shortly before its end', async () => {
    await look()
    await look()
    expect(given).toHaveLength(1)
  })

  test('one that is about to end is not begun with', async () => {
    life = 30
    await look()
    await look()
    expect(given).toHaveLength(2)
  })

  test('one that was withdrawn is not tried again: the next look has a new one', async () => {
    await look()
    believed.clear()
    expect(await look()).toMatchObject({ trouble: 'sign-in' })
    expect(await look()).toEqual(well)
    expect(given).toHaveLength(2)
  })

  test('a token opens the mailbox it is for, and no other', async () => {
    expect(await look('aksel')).toMatchObject({ trouble: 'sign-in' })
  })

  test('the check says what works: IMAP and ManageSieve', async () => {
    const found = await tryStore(setting(), 'ingrid@harbour.example', secrets)
    expect(JSON.stringify(found)).not.toContain('token-')
    expect(found.filter(({ works }) => !works)).toEqual([])
  })
})

describe('whoever gives tokens', () => {
  test.each([
    ['does not know the client', () => (secret = 'another'), 'invalid_client'],
    ['answers with no token', () => (answers = () => ({ status: 200, body: '{}' })), 'access_token'],
    ['answers with garbage', () => (answers = () => ({ status: 200, body: '<html>' })), ''],
    [
      'answers without end',
      () => (answers = () => ({ status: 200, body: `{"access_token":"${'x'.repeat(200_000)}"}` })),
      'too long',
    ],
    ['fails', () => (answers = () => ({ status: 500, body: '' })), ''],
  ])('%s: that is said, and nothing is kept', async (_, arrange, words) => {
    arrange()
    const found = await look()
    expect(found?.trouble).toBe('sign-in')
    expect(found?.detail).toContain(words)
    expect(found?.detail).not.toContain(secret)
    ;[answers, secret] = [null, 'the secret']
    expect(await look()).toEqual(well)
  })
})
