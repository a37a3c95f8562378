import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { ContactsAnswer, MailboxSheet } from '@pendro/contract'
import { select } from '../src/db/database.ts'
import { arrive, found, proven, ruling, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
let oda: typeof per

beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  oda = await signedIn(server, 'oda')
})
afterAll(() => server.close())

// As an address book writes them out (RFC 6350), folded and with two addresses in one card.
const cards = [
  'BEGIN:VCARD',
  'VERSION:4.0',
  'FN:Anna Quist',
  'EMAIL;TYPE=work:anna@partner.example',
  'EMAIL;TYPE=home:Anna.Quist+private@home.ex',
  ' ample',
  'END:VCARD',
  'BEGIN:VCARD',
  'VERSION:3.0',
  'FN:Nobody',
  'EMAIL:no address',
  'END:VCARD',
].join('\r\n')

const send = (text: string | Buffer, mailbox: number | 'everybody', act: 'look' | 'add', by = per) =>
  by.postFile(`/api/contacts?name=book.vcf&mailbox=${mailbox}&act=${act}`, Buffer.from(text))
const kari = () => server.mailbox('kari')
const sheet = async () => (await per.get(`/api/mailboxes/${kari()}`)).body as MailboxSheet

async function weightIn(to: string, given: object = {}): Promise<number | undefined> {
  const [id = 0] = await arrive(server, {
    from: 'Anna <anna@partner.example>',
    headers: [proven('partner.example')],
    body: '<p>Hi</p>',
    to: [to],
    ...given,
  })
  const rows = await select<{ evidence: { finding: string; weight: number }[] }>(
    server.db,
    'SELECT evidence FROM delivery_judgements WHERE delivery_id = :id',
    { id },
  )
  return rows[0]?.evidence.find(({ finding }) => finding === 'in-contacts')?.weight
}

describe('contacts', () => {
  test('a look says what would come in, and changes nothing', async () => {
    const { body } = (await send(cards, kari(), 'look')) as { body: ContactsAnswer }
    expect(body).toMatchObject({ added: 2, known: 0, leftLines: 1, change: null })
    expect(body.left[0]).toMatchObject({ line: 8, typed: 'Nobody <no address>' })
    expect((await sheet()).contacts).toBe(0)
  })
  test('of one mailbox they weigh there alone, half without proof; again they are known; undo', async () => {
    const { body } = (await send(cards, kari(), 'add')) as { body: ContactsAnswer }
    expect(body.added).toBe(2)
    expect((await sheet()).contacts).toBe(2)
    expect(await weightIn('kari@harbour.example')).toBe(-1)
    expect(await weightIn('ingrid@harbour.example')).toBeUndefined()
    expect(await weightIn('kari@harbour.example', { headers: [] })).toBe(-0.5)
    // A tag of the sender is the sender.
    expect(
      await weightIn('kari@harbour.example', { from: 'Anna <anna.quist+new@home.example>', headers: [] }),
    ).toBe(-0.5)
    expect((await send(cards, kari(), 'add')).body).toMatchObject({ added: 0, known: 2, change: null })
    expect((await per.post(`/api/mailbox-changes/${body.change}/undo`, {})).status).toBe(200)
    expect((await sheet()).contacts).toBe(0)
    expect(await weightIn('kari@harbour.example')).toBeUndefined()
    expect((await per.post(`/api/mailbox-changes/${body.change}/undo`, {})).body.code).toBe('ALREADY_UNDONE')
  })
  test('of everybody they weigh everywhere, once, and are the stewards’; taken out, and put back by undo', async () => {
    expect((await send(cards, 'everybody', 'add')).body.code).toBe('NEEDS_STEWARD')
    await send(cards, kari(), 'add')
    expect((await send(cards, 'everybody', 'add', oda)).body.added).toBe(2)
    expect(await weightIn('ingrid@harbour.example')).toBe(-1)
    expect(await weightIn('kari@harbour.example')).toBe(-1)
    const { body } = await oda.post('/api/contacts/clear', { mailbox: 'everybody' })
    expect(body.removed).toBe(2)
    expect(await weightIn('ingrid@harbour.example')).toBeUndefined()
    expect((await per.post(`/api/mailbox-changes/${body.change}/undo`, {})).body.code).toBe('NEEDS_STEWARD')
    await oda.post(`/api/mailbox-changes/${body.change}/undo`, {})
    expect(await weightIn('ingrid@harbour.example')).toBe(-1)
    const record = await oda.get('/api/record?what=mailboxes&who=everybody')
    expect(record.body.lines[0]).toMatchObject({ act: 'mailbox-undone', facts: { what: 'contacts' } })
  })
  test.each([
    ['nothing', ''],
    ['no text', Buffer.from([0, 1, 2, 255, 0, 0])],
    ['no address', 'BEGIN:VCARD\r\nFN:Nobody\r\nEND:VCARD'],
    ['a domain only', '@whole.example'],
    ['too many', Array.from({ length: 20_001 }, (_, i) => `a${i}@many.example`).join('\n')],
  ])('%s is refused in words, and nothing is kept', async (_, text) => {
    const before = (await sheet()).contacts
    expect((await send(text, kari(), 'add')).body.code).toBe('BAD_CONTACTS')
    expect((await sheet()).contacts).toBe(before)
  })
  test('a mailbox that is not there', async () => {
    expect((await send(cards, 999_999, 'look')).body.code).toBe('MAILBOX_NOT_FOUND')
  })
})

describe('mailing lists people want', () => {
  const post = (poster: string, more: object = {}) =>
    arrive(server, {
      from: `${poster} <${poster}@anywhere.example>`,
      headers: [
        'List-Id: Crew <crew.lists.guild.example>',
        found('dkim=pass header.d=guild.example', 'guild.example'),
      ],
      body: '<p>Minutes <a href="https://files.dropshelf.example/m">here</a></p>',
      ...more,
    })
  async function knownList(ids: readonly number[]): Promise<boolean> {
    const rows = await select<{ evidence: { finding: string }[] }>(
      server.db,
      'SELECT evidence FROM delivery_judgements WHERE delivery_id IN (:ids)',
      { ids },
    )
    return rows.some(({ evidence }) => evidence.some(({ finding }) => finding === 'known-list'))
  }
  test('what one poster’s mail was called counts for the next one, while the list itself is proven', async () => {
    const first = await post('tor')
    expect(await knownList(first)).toBe(false)
    const ruled = await per.post(
      '/api/rulings',
      ruling(first, { message: 'release', learn: 'wanted', reason: 'list' }),
    )
    expect(ruled.status).toBe(200)
    expect(await knownList(await post('siv'))).toBe(true)
    // Anybody can write a List-Id.
    const forged = [
      'List-Id: Crew <crew.lists.guild.example>',
      found('dkim=pass header.d=evil.example', 'evil.example'),
    ]
    expect(await knownList(await post('mal', { headers: forged }))).toBe(false)
    await per.post(`/api/rulings/${ruled.body.id}/undo`, {})
    expect(await knownList(await post('una'))).toBe(false)
  })
})
