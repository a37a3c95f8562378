import { randomUUID } from 'node:crypto'
import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import type { AutomaticReplyShape, AwayPeriod, MailboxSheet } from '@pendro/contract'
import { noReply } from '@pendro/core/automatic-reply'
import { parseMessage } from '@pendro/core/message'
import { execute } from '../src/db/database.ts'
import { arrive, fakeStore, proven, signedIn, startTestServer, work, type TestServer } from './support.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
const start = new Date('2026-11-20T09:00:00Z')
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
})
afterEach(async () => {
  server.clock.now = start
  for (const table of ['automatic_replies', 'automatic_replies_sent', 'away_periods'])
    await execute(server.db, `DELETE FROM ${table}`)
})
afterAll(() => server.close())

const off = { ...noReply, inside: [], outside: [] }
const reply = (more: Partial<AutomaticReplyShape> = {}): AutomaticReplyShape => ({
  when: 'always',
  days: 7,
  inside: [
    { language: 'en', subject: '', text: 'Ask Kari meanwhile.' },
    { language: 'nb', subject: 'Borte', text: 'Spør Kari så lenge.' },
  ],
  outside: [{ language: 'en', subject: 'Away', text: 'I answer on Monday.' }],
  ...more,
})
const change = (mailbox: string, given: object) =>
  per.post(`/api/mailboxes/${server.mailbox(mailbox)}/changes`, { change: given, token: randomUUID() })
const set = async (mailbox: string, to: AutomaticReplyShape) => {
  const { status, body } = await change(mailbox, { what: 'reply', was: off, to })
  expect([status, body.code]).toEqual([200, undefined])
  return body.change as number
}
const ben = {
  from: 'Ben <ben@sender.example>',
  subject: 'Berths for Monday',
  body: 'Please find the berths for Monday below.',
  headers: [proven('sender.example'), 'To: ingrid@harbour.example'],
}
/** Copies that go on are ours by their first field. */
const isReply = ({ raw }: { raw: string }) => !raw.startsWith('Pendro-')

/** Takes messages in and sends all there is to send; the replies among it. */
async function answersTo(
  ...letters: readonly Parameters<typeof arrive>[1][]
): Promise<{ to: string; raw: string }[]> {
  const store = fakeStore()
  for (const letter of letters) {
    const from = /<(.*)>/.exec(letter?.from ?? '')?.[1] ?? ''
    await arrive(server, { envelopeFrom: from, ...letter })
  }
  for (let i = 0; i < 4; i += 1) await work(server, store.send)
  return store.taken.filter(isReply)
}

describe('a reply goes', () => {
  test('once to a sender, as the standards have it, and the record says to whom', async () => {
    await set('ingrid', reply())
    const [sent, ...more] = await answersTo(ben, ben)
    expect(more).toEqual([])
    expect(sent?.to).toBe('ben@sender.example')
    const parsed = await parseMessage(Buffer.from(sent?.raw ?? ''))
    if (!parsed.ok) throw new Error('unreadable')
    const field = (name: string) => parsed.value.headers.find(one => one.name.toLowerCase() === name)?.value
    expect(parsed.value.subject).toBe('Away')
    expect(parsed.value.text.trim()).toBe('I answer on Monday.')
    // RFC 3834 §3.1: from the mailbox, to the return path, in the thread, and marked.
    expect(field('from')).toContain('ingrid@harbour.example')
    expect(field('to')).toContain('ben@sender.example')
    expect(field('in-reply-to')).toMatch(/^<\d+@test\.example>$/)
    expect(field('references')).toBe(field('in-reply-to'))
    expect(field('auto-submitted')).toBe('auto-replied')
    expect(sent?.raw).not.toMatch(/^Pendro-/m)
    const { body } = await per.get('/api/record?what=mailboxes&who=everybody')
    expect(body.lines[0]).toMatchObject({ act: 'auto-replied', facts: { to: 'ben@sender.example' } })
    const sheet = (await per.get(`/api/mailboxes/${server.mailbox('ingrid')}`)).body as MailboxSheet
    expect(sheet.answered.map(({ address }) => address)).toEqual(['ben@sender.example'])
  })

  test('again after its days, and not a moment before', async () => {
    await set('ingrid', reply({ days: 3 }))
    expect(await answersTo(ben)).toHaveLength(1)
    server.clock.now = new Date(start.getTime() + 3 * 86_400_000 - 1000)
    expect(await answersTo(ben)).toHaveLength(0)
    server.clock.now = new Date(start.getTime() + 3 * 86_400_000 + 1000)
    expect(await answersTo(ben)).toHaveLength(1)
  })

  test('with a tag it is the same sender', async () => {
    await set('ingrid', reply())
    expect(await answersTo(ben, { ...ben, from: 'Ben <ben+x@sender.example>' })).toHaveLength(1)
  })

  test('to a colleague in their language, and in all where theirs is not there', async () => {
    await set('ingrid', reply())
    const from = (name: string) => ({
      ...ben,
      from: `${name} <${name}@harbour.example>`,
      headers: [proven('harbour.example'), 'To: ingrid@harbour.example'],
    })
    await execute(
      server.db,
      "UPDATE mailboxes SET language = IF(name = 'Kari', 'nb', 'pl') WHERE name IN ('Kari', 'Aksel')",
    )
    const texts = async (name: string) => {
      const [sent] = await answersTo(from(name))
      const parsed = await parseMessage(Buffer.from(sent?.raw ?? ''))
      return parsed.ok ? [parsed.value.subject, parsed.value.text.trim()] : null
    }
    expect(await texts('kari')).toEqual(['Borte', 'Spør Kari så lenge.'])
    expect(await texts('aksel')).toEqual([
      'Auto: Berths for Monday',
      'Ask Kari meanwhile.\n\n* * *\n\nSpør Kari så lenge.',
    ])
  })

  test('only while away, by the days of the colleague’s zone', async () => {
    await set('ingrid', reply({ when: 'away' }))
    const period: AwayPeriod = { from: '2026-11-21', back: '2026-11-23', note: '', digestsTo: null }
    await change('ingrid', { what: 'away', was: [], to: [period] })
    const at = async (iso: string, sender: string) => {
      server.clock.now = new Date(iso)
      return (await answersTo({ ...ben, from: `${sender} <${sender}@sender.example>` })).length
    }
    // Oslo is an hour before UTC in November.
    expect(await at('2026-11-20T22:59:00Z', 'a')).toBe(0)
    expect(await at('2026-11-20T23:00:00Z', 'b')).toBe(1)
    expect(await at('2026-11-22T22:59:00Z', 'c')).toBe(1)
    expect(await at('2026-11-22T23:00:00Z', 'd')).toBe(0)
  })

  test('sent later when the store is away, and then once', async () => {
    await set('ingrid', reply())
    await arrive(server, { ...ben, envelopeFrom: 'ben@sender.example' })
    const store = fakeStore()
    await work(server, store.send)
    store.mood.answer = { status: 'later', problem: '421' }
    await work(server, store.send)
    store.mood.answer = { status: 'taken' }
    server.clock.now = new Date(start.getTime() + 60_000)
    await arrive(server, { ...ben, envelopeFrom: 'ben@sender.example' })
    for (let i = 0; i < 3; i += 1) await work(server, store.send)
    expect(store.taken.filter(isReply)).toHaveLength(1)
  })
})

describe('no reply goes', () => {
  test.each([
    ['to a list', { headers: [...ben.headers, 'List-Id: <news.sender.example>'] }],
    ['to bulk mail', { headers: [...ben.headers, 'Precedence: bulk'] }],
    ['to an automatic reply', { headers: [...ben.headers, 'Auto-Submitted: auto-replied'] }],
    ['to mail that names others', { headers: [proven('sender.example'), 'To: everybody@sender.example'] }],
    [
      'to what is kept back',
      { body: undefined, subject: 'A parcel waits', headers: ['To: ingrid@harbour.example'] },
    ],
    ['to a sender that nothing proves', { headers: ['To: ingrid@harbour.example'] }],
  ])('%s', async (_name, more) => {
    await set('ingrid', reply())
    const { body: _body, ...rest } = ben
    expect(
      await answersTo({ ...rest, ...('body' in more ? {} : { body: ben.body }), ...more } as typeof ben),
    ).toEqual([])
  })

  test('two who are away answer each other once', async () => {
    for (const name of ['ingrid', 'kari']) await set(name, reply())
    const [first] = await answersTo({
      ...ben,
      from: 'Kari <kari@harbour.example>',
      headers: [proven('harbour.example'), 'To: ingrid@harbour.example'],
    })
    expect(first?.to).toBe('kari@harbour.example')
    // The answer as mail that comes in, with the return path a relay might give it.
    const headers = (first?.raw ?? '').split('\r\n\r\n')[0]?.split('\r\n') ?? []
    const back = await answersTo({
      from: 'Ingrid <ingrid@harbour.example>',
      to: ['kari@harbour.example'],
      subject: 'Away',
      body: 'Ask Kari meanwhile.',
      headers: [
        proven('harbour.example'),
        'To: kari@harbour.example',
        ...headers.filter(line => /^(?:auto-submitted|in-reply-to|references):/i.test(line)),
      ],
    })
    expect(back).toEqual([])
  })

  test('without a text for others, others get none; off is off, and keeps its texts', async () => {
    await set('ingrid', reply({ outside: [] }))
    expect(await answersTo(ben)).toEqual([])
    const now = ((await per.get(`/api/mailboxes/${server.mailbox('ingrid')}`)).body as MailboxSheet).reply
    await change('ingrid', { what: 'reply', was: now, to: { ...now, when: 'off', outside: reply().outside } })
    expect(await answersTo(ben)).toEqual([])
    const kept = ((await per.get(`/api/mailboxes/${server.mailbox('ingrid')}`)).body as MailboxSheet).reply
    expect(kept).toMatchObject({ when: 'off', inside: reply().inside, outside: reply().outside })
  })

  test('to what a person released', async () => {
    await set('ingrid', reply())
    const [id = 0] = await arrive(server, {
      headers: [proven('sender.example'), 'To: ingrid@harbour.example'],
      envelopeFrom: 'ben@sender.example',
      from: ben.from,
    })
    await per.post('/api/rulings', {
      deliveries: [id],
      sentence: {
        message: 'release',
        learn: 'nothing',
        sender: 'as-is',
        width: 'address',
        for: 'colleague',
        withoutAuthentication: false,
        reason: 'asked for',
      },
      token: randomUUID(),
    })
    expect(await answersTo()).toEqual([])
  })
})

describe('it is set', () => {
  test('as one act, with its undo; somebody else being first is told', async () => {
    const id = await set('ingrid', reply())
    expect((await change('ingrid', { what: 'reply', was: off, to: reply({ days: 1 }) })).body.code).toBe(
      'MAILBOX_CHANGED',
    )
    await per.post(`/api/mailbox-changes/${id}/undo`, {})
    const sheet = (await per.get(`/api/mailboxes/${server.mailbox('ingrid')}`)).body as MailboxSheet
    expect(sheet.reply).toEqual(off)
  })

  test.each([
    ['on without a text', { inside: [], outside: [] }, 'BAD_REPLY'],
    ['two texts in a language', { inside: [...reply().inside, ...reply().inside] }, 'BAD_REPLY'],
    ['every hour', { days: 0 }, 'BAD_REQUEST'],
    ['a text without words', { outside: [{ language: 'en', subject: '', text: ' ' }] }, 'BAD_REQUEST'],
    [
      'a language nobody speaks here',
      { outside: [{ language: 'xx', subject: '', text: 'x' }] },
      'BAD_REQUEST',
    ],
  ])('%s is refused', async (_name, more, code) => {
    const { body } = await change('ingrid', {
      what: 'reply',
      was: off,
      to: reply(more as Partial<AutomaticReplyShape>),
    })
    expect(body.code).toBe(code)
  })

  test('the preview is the very message', async () => {
    const preview = async (to: string, language = 'nb') =>
      (
        await per.post(`/api/mailboxes/${server.mailbox('ingrid')}/reply`, {
          reply: reply({ when: 'off' }),
          to,
          language,
        })
      ).body.message as { subject: string; text: string; headers: { name: string; value: string }[] } | null
    expect(await preview('other')).toMatchObject({
      subject: 'Away',
      text: expect.stringContaining('I answer on Monday.') as string,
    })
    const inside = await preview('colleague')
    expect(inside).toMatchObject({ subject: 'Borte' })
    expect(inside?.headers.find(({ name }) => name === 'Auto-Submitted')?.value).toBe('auto-replied')
  })
})
