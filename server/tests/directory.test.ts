import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { DirectoryOutcome } from '@pendro/contract'
import { select } from '../src/db/database.ts'
import {
  arrive,
  asColleague,
  proven,
  sample,
  signedIn,
  startTestServer,
  throughTheDoor,
  type TestServer,
} from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let per: typeof oda
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())

const at = (name: string) => `${name}@harbour.example`
const change = (lines: object[], by = oda) =>
  by.post('/api/directory/changes', { lines, reason: 'a test', token: randomUUID() })
const undo = (act: number) => oda.post(`/api/mailbox-changes/${act}/undo`, {})
const sheet = async (id: number) => (await oda.get(`/api/mailboxes/${id}`)).body.mailbox
const numberOf = async (address: string): Promise<number> => {
  const [row] = await select<{ mailbox_id: number }>(
    server.db,
    'SELECT mailbox_id FROM mailbox_addresses WHERE address = :address',
    { address },
  )
  return row?.mailbox_id ?? 0
}
const everything = () =>
  Promise.all(
    ['mailboxes', 'mailbox_addresses', 'minders'].map(table =>
      select(server.db, `SELECT * FROM ${table} ORDER BY 1, 2`),
    ),
  )
const mailTo = (address: string) =>
  throughTheDoor(server, { from: 'a@b.example', to: [address], raw: sample().toString() })

describe('one by one', () => {
  test('added, changed, and taken back: as if it had not been', async () => {
    const { body, status } = await change([
      {
        address: 'Nora@harbour.example',
        fields: { name: 'Nora Vik', department: 'Finance', aliases: at('n.vik') },
      },
    ])
    expect([status, body.add]).toEqual([200, 1])
    const id = await numberOf(at('n.vik'))
    expect(await sheet(id)).toMatchObject({
      name: 'Nora Vik',
      department: 'Finance',
      aliases: [at('n.vik')],
      timeZone: 'Europe/Oslo',
      closed: null,
    })
    expect(await mailTo(at('n.vik'))).toMatch(/^250/)
    const renamed = await change([
      { id, address: at('nora.vik'), fields: { aliases: `${at('nora')} ${at('n.vik')}` } },
    ])
    expect(renamed.body).toMatchObject({ change: 1, add: 0 })
    expect(await sheet(id)).toMatchObject({ address: at('nora.vik'), aliases: [at('n.vik'), at('nora')] })
    // What was built on can't be taken back first.
    expect((await undo(body.act)).status).toBe(200)
    expect(await sheet(id)).toMatchObject({ closed: { to: null } })
    expect((await undo(renamed.body.act)).body.code).toBe('MAILBOX_CHANGED')
    const { body: record } = await oda.get('/api/record?what=mailboxes&who=everybody')
    expect(record.lines.map(({ act }: { act: string }) => act)).toEqual(
      expect.arrayContaining(['directory-changed', 'mailbox-undone']),
    )
    // Nothing came to this one: it goes.
    const other = await change([{ address: at('soon-gone'), fields: {} }])
    await undo(other.body.act)
    expect(await numberOf(at('soon-gone'))).toBe(0)
  })
  test('minders of a shared mailbox, and what is wrong is told and not done', async () => {
    const made = await change([
      { address: at('desk'), fields: { kind: 'shared', minders: `${at('kari')} ${at('i.solvang')}` } },
      { address: at('kari'), fields: { aliases: at('ingrid') } },
      { address: 'x@elsewhere.example', fields: {} },
    ])
    expect(made.body).toMatchObject({ add: 1, wrong: 2 })
    expect(made.body.answers.map((one: { problem: { code: string } | null }) => one.problem?.code)).toEqual([
      'taken',
      'not-ours',
      undefined,
    ])
    const desk = await sheet(await numberOf(at('desk')))
    expect(desk.minders.map(({ name }: { name: string }) => name)).toEqual(['Ingrid', 'Kari'])
    await undo(made.body.act)
  })
  test('an address of Pendro is nobody’s mailbox', async () => {
    const wrong = await change([
      { address: at('help'), fields: {} },
      { address: at('kari'), fields: { aliases: at('help') } },
      { address: at('with-it'), fields: {} },
    ])
    expect(wrong.body).toMatchObject({ add: 1, change: 0, wrong: 2 })
    expect((wrong.body as DirectoryOutcome).answers.slice(0, 2).map(({ problem }) => problem?.code)).toEqual([
      'of-pendro',
      'of-pendro',
    ])
    await undo(wrong.body.act)
  })
  test('what was given up and is another’s by now is not taken from them by an undo', async () => {
    const kari = server.mailbox('kari')
    const named = (aliases: string) => change([{ id: kari, address: at('kari'), fields: { aliases } }])
    const before = await named(at('harbour-watch'))
    const given = await named('')
    const other = await change([{ address: at('harbour-watch'), fields: {} }])
    expect(other.body.add).toBe(1)
    expect((await undo(given.body.act)).body.code).toBe('MAILBOX_CHANGED')
    expect(await numberOf(at('harbour-watch'))).not.toBe(kari)
    await undo(other.body.act)
    expect((await undo(given.body.act)).status).toBe(200)
    await undo(before.body.act)
  })
  test('the same sent twice is one act; nothing new is nothing', async () => {
    const body = { lines: [{ address: at('twice'), fields: {} }], token: randomUUID() }
    const both = await Promise.all([1, 2].map(() => oda.post('/api/directory/changes', body)))
    expect(both.map(({ status }) => status)).toEqual([200, 200])
    expect(both[0]?.body.act).toBe(both[1]?.body.act)
    expect((await change([{ address: at('twice'), fields: {} }])).body.code).toBe('NOTHING_TO_DO')
  })
  test('two stewards give one address to two mailboxes at the same moment: one of them has it', async () => {
    const want = (name: string) => change([{ address: at(name), fields: { aliases: at('wanted') } }])
    const both = await Promise.all([want('first'), want('second')])
    expect(both.map(({ body }) => (body as DirectoryOutcome).wrong ?? 0).sort()).toEqual([
      0,
      expect.any(Number),
    ])
    const rows = await select(server.db, 'SELECT * FROM mailbox_addresses WHERE address = :address', {
      address: at('wanted'),
    })
    expect(rows).toHaveLength(1)
  })
  test('only stewards', async () => {
    expect((await change([{ address: at('x'), fields: {} }], per)).body.code).toBe('NEEDS_STEWARD')
  })
})

describe('closed', () => {
  const close = (id: number, to: number | null) =>
    oda.post(`/api/mailboxes/${id}/close`, { to, reason: 'has left', token: randomUUID() })
  const reopen = (id: number) => oda.post(`/api/mailboxes/${id}/reopen`, { reason: '', token: randomUUID() })

  test('mail is refused at the door and told so; digests and the own page end; open again, all is back', async () => {
    const aksel = server.mailbox('aksel')
    const own = await asColleague(server, 'aksel')
    expect((await own.get('/api/own/session')).status).toBe(200)
    const closed = await close(aksel, null)
    expect(closed.status).toBe(200)
    expect(await mailTo(at('aksel'))).toMatch(/550.*5\.1\.1/)
    expect((await own.get('/api/own/session')).status).toBe(401)
    expect(await sheet(aksel)).toMatchObject({ closed: { to: null } })
    expect((await oda.get(`/api/mailboxes/${aksel}`)).body.digests.next).toBeNull()
    const { body } = await oda.get('/api/mailboxes/table?trait=closed')
    expect(body.rows.map(({ name }: { name: string }) => name)).toContain('Aksel')
    const asked = await per.post('/api/whereabouts', {
      from: 'a@b.example',
      to: at('aksel'),
      about: '',
      when: '',
    })
    expect(asked.body.hits[0]).toMatchObject({ kind: 'refused' })
    expect((await close(aksel, null)).body.code).toBe('NOTHING_TO_DO')
    expect((await reopen(aksel)).status).toBe(200)
    expect(await mailTo(at('aksel'))).toMatch(/^250/)
    expect((await reopen(aksel)).body.code).toBe('NOTHING_TO_DO')
    expect((await undo(closed.body.act)).body.code).toBe('MAILBOX_CHANGED')
  })
  test('or its mail goes to a minder, who sees what is still kept back there', async () => {
    const [aksel, kari] = [server.mailbox('aksel'), server.mailbox('kari')]
    const [old = 0] = await arrive(server, { to: [at('aksel')], subject: 'Before' })
    expect((await close(aksel, aksel)).body.code).toBe('BAD_MINDER')
    expect((await close(aksel, 999_999)).body.code).toBe('BAD_MINDER')
    const made = await close(aksel, kari)
    expect(made.status).toBe(200)
    expect(await sheet(aksel)).toMatchObject({ closed: { to: { id: kari, name: 'Kari' } } })
    const [fresh = 0] = await arrive(server, { to: [at('aksel')], subject: 'After' })
    const { body } = await oda.get(`/api/deliveries/${fresh}`)
    expect(body.row).toMatchObject({ mailboxId: kari, sentTo: at('aksel') })
    const own = await asColleague(server, 'kari')
    const { body: mail } = await own.get('/api/own/mail')
    expect(JSON.stringify(mail)).toContain('Before')
    expect((await own.get(`/api/own/mail/${old}`)).status).toBe(200)
    await undo(made.body.act)
    expect((await own.get(`/api/own/mail/${old}`)).status).toBe(404)
    expect(await sheet(aksel)).toMatchObject({ closed: null })
  })
  test('closed to one who closes, too: nobody gets it, and postmaster is never closed', async () => {
    const [aksel, kari] = [server.mailbox('aksel'), server.mailbox('kari')]
    const first = await close(aksel, kari)
    const second = await close(kari, null)
    expect(await mailTo(at('aksel'))).toMatch(/550/)
    expect(await mailTo('postmaster@harbour.example')).toMatch(/^250/)
    await undo(second.body.act)
    await undo(first.body.act)
  })
  test('whoever has left asks and answers nothing by mail any more', async () => {
    const aksel = server.mailbox('aksel')
    const ask = () =>
      throughTheDoor(server, {
        from: at('aksel'),
        to: [at('help')],
        raw: sample({ from: `Aksel <${at('aksel')}>`, headers: [proven('harbour.example')] }).toString(),
      })
    const made = await close(aksel, server.mailbox('kari'))
    expect(await ask()).toMatch(/550.*5\.7\.1/)
    await undo(made.body.act)
    expect(await ask()).toMatch(/^250/)
  })
  test('named in a list, it is open again', async () => {
    const aksel = server.mailbox('aksel')
    await close(aksel, null)
    expect((await change([{ address: at('aksel'), fields: {} }])).body).toMatchObject({
      reopen: 1,
      change: 0,
    })
    expect(await sheet(aksel)).toMatchObject({ closed: null })
  })
})

describe('by a table', () => {
  const bring = (act: 'look' | 'take', table: string | Buffer, missing = 'stay') =>
    oda.postFile(`/api/directory/table?act=${act}&missing=${missing}&name=people.csv`, table)

  test('Latin-1 with semicolons: seen first, taken as one act, undone as one', async () => {
    const before = await everything()
    const table = Buffer.from(
      [
        'Name;E-mail;Department;Minders;Kind',
        'Åse Sæter;ase@harbour.example;Økonomi;;',
        'Desk;hjelp@harbour.example;;ase@harbour.example,kari@harbour.example;shared',
        'Nobody;not an address;;;',
        'Kari;kari@harbour.example;Økonomi;;',
        'Kari again;KARI@harbour.example;;;',
      ].join('\r\n'),
      'latin1',
    )
    const seen = (await bring('look', table)).body as DirectoryOutcome
    expect(seen).toMatchObject({ add: 2, change: 1, wrong: 2, close: 0, of: 5, act: null, unknown: [] })
    expect(seen.answers.slice(0, 2).map(one => [one.line, one.problem?.code])).toEqual([
      [4, 'no-address'],
      [6, 'twice'],
    ])
    expect(await everything()).toEqual(before)
    const { body } = await bring('take', table)
    expect(body).toMatchObject({ add: 2, change: 1, wrong: 2 })
    expect(await sheet(await numberOf(at('ase')))).toMatchObject({ name: 'Åse Sæter', department: 'Økonomi' })
    expect((await bring('take', table)).body.code).toBe('NOTHING_TO_DO')
    expect((await undo(body.act)).status).toBe(200)
    expect(await everything()).toEqual(before)
  })
  test('whoever is not named is closed only when that is said, and comes back by the undo', async () => {
    const table = 'address\ningrid@harbour.example\nkari@harbour.example\n'
    const seen = (await bring('look', table, 'close')).body as DirectoryOutcome
    expect(seen.close).toBeGreaterThan(1)
    expect(seen.closing).toContain('Aksel')
    const { body } = await bring('take', table, 'close')
    expect(await sheet(server.mailbox('aksel'))).toMatchObject({ closed: { to: null } })
    expect(await sheet(server.mailbox('kari'))).toMatchObject({ closed: null })
    await undo(body.act)
    expect(await sheet(server.mailbox('aksel'))).toMatchObject({ closed: null })
  })
  test.each([[''], ['\u0000\u0001'], [' \n\n']])('%j is no table', async text => {
    expect((await bring('look', Buffer.from(text))).body.code).toBe('BAD_TABLE')
  })
  test('two thousand at once, and all of them gone again', async () => {
    const before = await everything()
    const lines = Array.from({ length: 2000 }, (_, i) => `p${i}@harbour.example,Person ${i},Hall ${i % 7}`)
    const { body } = await bring('take', ['address,name,department', ...lines].join('\n'))
    expect(body).toMatchObject({ add: 2000, wrong: 0 })
    await undo(body.act)
    expect(await everything()).toEqual(before)
  }, 120_000)
})
