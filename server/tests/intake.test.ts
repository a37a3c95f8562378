import { createTransport, type Transporter } from 'nodemailer'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { select } from '../src/db/database.ts'
import { createReceiver, createSmtpIn } from '../src/doors/smtp-in.ts'
import { log, sample, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let port = 0
let stop: () => Promise<void>
const maxBytes = 600_000

beforeAll(async () => {
  server = await startTestServer()
  const smtp = createSmtpIn(
    createReceiver({ db: server.db, log, now: () => server.clock.now, maxBytes, takenIn: () => {} }),
  )
  await new Promise<void>(resolve => {
    const listening = smtp.listen(0, '127.0.0.1', () => {
      port = (listening.address() as { port: number }).port
      resolve()
    })
  })
  stop = () => new Promise(resolve => smtp.close(() => resolve()))
})
afterAll(async () => {
  await stop()
  await server.close()
})

interface Answer {
  readonly code: number
  readonly text: string
}

async function send(
  raw: Buffer | string,
  to: readonly string[],
  from = 'bounce@promo.example',
): Promise<Answer> {
  const transport: Transporter = createTransport({ host: '127.0.0.1', port, secure: false, ignoreTLS: true })
  try {
    const { response } = (await transport.sendMail({ envelope: { from, to: [...to] }, raw })) as {
      response: string
    }
    return { code: Number(response.slice(0, 3)), text: response }
  } catch (error) {
    const { responseCode, response } = error as { responseCode?: number; response?: string }
    return { code: responseCode ?? 0, text: response ?? String(error) }
  }
}

const rows = async (table: string) =>
  (await select<{ n: number }>(server.db, `SELECT COUNT(*) AS n FROM ${table}`))[0]?.n
const stored = async () => [
  await rows('messages'),
  await rows('message_sources'),
  await rows('message_senders'),
  await rows('deliveries'),
  await rows('delivery_judgements'),
  await rows('outbox'),
]

test('250 means committed: one message, one delivery a mailbox, aliases resolved, the bytes as they came', async () => {
  const raw = sample({ subject: 'For two' })
  const { code, text } = await send(raw, [
    'I.Solvang@harbour.example',
    'aksel+rota@harbour.example',
    'ingrid@harbour.example',
  ])
  expect(code).toBe(250)
  const messageId = Number(/as (\d+)/.exec(text)?.[1])
  const deliveries = await select<{ mailbox_id: number; address_used: string }>(
    server.db,
    'SELECT mailbox_id, address_used FROM deliveries WHERE message_id = :messageId ORDER BY mailbox_id',
    { messageId },
  )
  expect(deliveries.map(d => [d.mailbox_id, d.address_used.toLowerCase()])).toEqual([
    [server.mailbox('ingrid'), 'i.solvang@harbour.example'],
    [server.mailbox('aksel'), 'aksel+rota@harbour.example'],
  ])
  const per = await signedIn(server, 'per')
  const [delivery] = await select<{ id: number }>(
    server.db,
    'SELECT id FROM deliveries WHERE message_id = :messageId LIMIT 1',
    { messageId },
  )
  const source = await per
    .get(`/api/deliveries/${delivery?.id}/source`)
    .buffer(true)
    .parse((res, done) => {
      const chunks: Buffer[] = []
      res.on('data', (chunk: Buffer) => chunks.push(chunk))
      res.on('end', () => done(null, Buffer.concat(chunks)))
    })
  expect((source.body as Buffer).toString('latin1').trimEnd()).toBe(raw.toString('latin1').trimEnd())
})

describe('what is refused, with its code and nothing half stored', () => {
  const nested = (levels: number) => {
    let body = 'Content-Type: text/plain\r\n\r\nin the middle'
    for (let i = 0; i < levels; i += 1)
      body = `Content-Type: multipart/mixed; boundary=b${i}\r\n\r\n--b${i}\r\n${body}\r\n--b${i}--`
    return `From: a@deep.example\r\nTo: ingrid@harbour.example\r\nSubject: deep\r\nMIME-Version: 1.0\r\n${body}\r\n`
  }
  const many = `From: a@many.example\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${'--b\r\n\r\nx\r\n'.repeat(3000)}--b--\r\n`
  test.each<[string, string, string, number, RegExp]>([
    [
      'an unknown mailbox',
      'From: a@x.example\r\n\r\nhello',
      'nobody@harbour.example',
      550,
      /5\.1\.1 No mailbox here has the address nobody@harbour\.example/,
    ],
    [
      'an address of another domain',
      'From: a@x.example\r\n\r\nhello',
      'ingrid@elsewhere.example',
      550,
      /5\.1\.1/,
    ],
    [
      'too large',
      `From: a@x.example\r\nSubject: big\r\n\r\n${'0123456789abcdef\r\n'.repeat(40_000)}`,
      'ingrid@harbour.example',
      552,
      /larger than 600000 bytes/,
    ],
    ['endlessly nested', nested(3000), 'ingrid@harbour.example', 554, /5\.6\.0/],
    ['thousands of parts', many, 'ingrid@harbour.example', 554, /5\.6\.0/],
  ])('%s', async (_name, raw, to, code, text) => {
    const before = await stored()
    const answer = await send(raw, [to])
    expect(answer.code).toBe(code)
    expect(answer.text).toMatch(text)
    expect(await stored()).toEqual(before)
  })
})

test('what can not be read is kept, quarantined with that reason, and shown raw', async () => {
  const { code, text } = await send(
    '\u0001\u0002 this is no message at all\r\n\r\njust bytes <b>and</b> marks',
    ['kari@harbour.example'],
  )
  expect(code).toBe(250)
  const [delivery] = await select<{ id: number; state: string }>(
    server.db,
    'SELECT id, state FROM deliveries WHERE message_id = :id',
    { id: Number(/as (\d+)/.exec(text)?.[1]) },
  )
  expect(delivery?.state).toBe('quarantined')
  const per = await signedIn(server, 'per')
  const { body } = await per.get(`/api/deliveries/${delivery?.id}`)
  expect(body.unreadable).toBe(true)
  expect(body.evidence.map((e: { finding: string }) => e.finding)).toContain('could-not-be-read')
  const view = await per.get(`/api/deliveries/${delivery?.id}/view`)
  expect(view.text).toContain('just bytes &#60;b&#62;and&#60;/b&#62; marks')
  expect(view.headers['content-security-policy']).toContain("default-src 'none'")
})

test('an empty reverse-path is taken (RFC 5321 §4.5.5)', async () => {
  expect((await send(sample({ subject: 'A bounce' }), ['kari@harbour.example'], '')).code).toBe(250)
})
