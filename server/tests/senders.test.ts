import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { EntryRowShape } from '@pendro/contract'
import { execute } from '../src/db/database.ts'
import { runUpkeep } from '../src/upkeep/look-over.ts'
import { runListsJob, workImports } from '../src/list-jobs/lists.ts'
import { workUpkeep } from '../src/upkeep/watch.ts'
import { arrive, proven, ruling, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let per: typeof oda
let una: typeof oda

beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  per = await signedIn(server, 'per')
  una = await signedIn(server, 'una')
  // Tests move the clock by weeks; nobody should have to sign in again for that.
  await execute(server.db, "UPDATE sessions SET expires_at = '2030-01-01'")
})
afterAll(() => server.close())
beforeEach(async () => {
  // Each test begins with empty lists; what others taught or received stays.
  await execute(server.db, 'UPDATE sender_entries SET ended_at = :now WHERE ended_at IS NULL', {
    now: server.clock.now,
  })
  await execute(server.db, 'DELETE FROM upkeep_findings')
  await execute(server.db, 'DELETE FROM upkeep_finding_entries')
})

const draft = (pattern: string, more: object = {}) => ({
  pattern,
  standing: 'safe',
  mailboxId: null,
  ...more,
})
const change = (body: { add?: object[]; end?: number[]; reason?: string }) => ({
  reason: 'because',
  ...body,
  token: randomUUID(),
})
async function add(who: typeof oda, pattern: string, more: object = {}): Promise<number> {
  const { body } = await who.post('/api/senders/changes', change({ add: [draft(pattern, more)] }))
  return body.added[0].id as number
}
const rows = async (query = '') => (await una.get(`/api/senders?${query}`)).body.rows as EntryRowShape[]
const patterns = async (query = '') => (await rows(query)).map(({ pattern }) => pattern)

describe('the table', () => {
  test('filters by every word of its sentence, finds in pattern, note and owner, and pages through all', async () => {
    const ingrid = server.mailbox('ingrid')
    await add(oda, 'x.example')
    await add(oda, '*.promo.example', { standing: 'blocked' })
    await add(per, 'anna@x.example', { mailboxId: ingrid })
    await add(per, '<news.x.example>', { mailboxId: ingrid, standing: 'blocked' })
    await add(oda, 'bücher.example', { until: '2026-12-24' })
    const by = (query: string) => patterns(`order=pattern&${query}`)
    expect(await by('')).toEqual([
      '*.promo.example',
      '<news.x.example>',
      'anna@x.example',
      'x.example',
      'bücher.example',
    ])
    expect(await by('standing=blocked')).toEqual(['*.promo.example', '<news.x.example>'])
    expect(await by('owner=organisation')).toEqual(['*.promo.example', 'x.example', 'bücher.example'])
    expect(await by('owner=colleagues')).toEqual(['<news.x.example>', 'anna@x.example'])
    expect(await by(`mailbox=${ingrid}&kind=list`)).toEqual(['<news.x.example>'])
    expect(await by('find=b%C3%BCcher')).toEqual(['bücher.example'])
    expect(await by('find=b%C3%BCcher.example')).toEqual(['bücher.example'])
    expect(await by('find=ingrid')).toEqual(['<news.x.example>', 'anna@x.example'])
    expect(await by('find=because&standing=safe&kind=domain')).toEqual(['x.example', 'bücher.example'])
    expect(await by('find=%25')).toEqual([])
    expect(await by('matched=never')).toHaveLength(5)
    expect(await by('matched=month')).toEqual([])
    for (const order of ['matched', 'newest', 'pattern', 'worst']) {
      const seen: number[] = []
      for (let after = ''; ;) {
        const { body } = await una.get(`/api/senders?order=${order}&limit=2${after}`)
        seen.push(...(body.rows as EntryRowShape[]).map(({ id }) => id))
        if (body.next === null) break
        after = `&after=${encodeURIComponent(body.next as string)}`
      }
      expect([order, new Set(seen).size, seen.length]).toEqual([order, 5, 5])
    }
    expect((await una.get('/api/senders?after=WzFd')).body.code).toBe('BAD_CURSOR')
    expect((await una.get('/api/senders/counts?standing=blocked')).body).toMatchObject({
      total: 2,
      needDecision: 0,
    })
    server.clock.now = new Date('2027-01-02T09:00:00Z')
    expect(await by('state=expired')).toEqual(['bücher.example'])
    expect(await by('')).not.toContain('bücher.example')
    server.clock.now = new Date('2026-11-20T09:00:00Z')
  })

  test('a row shows what the entry met on each day, and who else keeps the same', async () => {
    const [ingrid, kari] = [server.mailbox('ingrid'), server.mailbox('kari')]
    await add(per, 'desk@met.example', { mailboxId: ingrid })
    await add(per, 'desk@met.example', { mailboxId: kari })
    await arrive(server, { from: 'desk@met.example', headers: [proven('met.example')] })
    await arrive(server, { from: 'desk@met.example' })
    const [row] = await rows(`mailbox=${ingrid}`)
    expect(row).toMatchObject({ others: 1, lastMatchedAt: '2026-11-20T09:00:00.000Z' })
    expect([row?.days.length, row?.days.at(-1), row?.days[0]]).toEqual([30, 2, 0])
    const { body } = await una.get(`/api/senders/entries/${row?.id}`)
    expect(body.did).toEqual({ decided: 1, overruled: 0, refused: 1 })
    expect(body.deliveries).toHaveLength(2)
    expect(body.others).toMatchObject([{ keptBy: 'Kari' }])
  })
})

describe('changing the lists', () => {
  test('add, change, end, restore: each is one record entry and one undo, and the entry knows its past', async () => {
    const first = await add(oda, 'x.example')
    const changed = await oda.post(
      '/api/senders/changes',
      change({ add: [draft('*.x.example', { replaces: first })], reason: 'mail comes from hosts below it' }),
    )
    expect([changed.body.ended[0].id, changed.body.added[0].pattern]).toEqual([first, '*.x.example'])
    const second = changed.body.added[0].id as number
    const ended = await oda.post('/api/senders/changes', change({ end: [second], reason: 'no longer' }))
    expect(await patterns()).toEqual([])
    const restored = await oda.post(
      '/api/senders/changes',
      change({ add: [draft('*.x.example', { restores: second })] }),
    )
    const third = restored.body.added[0].id as number
    const sheet = (await una.get(`/api/senders/entries/${third}`)).body
    expect(sheet.versions.map(({ id }: { id: number }) => id)).toEqual([third, second, first])
    const did = sheet.history.map((h: { what: string; entryId: number }) => `${h.what} ${h.entryId}`)
    expect(did).toEqual([
      `added ${third}`,
      `ended ${second}`,
      `added ${second}`,
      `ended ${first}`,
      `added ${first}`,
    ])
    expect((await oda.post(`/api/rulings/${restored.body.rulingId}/undo`, {})).status).toBe(200)
    expect((await oda.post(`/api/rulings/${ended.body.rulingId}/undo`, {})).status).toBe(200)
    expect(await patterns()).toEqual(['*.x.example'])
    expect((await oda.post(`/api/rulings/${changed.body.rulingId}/undo`, {})).status).toBe(200)
    expect(await patterns()).toEqual(['x.example'])
    const { lines } = (await una.get('/api/record?what=lists&limit=5')).body
    expect(lines[0]).toMatchObject({ act: 'lists', by: 'Oda Rask', undone: true })
  })

  test('what a later act builds on is not undone under it', async () => {
    const made = await oda.post('/api/senders/changes', change({ add: [draft('x.example')] }))
    const id = made.body.added[0].id as number
    await oda.post('/api/senders/changes', change({ add: [draft('y.example', { replaces: id })] }))
    expect((await oda.post(`/api/rulings/${made.body.rulingId}/undo`, {})).body).toMatchObject({
      code: 'LATER_RULING',
      text: 'Later changes build on this one: x.example (1 in all, the latest by Oda Rask). Undo those first; the record lists them.',
    })
  })

  test('two stewards at one entry: the later is told who was first and shown what it is now', async () => {
    const id = await add(oda, 'x.example')
    await oda.post(
      '/api/senders/changes',
      change({ add: [draft('x.example', { replaces: id, until: '2026-12-24' })] }),
    )
    const late = await oda.post(
      '/api/senders/changes',
      change({ add: [draft('*.x.example', { replaces: id })] }),
    )
    expect([late.status, late.body.code]).toEqual([409, 'ENTRY_CHANGED'])
    expect(late.body.text).toContain('It is now: x.example, safe, until 2026-12-24')
    expect(late.body.facts).toMatchObject({
      by: 'Oda Rask',
      now: { pattern: 'x.example', until: '2026-12-24T23:00:00.000Z' },
    })
    expect(await patterns()).toEqual(['x.example'])
    // and at the very same moment, one of two wins
    const [current] = await rows()
    const both = await Promise.all([
      oda.post('/api/senders/changes', change({ add: [draft('a.example', { replaces: current?.id })] })),
      oda.post('/api/senders/changes', change({ add: [draft('b.example', { replaces: current?.id })] })),
    ])
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409])
    expect(await patterns()).toHaveLength(1)
  })

  test('safe and blocked for one sender at the same moment: one of them stands, never both', async () => {
    for (let round = 0; round < 12; round += 1) {
      const pattern = `r${round}.example`
      const both = await Promise.all([
        oda.post('/api/senders/changes', change({ add: [draft(pattern)] })),
        oda.post('/api/senders/changes', change({ add: [draft(pattern, { standing: 'blocked' })] })),
      ])
      expect(both.map(({ status }) => status)).toEqual([200, 200])
      expect(await rows(`find=${pattern}`)).toHaveLength(1)
    }
  })

  test('the same request twice is done once', async () => {
    const body = change({ add: [draft('x.example')] })
    const [a, b] = [
      await oda.post('/api/senders/changes', body),
      await oda.post('/api/senders/changes', body),
    ]
    expect(b.body).toEqual(a.body)
    expect(await patterns()).toEqual(['x.example'])
  })

  test('safe ends blocked of the same list and pattern, in the same act', async () => {
    const blocked = await add(oda, 'x.example', { standing: 'blocked' })
    const { body } = await oda.post('/api/senders/changes', change({ add: [draft('x.example')] }))
    expect(body.ended.map(({ id }: { id: number }) => id)).toEqual([blocked])
  })

  test.each([
    ['per', draft('x.example'), '', 403, 'NEEDS_STEWARD'],
    ['una', draft('x.example', { mailboxId: 1 }), '', 403, 'OBSERVER'],
    ['oda', draft('freepost.example'), '', 400, 'NEEDS_REASON'],
    ['per', draft('freepost.example', { mailboxId: 1 }), 'her sister', 403, 'NEEDS_STEWARD'],
    ['oda', draft('harbour.example', { standing: 'blocked' }), 'spoofed', 400, 'BLOCKS_OWN_DOMAIN'],
    ['oda', draft('*.harbour.example', { standing: 'blocked' }), 'spoofed', 400, 'BLOCKS_OWN_DOMAIN'],
    [
      'per',
      draft('mail.harbour.example', { standing: 'blocked', mailboxId: 1 }),
      'spoofed',
      400,
      'BLOCKS_OWN_DOMAIN',
    ],
    ['oda', draft('two words'), '', 400, 'BAD_PATTERN'],
    ['oda', draft('co.uk'), '', 400, 'BAD_PATTERN'],
    ['oda', draft('x.example', { until: '2026-11-19' }), '', 400, 'UNTIL_PASSED'],
  ] as const)('%s may not add %j with “%s”', async (name, entry, reason, status, code) => {
    const who = { oda, per, una }[name]
    const answer = await who.post('/api/senders/changes', change({ add: [entry], reason }))
    expect([answer.status, answer.body.code]).toEqual([status, code])
    expect(await patterns()).toEqual([])
  })
  test('what helpdesk may: entries for colleagues, and not ending the organisation’s', async () => {
    const id = await add(oda, 'x.example')
    await add(per, 'anna@harbour.example', { mailboxId: server.mailbox('ingrid'), standing: 'blocked' })
    expect((await per.post('/api/senders/changes', change({ end: [id] }))).body.code).toBe('NEEDS_STEWARD')
    expect((await per.post('/api/senders/changes', change({ end: [999_999] }))).body.code).toBe(
      'ENTRY_NOT_FOUND',
    )
    expect((await per.post('/api/senders/changes', change({}))).body.code).toBe('NOTHING_TO_DO')
  })
})

describe('reach', () => {
  test('of a domain with one good and one bad sender: the harmful in numbers, and the narrower pattern offered', async () => {
    const headers = [proven('mixed.example')]
    const bad =
      '<a href="https://files.dropshelf.example/x">www.parcel.example</a> <a href="http://192.0.2.9/y">www.bank.example</a>'
    for (let i = 0; i < 3; i += 1) await arrive(server, { from: 'Jobs <jobs@mixed.example>', headers })
    const [worst = 0] = await arrive(server, { from: 'Win <win@mixed.example>', headers, body: bad })
    await per.post('/api/rulings', ruling([worst], { learn: 'phishing' }))
    const reach = async (pattern: string, more: object = {}) =>
      (await una.post('/api/senders/reach', { add: [draft(pattern, more)] })).body
    const domain = await reach('mixed.example')
    expect(domain.letThrough).toMatchObject({ doubtful: 3, harmful: 1 })
    expect(domain.narrower).toEqual({ pattern: 'jobs@mixed.example', frees: 'all' })
    expect(domain.beside.map(({ pattern }: { pattern: string }) => pattern)).toEqual([
      'jobs@mixed.example',
      'win@mixed.example',
      '*.mixed.example',
    ])
    expect(await reach('jobs@mixed.example')).toMatchObject({
      letThrough: { doubtful: 3, harmful: 0 },
      narrower: null,
    })
    // A release says "wanted", and so does the split.
    const [held = 0] = await arrive(server, { from: 'Jobs <jobs@mixed.example>', headers })
    await per.post('/api/rulings', ruling([held], { message: 'release', learn: 'wanted' }))
    expect((await reach('jobs@mixed.example')).letThrough).toMatchObject({ wanted: 1, doubtful: 3 })
  })
  test('a block that misses most of a bulk sender says so', async () => {
    for (let i = 0; i < 6; i += 1)
      await arrive(server, {
        from: `offer-${i}@bulk-quay.example`,
        headers: [proven('bulk-quay.example'), 'Precedence: bulk'],
        body: 'nothing much',
      })
    const { body } = await una.post('/api/senders/reach', {
      add: [draft('offer-1@bulk-quay.example', { standing: 'blocked' })],
    })
    expect(body.gap).toMatchObject({ addresses: 6, pattern: 'bulk-quay.example', kind: 'domain' })
    expect(body.gap.missed).toBe(5)
  })
  test('so does one for a single colleague, by what the sender does to everybody', async () => {
    const headers = [proven('bulk-shore.example'), 'Precedence: bulk']
    const to = ['ingrid', 'kari', 'kari', 'ingrid'] as const
    for (const [i, name] of to.entries())
      await arrive(server, {
        from: `offer-${i}@bulk-shore.example`,
        headers,
        body: 'nothing much',
        to: [`${name}@harbour.example`],
      })
    const block = (address: string, name: string) =>
      una.post('/api/senders/reach', {
        add: [draft(address, { standing: 'blocked', mailboxId: server.mailbox(name) })],
      })
    const ingrids = await block('offer-0@bulk-shore.example', 'ingrid')
    expect(ingrids.body.gap).toEqual({
      missed: 1,
      addresses: 4,
      pattern: 'bulk-shore.example',
      kind: 'domain',
    })
    // Two of the four are Kari's; a colleague who got none of it is told of the habit all the same.
    expect((await block('offer-0@bulk-shore.example', 'kari')).body.gap).toMatchObject({
      missed: 2,
      addresses: 4,
    })
    expect((await block('offer-0@bulk-shore.example', 'bookings')).body.gap).toMatchObject({
      missed: 0,
      addresses: 4,
    })
  })
  test('a wanted sender who is rare among many harmful ones of a shared provider is found', async () => {
    const headers = [proven('crowd.example')]
    const bad =
      '<a href="https://files.dropshelf.example/x">www.parcel.example</a> <a href="http://192.0.2.9/y">www.bank.example</a>'
    for (let i = 0; i < 7; i += 1)
      for (let n = 0; n < 2; n += 1) {
        const [id = 0] = await arrive(server, { from: `win${i}@crowd.example`, headers, body: bad })
        await per.post('/api/rulings', ruling([id], { learn: 'phishing' }))
      }
    const [rare = 0] = await arrive(server, { from: 'Ada <ada@crowd.example>', headers, body: bad })
    await per.post(
      '/api/rulings',
      ruling([rare], { message: 'release', learn: 'wanted', reason: 'her first letter' }),
    )
    const { body } = await una.post('/api/senders/reach', { add: [draft('crowd.example')] })
    expect(body.letThrough).toMatchObject({ wanted: 1 })
    expect(body.letThrough.harmful).toBeGreaterThan(0)
    expect(body.narrower).toEqual({ pattern: 'ada@crowd.example', frees: 'all' })
  })
  test('of ending an entry, of several changes at once, and of none', async () => {
    const id = await add(oda, 'ends.example')
    await arrive(server, { from: 'a@ends.example', headers: [proven('ends.example')] })
    const { body } = await una.post('/api/senders/reach', { end: [id], add: [draft('other.example')] })
    expect(body).toMatchObject({ looked: 1, keptBack: { doubtful: 1 }, colleagues: 1, beside: [] })
    expect(body.ends.map((entry: { id: number }) => entry.id)).toEqual([id])
    expect((await una.post('/api/senders/reach', {})).body).toMatchObject({ looked: 0, adds: [], ends: [] })
    expect((await una.post('/api/senders/reach', { end: [id], days: 1 })).body.days).toBe(1)
  })
  test('what is sealed stays sealed, and is told', async () => {
    const headers = [proven('sealed.example'), 'Content-Type: multipart/mixed; boundary=b']
    const body =
      '--b\r\nContent-Type: text/plain\r\n\r\nhi\r\n--b\r\nContent-Type: application/octet-stream; name="a.exe"\r\nContent-Disposition: attachment; filename="a.exe"\r\nContent-Transfer-Encoding: base64\r\n\r\nTVqQAAMAAAAEAAAA//8AALgAAAAAAAAAQAAAAA==\r\n--b--\r\n'
    await arrive(server, { from: 'a@sealed.example', headers, body })
    const { body: reach } = await una.post('/api/senders/reach', { add: [draft('sealed.example')] })
    expect(reach).toMatchObject({ looked: 1, sealed: 1, letThrough: { wanted: 0, doubtful: 0, harmful: 0 } })
  })
  test('many patterns at once are replayed in one pass, with the same numbers', async () => {
    const headers = [proven('pass.example')]
    await arrive(server, { from: 'a@pass.example', headers })
    const one = (await una.post('/api/senders/reach', { add: [draft('pass.example')] })).body
    const many = Array.from({ length: 200 }, (_, i) => draft(`never-${i}.example`))
    const all = (await una.post('/api/senders/reach', { add: [draft('pass.example'), ...many] })).body
    expect([all.looked, all.letThrough]).toEqual([one.looked, one.letThrough])
    expect(all.looked).toBe(1)
  })
})

describe('would mail from … reach …?', () => {
  const ask = async (query: object) =>
    (
      await una.get(
        `/api/senders/question?${new URLSearchParams({ mailbox: String(server.mailbox('ingrid')), ...query })}`,
      )
    ).body
  test('answers with the path, what it assumed, and every entry that was overruled', async () => {
    await add(oda, 'quay.example', { standing: 'blocked', binding: true })
    await add(per, 'anna@quay.example', { mailboxId: server.mailbox('ingrid') })
    const answer = await ask({ from: 'Anna+x@Quay.example' })
    expect(answer).toMatchObject({ state: 'quarantined', decidedBy: 'binding', authenticated: true })
    expect(answer.overruled).toMatchObject([{ pattern: 'anna@quay.example' }])
    expect(answer.path).toHaveLength(8)
  })
  test('authentication can be taken away', async () => {
    await add(per, 'anna@pier.example', { mailboxId: server.mailbox('ingrid') })
    expect(await ask({ from: 'anna@pier.example' })).toMatchObject({ state: 'inbox', decidedBy: 'personal' })
    const without = await ask({ from: 'anna@pier.example', authenticated: 'no' })
    expect(without.decidedBy).toBe('score')
    expect(without.path[2].refused).toMatchObject([{ why: 'not-authenticated' }])
  })
  test('the score is that of the sender’s own mail, else of the domain, else of a plain message', async () => {
    await arrive(server, { from: 'a@typical.example' })
    const [own, same, none] = [
      await ask({ from: 'a@typical.example' }),
      await ask({ from: 'b@typical.example' }),
      await ask({ from: 'nobody@unheard.example' }),
    ]
    expect([own.scoreFrom, same.scoreFrom, none.scoreFrom]).toEqual(['address', 'domain', 'nothing'])
    expect([own.seen, none.seen]).toEqual([
      { messages: 1, authenticated: 0 },
      { messages: 0, authenticated: 0 },
    ])
    expect(own.score).toBe(same.score)
  })
  test('a domain stands for anybody there; nonsense is told', async () => {
    await add(oda, 'pier.example')
    expect(await ask({ from: 'pier.example' })).toMatchObject({ decidedBy: 'organisation' })
    expect((await ask({ from: 'no one' })).code).toBe('BAD_PATTERN')
    expect((await ask({ from: 'a@x.example', mailbox: '99999' })).code).toBe('MAILBOX_NOT_FOUND')
  })
})

describe('upkeep', () => {
  const look = () => runUpkeep(server.db, server.clock.now)
  const findings = async (kind: string, query = '') =>
    (await una.get(`/api/senders/upkeep/findings?kind=${kind}${query}`)).body.findings as {
      key: string
      entries: { id: number; pattern: string }[]
      remedies: { name: string; adds: string[]; ends: number }[]
    }[]

  test('finds, shows the exact entries and the replay, applies as one act, and is undone', async () => {
    const names = ['ingrid', 'aksel', 'kari'].map(name => server.mailbox(name))
    for (const mailboxId of names) await add(per, 'proofs@print.example', { mailboxId })
    await look()
    const [found] = await findings('for-everyone')
    expect(found?.entries).toHaveLength(3)
    expect(found?.remedies[0]).toEqual({ name: 'for-everyone', adds: ['proofs@print.example'], ends: 3 })
    const chosen = { findings: [{ key: found?.key, remedy: 'for-everyone' }] }
    const { body: preview } = await una.post('/api/senders/upkeep/reach', chosen)
    expect(preview).toMatchObject({ adds: ['proofs@print.example'], findings: 1 })
    expect(preview.ends).toHaveLength(3)
    expect(
      (await per.post('/api/senders/upkeep/remedies', { ...chosen, token: randomUUID() })).body.code,
    ).toBe('NEEDS_STEWARD')
    const request = { ...chosen, reason: '', token: randomUUID() }
    const applied = await oda.post('/api/senders/upkeep/remedies', request)
    expect([applied.body.added.length, applied.body.ended.length]).toEqual([1, 3])
    // Its answer was lost on the way: asked again, it is told and not done twice.
    const again = await oda.post('/api/senders/upkeep/remedies', request)
    expect([again.status, again.body]).toEqual([200, applied.body])
    // Gone from the list at once, before anybody has looked again.
    expect(await findings('for-everyone')).toEqual([])
    expect((await rows())[0]).toMatchObject({ origin: 'upkeep', mailboxId: null, others: 0 })
    await oda.post(`/api/rulings/${applied.body.rulingId}/undo`, {})
    expect(await patterns('owner=colleagues')).toHaveLength(3)
    expect(await findings('for-everyone')).toHaveLength(1)
  })

  test('tidying is one act that is proven by replay, and refused when it would change something', async () => {
    await add(oda, 'tidy.example')
    const covered = [await add(oda, 'a@tidy.example'), await add(oda, 'b@tidy.example')]
    await arrive(server, { from: 'a@tidy.example', headers: [proven('tidy.example')] })
    await look()
    const { body: preview } = await una.post('/api/senders/upkeep/reach', { tidy: 'covered' })
    expect(preview).toMatchObject({
      findings: 2,
      keptBack: { doubtful: 0 },
      letThrough: { doubtful: 0 },
      elsewhere: 0,
      looked: 1,
    })
    const applied = await oda.post('/api/senders/upkeep/remedies', { tidy: 'covered', token: randomUUID() })
    expect(applied.body.ended.map(({ id }: { id: number }) => id).sort()).toEqual(covered.sort())
    await oda.post(`/api/rulings/${applied.body.rulingId}/undo`, {})
    // An exception made since the last look: what covered them no longer does.
    await look()
    await add(oda, 'a@tidy.example', { standing: 'blocked', mailboxId: server.mailbox('ingrid') })
    await add(oda, '*.tidy.example', { standing: 'blocked', binding: true })
    await execute(
      server.db,
      'UPDATE sender_entries SET binding = TRUE WHERE id IN (:covered) AND ended_at IS NULL',
      { covered },
    )
    const refused = await oda.post('/api/senders/upkeep/remedies', { tidy: 'covered', token: randomUUID() })
    expect([refused.status, refused.body.code]).toEqual([409, 'NOT_TIDY'])
    expect(await patterns('find=tidy')).toHaveLength(5)
  })

  test('set aside with a reason, and back when the facts change', async () => {
    await add(oda, 'freepost.example', { reason: 'x' })
    await look()
    const [found] = await findings('lets-in-too-much')
    const key = found?.key
    expect((await per.post('/api/senders/upkeep/aside', { key })).body.code).toBe('NEEDS_REASON')
    await oda.post('/api/senders/upkeep/aside', { key, reason: 'the chairman’s wife' })
    expect(await findings('lets-in-too-much')).toEqual([])
    expect(await findings('lets-in-too-much', '&aside=yes')).toHaveLength(1)
    await look()
    expect(await findings('lets-in-too-much')).toEqual([])
    // Harm has come in through it: another finding than the one that was set aside.
    const [id = 0] = await arrive(server, {
      from: 'thief@freepost.example',
      headers: [proven('freepost.example')],
    })
    await per.post('/api/rulings', ruling([id], { learn: 'phishing' }))
    await look()
    expect(await findings('lets-in-too-much')).toHaveLength(1)
    await oda.post('/api/senders/upkeep/aside', { key, reason: 'still' })
    await oda.post('/api/senders/upkeep/aside', { key, back: true })
    expect(await findings('lets-in-too-much')).toHaveLength(1)
    expect((await oda.post('/api/senders/upkeep/aside', { key: 'quiet 9', reason: 'x' })).body.code).toBe(
      'FINDING_NOT_FOUND',
    )
  })

  test('looks again when the lists change, one process at a time, and tells when it fails', async () => {
    const loop = () =>
      workUpkeep(server.db, {
        run: now => runUpkeep(server.db, now),
        now: () => server.clock.now,
      })
    await loop()
    server.clock.now = new Date(server.clock.now.getTime() + 1000)
    expect(await loop()).toBe(0)
    await add(oda, 'again.example')
    expect((await una.get('/api/senders/upkeep')).body.looking).toBe(true)
    expect((await Promise.all([loop(), loop()])).sort()).toEqual([0, 1])
    expect(await loop()).toBe(0)
    server.clock.now = new Date(server.clock.now.getTime() + 3_700_000)
    await expect(
      workUpkeep(server.db, { run: () => Promise.reject(new Error('no room')), now: () => server.clock.now }),
    ).rejects.toThrow()
    expect((await una.get('/api/senders/upkeep')).body.problem).toBe('no room')
    expect(await loop()).toBe(0)
    server.clock.now = new Date(server.clock.now.getTime() + 61_000)
    expect(await loop()).toBe(1)
    expect((await una.get('/api/senders/upkeep')).body).toMatchObject({ problem: '', looking: false })
  })

  test('accuracy of a week: decided by a list, and not reversed by anybody', async () => {
    server.clock.now = new Date('2026-12-09T09:00:00Z')
    await add(oda, 'right.example')
    await add(oda, 'wrong.example', { standing: 'blocked' })
    await arrive(server, { from: 'a@right.example', headers: [proven('right.example')] })
    const [held = 0] = await arrive(server, { from: 'a@wrong.example' })
    await look()
    const week = async () =>
      ((await una.get('/api/senders/upkeep')).body.accuracy as { week: string }[]).find(
        one => one.week === '2026-12-07',
      )
    expect(await week()).toEqual({ week: '2026-12-07', decided: 2, reversed: 0 })
    await per.post('/api/rulings', ruling([held], { learn: 'wanted' }))
    await look()
    expect(await week()).toEqual({ week: '2026-12-07', decided: 2, reversed: 1 })
  })
})

describe('requests for everybody', () => {
  const request = (pattern: string) => ({
    pattern,
    standing: 'safe',
    mailboxId: server.mailbox('ingrid'),
    reason: 'All of us order there',
  })
  test('asked, approved with the entry made, undone and open again; asked twice is told', async () => {
    await add(per, 'desk@orders.example', { mailboxId: server.mailbox('ingrid') })
    const asked = await per.post('/api/senders/requests', request('desk@orders.example'))
    expect((await per.post('/api/senders/requests', request('Desk@Orders.example'))).body.code).toBe(
      'ALREADY_ASKED',
    )
    const { id } = asked.body
    const answer = { approve: true, answer: '', token: randomUUID() }
    expect((await per.post(`/api/senders/requests/${id}/answer`, answer)).body.code).toBe('NEEDS_STEWARD')
    const { body } = await oda.post(`/api/senders/requests/${id}/answer`, answer)
    expect([body.applied.added.length, body.applied.ended.length]).toEqual([1, 1])
    expect(await rows('find=orders')).toMatchObject([
      { mailboxId: null, origin: 'request', reason: 'All of us order there' },
    ])
    expect(
      (await oda.post(`/api/senders/requests/${id}/answer`, { ...answer, token: randomUUID() })).body.code,
    ).toBe('ALREADY_ANSWERED')
    await oda.post(`/api/rulings/${body.applied.rulingId}/undo`, {})
    const queue = (await una.get('/api/senders/requests')).body.requests
    expect(queue.find((one: { id: number }) => one.id === id).state).toBe('open')
  })
  test('declined with a reason that the asker sees', async () => {
    const { id } = (await per.post('/api/senders/requests', request('no.example'))).body
    const decline = (answer: string) =>
      oda.post(`/api/senders/requests/${id}/answer`, { approve: false, answer, token: randomUUID() })
    expect((await decline('')).body.code).toBe('NEEDS_REASON')
    expect((await decline('Only the two of you need it')).body).toEqual({ applied: null })
    const queue = (await per.get('/api/senders/requests')).body.requests
    expect(queue.find((one: { id: number }) => one.id === id)).toMatchObject({
      state: 'declined',
      answer: 'Only the two of you need it',
      answeredBy: 'Oda Rask',
    })
    expect(
      (await per.post('/api/senders/requests', { ...request('harbour.example'), standing: 'blocked' })).body
        .code,
    ).toBe('BLOCKS_OWN_DOMAIN')
  })
})

describe('lists in and out', () => {
  const workAll = async () => {
    while (
      (await workImports(server.db, {
        run: job => runListsJob(server.db, job),
        now: () => server.clock.now,
      })) > 0
    );
  }
  const asked = (more: Record<string, string> = {}) =>
    `/api/senders/imports?${new URLSearchParams({ name: 'list.txt', list: 'everybody', ...more })}`
  const bring = async (text: string | Buffer, more: Record<string, string> = {}, who = oda) => {
    const { body } = await who.postFile(asked(more), text)
    await workAll()
    return (await una.get(`/api/senders/imports/${body.id}`)).body
  }
  test('a list is looked over line by line, taken in one act, and undone as one', async () => {
    await add(oda, 'there.example')
    const text =
      'new.example # from the old desk\nthere.example\na@there.example\nblocked there.example\ncom\nfreepost.example'
    const ready = await bring(text)
    expect(ready).toMatchObject({
      state: 'ready',
      total: 6,
      counts: { added: 1, there: 1, covered: 1, contradicts: 1, refused: 2 },
      reach: { adds: ['new.example'] },
    })
    const { lines } = (await una.get(`/api/senders/imports/${ready.id}/lines?outcome=refused`)).body
    expect(lines.map((line: { why: object }) => line.why)).toEqual([
      { code: 'public-suffix', facts: { domain: 'com' } },
      { code: 'shared-provider', facts: {} },
    ])
    expect(await patterns('find=new.')).toEqual([])
    expect((await per.post(`/api/senders/imports/${ready.id}/take`, {})).body.code).toBe('NEEDS_STEWARD')
    await oda.post(`/api/senders/imports/${ready.id}/take`, { reason: 'moving over' })
    await workAll()
    const taken = (await una.get(`/api/senders/imports/${ready.id}`)).body
    expect(taken.state).toBe('taken')
    expect(await rows('find=new.')).toMatchObject([{ origin: 'import', reason: 'from the old desk' }])
    expect((await oda.post(`/api/senders/imports/${ready.id}/take`, {})).body.code).toBe('IMPORT_NOT_READY')
    const { lines: record } = (await una.get('/api/record?what=lists&limit=1')).body
    expect(record[0]).toMatchObject({
      act: 'import',
      facts: { file: 'list.txt', added: 1, lines: 6 },
      reason: 'moving over',
    })
    await oda.post(`/api/rulings/${taken.rulingId}/undo`, {})
    expect(await patterns()).toEqual(['there.example'])
  })

  test('a list is taken in while others add the same and the opposite: neither fails, doubled or left to contradict', async () => {
    for (let round = 0; round < 6; round += 1) {
      const [same, opposite] = [`s${round}.example`, `o${round}.example`]
      const ready = await bring(`${same}\n${opposite}\nn${round}.example`)
      await oda.post(`/api/senders/imports/${ready.id}/take`, { reason: 'moving over' })
      const [, added, blocked] = await Promise.all([
        workAll(),
        oda.post('/api/senders/changes', change({ add: [draft(same)] })),
        oda.post('/api/senders/changes', change({ add: [draft(opposite, { standing: 'blocked' })] })),
      ])
      // Whoever came second to what was there already is told so.
      if (added.status === 400) expect(added.body.code).toBe('NOTHING_TO_DO')
      else expect([200, 409, 422]).toContain(added.status)
      expect(blocked.status).toBe(200)
      await workAll()
      expect((await una.get(`/api/senders/imports/${ready.id}`)).body.state).toBe('taken')
      for (const pattern of [same, opposite]) expect(await patterns(`find=${pattern}`)).toEqual([pattern])
      expect(await patterns(`find=n${round}.`)).toEqual([`n${round}.example`])
    }
  })

  test('undone, all of it is as it was', async () => {
    await add(oda, 'there.example')
    const ready = await bring('new.example')
    await oda.post(`/api/senders/imports/${ready.id}/take`, { reason: 'moving over' })
    await workAll()
    const taken = (await una.get(`/api/senders/imports/${ready.id}`)).body
    await oda.post(`/api/rulings/${taken.rulingId}/undo`, {})
    expect(await patterns()).toEqual(['there.example'])
  })
  test('files that are no lists are told', async () => {
    expect(await bring(Buffer.from([0x50, 0x4b, 3, 4]))).toMatchObject({
      state: 'failed',
      problem: { code: 'binary', facts: { byte: 3 } },
    })
    expect(await bring('   \n')).toMatchObject({ state: 'failed', problem: { code: 'empty', facts: {} } })
    for (const size of [10_000_001, 17_000_000]) {
      const { status, body } = await oda.postFile(asked(), 'A'.repeat(size))
      expect([status, body.code]).toEqual([413, 'TOO_LARGE'])
    }
    // Nothing is everybody's because somebody forgot to say whose it is.
    expect((await oda.postFile('/api/senders/imports?name=x', 'a.example')).body.code).toBe('BAD_REQUEST')
  })
  test('contacts become a colleague’s safe entries', async () => {
    const card = 'BEGIN:VCARD\nVERSION:4.0\nFN:Nell Carding\nEMAIL:nell@print.example\nEND:VCARD\n'
    const ready = await bring(card, { list: String(server.mailbox('ingrid')) }, per)
    await per.post(`/api/senders/imports/${ready.id}/take`, {})
    await workAll()
    expect(await rows()).toMatchObject([
      { pattern: 'nell@print.example', origin: 'contacts', reason: 'Nell Carding', keptBy: 'Ingrid' },
    ])
  })
  test('50,000 lines, one transaction', { timeout: 300_000 }, async () => {
    const text = Array.from({ length: 50_000 }, (_, i) => `sender-${i}@many-${i % 700}.example`).join('\n')
    const ready = await bring(text)
    expect(ready.counts.added).toBe(50_000)
    await oda.post(`/api/senders/imports/${ready.id}/take`, { reason: 'all of them' })
    await workAll()
    expect((await una.get('/api/senders/counts')).body.total).toBe(50_000)
    const { rulingId } = (await una.get(`/api/senders/imports/${ready.id}`)).body
    expect((await oda.post(`/api/rulings/${rulingId}/undo`, {})).status).toBe(200)
    expect((await una.get('/api/senders/counts')).body.total).toBe(0)
  })
  test.each(['text', 'csv', 'json', 'sieve'])(
    '%s goes out with the filter, and is read back the same',
    async format => {
      await add(oda, 'x.example', { until: '2026-12-24' })
      await add(oda, '*.promo.example', { standing: 'blocked' })
      await add(oda, '<news.x.example>')
      await add(per, 'hers@x.example', { mailboxId: server.mailbox('ingrid') })
      const out = await una
        .get(`/api/senders/export?format=${format}&owner=organisation`)
        .buffer(true)
        .parse((res, done) => {
          let text = ''
          res.on('data', chunk => (text += chunk))
          res.on('end', () => done(null, text))
        })
      expect(out.headers['content-disposition']).toMatch(/attachment; filename="senders-2026-1\d-\d\d\./)
      expect(out.body).not.toContain('hers@x.example')
      const back = await bring(out.body as string, { name: `l.${format}` })
      expect(back.counts).toEqual({ added: 0, there: 3, covered: 0, contradicts: 0, refused: 0 })
      expect((await una.get('/api/senders/export?format=vcard')).body.code).toBe('BAD_REQUEST')
    },
  )
})

test('every write asks for the session’s token and a role that may', async () => {
  for (const path of [
    'changes',
    'upkeep/remedies',
    'upkeep/aside',
    'requests',
    'requests/1/answer',
    'imports',
    'imports/1/take',
  ]) {
    expect([path, (await oda.postWithoutToken(`/api/senders/${path}`, {})).status]).toEqual([path, 403])
    expect([path, (await una.post(`/api/senders/${path}`, {})).body.code]).toEqual([path, 'OBSERVER'])
  }
})
