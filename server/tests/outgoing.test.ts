import { execFile } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { format, promisify } from 'node:util'
import { createTransport } from 'nodemailer'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { RouteHost } from '@pendro/contract'
import { readStatusNotification } from '@pendro/core/message'
import { execute, findRow, select } from '../src/db/database.ts'
import { organisationNow } from '../src/db/organisation.ts'
import { openDoors, type Doors } from '../src/doors/doors.ts'
import { workOutbox } from '../src/outbox/outbox.ts'
import { writeReturn } from '../src/outbox/returned.ts'
import { createWays } from '../src/outbox/ways.ts'
import { outboundHit } from '../src/whereabouts/journeys.ts'
import { createTraffic } from '../src/traffic/traffic.ts'
import { signCertificate } from './certificates.ts'
import { doorSettings } from './door-settings.ts'
import { otherServer, route, secretsOf, type OtherServer } from './mail-servers.ts'
import { arrive, log, setOrganisation, startTestServer, type TestServer } from './support.ts'

const run = promisify(execFile)
const folder = mkdtempSync(join(tmpdir(), 'pendro-outgoing-'))
const hour = 3_600_000

let server: TestServer
let smartHost: OtherServer
let store: OtherServer
let ca = ''
beforeAll(async () => {
  server = await startTestServer()
  smartHost = await otherServer()
  store = await otherServer()
  ca = signCertificate(folder)
})
afterAll(async () => {
  await Promise.all([smartHost.close(), store.close(), server.close()])
  rmSync(folder, { recursive: true, force: true })
})

const relaying = { mode: 'relay', servers: ['127.0.0.0/8'], journal: '' }
const setRoutes = (more: object = {}) =>
  setOrganisation(server.db, { routes: { smartHosts: [route(smartHost.port)], stores: [], ...more } })
beforeEach(async () => {
  await setOrganisation(server.db, { outgoing: relaying })
  await setRoutes()
  await execute(server.db, 'DELETE FROM outbox')
  for (const one of [smartHost, store]) {
    one.took.length = 0
    one.mood.answer = null
  }
})

const open: Doors[] = []
const toClose: (() => unknown)[] = []
afterEach(async () => {
  for (const doors of open.splice(0)) await doors.close()
  // The connections to a server before the server.
  for (const close of toClose.splice(0).reverse()) await close()
})

const usual = {
  ...doorSettings,
  PENDRO_SUBMISSION_PORT: '0',
  PENDRO_SUBMISSIONS_PORT: '0',
  PENDRO_TLS_CERT: join(folder, 'server.pem'),
  PENDRO_TLS_KEY: join(folder, 'server.key'),
} as const

/** Certificates of this run count by then. */
const soon = () => new Date(Date.now() + 60_000)

async function doorsOf(more: Partial<Record<keyof typeof usual, string | number>> = {}): Promise<Doors> {
  const doors = await openDoors(
    {
      db: server.db,
      log,
      now: soon,
      maxBytes: 200_000,
      takenIn: () => {},
      traffic: createTraffic(server.db, soon),
    },
    { ...usual, ...more } as typeof usual,
  )
  open.push(doors)
  return doors
}

/** What a client hears last, of lines that it sends one after the other. */
function told(port: number, ...lines: readonly string[]): Promise<string> {
  return new Promise((resolve, reject) => {
    const socket = connect(port, '127.0.0.1')
    const left = [...lines]
    let last = ''
    socket.setEncoding('utf8')
    socket.on('data', (text: string) => {
      last = text.trim().split('\r\n').at(-1) ?? ''
      if (!/^\d{3} .*\r\n$/m.test(text)) return
      const next = left.shift()
      if (next === undefined) socket.end()
      else socket.write(`${next}\r\n`)
    })
    socket.on('close', () => resolve(last))
    socket.on('error', reject)
  })
}

let serial = 0
function letter(headers: readonly string[] = [], from = 'Ingrid <ingrid@harbour.example>'): string {
  serial += 1
  return [
    `From: ${from}`,
    'To: Partner <partner@outside.example>',
    `Subject: Drawings ${serial}`,
    `Message-ID: <out${serial}@harbour.example>`,
    'Date: Fri, 20 Nov 2026 08:00:00 +0000',
    ...headers,
    '',
    'Here they are.',
    '',
  ].join('\r\n')
}

const submit = (
  doors: Doors,
  {
    from = 'ingrid@harbour.example',
    to = ['partner@outside.example'],
    raw = letter(),
    ...options
  }: {
    from?: string
    to?: readonly string[]
    raw?: string
    auth?: object
    secure?: boolean
    tls?: object
  } = {},
) => {
  const port = options.secure ? doors.submissionsPort() : doors.submissionPort()
  const transport = createTransport({
    host: '127.0.0.1',
    port: port ?? 0,
    ignoreTLS: !options.tls,
    ...options,
  })
  return transport.sendMail({ envelope: { from, to: [...to] }, raw }).then(
    ({ response }) => response,
    (error: Error & { response?: string }) => error.response ?? error.message,
  )
}

/** As a process sends, by the routes that are set; its connections end with the test. */
function ways(more: Partial<Parameters<typeof createWays>[0]> = {}) {
  const send = createWays({
    organisation: () => organisationNow(server.db),
    store: { host: '127.0.0.1', port: store.port },
    secrets: secretsOf(),
    now: () => server.clock.now,
    ...more,
  })
  toClose.push(send.close)
  return send
}

/** The way out, by the routes that are set. */
function onward(secrets = { passwords: '', authorities: '' }, at = () => server.clock.now) {
  const send = ways({ secrets: secretsOf(secrets), now: at })
  return (now = soon()) =>
    workOutbox({
      db: server.db,
      send,
      log,
      now: () => now,
      letter: async () => null,
      returned: id => writeReturn(server.db, id, now),
    })
}

const relays = () =>
  select<{ recipient: string; state: string; problem: string }>(
    server.db,
    'SELECT recipient, state, problem FROM relays ORDER BY id DESC LIMIT 3',
  )

describe('mail of colleagues on its way out', () => {
  test('Python’s smtplib: it goes to the smart host, to colleagues by the store, and the answer is known as one', async () => {
    const doors = await doorsOf()
    const script = `
import smtplib, sys
with smtplib.SMTP('127.0.0.1', int(sys.argv[1])) as server:
    server.sendmail('ingrid@harbour.example', ['partner@outside.example', 'kari@harbour.example'], sys.argv[2])
print('sent')
`
    const raw = letter()
    const { stdout } = await run('python3', ['-c', script, String(doors.submissionPort()), raw])
    expect(stdout.trim()).toBe('sent')
    expect(smartHost.took).toEqual([])
    await onward()()
    expect(smartHost.took.map(({ from, to }) => [from, to])).toEqual([
      ['ingrid@harbour.example', 'partner@outside.example'],
    ])
    expect(store.took.map(({ to }) => to)).toEqual(['kari@harbour.example'])
    expect(smartHost.took[0]?.raw).toMatch(
      /^Received: from \S+ \(\[127\.0\.0\.1\]\)\r\n\tby harbour\.example \(Pendro\) with ESMTP id \d+\.relay\.[0-9a-f]{24}; /,
    )
    expect(smartHost.took[0]?.raw.endsWith(raw.trimEnd() + '\r\n')).toBe(true)
    expect((await relays()).slice(0, 2).map(({ state }) => state)).toEqual(['taken', 'taken'])

    const [id] = await arrive(server, {
      from: 'Partner <partner@outside.example>',
      headers: [`In-Reply-To: <out${serial}@harbour.example>`],
    })
    const judged = await findRow<{ evidence: { finding: string }[] }>(
      server.db,
      'SELECT evidence FROM delivery_judgements WHERE delivery_id = :id',
      { id },
    )
    const findings = (judged?.evidence ?? []).map(({ finding }) => finding)
    expect(findings).toContain('answers-colleague')
    expect(findings).toContain('correspondence-address')
  })

  test.each<[what: string, headers: readonly string[], more: Parameters<typeof submit>[1]]>([
    ['an automatic reply', ['Auto-Submitted: auto-replied'], {}],
    ['an automatic reply without a sender to tell', ['X-Note: away'], { from: '' }],
    ['a receipt', ['Content-Type: multipart/report; report-type=disposition-notification; boundary=x'], {}],
    ['a mailing', ['Precedence: bulk'], {}],
    ['what somebody else wrote, passed on', [], { raw: letter([], 'Mallory <mallory@outside.example>') }],
  ])('%s goes on and makes nobody known', async (_, headers, more) => {
    await execute(server.db, 'DELETE FROM correspondence')
    const doors = await doorsOf()
    expect(await submit(doors, { raw: letter(headers), ...more })).toMatch(/^250 /)
    await onward()()
    expect(smartHost.took).toHaveLength(1)
    expect(await select(server.db, 'SELECT address FROM correspondence')).toEqual([])
    const last = await findRow<{ by_program: number }>(
      server.db,
      'SELECT by_program FROM messages ORDER BY id DESC LIMIT 1',
    )
    expect(last?.by_program).toBe(1)
  })
})

describe('never a relay for anyone else', () => {
  const from = 'MAIL FROM:<ingrid@harbour.example>'
  test.each<[what: string, lines: readonly string[], answer: RegExp]>([
    ['another domain’s sender', ['MAIL FROM:<a@outside.example>'], /^550 5\.7\.1 Only mail from the domains/],
    ['a domain that ends like ours', ['MAIL FROM:<a@notharbour.example>'], /^550 5\.7\.1/],
    ['a sender in quotes', ['MAIL FROM:<"a@harbour.example"@outside.example>'], /^5\d\d /],
    ['the percent hack', [from, 'RCPT TO:<victim%outside.example@harbour.example>'], /^553 5\.1\.3/],
    ['bangs', [from, 'RCPT TO:<outside.example!victim@harbour.example>'], /^553 5\.1\.3/],
    [
      'a quoted local part with an address',
      [from, 'RCPT TO:<"victim@outside.example"@harbour.example>'],
      /^5\d\d /,
    ],
    ['an address without a domain', [from, 'RCPT TO:<victim>'], /^5\d\d /],
    ['two addresses in one', [from, 'RCPT TO:<a@x.example,b@y.example>'], /^5\d\d /],
    ['an address literal', [from, 'RCPT TO:<victim@[192.0.2.1]>'], /^5\d\d /],
  ])('%s is refused', async (_, lines, answer) => {
    const doors = await doorsOf()
    expect(await told(doors.submissionPort() ?? 0, 'EHLO x', ...lines)).toMatch(answer)
  })
  test('whoever is no server of ours is turned away at the greeting', async () => {
    await setOrganisation(server.db, { outgoing: { ...relaying, servers: ['192.0.2.0/24'] } })
    const doors = await doorsOf()
    expect(await told(doors.submissionPort() ?? 0)).toMatch(
      /^554 5\.7\.1 Mail that goes out is taken from the mail/,
    )
  })
  test('where nothing is relayed, nobody is let in', async () => {
    await setOrganisation(server.db, { outgoing: { ...relaying, mode: 'off' } })
    const doors = await doorsOf()
    expect(await told(doors.submissionPort() ?? 0)).toMatch(/^554 5\.7\.1 Mail that goes out is not taken/)
  })
  test('the null sender alone opens nothing: the header has to say that it is ours', async () => {
    const doors = await doorsOf()
    const raw = letter(['X-Note: bounce'], 'Mallory <mallory@outside.example>')
    expect(await submit(doors, { from: '', raw })).toMatch(/^550 5\.7\.1 Only mail from/)
  })
  test('a source route leads nowhere: the mailbox at its end is meant (RFC 5321 appendix C)', async () => {
    const doors = await doorsOf()
    const to = `RCPT TO:<@evil.example,@harbour.example:partner@outside.example>`
    expect(await told(doors.submissionPort() ?? 0, 'EHLO x', from, to)).toMatch(/^250 /)
    const script = `
import smtplib, sys
with smtplib.SMTP('127.0.0.1', int(sys.argv[1])) as server:
    server.ehlo()
    server.docmd('MAIL FROM:<ingrid@harbour.example>')
    server.docmd(sys.argv[2])
    server.data(sys.argv[3])
`
    await run('python3', ['-c', script, String(doors.submissionPort()), to, letter()])
    expect((await relays())[0]?.recipient).toBe('partner@outside.example')
  })
  test('recipients sent ahead of every answer are held to the same', async () => {
    const doors = await doorsOf()
    const said = await new Promise<string>(resolve => {
      const socket = connect(doors.submissionPort() ?? 0, '127.0.0.1')
      let all = ''
      socket.setEncoding('utf8')
      socket.on('data', (text: string) => (all += text))
      socket.once('data', () =>
        socket.write(
          'EHLO x\r\nMAIL FROM:<a@outside.example>\r\nRCPT TO:<victim@outside.example>\r\nDATA\r\nQUIT\r\n',
        ),
      )
      socket.on('close', () => resolve(all))
    })
    expect(said).not.toMatch(/^354/m)
  })
  test('at the door for incoming mail own domains as the sender open nothing', async () => {
    const doors = await doorsOf()
    expect(await told(doors.smtpPort, 'EHLO x', from, 'RCPT TO:<victim@outside.example>')).toMatch(
      /^550 5\.1\.1/,
    )
    expect(
      await told(doors.smtpPort, 'EHLO x', from, 'RCPT TO:<victim%outside.example@harbour.example>'),
    ).toMatch(/^550 5\.1\.1/)
  })
})

describe('an account, where an address is not proof enough', () => {
  const account = { PENDRO_SUBMISSION_USER: 'mail-server', PENDRO_SUBMISSION_PASSWORD: 'ferry at dawn' }
  const auth = { user: 'mail-server', pass: 'ferry at dawn' }
  beforeEach(() => setOrganisation(server.db, { outgoing: { ...relaying, servers: [] } }))
  const tls = () => ({ ca: readFileSync(ca) })

  test('over TLS, begun or from the first byte', async () => {
    const doors = await doorsOf(account)
    expect(await submit(doors, { auth, tls: tls() })).toMatch(/^250 /)
    expect(await submit(doors, { auth, secure: true, tls: tls() })).toMatch(/^250 /)
  })
  test('a wrong password, and a tenth', async () => {
    const doors = await doorsOf(account)
    const wrong = { auth: { user: 'mail-server', pass: 'dusk' }, tls: tls() }
    expect(await submit(doors, wrong)).toMatch(/^535 5\.7\.8/)
    for (let i = 0; i < 9; i += 1) await submit(doors, wrong)
    expect(await submit(doors, { auth, tls: tls() })).toMatch(/^421 4\.7\.0 Too many wrong passwords/)
  })
  test('without TLS no password is asked for, and without a password nothing is taken', async () => {
    const doors = await doorsOf(account)
    expect(await told(doors.submissionPort() ?? 0, 'EHLO x', 'AUTH PLAIN AG1haWwtc2VydmVyAHg=')).toMatch(
      /^5\d\d /,
    )
    expect(await told(doors.submissionPort() ?? 0, 'EHLO x', 'MAIL FROM:<ingrid@harbour.example>')).toMatch(
      /^530 5\.7\.0 Mail that goes out needs a name/,
    )
  })
})

describe('what does not go at once', () => {
  test('a smart host that greylists for an hour gets it after that, once', async () => {
    const doors = await doorsOf()
    await submit(doors)
    const work = onward()
    smartHost.mood.answer = '450 4.2.0 Come back in an hour'
    const began = Date.now() + 2 * 60_000
    for (let minute = 0; minute < 60; minute += 4) await work(new Date(began + minute * 60_000))
    expect((await relays())[0]?.state).toBe('waiting')
    smartHost.mood.answer = null
    await work(new Date(began + hour + 15 * 60_000))
    expect(smartHost.took).toHaveLength(1)
    expect((await relays())[0]?.state).toBe('taken')
  })
  test('what is refused comes back as RFC 3464 has it: read by Python’s email, and by our own reader', async () => {
    const doors = await doorsOf()
    await submit(doors, { raw: letter() })
    const work = onward()
    smartHost.mood.answer = '550 5.1.1 Nobody of that name'
    await work()
    await work()
    const [back] = store.took
    expect(back).toMatchObject({ from: '', to: 'ingrid@harbour.example' })
    const script = `
import email, email.policy, sys, json
message = email.message_from_bytes(sys.stdin.buffer.read(), policy=email.policy.default)
text, status, header = message.iter_parts()
fields = [dict(part.items()) for part in status.get_payload()]
print(json.dumps([message.get_content_type(), message.get_param('report-type'), message['auto-submitted'], text.get_content(), fields, header.get_content_type()]))
`
    const file = join(folder, 'back.eml')
    writeFileSync(file, back?.raw ?? '')
    const { stdout } = await run('bash', ['-c', `python3 -c "$1" < "$2"`, '-', script, file])
    const [type, report, automatic, text, fields, header] = JSON.parse(stdout) as [
      string,
      string,
      string,
      string,
      Record<string, string>[],
      string,
    ]
    expect([type, report, automatic, header]).toEqual([
      'multipart/report',
      'delivery-status',
      'auto-replied',
      'text/rfc822-headers',
    ])
    expect(text).toContain('partner@outside.example')
    expect(fields[0]?.['Reporting-MTA']).toBe('dns; harbour.example')
    expect(fields[1]).toMatchObject({
      'Final-Recipient': 'rfc822; partner@outside.example',
      Action: 'failed',
      Status: '5.1.1',
      'Diagnostic-Code': 'smtp; 550 5.1.1 Nobody of that name',
    })
    const own = await readStatusNotification(Buffer.from(back?.raw ?? ''))
    expect(JSON.stringify(own)).toContain('partner@outside.example')
    expect((await relays())[0]).toMatchObject({ state: 'returned', problem: '550 5.1.1 Nobody of that name' })
    const message = await findRow<{ id: number }>(server.db, 'SELECT MAX(message_id) AS id FROM relays')
    const journey = (await outboundHit(server.db, message?.id ?? 0))?.journey ?? []
    expect(journey.map(({ kind, facts: said }) => [kind, said.to, said.problem])).toEqual([
      ['sent-out', undefined, undefined],
      ['relay-returned', 'partner@outside.example', '550 5.1.1 Nobody of that name'],
    ])
  })
  test('what nobody took in five days comes back, too', async () => {
    const doors = await doorsOf()
    await submit(doors)
    const work = onward()
    smartHost.mood.answer = '450 4.2.0 Busy'
    await work()
    expect((await relays())[0]?.state).toBe('waiting')
    await work(new Date(Date.now() + 5 * 24 * hour + 2 * 60_000))
    expect((await relays())[0]?.state).toBe('returned')
    await work(new Date(Date.now() + 5 * 24 * hour + 3 * 60_000))
    expect(store.took[0]?.raw).toContain('Status: 5.2.0')
  })
  test('mail that has no sender to tell comes back to nobody', async () => {
    const doors = await doorsOf()
    await submit(doors, { from: '' })
    const work = onward()
    smartHost.mood.answer = '550 5.1.1 No'
    await work()
    await work()
    expect(store.took).toEqual([])
  })
  test('a smart host that sends it back to us is found out', async () => {
    const doors = await doorsOf()
    await submit(doors)
    const work = onward()
    for (let round = 0; round < 3; round += 1) {
      await work()
      const raw = smartHost.took.at(-1)?.raw ?? ''
      const again = await submit(doors, { raw })
      if (round < 2) expect(again).toMatch(/^250 /)
      else expect(again).toMatch(/^554 5\.4\.6 The message has been handed on more than 2 times/)
    }
  })
})

describe('where it goes on to', () => {
  const sent = async (doors: Doors, to = 'partner@outside.example') => {
    await submit(doors, { to: [to] })
  }
  test('the first server that answers; one that does not rests, and is asked again', async () => {
    const away = await otherServer()
    await away.close()
    await setRoutes({ smartHosts: [route(away.port), route(smartHost.port)] })
    const tried: string[] = []
    const at = { now: new Date() }
    const send = ways({ now: () => at.now, tried: host => tried.push(host) })
    const envelope = { from: 'ingrid@harbour.example', to: 'partner@outside.example' }
    const [first, second] = [`127.0.0.1:${away.port}`, `127.0.0.1:${smartHost.port}`]
    expect(await send(envelope, Buffer.from(letter()), 'outside')).toEqual({ status: 'taken' })
    expect(await send(envelope, Buffer.from(letter()), 'outside')).toEqual({ status: 'taken' })
    at.now = new Date(at.now.getTime() + 31_000)
    expect(await send(envelope, Buffer.from(letter()), 'outside')).toEqual({ status: 'taken' })
    expect(tried).toEqual([first, second, second, first, second])
  })
  test.each([
    ['plain', 'ingrid@harbour.example', 'Hello', 'MAIL FROM:<ingrid@harbour.example>'],
    ['nobody', '', 'Hello', 'MAIL FROM:<>'],
    // RFC 6152 §2: a body of 8 bits is announced.
    ['8 bits', 'ingrid@harbour.example', 'Grüße', 'MAIL FROM:<ingrid@harbour.example> BODY=8BITMIME'],
    // RFC 5890 §2.3.2.1: as any server knows it.
    ['a domain in its own script', 'kai@jõgeva.example', 'Hello', 'MAIL FROM:<kai@xn--jgeva-dua.example>'],
    // RFC 6531 §3.4
    ['a local part beyond ASCII', 'kõu@jõgeva.example', 'Hello', 'MAIL FROM:<kõu@jõgeva.example> SMTPUTF8'],
  ])('how a sender is said: %s', async (_, from, text, line) => {
    const said: string[] = []
    const other = await otherServer({
      logger: {
        ...Object.fromEntries(['trace', 'info', 'warn', 'error', 'fatal'].map(level => [level, () => {}])),
        debug: (...given: readonly unknown[]) => said.push(format(...given.slice(1))),
      } as never,
    })
    toClose.push(other.close)
    await setRoutes({ smartHosts: [route(other.port)] })
    const send = ways()
    const raw = Buffer.from(letter().replace(/\r\n\r\n[^]*/, `\r\n\r\n${text}\r\n`))
    expect(await send({ from, to: 'partner@outside.example' }, raw, 'outside')).toEqual({ status: 'taken' })
    expect(said.filter(one => one.includes('MAIL FROM')).map(one => one.replace(/^C: /, ''))).toEqual([line])
    expect(other.took[0]?.raw).toBe(raw.toString())
  })
  test.each<[what: string, more: Partial<RouteHost>, most: number]>([
    ['8, where no number is set', {}, 8],
    ['as many as are set', { connections: 3 }, 3],
  ])('connections at once: %s', async (_, more, most) => {
    const at = { once: 0, most: 0 }
    let allThere = () => {}
    const there = new Promise<void>(resolve => (allThere = resolve))
    const slow = await otherServer({
      onData(stream, _session, callback) {
        at.once += 1
        at.most = Math.max(at.most, at.once)
        if (at.once === most) allThere()
        stream.resume()
        // None is answered before all have come that may, and a moment for one too many.
        stream.on('end', () => {
          void there.then(() =>
            setTimeout(() => {
              at.once -= 1
              callback(null)
            }, 50),
          )
        })
      },
    })
    toClose.push(slow.close)
    await setRoutes({ smartHosts: [route(slow.port, more)] })
    const send = ways()
    const envelope = { from: 'ingrid@harbour.example', to: 'partner@outside.example' }
    const all = Array.from({ length: 24 }, () => send(envelope, Buffer.from(letter()), 'outside'))
    expect(new Set((await Promise.all(all)).map(({ status }) => status))).toEqual(new Set(['taken']))
    expect(at.most).toBe(most)
  })
  test('settings of a server are changed: what was given to it is done, and its connections of before end', async () => {
    let open = 0
    const before = await otherServer({
      onConnect: (_, callback) => {
        open += 1
        callback()
      },
      onClose: () => void (open -= 1),
    })
    toClose.push(before.close)
    const at = { now: new Date() }
    const send = ways({ now: () => at.now })
    const envelope = { from: 'ingrid@harbour.example', to: 'partner@outside.example' }
    const go = () => send(envelope, Buffer.from(letter()), 'outside')
    await setRoutes({ smartHosts: [route(before.port, { connections: 1 })] })
    const given = Array.from({ length: 9 }, go)
    await expect.poll(() => open).toBe(1)
    await setRoutes()
    at.now = new Date(at.now.getTime() + 31_000)
    given.push(go())
    expect(new Set((await Promise.all(given)).map(({ status }) => status))).toEqual(new Set(['taken']))
    expect([before.took.length, smartHost.took.length]).toEqual([9, 1])
    await expect.poll(() => open).toBe(0)
  })
  test('no routes are set, now or half a minute later: to the store of the process', async () => {
    const { policy } = (await organisationNow(server.db)) ?? {}
    const at = { now: new Date() }
    const send = ways({ organisation: async () => (policy ? { policy } : null), now: () => at.now })
    for (const wait of [0, 31_000]) {
      at.now = new Date(at.now.getTime() + wait)
      expect(
        await send({ from: 'ingrid@harbour.example', to: 'kari@harbour.example' }, Buffer.from(letter())),
      ).toEqual({ status: 'taken' })
    }
    expect(store.took).toHaveLength(2)
  })
  test('a file of authorities that can’t be read is the trouble of that server alone, and is said', async () => {
    const guarded = { ...route(9), tls: 'starttls' as const }
    await setRoutes({ smartHosts: [guarded, route(smartHost.port)] })
    const tried: string[] = []
    const send = ways({
      secrets: secretsOf({ authorities: join(folder, 'nowhere.pem') }),
      tried: (host, { status, ...said }) =>
        tried.push([host, status, 'problem' in said ? said.problem : ''].join(' ')),
    })
    expect(
      await send(
        { from: 'ingrid@harbour.example', to: 'partner@outside.example' },
        Buffer.from(letter()),
        'outside',
      ),
    ).toEqual({ status: 'taken' })
    expect(tried).toEqual([
      '127.0.0.1:9 later The file of certificate authorities can’t be read (ENOENT)',
      `127.0.0.1:${smartHost.port} taken `,
    ])
  })

  test('stores by domain, by LMTP where that is set; what no other names by the one for the rest', async () => {
    await setOrganisation(server.db, { 'policy.ownDomains': ['harbour.example', 'quay.example'] })
    const quay = await otherServer({ lmtp: true })
    toClose.push(quay.close)
    await setRoutes({
      stores: [{ domains: ['quay.example'], hosts: [route(quay.port, { protocol: 'lmtp' })] }],
    })
    const doors = await doorsOf()
    await sent(doors, 'anna@quay.example')
    await sent(doors, 'kari@harbour.example')
    await onward()()
    expect(quay.took.map(({ to }) => to)).toEqual(['anna@quay.example'])
    expect(store.took.map(({ to }) => to)).toEqual(['kari@harbour.example'])
    expect(smartHost.took).toEqual([])
    await setOrganisation(server.db, { 'policy.ownDomains': ['harbour.example'] })
  })

  const certificates = () => ({
    cert: readFileSync(join(folder, 'server.pem')),
    key: readFileSync(join(folder, 'server.key')),
  })
  test.each<[what: string, more: object, authorities: boolean, goes: boolean]>([
    ['STARTTLS, signed by an authority that is set', { tls: 'starttls' }, true, true],
    ['STARTTLS, signed by nobody known', { tls: 'starttls' }, false, false],
    ['STARTTLS, the one certificate', { tls: 'starttls', pinned: true }, false, true],
    ['STARTTLS, another certificate', { tls: 'starttls', pinned: 'other' }, false, false],
    ['not asked for', { tls: 'off' }, false, true],
  ])('TLS: %s', async (_, { pinned, ...more }: { pinned?: boolean | string }, authorities, goes) => {
    const secure = await otherServer(certificates())
    toClose.push(secure.close)
    const pin =
      pinned === undefined
        ? ''
        : readFileSync(pinned === 'other' ? otherCertificate() : join(folder, 'server.pem'), 'utf8')
    await setRoutes({ smartHosts: [route(secure.port, { ...more, certificate: pin })] })
    const doors = await doorsOf()
    await sent(doors)
    await onward({ passwords: '', authorities: authorities ? ca : '' }, soon)()
    expect(secure.took).toHaveLength(goes ? 1 : 0)
    if (goes) expect(secure.took[0]?.secure).toBe((more as { tls: string }).tls !== 'off')
    else expect((await relays())[0]?.state).toBe('waiting')
  })
  test('a server that offers no TLS gets nothing where TLS is set', async () => {
    await setRoutes({ smartHosts: [route(smartHost.port, { tls: 'starttls' })] })
    const doors = await doorsOf()
    await sent(doors)
    await onward()()
    expect(smartHost.took).toEqual([])
  })
  test('a password from the machine’s file; set right, it is read anew', async () => {
    const signing = await otherServer({
      ...certificates(),
      authOptional: false,
      onAuth({ username, password }, _, callback) {
        const isRight = username === 'pendro' && password === 'a pass phrase'
        callback(isRight ? null : new Error('no'), isRight ? { user: username } : undefined)
      },
    })
    toClose.push(signing.close)
    const passwords = join(folder, 'passwords')
    writeFileSync(passwords, `pendro@127.0.0.1:${signing.port} wrong\n`)
    await setRoutes({ smartHosts: [route(signing.port, { tls: 'starttls', user: 'pendro' })] })
    const doors = await doorsOf()
    await sent(doors)
    const work = onward({ passwords, authorities: ca }, soon)
    await work()
    expect(signing.took).toEqual([])
    writeFileSync(passwords, `other@127.0.0.1:1 x\npendro@127.0.0.1:${signing.port} a pass phrase\n`)
    await work(new Date(Date.now() + 5 * 60_000))
    expect(signing.took.map(({ user }) => user)).toEqual(['pendro'])
  })
})

/** A certificate that nothing here has the key of. */
function otherCertificate(): string {
  const other = mkdtempSync(join(folder, 'other-'))
  signCertificate(other)
  return join(other, 'server.pem')
}

describe('copies of what colleagues send', () => {
  const copying = { mode: 'copy', servers: ['127.0.0.0/8'], journal: 'journal@harbour.example' }
  test('are noted, and nothing goes on', async () => {
    await setOrganisation(server.db, { outgoing: copying })
    await execute(server.db, 'DELETE FROM correspondence')
    const doors = await doorsOf()
    const transport = createTransport({ host: '127.0.0.1', port: doors.smtpPort, ignoreTLS: true })
    await transport.sendMail({ envelope: { from: '', to: ['journal@harbour.example'] }, raw: letter() })
    expect(await select(server.db, 'SELECT address, mailbox_id FROM correspondence')).toEqual([
      { address: 'partner@outside.example', mailbox_id: server.mailbox('ingrid') },
    ])
    expect(await select(server.db, "SELECT id FROM outbox WHERE kind = 'relay'")).toEqual([])
  })
  test('from nobody but the organisation’s own servers', async () => {
    await setOrganisation(server.db, { outgoing: { ...copying, servers: ['192.0.2.0/24'] } })
    const doors = await doorsOf()
    const transport = createTransport({ host: '127.0.0.1', port: doors.smtpPort, ignoreTLS: true })
    const said = await transport
      .sendMail({ envelope: { from: '', to: ['journal@harbour.example'] }, raw: letter() })
      .catch((error: Error) => error.message)
    expect(said).toContain('Copies are taken from the mail servers of this organisation only')
  })
})
