import { execFile } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { once } from 'node:events'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Express } from 'express'
import { promisify } from 'node:util'
import { createTransport } from 'nodemailer'
import request from 'supertest'
import { inject } from 'vitest'
import type { Role } from '@pendro/contract'
import { createApp, type Deps } from '../src/app.ts'
import { execute, openDatabase, select, type Database } from '../src/db/database.ts'
import type { Organisation } from '../src/db/organisation.ts'
import { findColleague, openColleagueSession } from '../src/own/access.ts'
import { readHere } from '../src/reading/reader.ts'
import { writeReply } from '../src/replying/reply.ts'
import { lettersOf } from '../src/own/letters.ts'
import { createLog } from '../src/log.ts'
import { takeIn } from '../src/intake/intake.ts'
import { createReceiver, createSmtpIn } from '../src/doors/smtp-in.ts'
import type { Send, SendResult } from '../src/outbox/smtp-out.ts'
import { setUp, type MailboxPlan } from '../src/set-up.ts'
import { findStaffer, openSession } from '../src/sign-in/sessions.ts'
import { workOutbox } from '../src/outbox/outbox.ts'

export const organisation: Organisation = {
  name: 'Test Harbour',
  timeZone: 'Europe/Oslo',
  policy: {
    ownDomains: ['harbour.example'],
    trustedHosts: ['mx.harbour.example'],
    gateways: ['127.0.0.0/8'],
    forbidden: ['executable', 'script', 'disguised', 'program-in-archive', 'bomb'],
    fileHosts: ['dropshelf.example'],
    sharedProviders: ['freepost.example'],
  },
  limits: { junk: 40, quarantined: 40, nearCertain: 80 },
  keep: { quarantined: 28, junk: 28, discarded: 28 },
  headerDays: 93,
  digestAddress: 'digest@harbour.example',
  helpAddress: 'help@harbour.example',
}

const person = (name: string, more: Partial<MailboxPlan> = {}): MailboxPlan => ({
  address: `${name.toLowerCase()}@harbour.example`,
  aliases: [],
  name,
  kind: 'person',
  department: 'Office',
  timeZone: 'Europe/Oslo',
  language: 'en',
  ...more,
})

export const log = createLog(process.env.LL ?? 'silent')
export const password = 'a long enough test password'

export interface TestServer {
  readonly db: Database
  /** It listens: supertest would else open and close a port for each request. */
  readonly app: Server
  /** What it listens with. */
  readonly express: Express
  readonly mailbox: (name: string) => number
  /** The clock; tests move it. */
  readonly clock: { now: Date }
  readonly url: string
  readonly close: () => Promise<void>
}

export async function freshDatabase(): Promise<{ db: Database; url: string }> {
  const name = `test_${randomUUID().replaceAll('-', '')}`
  const server = openDatabase(inject('databaseServer') + 'information_schema', { poolSize: 1 })
  await execute(server, `CREATE DATABASE ${name}`)
  await server.close()
  const url = inject('databaseServer') + name
  return { db: openDatabase(url), url }
}

const run = promisify(execFile)

/** A database as the migrations leave it. */
export async function migratedDatabase(): Promise<{ db: Database; url: string }> {
  const fresh = await freshDatabase()
  const name = new URL(fresh.url).pathname.slice(1)
  const asRoot = ['--no-defaults', `--socket=${inject('databaseSocket')}`, '-uroot']
  await run('mariadb', [...asRoot, name, '-e', `source ${inject('migratedSql')}`])
  return fresh
}

/** @param more What a test puts into the application of its own. */
export async function startTestServer(
  more: (db: Database) => Partial<Deps> = () => ({}),
): Promise<TestServer> {
  const { db, url } = await migratedDatabase()
  const ids = await setUp(db, {
    organisation,
    mailboxes: [
      person('Ingrid', { aliases: ['i.solvang@harbour.example'] }),
      person('Aksel', { limits: { junk: 40, quarantined: 60, nearCertain: 85 } }),
      person('Kari'),
      person('Bookings', { kind: 'shared', minders: ['kari@harbour.example', 'aksel@harbour.example'] }),
    ],
    staffers: [
      { name: 'Oda Rask', signIn: 'oda', role: 'steward', password },
      { name: 'Per Dal', signIn: 'per', role: 'helpdesk', password },
      { name: 'Una See', signIn: 'una', role: 'observer', password },
    ],
  })
  const clock = { now: new Date('2026-11-20T09:00:00.000Z') }
  const app = createApp({
    db,
    log,
    now: () => clock.now,
    settings: {
      PENDRO_WEB_DIR: '',
      PENDRO_SECURE_COOKIES: 'no',
      PENDRO_TRUST_PROXY: '',
      PENDRO_PICTURES: 'off',
      PENDRO_UNSUBSCRIBE: 'off',
      PENDRO_PUBLIC_URL: 'http://pendro.harbour.example',
      PENDRO_DIRECTORY_PASSWORD: 'a directory password',
      PENDRO_DIRECTORY_CA: '',
      PENDRO_PROVIDER_SECRET: 'a provider secret',
    },
    queued: () => {},
    live: null,
    ...more(db),
  })
  const listening = createServer(app).listen(0, '127.0.0.1')
  await once(listening, 'listening')
  return {
    db,
    app: listening,
    express: app,
    clock,
    url,
    mailbox: name => ids.get(`${name}@harbour.example`) ?? 0,
    close: async () => {
      listening.close()
      listening.closeAllConnections()
      await db.close()
    },
  }
}

/** Requests of a signed-in staffer, with cookie and token. */
export async function signedIn(server: TestServer, signIn: string) {
  const staffer = await findStaffer(server.db, signIn, password, new Date())
  if (!staffer) throw new Error(signIn)
  const { token, signedIn: who } = await openSession(server.db, staffer, server.clock.now)
  // Tests move the clock by hours; what an idle session comes to has a test of its own.
  await execute(server.db, "UPDATE sessions SET used_at = '2099-01-01'")
  const cookie = `pendro_session=${token}`
  return {
    role: staffer.role as Role,
    get: (path: string) => request(server.app).get(path).set('Cookie', cookie),
    post: (path: string, body: object) =>
      request(server.app).post(path).set('Cookie', cookie).set('X-Pendro-Token', who.csrf).send(body),
    /** A file as the browser sends it. */
    postFile: (path: string, bytes: Buffer | string) =>
      request(server.app)
        .post(path)
        .set('Cookie', cookie)
        .set('X-Pendro-Token', who.csrf)
        .set('Content-Type', 'application/octet-stream')
        .send(bytes),
    /** A body as it is written, right or wrong. */
    postJson: (path: string, text: string) =>
      request(server.app)
        .post(path)
        .set('Cookie', cookie)
        .set('X-Pendro-Token', who.csrf)
        .set('Content-Type', 'application/json')
        .send(text),
    postWithoutToken: (path: string, body: object) =>
      request(server.app).post(path).set('Cookie', cookie).send(body),
  }
}

/** Requests of a colleague on a device of theirs. */
export async function asColleague(server: TestServer, name: string) {
  const token = await openColleagueSession(server.db, server.mailbox(name), server.clock.now)
  const who = await findColleague(server.db, token, server.clock.now)
  const cookie = `pendro_colleague=${token}`
  return {
    get: (path: string) => request(server.app).get(path).set('Cookie', cookie),
    post: (path: string, body: object) =>
      request(server.app)
        .post(path)
        .set('Cookie', cookie)
        .set('X-Pendro-Token', who?.csrf ?? '')
        .send(body),
    postFile: (path: string, bytes: Buffer) =>
      request(server.app)
        .post(path)
        .set('Cookie', cookie)
        .set('X-Pendro-Token', who?.csrf ?? '')
        .set('Content-Type', 'application/octet-stream')
        .send(bytes),
    postWithoutToken: (path: string, body: object) =>
      request(server.app).post(path).set('Cookie', cookie).send(body),
  }
}

export interface Sample {
  readonly from?: string
  readonly to?: readonly string[]
  readonly subject?: string
  readonly body?: string
  readonly headers?: readonly string[]
  readonly envelopeFrom?: string
}

let serial = 0

/** A message that scores as junk with the settings above, unless told otherwise. */
export function sample({ from, subject = 'A parcel waits', body, headers = [] }: Sample = {}): Buffer {
  serial += 1
  // A proven sender has to look worse, by its link and by hidden text, to be kept back as surely.
  const isProven = headers.some(header => header.includes('dmarc=pass'))
  return Buffer.from(
    [
      // A sender of its own: what one test teaches must not reach the next.
      `From: ${from ?? `Deals <deals@promo${serial}.example>`}`,
      'To: somebody@harbour.example',
      `Subject: ${subject}`,
      'Date: Fri, 20 Nov 2026 08:59:00 +0000',
      `Message-ID: <${serial}@test.example>`,
      ...(headers.some(header => /^content-type:/i.test(header))
        ? []
        : ['Content-Type: text/html; charset=utf-8']),
      ...headers,
      '',
      body ??
        (isProven
          ? `<p>Look at number ${serial}: <a href="http://192.0.2.77/x">www.parcel.example</a></p><div style="display:none">${'outofsight '.repeat(5)}</div>`
          : `<p>Look at number ${serial}: <a href="https://files.dropshelf.example/x">here it is</a></p>`),
    ].join('\r\n'),
  )
}

/** What the gateway found out, above the field in which it notes whom it took the message from. */
export const found = (results: string, host = 'sender.example') =>
  [
    `Authentication-Results: mx.harbour.example; ${results}`,
    `Received: from ${host} (${host} [192.0.2.25]) by mx.harbour.example with ESMTPS; Fri, 20 Nov 2026 08:59:30 +0000`,
  ].join('\r\n')

export const proven = (domain: string) => found(`dmarc=pass header.from=${domain}`, domain)

/** The connection of a listed gateway. */
export const gateway = { ip: '127.0.0.1', helo: 'mx.harbour.example' }

/** Takes a sample in as SMTP would and gives its deliveries' ids. */
export async function arrive(server: TestServer, given: Sample = {}): Promise<number[]> {
  const [taken] = await takeIn(server.db, [
    {
      raw: sample(given),
      envelopeFrom: given.envelopeFrom ?? 'bounce@promo.example',
      recipients: given.to ?? ['ingrid@harbour.example'],
      receivedAt: server.clock.now,
      connection: gateway,
    },
  ])
  return taken?.deliveries.map(({ id }) => id) ?? []
}

export async function stateOf(db: Database, id: number): Promise<string> {
  const [row] = await select<{ state: string }>(db, 'SELECT state FROM deliveries WHERE id = :id', { id })
  return row?.state ?? 'none'
}

export const sentence = (more: object = {}) => ({
  message: 'leave',
  learn: 'nothing',
  sender: 'as-is',
  width: 'address',
  for: 'colleague',
  ...more,
})
export const ruling = (deliveries: readonly number[], more: object = {}) => ({
  deliveries,
  sentence: sentence(more),
  token: randomUUID(),
})

/** Puts settings of the organisation in place, without the door people change them by. */
export async function setOrganisation(
  db: Database,
  settings: Readonly<Record<string, unknown>>,
): Promise<void> {
  for (const [path, value] of Object.entries(settings))
    await execute(db, 'UPDATE organisation SET settings = JSON_SET(settings, :path, JSON_COMPACT(:value))', {
      path: `$.${path}`,
      value: JSON.stringify(value),
    })
}

/** A mail store that answers as told and remembers what it took. */
export function fakeStore() {
  const taken: { to: string; raw: string }[] = []
  const mood: { answer: SendResult } = { answer: { status: 'taken' } }
  const send: Send = async ({ to }, raw) => {
    if (mood.answer.status === 'taken') taken.push({ to, raw: raw.toString('utf8') })
    return mood.answer
  }
  return { taken, mood, send }
}

export function work(server: TestServer, send: Send): Promise<number> {
  return workOutbox({
    db: server.db,
    send,
    log,
    now: () => server.clock.now,
    reply: id => writeReply({ db: server.db, read: readHere.read, now: server.clock.now }, id),
    letter: lettersOf({
      db: server.db,
      publicUrl: 'http://pendro.harbour.example',
      now: () => server.clock.now,
    }),
  })
}

interface Handed {
  readonly from?: string
  readonly to: readonly string[]
  readonly raw: string
  /** What the sending server calls itself. */
  readonly name?: string
  readonly maxBytes?: number
  readonly storeAddress?: string
}

/** Hands a message over by real SMTP, at a door opened for it; gives the last answer, or the refusal. */
export async function throughTheDoor(
  server: TestServer,
  { from = '', to, raw, name, maxBytes = 20_000, storeAddress }: Handed,
): Promise<string> {
  const smtp = createSmtpIn(
    createReceiver({
      db: server.db,
      log,
      now: () => server.clock.now,
      maxBytes,
      ...(storeAddress === undefined ? {} : { storeAddress }),
      takenIn: () => {},
    }),
  )
  const listening = await new Promise<ReturnType<typeof smtp.listen>>(resolve => {
    const one = smtp.listen(0, '127.0.0.1', () => resolve(one))
  })
  const transport = createTransport({
    host: '127.0.0.1',
    port: (listening.address() as AddressInfo).port,
    secure: false,
    ignoreTLS: true,
    ...(name === undefined ? {} : { name }),
  })
  try {
    return (await transport.sendMail({ envelope: { from, to: [...to] }, raw })).response
  } catch (error) {
    return (error as Error).message
  } finally {
    await new Promise<void>(resolve => smtp.close(() => resolve()))
  }
}
