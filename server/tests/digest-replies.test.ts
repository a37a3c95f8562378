import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { parseMessage } from '@pendro/core/message'
import { isReference, referenceOf } from '@pendro/core/digest'
import { execute, select } from '../src/db/database.ts'
import { takeReply } from '../src/digests/replies.ts'
import {
  arrive,
  fakeStore,
  proven,
  ruling,
  signedIn,
  startTestServer,
  stateOf,
  work,
  type TestServer,
  found,
  gateway,
} from './support.ts'

let server: TestServer
let ids: number[]
let references: string[]
let serial = 0

beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

/** A digest of five lines for Ingrid, as sent. */
beforeEach(async () => {
  // What the test before left in the queue is not this one's.
  await work(server, fakeStore().send)
  serial += 1
  ids = []
  for (let i = 0; i < 5; i += 1) {
    const domain = `shop${serial}-${i}.example`
    ids.push(
      ...(await arrive(server, {
        from: `Shop <desk@${domain}>`,
        subject: `Line ${i}`,
        headers: [proven(domain)],
      })),
    )
  }
  server.clock.now = new Date(server.clock.now.getTime() + 60_000)
  const per = await signedIn(server, 'per')
  await per.post(`/api/mailboxes/${server.mailbox('ingrid')}/digest`, {})
  const rows = await select<{ delivery_id: number; reference: string }>(
    server.db,
    'SELECT delivery_id, reference FROM digest_lines WHERE delivery_id IN (:ids)',
    { ids },
  )
  references = ids.map(id => rows.find(row => row.delivery_id === id)?.reference ?? '')
})

const authenticated = proven('harbour.example')

interface Sent {
  readonly from?: string
  readonly envelopeFrom?: string
  readonly body: string
  readonly headers?: readonly string[]
}

async function reply({
  from = 'Ingrid <ingrid@harbour.example>',
  envelopeFrom = 'ingrid@harbour.example',
  body,
  headers = [authenticated],
}: Sent) {
  serial += 1
  const raw = Buffer.from(
    [
      `From: ${from}`,
      'To: digest@harbour.example',
      'Subject: Re: Kept back for you: 5 messages',
      `Message-ID: <reply-${serial}@harbour.example>`,
      ...(headers.some(header => /^content-type/i.test(header))
        ? []
        : ['Content-Type: text/plain; charset=utf-8']),
      ...headers,
      '',
      body,
    ].join('\r\n'),
  )
  const parsed = await parseMessage(raw)
  const again = () =>
    takeReply(server.db, {
      publicUrl: 'https://mail.harbour.example',
      raw,
      parsed,
      envelopeFrom,
      connection: gateway,
      authenticate: undefined,
      now: server.clock.now,
    })
  return { taken: await again(), again }
}
const states = () => Promise.all(ids.map(id => stateOf(server.db, id)))
const digest = () =>
  references.map((reference, i) => `Shop <desk@shop.example>\n  Line ${i}\n  ${reference}`).join('\n\n')
const quoted = (text: string) =>
  text
    .split('\n')
    .map(line => `> ${line}`)
    .join('\n')
async function answer(): Promise<string> {
  const store = fakeStore()
  await work(server, store.send)
  const raw = store.taken.find(({ raw: text }) => text.includes('Auto-Submitted: auto-replied'))?.raw ?? ''
  const parsed = await parseMessage(Buffer.from(raw))
  return raw === '' || !parsed.ok ? '' : parsed.value.text
}

describe('what is left is released, what was removed is not', () => {
  test('two of five', async () => {
    const left = digest()
      .split('\n\n')
      .filter((_, i) => i === 1 || i === 3)
      .join('\n\n')
    await reply({ body: `Thanks!\n\nOn Friday, Pendro wrote:\n${quoted(left)}` })
    expect(await states()).toEqual(['quarantined', 'deferred', 'quarantined', 'deferred', 'quarantined'])
    const text = await answer()
    expect(text).toContain('2 messages are on their way to you')
    expect(text).toContain('Line 1')
    const [line] = await select(
      server.db,
      "SELECT by_kind, by_name, facts FROM record_entries WHERE act = 'digest-reply' ORDER BY id DESC LIMIT 1",
    )
    expect(line).toEqual({
      by_kind: 'colleague',
      by_name: 'Ingrid',
      facts: { released: 2, asked: 2 },
    })
  })
  test.each([
    ['a reference alone', () => references[2] ?? '', [authenticated]],
    ['in lower case', () => `please send ${(references[2] ?? '').toLowerCase()}`, [authenticated]],
    [
      'quoted-printable with a soft break in its middle',
      () => `=E2=82=AC ${(references[2] ?? '').slice(0, 2)}=\r\n${(references[2] ?? '').slice(2)}`,
      [
        authenticated,
        'Content-Type: text/plain; charset=utf-8',
        'Content-Transfer-Encoding: quoted-printable',
      ],
    ],
    [
      'base64',
      () => Buffer.from(`> ${references[2]}`).toString('base64'),
      [authenticated, 'Content-Type: text/plain; charset=utf-8', 'Content-Transfer-Encoding: base64'],
    ],
    [
      'HTML alone, in a quotation',
      () => `<div>Thanks</div><blockquote><p>Line 2</p><span>${references[2]}</span></blockquote>`,
      [authenticated, 'Content-Type: text/html; charset=utf-8'],
    ],
  ])('%s', async (_, body, headers) => {
    await reply({ body: body(), headers })
    expect(await states()).toEqual(['quarantined', 'quarantined', 'deferred', 'quarantined', 'quarantined'])
  })
  test('the same reply again is taken and does nothing more; a second one is told what was before', async () => {
    const { again } = await reply({ body: references[0] ?? '' })
    expect(await again()).toEqual({ ok: true, value: 'asked' })
    expect(await answer()).toContain('One message is on its way')
    await reply({ body: `${references[0]} ${references[1]}` })
    expect(await answer()).toMatch(/One message is on its way[^]*You already have it[^]*Sent to you/)
  })
})

describe('the word alone asks for a fresh digest', () => {
  test('it names all that is kept back, by the references there were; not again a moment later', async () => {
    const later = await arrive(server, {
      from: 'Late <desk@late.example>',
      subject: 'After the digest',
      headers: [proven('late.example')],
    })
    await reply({ body: 'digest' })
    const store = fakeStore()
    // The digest before this one is a minute old.
    expect(await answer()).toContain('You got a digest a few minutes ago')
    server.clock.now = new Date(server.clock.now.getTime() + 11 * 60_000)
    await reply({ body: 'digest' })
    await work(server, store.send)
    const [mail] = store.taken.filter(({ raw }) => raw.includes('Auto-Submitted: auto-generated'))
    const parsed = await parseMessage(Buffer.from(mail?.raw ?? ''))
    const text = parsed.ok ? parsed.value.text : ''
    for (const [i, reference] of references.entries())
      expect(text).toMatch(new RegExp(`Line ${i}\\n[^\\n]*\\n  ${reference}\\n`))
    expect(text).toContain('After the digest')
    expect(
      await select(
        server.db,
        'SELECT reference IS NOT NULL AS named FROM digest_lines WHERE delivery_id = :id',
        { id: later[0] },
      ),
    ).toEqual([{ named: 1 }])
    // A reply to it is understood like any other.
    await reply({ body: references[4] ?? '' })
    expect((await states())[4]).toBe('deferred')
  })
  test('nothing kept back is said', async () => {
    const per = await signedIn(server, 'per')
    const kept = await select<{ id: number }>(
      server.db,
      "SELECT id FROM deliveries WHERE mailbox_id = :id AND state IN ('quarantined', 'junk')",
      { id: server.mailbox('ingrid') },
    )
    await per.post(
      '/api/rulings',
      ruling(
        kept.map(({ id }) => id),
        { message: 'discard' },
      ),
    )
    server.clock.now = new Date(server.clock.now.getTime() + 11 * 60_000)
    await reply({ body: 'Digest' })
    expect(await answer()).toContain('Nothing is kept back for you at the moment')
  })
  test('who is not proven gets none', async () => {
    server.clock.now = new Date(server.clock.now.getTime() + 11 * 60_000)
    const { taken } = await reply({ body: 'digest', headers: [] })
    expect(taken).toMatchObject({ ok: false, problem: 'reply-unproven' })
  })
})

describe('nothing that pretends to be the colleague can', () => {
  test.each([
    ['a forged From', { headers: [found('dmarc=fail header.from=harbour.example')] }, 'reply-unproven'],
    ['no checks at all', { headers: [] }, 'reply-unproven'],
    [
      'a stranger',
      { from: 'Eve <eve@elsewhere.example>', headers: [proven('elsewhere.example')] },
      'reply-not-colleague',
    ],
    ['two From addresses', { from: 'ingrid@harbour.example, kari@harbour.example' }, 'reply-not-colleague'],
  ])('%s is refused', async (_, more, text) => {
    const { taken } = await reply({ body: digest(), ...more })
    expect(taken).toMatchObject({ ok: false, problem: expect.stringContaining(text) })
    expect(await states()).toEqual(Array(5).fill('quarantined'))
  })
  test('a colleague with somebody else’s reference', async () => {
    await reply({ from: 'Kari <kari@harbour.example>', envelopeFrom: 'kari@harbour.example', body: digest() })
    expect(await states()).toEqual(Array(5).fill('quarantined'))
    const text = await answer()
    expect(text).toContain('None of your messages has this code')
    // It does not say what the code stands for.
    expect(text).not.toContain('Line 0')
  })
  test('a minder answers for the mailbox they mind', async () => {
    const [id = 0] = await arrive(server, {
      to: ['bookings@harbour.example'],
      from: 'Shop <b@minded.example>',
      headers: [proven('minded.example')],
    })
    server.clock.now = new Date(server.clock.now.getTime() + 60_000)
    await (await signedIn(server, 'per')).post(`/api/mailboxes/${server.mailbox('bookings')}/digest`, {})
    const [line] = await select<{ reference: string }>(
      server.db,
      'SELECT reference FROM digest_lines WHERE delivery_id = :id',
      { id },
    )
    await reply({
      from: 'Kari <kari@harbour.example>',
      envelopeFrom: 'kari@harbour.example',
      body: line?.reference ?? '',
    })
    expect(await stateOf(server.db, id)).toBe('deferred')
  })
})

describe('programs and slips', () => {
  test.each([
    ['a notice of absence that quotes everything', ['Auto-Submitted: auto-replied']],
    ['a list', ['List-Id: <l.harbour.example>']],
    ['bulk', ['Precedence: bulk']],
  ])('%s releases nothing and is not answered', async (_, more) => {
    const { taken } = await reply({ body: quoted(digest()), headers: [authenticated, ...more] })
    expect(taken).toEqual({ ok: true, value: 'automatic' })
    expect(await states()).toEqual(Array(5).fill('quarantined'))
    expect(await answer()).toBe('')
  })
  test('a bounce with the empty reverse-path', async () => {
    await reply({ body: digest(), envelopeFrom: '' })
    expect(await states()).toEqual(Array(5).fill('quarantined'))
  })
  test('no reference left: nothing is released, and the answer says what to do', async () => {
    await reply({ body: 'Yes please!' })
    expect(await states()).toEqual(Array(5).fill('quarantined'))
    expect(await answer()).toContain('contains none of the codes')
    const [kept] = await select(
      server.db,
      'SELECT outcome, needs_look FROM digest_replies ORDER BY id DESC LIMIT 1',
    )
    expect(kept).toEqual({ outcome: 'nothing-left', needs_look: 1 })
  })
  test('a typing slip: told which it probably was, and nothing is released', async () => {
    const reference = references[4] ?? ''
    const typed =
      [...'23456789']
        .map(c => `${c}${reference.slice(1)}`)
        .find(one => one !== reference && !isReference(one)) ?? ''
    await reply({ body: typed })
    expect(await states()).toEqual(Array(5).fill('quarantined'))
    expect(await answer()).toContain(`If you meant ${reference}`)
  })
  test('a code nobody was ever sent', async () => {
    await reply({ body: referenceOf(4711) })
    expect(await answer()).toContain('None of your messages has this code')
  })
})

test.each([
  ['discarded', 'was discarded'],
  ['expired', 'is no longer kept'],
  ['sealed', 'Nobody can release it'],
  ['released', 'You already have it'],
])('a delivery that is %s meanwhile gets a polite answer', async (state, text) => {
  await execute(server.db, 'UPDATE deliveries SET state = :state WHERE id = :id', { state, id: ids[0] })
  await reply({ body: references[0] ?? '' })
  expect(await stateOf(server.db, ids[0] ?? 0)).toBe(state)
  expect(await answer()).toContain(text)
})

test('the answer is in the colleague’s language, in thread, and asks for no answer', async () => {
  await execute(server.db, "UPDATE mailboxes SET language = 'pl' WHERE id = :id", {
    id: server.mailbox('ingrid'),
  })
  await reply({ body: references.slice(0, 3).join('\n') })
  const store = fakeStore()
  await work(server, store.send)
  const raw = store.taken.find(({ raw: text }) => text.includes('Auto-Submitted: auto-replied'))?.raw ?? ''
  expect(raw).toMatch(/^In-Reply-To: <reply-\d+@harbour\.example>/m)
  expect(raw).toMatch(/^Subject: Re: /m)
  const parsed = await parseMessage(Buffer.from(raw))
  expect(parsed.ok && parsed.value.text).toContain('3 wiadomości są w drodze do Ciebie')
  await execute(server.db, "UPDATE mailboxes SET language = 'en' WHERE id = :id", {
    id: server.mailbox('ingrid'),
  })
})
