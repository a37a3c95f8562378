import { execFile } from 'node:child_process'
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { createTransport } from 'nodemailer'
import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import { execute, findRow } from '../src/db/database.ts'
import { usualPeers } from '../src/db/organisation.ts'
import { readCertificate } from '../src/doors/certificate.ts'
import { openDoors, type Doors } from '../src/doors/doors.ts'
import { signCertificate } from './certificates.ts'
import { doorSettings } from './door-settings.ts'
import { log, sample, startTestServer, type TestServer } from './support.ts'

const run = promisify(execFile)
const folder = mkdtempSync(join(tmpdir(), 'pendro-doors-'))
const file = (name: string) => join(folder, name)
/** Some minutes on: certificates of this run count by then, however slow the machine. */
const now = new Date(Date.now() + 600_000)

let server: TestServer
let ca = ''
beforeAll(async () => {
  server = await startTestServer()
  ca = signCertificate(folder)
})
afterAll(async () => {
  await server.close()
  rmSync(folder, { recursive: true, force: true })
})

const open: Doors[] = []
afterEach(async () => {
  for (const doors of open.splice(0)) await doors.close()
})

const usual = {
  ...doorSettings,
  PENDRO_SMTPS_PORT: '0',
  PENDRO_TLS_CERT: file('server.pem'),
  PENDRO_TLS_KEY: file('server.key'),
} as const
async function doorsOf(
  more: Partial<Record<keyof typeof usual, string | number>> = {},
  at = { now },
): Promise<Doors> {
  const doors = await openDoors(
    { db: server.db, log, now: () => at.now, maxBytes: 20_000, takenIn: () => {} },
    { ...usual, ...more } as typeof usual,
  )
  open.push(doors)
  return doors
}

/** What a client hears to each of some lines, one after the other. */
function told(port: number, ...lines: readonly string[]): Promise<string> {
  return new Promise((resolve, reject) => {
    const socket = connect(port, '127.0.0.1')
    const left = [...lines]
    let all = ''
    socket.setEncoding('utf8')
    socket.on('data', (text: string) => {
      all += text
      if (!/^\d{3} .*\r\n$/m.test(text)) return
      const next = left.shift()
      if (next === undefined) socket.end()
      else socket.write(`${next}\r\n`)
    })
    socket.on('close', () => resolve(all))
    socket.on('error', reject)
  })
}

const send = (port: number, options: object, raw = sample()) =>
  createTransport({ host: '127.0.0.1', port, ...options }).sendMail({
    envelope: { from: 'a@x.example', to: ['ingrid@harbour.example'] },
    raw,
  })

describe('mail over TLS, by clients we did not write', () => {
  test('openssl s_client: STARTTLS and TLS from the first byte, with the certificate that is set', async () => {
    const doors = await doorsOf()
    for (const [port, more] of [
      [doors.smtpPort, ['-starttls', 'smtp']],
      [doors.smtpsPort() ?? 0, []],
    ] as const) {
      const { stdout } = await run('bash', [
        '-c',
        `sleep 1 | openssl s_client -connect 127.0.0.1:${port} ${more.join(' ')} -CAfile ${ca} -verify_return_error -verify_ip 127.0.0.1 -brief 2>&1`,
      ])
      expect(stdout).toContain('Verification: OK')
      expect(stdout).toMatch(/TLSv1\.[23]/)
    }
  })
  test('Python’s smtplib hands a message over both ways', async () => {
    const doors = await doorsOf()
    const script = `
import smtplib, ssl, sys
context = ssl.create_default_context(cafile=sys.argv[3])
text = 'From: A <a@x.example>\\r\\nSubject: By Python\\r\\n\\r\\nHello\\r\\n'
with smtplib.SMTP('127.0.0.1', int(sys.argv[1])) as plain:
    plain.starttls(context=context)
    plain.sendmail('a@x.example', ['ingrid@harbour.example'], text)
with smtplib.SMTP_SSL('127.0.0.1', int(sys.argv[2]), context=context) as secure:
    secure.sendmail('a@x.example', ['ingrid@harbour.example'], text)
print('sent')
`
    const { stdout } = await run('python3', [
      '-c',
      script,
      String(doors.smtpPort),
      String(doors.smtpsPort()),
      ca,
    ])
    expect(stdout.trim()).toBe('sent')
    const row = await findRow<{ n: number }>(
      server.db,
      "SELECT COUNT(*) AS n FROM deliveries WHERE subject = 'By Python'",
    )
    expect(row?.n).toBe(2)
  })
  test('TLS 1.1 is refused', async () => {
    const doors = await doorsOf()
    const { stdout } = await run('bash', [
      '-c',
      `openssl s_client -connect 127.0.0.1:${doors.smtpsPort()} -tls1_1 -cipher ALL:@SECLEVEL=0 < /dev/null 2>&1 || true`,
    ])
    expect(stdout).toMatch(/alert|no protocols|wrong version/i)
  })
  test('where TLS is required mail without it is refused, and over it taken', async () => {
    const doors = await doorsOf({ PENDRO_SMTP_TLS: 'required' })
    await expect(send(doors.smtpPort, { secure: false, ignoreTLS: true })).rejects.toMatchObject({
      responseCode: 530,
    })
    const trusted = { ca: readFileSync(ca) }
    expect((await send(doors.smtpPort, { secure: false, requireTLS: true, tls: trusted })).response).toMatch(
      /^250/,
    )
    expect((await send(doors.smtpsPort() ?? 0, { secure: true, tls: trusted })).response).toMatch(/^250/)
  })
})

describe('a certificate that is not right', () => {
  const state = async (cert: string, key: string, at = now) => {
    const found = await readCertificate({ cert, key }, at)
    return found.state === 'bad' ? found.problem : found.state
  }
  test('each fault has its name', async () => {
    const [cert, key] = [file('server.pem'), file('server.key')]
    writeFileSync(file('nonsense'), 'no PEM at all')
    writeFileSync(file('huge'), 'x'.repeat(600_000))
    expect(await state('', '')).toBe('off')
    expect(await state(cert, key)).toBe('good')
    expect(await state(cert, '')).toBe('no-key')
    expect(await state('', key)).toBe('no-certificate')
    expect(await state(file('none'), key)).toBe('certificate-unreadable')
    expect(await state(cert, file('none'))).toBe('key-unreadable')
    expect(await state(file('nonsense'), key)).toBe('certificate-unreadable')
    expect(await state(file('huge'), key)).toBe('certificate-unreadable')
    expect(await state(cert, file('nonsense'))).toBe('key-unreadable')
    expect(await state(cert, file('ca.key'))).toBe('key-does-not-fit')
    expect(await state(cert, key, new Date(now.getTime() - 86_400_000))).toBe('not-yet')
    expect(await state(cert, key, new Date(now.getTime() + 5 * 86_400_000))).toBe('over')
  })
  test('no TLS is offered or spoken, the other door stays shut, and plain mail still comes in', async () => {
    const doors = await doorsOf({ PENDRO_TLS_KEY: file('ca.key') })
    expect(doors.certificate()).toMatchObject({ state: 'bad', problem: 'key-does-not-fit' })
    expect(doors.smtpsPort()).toBeNull()
    const said = await told(doors.smtpPort, 'EHLO x.example', 'STARTTLS', 'QUIT')
    expect(said).not.toContain('250-STARTTLS')
    expect(said).toMatch(/^50[02] .*$/m)
    expect((await send(doors.smtpPort, { secure: false, ignoreTLS: true })).response).toMatch(/^250/)
  })
  test('none set: the same, without a word of a fault', async () => {
    const doors = await doorsOf({ PENDRO_TLS_CERT: '', PENDRO_TLS_KEY: '' })
    expect(doors.certificate()).toEqual({ state: 'off' })
    expect(await told(doors.smtpPort, 'EHLO x.example', 'QUIT')).not.toContain('STARTTLS')
  })
  test('files that change are read again: bad to good, to another, and over while it runs', async () => {
    const at = { now }
    copyFileSync(file('ca.key'), file('live.key'))
    copyFileSync(file('server.pem'), file('live.pem'))
    const doors = await doorsOf({ PENDRO_TLS_CERT: file('live.pem'), PENDRO_TLS_KEY: file('live.key') }, at)
    expect(await doors.look()).toBe(false)
    copyFileSync(file('server.key'), file('live.key'))
    expect(await doors.look()).toBe(true)
    expect(doors.certificate().state).toBe('good')
    expect(doors.smtpsPort()).toBeGreaterThan(0)
    const trusted = { ca: readFileSync(ca) }
    expect((await send(doors.smtpPort, { secure: false, requireTLS: true, tls: trusted })).response).toMatch(
      /^250/,
    )

    // Another one, signed by somebody else: the old authority no longer speaks for what is shown.
    const other = mkdtempSync(join(folder, 'other-'))
    const otherCa = signCertificate(other)
    copyFileSync(join(other, 'server.pem'), file('live.pem'))
    copyFileSync(join(other, 'server.key'), file('live.key'))
    expect(await doors.look()).toBe(true)
    await expect(send(doors.smtpPort, { secure: false, requireTLS: true, tls: trusted })).rejects.toThrow(
      /self-signed|unable to/,
    )
    const tls = { ca: readFileSync(otherCa) }
    expect((await send(doors.smtpPort, { secure: false, requireTLS: true, tls })).response).toMatch(/^250/)
    expect((await send(doors.smtpsPort() ?? 0, { secure: true, tls })).response).toMatch(/^250/)

    at.now = new Date(now.getTime() + 5 * 86_400_000)
    expect(await doors.look()).toBe(true)
    expect(doors.certificate()).toMatchObject({ state: 'bad', problem: 'over' })
    expect(doors.smtpsPort()).toBeNull()
    expect(await told(doors.smtpPort, 'EHLO x.example', 'QUIT')).not.toContain('STARTTLS')
  })
})

describe('a balancer in front (PROXY protocol)', () => {
  const ipOf = async (subject: string) =>
    (
      await findRow<{ client_ip: string }>(
        server.db,
        'SELECT client_ip FROM messages WHERE subject = :subject',
        {
          subject,
        },
      )
    )?.client_ip
  const handOver = (port: number, first: readonly string[], subject: string) =>
    new Promise<string>(resolve => {
      const socket = connect(port, '127.0.0.1')
      let all = ''
      const lines = [
        'EHLO x.example',
        'MAIL FROM:<a@x.example>',
        'RCPT TO:<ingrid@harbour.example>',
        'DATA',
        `From: a@x.example\r\nSubject: ${subject}\r\n\r\nHello\r\n.`,
        'QUIT',
      ]
      if (first.length > 0) socket.write(first.map(line => `${line}\r\n`).join(''))
      socket.setEncoding('utf8')
      socket.on('data', (text: string) => {
        all += text
        if (/^\d{3} .*\r\n$/m.test(text)) socket.write(`${lines.shift() ?? ''}\r\n`)
      })
      socket.on('close', () => resolve(all))
      socket.on('error', () => resolve(all))
    })
  test('who it names is the client', async () => {
    const doors = await doorsOf({ PENDRO_SMTP_PROXIES: '127.0.0.1' })
    await handOver(doors.smtpPort, ['PROXY TCP4 192.0.2.77 127.0.0.1 5555 25'], 'Behind a balancer')
    expect(await ipOf('Behind a balancer')).toBe('192.0.2.77')
  })
  test('nobody else may name a client', async () => {
    const doors = await doorsOf()
    const said = await handOver(doors.smtpPort, ['PROXY TCP4 192.0.2.78 127.0.0.1 5555 25'], 'Pretended')
    expect(said).toMatch(/^(?:421|50[02]) /m)
    expect(await ipOf('Pretended')).not.toBe('192.0.2.78')
  })
})

describe('who may hand mail over', () => {
  const limits = { connections: 3, perMinute: 4, recipients: 100, megabytes: 1 }
  const set = (peers: object, gateways: readonly string[]) =>
    execute(
      server.db,
      `UPDATE organisation SET settings = JSON_SET(settings, '$.peers', JSON_COMPACT(:peers), '$.policy.gateways', JSON_COMPACT(:gateways))`,
      { peers: JSON.stringify(peers), gateways: JSON.stringify(gateways) },
    )
  const setPeers = async (peers: object, gateways: readonly string[] = []) => {
    await set(peers, gateways)
    await execute(server.db, "UPDATE versions SET n = n + 1 WHERE name = 'organisation'")
  }
  afterAll(() => setPeers(usualPeers, ['127.0.0.0/8']))
  const peers = (more: object = {}) => ({
    others: 'limited',
    listed: { ...limits, connections: 50, perMinute: 100 },
    unlisted: limits,
    ...more,
  })
  const mail = ['EHLO x.example', 'MAIL FROM:<a@x.example>']

  test('nobody but those listed, where everybody else is refused: at the greeting', async () => {
    await setPeers(peers({ others: 'refused' }), ['192.0.2.0/24'])
    const doors = await doorsOf()
    expect(await told(doors.smtpPort, ...mail)).toMatch(/^554 5\.7\.1 Mail is taken from the gateways/)
    await setPeers(peers({ others: 'refused' }), ['127.0.0.1'])
    expect(await told(doors.smtpPort, ...mail, 'QUIT')).toMatch(/^250 .*accepted/im)
  })
  test('so many connections at a time, the next is told to come again', async () => {
    await setPeers(peers())
    const doors = await doorsOf()
    const held = await Promise.all(
      Array.from(
        { length: 3 },
        () =>
          new Promise<ReturnType<typeof connect>>(resolve => {
            const socket = connect(doors.smtpPort, '127.0.0.1')
            socket.once('data', () => resolve(socket))
          }),
      ),
    )
    expect(await told(doors.smtpPort, 'QUIT')).toMatch(/^421 4\.7\.0 Too many connections/)
    for (const socket of held) socket.destroy()
  })
  test('so many messages a minute, on however many connections; a minute later it goes on', async () => {
    await setPeers(peers())
    const at = { now }
    const doors = await doorsOf({}, at)
    for (let i = 0; i < 4; i += 1) expect(await told(doors.smtpPort, ...mail, 'QUIT')).not.toContain('450')
    expect(await told(doors.smtpPort, ...mail, 'QUIT')).toMatch(/^450 4\.7\.0 Too many messages in a minute/m)
    at.now = new Date(now.getTime() + 60_000)
    expect(await told(doors.smtpPort, ...mail, 'QUIT')).not.toContain('450')
    await setPeers(peers(), ['127.0.0.1'])
    for (let i = 0; i < 6; i += 1) expect(await told(doors.smtpPort, ...mail, 'QUIT')).not.toContain('450')
  })
  test('so many recipients and so many bytes, said or sent', async () => {
    await setPeers(peers())
    const doors = await openDoors(
      { db: server.db, log, now: () => now, maxBytes: 5_000_000, takenIn: () => {} },
      usual,
    )
    open.push(doors)
    const many = (count: number) =>
      told(
        doors.smtpPort,
        ...mail,
        ...Array.from({ length: count }, (_, i) => `RCPT TO:<ingrid+${i}@harbour.example>`),
        'QUIT',
      )
    expect(await many(100)).not.toMatch(/^452/m)
    expect(await many(101)).toMatch(/^452 4\.5\.3 Too many recipients/m)
    const said = await told(doors.smtpPort, 'EHLO x.example', 'MAIL FROM:<a@x.example> SIZE=1000001', 'QUIT')
    expect(said).toMatch(/^552 5\.3\.4/m)
    const sent = send(
      doors.smtpPort,
      { secure: false, ignoreTLS: true, size: 1 },
      Buffer.alloc(1_000_100, 'a\r\n'),
    )
    await expect(sent).rejects.toMatchObject({ responseCode: 552 })
  })
})
