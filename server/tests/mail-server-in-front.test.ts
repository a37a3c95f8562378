import { execFile } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest'
import { findRow, select } from '../src/db/database.ts'
import { organisationNow } from '../src/db/organisation.ts'
import { openDoors, type Doors } from '../src/doors/doors.ts'
import { workOutbox } from '../src/outbox/outbox.ts'
import { createWays } from '../src/outbox/ways.ts'
import { signCertificate } from './certificates.ts'
import { doorSettings } from './door-settings.ts'
import { otherServer, route, secretsOf, type OtherServer } from './mail-servers.ts'
import { startPostfix, type Postfix } from './postfix.ts'
import { log, setOrganisation, startTestServer, type TestServer } from './support.ts'

const run = promisify(execFile)
/** Debian's mail server and client, unpacked by `npm test`; without them nothing here runs, and says so. */
const programs = process.env.PENDRO_TEST_MAIL_SERVER ?? ''

/** RFC 5598's roles: a gateway in front, the organisation's mail server, and a smart host behind, each a mail server that others wrote. */
describe.skipIf(programs === '')('with real mail servers around', () => {
  const folder = mkdtempSync(join(tmpdir(), 'pendro-around-'))
  const soon = () => new Date(Date.now() + 60_000)
  let server: TestServer
  let store: OtherServer
  let world: OtherServer
  let doors: Doors
  let gateway: Postfix
  let mailServer: Postfix
  let smartHost: Postfix
  let send: ReturnType<typeof createWays>

  beforeAll(async () => {
    server = await startTestServer()
    const ca = signCertificate(folder)
    ;[store, world] = await Promise.all([otherServer(), otherServer()])
    doors = await openDoors(
      { db: server.db, log, now: soon, maxBytes: 200_000, takenIn: () => {} },
      {
        ...doorSettings,
        PENDRO_SMTP_TLS: 'required',
        PENDRO_SUBMISSION_PORT: '0',
        PENDRO_TLS_CERT: join(folder, 'server.pem'),
        PENDRO_TLS_KEY: join(folder, 'server.key'),
      },
    )
    const tls = [
      'smtp_tls_security_level = secure',
      'smtp_tls_secure_cert_match = pendro.harbour.example',
      `smtp_tls_CAfile = ${ca}`,
      'smtp_tls_loglevel = 1',
    ]
    ;[gateway, mailServer, smartHost] = await Promise.all([
      startPostfix({ programs, name: 'mx.harbour.example', relayTo: doors.smtpPort, more: tls }),
      startPostfix({
        programs,
        name: 'mail.harbour.example',
        relayTo: doors.submissionPort() ?? 0,
        more: tls,
      }),
      startPostfix({ programs, name: 'out.harbour.example', relayTo: world.port }),
    ])
    await setOrganisation(server.db, {
      outgoing: { mode: 'relay', servers: ['127.0.0.0/8'], journal: '' },
      routes: { smartHosts: [route(smartHost.port)], stores: [{ domains: [], hosts: [route(store.port)] }] },
    })
    send = createWays({
      organisation: () => organisationNow(server.db),
      store: { host: '127.0.0.1', port: store.port },
      secrets: secretsOf(),
      now: soon,
    })
  })
  afterAll(async () => {
    send?.close()
    await Promise.all([gateway?.close(), mailServer?.close(), smartHost?.close()])
    await doors?.close()
    await Promise.all([store?.close(), world?.close(), server?.close()])
    rmSync(folder, { recursive: true, force: true })
  })

  const swaks = (port: number, from: string, to: string, ...more: readonly string[]) =>
    run('perl', [
      join(programs, 'usr/bin/swaks'),
      ...['--server', '127.0.0.1', '--port', String(port), '--from', from, '--to', to],
      ...more,
    ])
  const work = () => workOutbox({ db: server.db, send, log, now: soon, letter: async () => null })
  /** Mail servers take their time; what is waited for comes or the test fails. */
  const comes = <T>(find: () => Promise<T | null | undefined> | T | null | undefined) =>
    vi.waitFor(
      async () => {
        await work()
        const found = await find()
        if (!found) throw new Error(`not yet:\n${gateway.log()}\n${mailServer.log()}\n${smartHost.log()}`)
        return found
      },
      { timeout: 120_000, interval: 100 },
    )
  const messageAbout = (subject: string) =>
    findRow<{ id: number; client_ip: string; direction: string }>(
      server.db,
      'SELECT id, client_ip, direction FROM messages WHERE subject = :subject',
      { subject },
    )

  test('gateway, over TLS that it verifies, Pendro, mail store', async () => {
    await swaks(
      gateway.port,
      'anna@partner.example',
      'kari@harbour.example',
      ...['--header', 'Subject: Through the gateway', '--body', 'Shall we meet on Monday?'],
    )
    const message = await comes(() => messageAbout('Through the gateway'))
    expect(message.direction).toBe('in')
    expect(gateway.log()).toMatch(/Verified TLS connection established to 127\.0\.0\.1/)
    const [delivery] = await select<{ state: string }>(
      server.db,
      'SELECT state FROM deliveries WHERE message_id = :id',
      { id: message.id },
    )
    expect(delivery).toBeDefined()
  })

  test('mail server, Pendro, smart host, the world; and the answer is known as one', async () => {
    await swaks(
      mailServer.port,
      'ingrid@harbour.example',
      'lars@shipyard.example',
      ...['--header', 'Subject: When is the dock free', '--header', 'Message-Id: <dock1@harbour.example>'],
      ...['--header', 'From: Ingrid <ingrid@harbour.example>', '--body', 'We would need it for two days.'],
    )
    const out = await comes(() => world.took.find(({ to }) => to === 'lars@shipyard.example'))
    expect(out.from).toBe('ingrid@harbour.example')
    // Written by each server it came by, the last on top.
    const hops = out.raw.match(/^Received: .*(?:\r?\n[ \t].*)*/gm) ?? []
    expect(hops.map(hop => /\bby (\S+)/.exec(hop)?.[1])).toEqual([
      'out.harbour.example',
      'harbour.example',
      'mail.harbour.example',
    ])

    await swaks(
      gateway.port,
      'lars@shipyard.example',
      'ingrid@harbour.example',
      ...['--header', 'Subject: Re: When is the dock free', '--header', 'From: Lars <lars@shipyard.example>'],
      ...['--header', 'In-Reply-To: <dock1@harbour.example>', '--body', 'From Tuesday on.'],
    )
    const answer = await comes(() => messageAbout('Re: When is the dock free'))
    const judged = await findRow<{ evidence: unknown }>(
      server.db,
      'SELECT j.evidence FROM delivery_judgements j JOIN deliveries d ON d.id = j.delivery_id WHERE d.message_id = :id',
      { id: answer.id },
    )
    expect(JSON.stringify(judged?.evidence)).toContain('answers-colleague')
    const landed = await comes(() => store.took.find(({ raw }) => raw.includes('From Tuesday on.')))
    expect(landed.to).toBe('ingrid@harbour.example')
  })

  test('what is not ours to send is refused, and the mail server says so', async () => {
    await swaks(
      mailServer.port,
      'somebody@elsewhere.example',
      'victim@shipyard.example',
      ...['--header', 'Subject: Not ours to send', '--body', 'x'],
    )
    await vi.waitFor(
      () =>
        expect(mailServer.log()).toContain('Only mail from the domains of this organisation goes out here'),
      {
        timeout: 120_000,
      },
    )
    expect(await messageAbout('Not ours to send')).toBeNull()
  })
})
