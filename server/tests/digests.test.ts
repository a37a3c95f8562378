import { spawnSync } from 'node:child_process'
import { afterAll, beforeEach, describe, expect, test } from 'vitest'
import { parseMessage } from '@pendro/core/message'
import { execute } from '../src/db/database.ts'
import {
  arrive as arriveAsIs,
  fakeStore,
  proven,
  ruling,
  type Sample,
  signedIn,
  startTestServer,
  work,
  type TestServer,
} from './support.ts'

const servers: TestServer[] = []
let server: TestServer
beforeEach(async () => {
  server = await startTestServer()
  servers.push(server)
})
afterAll(() => Promise.all(servers.map(({ close }) => close())))

/** Over the limit, but not near-certain junk: that would be left out. */
const arrive = (to: TestServer, { from = 'Deals <deals@promo.example>', ...given }: Sample = {}) =>
  arriveAsIs(to, { from, headers: [proven(/@([\w.-]+)>/.exec(from)?.[1] ?? '')], ...given })

/** And not the welcome that goes beside somebody's first. */
const isDigest = ({ raw }: { raw: string }) => /^List-Id:/im.test(raw)

const tick = (minutes = 1) => {
  server.clock.now = new Date(server.clock.now.getTime() + minutes * 60_000)
}

test('nothing kept back: the preview says so, and sending is refused in words', async () => {
  const per = await signedIn(server, 'per')
  expect((await per.get(`/api/mailboxes/${server.mailbox('kari')}/digest`)).body).toMatchObject({
    listed: 0,
    leftOut: 0,
    message: null,
  })
  const answer = await per.post(`/api/mailboxes/${server.mailbox('kari')}/digest`, {})
  expect([answer.status, answer.body.code]).toEqual([409, 'NOTHING_TO_SEND'])
  expect((await per.get('/api/mailboxes/99999/digest')).body.code).toBe('MAILBOX_NOT_FOUND')
})

test('each kept-back message falls into one digest; what was ruled on falls into none', async () => {
  const per = await signedIn(server, 'per')
  const path = `/api/mailboxes/${server.mailbox('ingrid')}/digest`
  await arrive(server, { subject: 'First' })
  const [ruled = 0] = await arrive(server, {
    subject: 'Ruling, left in place',
    from: 'Else <else@other.example>',
  })
  await per.post('/api/rulings', ruling([ruled], { message: 'discard' }))
  tick()
  const preview = await per.get(path)
  expect(preview.body.message.text).toContain('First')
  expect(preview.body.message.text).not.toContain('Ruling, left in place')
  expect((await per.post(path, {})).body).toMatchObject({ listed: 1, leftOut: 0 })
  tick()
  expect((await per.post(path, {})).body.code).toBe('NOTHING_TO_SEND')
  await arrive(server, { subject: 'Second' })
  tick()
  const { body } = await per.get(path)
  expect(body.message.text).toContain('Second')
  expect(body.message.text).not.toContain('First')
  expect(body.sent).toHaveLength(1)
})

test('a line is left out, another gets a word from the help desk; both stand in the record', async () => {
  const per = await signedIn(server, 'per')
  const path = `/api/mailboxes/${server.mailbox('ingrid')}/digest`
  const [out = 0] = await arrive(server, { subject: 'Leave me out' })
  const [noted = 0] = await arrive(server, { subject: 'Say something', from: 'Shop <a@shop.example>' })
  tick()
  await per.post(`/api/deliveries/${out}/digest-note`, { leaveOut: true })
  await per.post(`/api/deliveries/${noted}/digest-note`, {
    leaveOut: false,
    note: 'Is this the <b>order</b>?',
  })
  const { body } = await per.get(path)
  const lineOf = (id: number) => body.lines.find((line: { deliveryId: number }) => line.deliveryId === id)
  expect([lineOf(out).leaveOut, lineOf(noted).leaveOut]).toEqual([true, false])
  expect(body.message.text).toContain('A note from your help desk: Is this the <b>order</b>?')
  expect(body.message.html).not.toContain('<b>order</b>')
  expect(body.message.text).not.toContain('Leave me out')
  expect([body.listed, body.leftOut]).toEqual([1, 1])
  await per.post(path, {})
  expect((await per.post(`/api/deliveries/${noted}/digest-note`, { leaveOut: true })).body.code).toBe(
    'DIGEST_GONE',
  )
  const { lines } = (await per.get('/api/record?what=digests')).body
  expect(lines.map(({ act }: { act: string }) => act)).toEqual([
    'digest-sent',
    'digest-note',
    'digest-left-out',
  ])
})

test('two staffers at the same moment send one digest', async () => {
  await arrive(server)
  tick()
  const [oda, per] = await Promise.all([signedIn(server, 'oda'), signedIn(server, 'per')])
  const path = `/api/mailboxes/${server.mailbox('ingrid')}/digest`
  const answers = await Promise.all([oda.post(path, {}), per.post(path, {})])
  expect(answers.map(({ status }) => status).sort()).toEqual([200, 409])
  const store = fakeStore()
  await work(server, store.send)
  expect(store.taken.filter(isDigest)).toHaveLength(1)
})

describe('the message', () => {
  test('is a real one: two bodies, its own headers, and names as they are', async () => {
    await arrive(server, { from: '"Bank \u202egro.knab" <x@odd.example>', subject: 'Zażółć <b>gęślą</b>' })
    tick()
    const per = await signedIn(server, 'per')
    await per.post(`/api/mailboxes/${server.mailbox('ingrid')}/digest`, {})
    const store = fakeStore()
    await work(server, store.send)
    const raw = store.taken.find(isDigest)?.raw ?? ''
    const parsed = await parseMessage(Buffer.from(raw))
    if (!parsed.ok) throw new Error(parsed.problem.code)
    const { headers, text, html, listId } = parsed.value
    const value = (name: string) => headers.find(field => field.name.toLowerCase() === name)?.value
    expect(value('auto-submitted')).toBe('auto-generated') // RFC 3834 §5
    expect(listId).toBe('digests.harbour.example') // RFC 2919
    expect(text).toContain('Zażółć <b>gęślą</b>')
    expect(html).toContain('Zażółć &#60;b&#62;gęślą&#60;/b&#62;')
    expect(text + html).not.toMatch(/\u202e/)
    expect(html).not.toMatch(/<img|src=|url\(/)
  })

  const hasPython = spawnSync('python3', ['-c', 'import email'], { stdio: 'ignore' }).status === 0
  test.skipIf(!hasPython).each(['en', 'nb', 'de', 'pl'])(
    'in %s is read the same by Python’s email package (RFC 5322, 2047; skipped where there is no python3)',
    async language => {
      await execute(server.db, 'UPDATE mailboxes SET language = :language, name = :name WHERE id = :id', {
        language,
        name: 'Zoë Łukasiewicz 山田',
        id: server.mailbox('ingrid'),
      })
      await arrive(server, {
        from: '"Größe & Söhne 日本" <x@odd.example>',
        subject: `Zażółć gęślą ${'jaźń '.repeat(20)}🚢`,
      })
      tick()
      const per = await signedIn(server, 'per')
      const path = `/api/mailboxes/${server.mailbox('ingrid')}/digest`
      const { message } = (await per.get(path)).body
      await per.post(path, {})
      const store = fakeStore()
      await work(server, store.send)
      const raw = store.taken.find(isDigest)?.raw ?? ''
      // RFC 5322 §2.1.1: no line is longer than 998 octets.
      expect(Math.max(...raw.split('\r\n').map(line => Buffer.byteLength(line)))).toBeLessThanOrEqual(998)
      const script = [
        'import sys, json, email, email.policy',
        'from email.header import decode_header, make_header',
        'data = sys.stdin.buffer.read()',
        'm = email.message_from_bytes(data, policy=email.policy.default)',
        // The older interface: the newer one keeps the space between two encoded words (RFC 2047 §6.2 drops it).
        'raw = email.message_from_bytes(data)',
        'part = lambda kind: m.get_body((kind,)).get_content()',
        "print(json.dumps([m['subject'], str(make_header(decode_header(raw['to']))).split(' <')[0].strip('\"'), m['auto-submitted'], m['reply-to'].addresses[0].addr_spec, [p.get_content_type() for p in m.iter_parts()], part('plain'), part('html'), len(m.defects)]))",
      ].join('\n')
      const theirs = JSON.parse(
        spawnSync('python3', ['-c', script], { input: raw, encoding: 'utf8' }).stdout,
      ) as unknown[]
      const hidden = (text: unknown) =>
        String(text)
          .replaceAll('\r\n', '\n')
          .replace(/[2-9A-Z]{3}-[2-9A-Z]{3}/g, '•••-•••')
          .trim()
      expect(theirs.slice(0, 5)).toEqual([
        message.subject,
        'Zoë Łukasiewicz 山田',
        'auto-generated',
        'digest@harbour.example',
        ['text/plain', 'text/html'],
      ])
      expect(hidden(theirs[5])).toBe(hidden(message.text))
      expect(hidden(theirs[6])).toBe(hidden(message.html))
      expect(theirs[7]).toBe(0)
    },
  )

  test('of a shared mailbox goes to its minders', async () => {
    await arrive(server, { to: ['bookings@harbour.example'] })
    tick()
    const per = await signedIn(server, 'per')
    await per.post(`/api/mailboxes/${server.mailbox('bookings')}/digest`, {})
    const store = fakeStore()
    await work(server, store.send)
    expect(
      store.taken
        .filter(isDigest)
        .map(({ to }) => to)
        .sort(),
    ).toEqual(['aksel@harbour.example', 'kari@harbour.example'])
  })
})
