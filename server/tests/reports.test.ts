import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { parseMessage } from '@pendro/core/message'
import { select } from '../src/db/database.ts'
import { reportByMail } from '../src/reports/by-mail.ts'
import { arrive, proven, sample, signedIn, startTestServer, type TestServer } from './support.ts'
import type { SmtpRefusal } from '../src/intake/smtp-answers.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())

const lessons = () =>
  select<{ verdict: string; message_id: number }>(
    server.db,
    'SELECT verdict, message_id FROM lessons ORDER BY id',
  )
const handIn = (raw: Buffer, verdict = 'phishing') => per.postFile(`/api/reports?verdict=${verdict}`, raw)

describe('handed in as a file', () => {
  test('a message Pendro has seen: learned once, in the record, undone from there', async () => {
    const [id = 0] = await arrive(server, { subject: 'It got through' })
    const source = await per
      .get(`/api/deliveries/${id}/source`)
      .buffer(true)
      .parse((res, done) => {
        const chunks: Buffer[] = []
        res.on('data', (chunk: Buffer) => chunks.push(chunk))
        res.on('end', () => done(null, Buffer.concat(chunks)))
      })
    const before = await lessons()
    const { body } = await handIn(source.body as Buffer)
    expect(body).toMatchObject({ subject: 'It got through', deliveryId: id })
    expect((await lessons()).length).toBe(before.length + 1)
    await per.post(`/api/rulings/${body.rulingId}/undo`, {})
    expect(await lessons()).toEqual(before)
  })
  test('one it has never seen is learned all the same', async () => {
    const { body } = await handIn(sample({ subject: 'From elsewhere' }), 'junk')
    expect(body).toMatchObject({ subject: 'From elsewhere', deliveryId: null })
    expect((await lessons()).at(-1)?.verdict).toBe('junk')
  })
  test('what is no message: 400 in words, nothing learned; an observer: 403', async () => {
    const before = await lessons()
    expect((await handIn(Buffer.from('\u0001 not a message, just some text that goes on'))).body.code).toBe(
      'NO_MESSAGE',
    )
    for (const other of [
      'Notes: buy milk\r\n\r\nand bread',
      '{"from": "x@x.example", "to": ["y@x.example"]}',
      '<!doctype html>\n<title>From: us</title>\n<p>Hello',
      'From:\r\nSubject: nobody\r\n\r\nno sender',
      Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13]),
      'name,address\nAnna,anna@x.example\n',
    ])
      expect([other, (await handIn(Buffer.from(other))).body.code]).toEqual([other, 'NO_MESSAGE'])
    expect(await lessons()).toEqual(before)
    const una = await signedIn(server, 'una')
    expect((await una.postFile('/api/reports?verdict=junk', sample())).status).toBe(403)
    expect((await per.postFile('/api/reports', sample())).body.code).toBe('BAD_REQUEST')
    expect((await per.postFile('/api/reports?verdict=junk', '')).status).toBe(400)
  })
})

describe('by mail', () => {
  const report = (
    from: string,
    subject: string,
    attached: Buffer | null,
    headers: string[] = [proven('harbour.example')],
  ) =>
    Buffer.from(
      [
        `From: ${from}`,
        'To: report@harbour.example',
        `Subject: ${subject}`,
        'Message-ID: <r@harbour.example>',
        ...headers,
        'MIME-Version: 1.0',
        'Content-Type: multipart/mixed; boundary=rr',
        '',
        '--rr',
        'Content-Type: text/plain',
        '',
        'This came through.',
        ...(attached
          ? [
              '--rr',
              'Content-Type: message/rfc822',
              'Content-Disposition: attachment; filename=bad.eml',
              '',
              attached.toString('latin1'),
            ]
          : []),
        '--rr--',
        '',
      ].join('\r\n'),
    )
  const take = async (raw: Buffer) =>
    reportByMail(server.db, {
      raw,
      parsed: await parseMessage(raw),
      envelopeFrom: 'kari@harbour.example',
      connection: { ip: '127.0.0.1', helo: '' },
      authenticate: undefined,
      now: server.clock.now,
    })

  test('a colleague’s proven mail with the message attached is learned, and the record names the colleague', async () => {
    expect(
      await take(report('Kari <kari@harbour.example>', 'phishing!', sample({ subject: 'Attached bad one' }))),
    ).toEqual({ ok: true, value: 1 })
    expect((await lessons()).at(-1)?.verdict).toBe('phishing')
    const { body } = await per.get('/api/record?what=rulings&who=everybody')
    expect(body.lines[0]).toMatchObject({
      by: 'Kari',
      byKind: 'colleague',
      facts: { message: 'report', subject: 'Attached bad one' },
    })
  })
  test('one colleague teaches ten a day; the rest is taken, noted, and teaches nothing until tomorrow', async () => {
    const start = server.clock.now
    server.clock.now = new Date(start.getTime() + 2 * 86_400_000)
    const before = (await lessons()).length
    const send = (subject: string) => take(report('Kari <kari@harbour.example>', 'junk', sample({ subject })))
    for (let i = 0; i < 12; i += 1) expect(await send(`Flood ${i}`)).toEqual({ ok: true, value: 1 })
    expect((await lessons()).length).toBe(before + 10)
    const told = await select<{ facts: string }>(
      server.db,
      "SELECT CAST(facts AS CHAR) AS facts FROM record_entries WHERE act = 'ruling' ORDER BY id DESC LIMIT 12",
    )
    expect(told.map(({ facts }) => (JSON.parse(facts) as { learn: string }).learn)).toEqual([
      'nothing',
      'nothing',
      ...Array<string>(10).fill('junk'),
    ])
    server.clock.now = new Date(server.clock.now.getTime() + 86_400_001)
    await send('Tomorrow')
    // Sessions of the others would be over.
    server.clock.now = start
    expect((await lessons()).length).toBe(before + 11)
  })
  test.each<[string, Buffer, SmtpRefusal]>([
    ['nothing attached', report('kari@harbour.example', 'junk', null), 'report-without-message'],
    [
      'somebody else',
      report('eve@elsewhere.example', 'junk', sample(), [proven('elsewhere.example')]),
      'report-not-colleague',
    ],
    [
      'somebody who says to be a colleague',
      report('kari@harbour.example', 'junk', sample(), []),
      'report-unproven',
    ],
  ])('%s: refused in words, nothing learned', async (_name, raw, want) => {
    const before = await lessons()
    const answer = await take(raw)
    expect(!answer.ok && answer.problem).toBe(want)
    expect(await lessons()).toEqual(before)
  })
})

// RFC 5965 §2 and §3: the three parts of a report, in order, and the fields that must be there.
test('an abuse report has the parts and fields of RFC 5965, and the message as it came', async () => {
  const [id = 0] = await arrive(server, { subject: 'To be reported', from: 'Spam <spam@sender.example>' })
  const { text } = await per
    .get(`/api/deliveries/${id}/feedback-report`)
    .buffer(true)
    .parse((res, done) => {
      const chunks: Buffer[] = []
      res.on('data', (chunk: Buffer) => chunks.push(chunk))
      res.on('end', () => done(null, Buffer.concat(chunks).toString('utf8')))
    })
    .then(res => ({ text: res.body as string }))
  expect(text).toMatch(/Content-Type: multipart\/report; report-type=feedback-report; boundary=/)
  const boundary = /boundary="([^"]+)"/.exec(text)?.[1] ?? ''
  const types = text
    .split(`--${boundary}`)
    .slice(1, -1)
    .map(part => /Content-Type: ([^\r\n;]+)/.exec(part)?.[1])
  expect(types).toHaveLength(3)
  expect(types[0]).toBe('text/plain')
  expect(types[1]).toBe('message/feedback-report')
  expect(types[2]).toBe('message/rfc822')
  for (const field of [
    'Feedback-Type: abuse',
    'User-Agent: ',
    'Version: 1',
    'Reported-Domain: sender.example',
    'Original-Rcpt-To: <ingrid@harbour.example>',
  ])
    expect(text).toContain(field)
  expect(text).toContain('Subject: To be reported')
})
