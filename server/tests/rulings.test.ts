import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { select } from '../src/db/database.ts'
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
} from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let per: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())
beforeEach(() => {
  server.clock.now = new Date(server.clock.now.getTime() + 60_000)
})

describe('release', () => {
  test('goes through the mail store once and is released when the store has it', async () => {
    const store = fakeStore()
    const [id = 0] = await arrive(server)
    expect(await stateOf(server.db, id)).toBe('quarantined')
    const applied = await per.post('/api/rulings', ruling([id], { message: 'release' }))
    expect(applied.body).toMatchObject({ deliveries: [{ id, state: 'deferred' }] })
    await work(server, store.send)
    await work(server, store.send)
    expect(await stateOf(server.db, id)).toBe('released')
    expect(store.taken).toHaveLength(1)
    expect(store.taken[0]).toMatchObject({
      to: 'ingrid@harbour.example',
      raw: expect.stringContaining(`Pendro-Delivery: ${id}.released`),
    })
    const sheet = await per.get(`/api/deliveries/${id}`)
    expect(sheet.body.history.map(({ act }: { act: string }) => act)).toEqual(['ruling', 'landed'])
  })

  test('twice: the second staffer hears who was first, and one copy goes out', async () => {
    const store = fakeStore()
    const [id = 0] = await arrive(server)
    const both = await Promise.all([
      oda.post('/api/rulings', ruling([id], { message: 'release' })),
      per.post('/api/rulings', ruling([id], { message: 'release' })),
    ])
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409])
    const second = both.find(({ status }) => status === 409)?.body
    expect(second).toMatchObject({
      code: 'ALREADY_RULED',
      text: expect.stringMatching(/^(Oda Rask|Per Dal) was first and has already released “A parcel waits”/),
    })
    await work(server, store.send)
    expect(store.taken).toHaveLength(1)
  })

  test('the same request again (same token) answers the same and does nothing more', async () => {
    const [id = 0] = await arrive(server)
    const body = ruling([id], { message: 'release', sender: 'safe' })
    const first = await per.post('/api/rulings', body)
    const again = await per.post('/api/rulings', body)
    expect([again.status, again.body]).toEqual([200, first.body])
  })

  test('mail store away: waits, says so, goes out later; refused: bounced with its words', async () => {
    const store = fakeStore()
    store.mood.answer = { status: 'later', problem: '421 4.3.2 away' }
    const [id = 0] = await arrive(server)
    await per.post('/api/rulings', ruling([id], { message: 'release' }))
    await work(server, store.send)
    const waiting = await per.get(`/api/deliveries/${id}`)
    expect(waiting.body).toMatchObject({
      row: { state: 'deferred', waiting: true },
      waiting: { attempts: 1, problem: '421 4.3.2 away' },
    })
    expect(await work(server, store.send)).toBe(0) // not due yet
    server.clock.now = new Date(server.clock.now.getTime() + 3000)
    store.mood.answer = { status: 'taken' }
    await work(server, store.send)
    expect(await stateOf(server.db, id)).toBe('released')

    const [other = 0] = await arrive(server)
    await per.post('/api/rulings', ruling([other], { message: 'release' }))
    store.mood.answer = { status: 'refused', problem: '550 5.2.1 takes no mail' }
    await work(server, store.send)
    expect(await stateOf(server.db, other)).toBe('bounced')
    expect((await per.post('/api/rulings', ruling([other], { message: 'release' }))).status).toBe(200)
    store.mood.answer = { status: 'taken' }
    await work(server, store.send)
    expect(await stateOf(server.db, other)).toBe('released')
  })

  test('two workers at once send one copy; a crashed claim is taken up again', async () => {
    const store = fakeStore()
    const ids: number[] = []
    for (let i = 0; i < 12; i += 1) ids.push(...(await arrive(server)))
    await per.post('/api/rulings', ruling(ids, { message: 'release' }))
    await Promise.all([work(server, store.send), work(server, store.send), work(server, store.send)])
    expect(store.taken).toHaveLength(12)

    const [id = 0] = await arrive(server)
    await per.post('/api/rulings', ruling([id], { message: 'release' }))
    await expect(work(server, () => Promise.reject(new Error('process killed here')))).rejects.toThrow()
    expect(await work(server, store.send)).toBe(0)
    server.clock.now = new Date(server.clock.now.getTime() + 121_000)
    await work(server, store.send)
    expect(await stateOf(server.db, id)).toBe('released')
  })

  test('one’s own second press is not told that somebody else was first', async () => {
    const [id = 0] = await arrive(server, { subject: 'Pressed twice' })
    await per.post('/api/rulings', ruling([id], { message: 'discard' }))
    const again = await per.post('/api/rulings', ruling([id], { message: 'discard' }))
    expect([again.status, again.body.text]).toEqual([
      409,
      'You have already discarded “Pressed twice”. Nothing was changed.',
    ])
  })

  test('sealed: nobody can release it', async () => {
    const [id = 0] = await arrive(server, {
      headers: [
        'Content-Disposition: attachment; filename="setup.exe"',
        'Content-Type: application/octet-stream',
      ],
      body: 'MZ harmless',
    })
    expect(await stateOf(server.db, id)).toBe('sealed')
    const answer = await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    expect([answer.status, answer.body.code]).toEqual([409, 'SEALED'])
    // Nor by a way around: what was discarded comes back as it was.
    await per.post('/api/rulings', ruling([id], { message: 'discard' }))
    await per.post('/api/rulings', ruling([id], { message: 'restore' }))
    expect(await stateOf(server.db, id)).toBe('sealed')
    const again = await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    expect([again.status, again.body.code]).toEqual([409, 'SEALED'])
  })

  test('a selection with one that can not go refuses the whole', async () => {
    const [a = 0, b = 0] = [...(await arrive(server)), ...(await arrive(server))]
    await per.post('/api/rulings', ruling([a], { message: 'discard' }))
    const answer = await per.post('/api/rulings', ruling([a, b], { message: 'release', sender: 'safe' }))
    expect(answer.status).toBe(409)
    expect(await stateOf(server.db, b)).toBe('quarantined')
    expect(
      await select(
        server.db,
        "SELECT id FROM sender_entries WHERE pattern = 'deals@promo.example' AND mailbox_id = :m AND ended_at IS NULL AND created_at = :now",
        { m: server.mailbox('ingrid'), now: server.clock.now },
      ),
    ).toEqual([])
  })
})

describe('entries work on the next message', () => {
  test('safe for her: the next goes to the inbox, and its path names the entry', async () => {
    const from = 'Anna <anna@printers.example>'
    const headers = [proven('printers.example')]
    const body = `<a href="http://192.0.2.77/">www.good.example</a><p style="display:none">${'out of sight '.repeat(5)}</p>`
    const [first = 0] = await arrive(server, { from, headers, body, subject: 'lottery lottery' })
    expect(await stateOf(server.db, first)).toBe('quarantined')
    const applied = await per.post(
      '/api/rulings',
      ruling([first], { sender: 'safe', width: 'domain', reason: 'our printers' }),
    )
    expect(applied.body.added).toMatchObject([
      { pattern: 'printers.example', standing: 'safe', keptBy: 'Ingrid' },
    ])
    expect(await stateOf(server.db, first)).toBe('quarantined') // future mail only

    const [next = 0] = await arrive(server, { from, headers, body })
    const sheet = await per.get(`/api/deliveries/${next}`)
    expect(sheet.body.row.state).toBe('deferred')
    expect(sheet.body.path.find((line: { stage: string }) => line.stage === 'personal')).toMatchObject({
      outcome: 'decided',
      decided: { pattern: 'printers.example' },
    })

    const [forged = 0] = await arrive(server, { from, body })
    const path = (await per.get(`/api/deliveries/${forged}`)).body.path
    expect(path.find((line: { stage: string }) => line.stage === 'personal')).toMatchObject({
      outcome: 'silent',
      refused: [{ why: 'not-authenticated' }],
    })
  })

  test('blocked for all by a steward: binding, quarantined, out of digests; helpdesk may not', async () => {
    const [id = 0] = await arrive(server, { from: 'x@nuisance.example' })
    const asked = { sender: 'blocked', width: 'subtree', for: 'everyone' }
    const refused = await per.post('/api/rulings', ruling([id], asked))
    expect([refused.status, refused.body.code]).toEqual([403, 'NEEDS_STEWARD'])
    expect((await oda.post('/api/rulings', ruling([id], asked))).body.added).toMatchObject([
      { pattern: '*.nuisance.example', binding: true, mailboxId: null },
    ])
    const [next = 0] = await arrive(server, {
      from: 'y@deep.nuisance.example',
      to: ['aksel@harbour.example'],
      headers: [proven('nuisance.example')],
      body: 'hi',
    })
    expect(
      await select(server.db, 'SELECT state, left_out FROM deliveries WHERE id = :next', { next }),
    ).toEqual([{ state: 'quarantined', left_out: 1 }])
  })

  test('safe where blocked: the block ends in the same ruling; undo brings both back', async () => {
    const from = 'z@turncoat.example'
    const [id = 0] = await arrive(server, { from })
    await per.post('/api/rulings', ruling([id], { sender: 'blocked' }))
    const turned = await per.post('/api/rulings', ruling([id], { sender: 'safe' }))
    expect(turned.body).toMatchObject({ added: [{ standing: 'safe' }], ended: [{ standing: 'blocked' }] })
    const live = () =>
      select<{ standing: string }>(
        server.db,
        "SELECT standing FROM sender_entries WHERE pattern = 'z@turncoat.example' AND ended_at IS NULL",
      )
    expect(await live()).toEqual([{ standing: 'safe' }])
    expect((await per.post(`/api/rulings/${turned.body.id}/undo`, {})).status).toBe(200)
    expect(await live()).toEqual([{ standing: 'blocked' }])
    expect((await per.post(`/api/rulings/${turned.body.id}/undo`, {})).body.code).toBe('ALREADY_UNDONE')
  })

  test('two staffers make the same entry at once: one entry', async () => {
    const [id = 0] = await arrive(server, { from: 'twin@pair.example' })
    const both = await Promise.all([
      oda.post('/api/rulings', ruling([id], { sender: 'safe' })),
      per.post('/api/rulings', ruling([id], { sender: 'safe' })),
    ])
    expect(both.map(({ status }) => status)).toEqual([200, 200])
    expect(
      await select(
        server.db,
        "SELECT 1 AS one FROM sender_entries WHERE pattern = 'twin@pair.example' AND ended_at IS NULL",
      ),
    ).toHaveLength(1)
  })

  test('until a day: counts through that day in our zone', async () => {
    const from = 'guest@season.example'
    const headers = [proven('season.example')]
    const [id = 0] = await arrive(server, { from, headers, subject: 'spring' })
    await per.post('/api/rulings', ruling([id], { sender: 'safe', until: '2026-11-21' }))
    const before = server.clock.now
    server.clock.now = new Date('2026-11-21T22:59:59Z') // 23:59:59 in Oslo
    const [last = 0] = await arrive(server, { from, headers })
    server.clock.now = new Date('2026-11-21T23:00:00Z')
    const [late = 0] = await arrive(server, { from, headers })
    server.clock.now = before
    expect([await stateOf(server.db, last), await stateOf(server.db, late)]).toEqual([
      'deferred',
      'quarantined',
    ])
    expect(
      (await per.post('/api/rulings', ruling([id], { sender: 'safe', until: '2026-11-19' }))).body.code,
    ).toBe('UNTIL_PASSED')
  })
})

describe('what is refused, in words', () => {
  test.each([
    [{ sender: 'safe', pattern: 'co.uk' }, 400, 'BAD_PATTERN', /unrelated organisations share “co\.uk”/],
    [{ sender: 'safe', pattern: 'a*@x.example' }, 400, 'BAD_PATTERN', /a\*@x\.example.*You can use/],
    [{ sender: 'safe', width: 'list' }, 400, 'NO_SENDER', /another pattern/],
    [{}, 400, 'NOTHING_TO_DO', /changes nothing/],
    [
      { message: 'restore' },
      409,
      'WRONG_STATE',
      /“A parcel waits” can’t be restored. Where it is now: quarantined\./,
    ],
    [{ message: 'fly' }, 400, 'BAD_REQUEST', /sentence.message/],
  ])('%j: %i %s', async (more, status, code, words) => {
    const [id = 0] = await arrive(server)
    const answer = await per.post('/api/rulings', ruling([id], more))
    expect([answer.status, answer.body.code]).toEqual([status, code])
    expect(answer.body.text).toMatch(words)
  })

  test('a shared provider needs a steward and a reason', async () => {
    const [id = 0] = await arrive(server, { from: 'me@freepost.example' })
    const wide = { sender: 'safe', width: 'domain', for: 'everyone' }
    expect((await oda.post('/api/rulings', ruling([id], wide))).body.code).toBe('NEEDS_REASON')
    expect(
      (await per.post('/api/rulings', ruling([id], { ...wide, for: 'colleague', reason: 'x' }))).body.code,
    ).toBe('NEEDS_STEWARD')
    expect(
      (await oda.post('/api/rulings', ruling([id], { ...wide, reason: 'the school writes from there' })))
        .status,
    ).toBe(200)
  })

  test('an observer: 403 in words; without the token: 403; signed out: 401; unknown delivery: 404', async () => {
    const una = await signedIn(server, 'una')
    const [id = 0] = await arrive(server)
    const refused = await una.post('/api/rulings', ruling([id], { message: 'release' }))
    expect([refused.status, refused.body.code]).toEqual([403, 'OBSERVER'])
    expect(refused.body.text).toMatch(/observer/)
    expect((await una.get(`/api/deliveries/${id}`)).status).toBe(200)
    expect((await per.postWithoutToken('/api/rulings', ruling([id], { message: 'release' }))).body.code).toBe(
      'CSRF',
    )
    expect((await per.post('/api/rulings', ruling([999_999], { message: 'release' }))).body).toMatchObject({
      code: 'DELIVERY_NOT_FOUND',
      facts: { missing: [999_999] },
    })
    expect(await stateOf(server.db, id)).toBe('quarantined')
  })
})

describe('undo', () => {
  test('discard and restore; undo of a discard; a later ruling stands in the way', async () => {
    const [id = 0] = await arrive(server)
    const discard = await per.post('/api/rulings', ruling([id], { message: 'discard' }))
    expect(await stateOf(server.db, id)).toBe('discarded')
    const restore = await per.post('/api/rulings', ruling([id], { message: 'restore' }))
    expect(await stateOf(server.db, id)).toBe('quarantined')
    expect((await per.post(`/api/rulings/${discard.body.id}/undo`, {})).body).toMatchObject({
      code: 'LATER_RULING',
      text: 'Per Dal ruled on “A parcel waits” again after this. Undo that ruling first.',
      facts: { rulings: [restore.body.id] },
    })
    await per.post(`/api/rulings/${restore.body.id}/undo`, {})
    expect(await stateOf(server.db, id)).toBe('discarded')
    await per.post(`/api/rulings/${discard.body.id}/undo`, {})
    expect(await stateOf(server.db, id)).toBe('quarantined')
  })

  test('a release still waiting is called back; one that has landed stays, and is counted', async () => {
    const store = fakeStore()
    const [id = 0] = await arrive(server)
    const first = await per.post('/api/rulings', ruling([id], { message: 'release' }))
    expect((await per.post(`/api/rulings/${first.body.id}/undo`, {})).body).toMatchObject({
      deliveries: [{ id, state: 'quarantined' }],
      stayedReleased: 0,
    })
    await work(server, store.send)
    expect(store.taken.filter(({ raw }) => raw.includes(`Pendro-Delivery: ${id}.`))).toHaveLength(0)
    const second = await per.post('/api/rulings', ruling([id], { message: 'release' }))
    await work(server, store.send)
    expect((await per.post(`/api/rulings/${second.body.id}/undo`, {})).body).toMatchObject({
      deliveries: [{ id, state: 'released' }],
      stayedReleased: 1,
    })
  })

  test('learning is taken back exactly', async () => {
    const counts = () =>
      select(server.db, "SELECT word, wanted, junk FROM words WHERE word IN ('', 's:tombola') ORDER BY word")
    const before = await counts()
    const [id = 0] = await arrive(server, { subject: 'tombola tombola' })
    const taught = await per.post('/api/rulings', ruling([id], { learn: 'junk' }))
    expect(await counts()).toContainEqual({ word: 's:tombola', wanted: 0, junk: 1 })
    await per.post(`/api/rulings/${taught.body.id}/undo`, {})
    expect((await counts()).filter(({ wanted, junk }) => wanted !== 0 || junk !== 0)).toEqual(
      before.filter(({ wanted, junk }) => wanted !== 0 || junk !== 0),
    )
  })

  test('what the organisation keeps, only a steward undoes', async () => {
    const [id = 0] = await arrive(server, { from: 'q@ours.example' })
    const made = await oda.post('/api/rulings', ruling([id], { sender: 'blocked', for: 'everyone' }))
    expect((await per.post(`/api/rulings/${made.body.id}/undo`, {})).body.code).toBe('NEEDS_STEWARD')
    expect((await oda.post(`/api/rulings/${made.body.id}/undo`, {})).status).toBe(200)
  })
})

describe('reach', () => {
  test('says what would have changed, whom it touches, what overrules it, and that the sentence is wrong', async () => {
    const from = 'news@weather.example'
    const headers = [proven('weather.example')]
    const ids = [
      ...(await arrive(server, { from, headers, to: ['ingrid@harbour.example', 'kari@harbour.example'] })),
      ...(await arrive(server, { from, headers })),
      ...(await arrive(server, { from: 'news@storm.weather.example' })),
    ]
    const kari = ids[1] ?? 0
    await per.post('/api/rulings', ruling([kari], { sender: 'blocked' }))
    const reach = (more: object) =>
      per.post('/api/rulings/reach', { deliveries: [ids[0]], sentence: { ...ruling([], more).sentence } })
    expect((await reach({ sender: 'safe', for: 'everyone' })).body).toMatchObject({
      looked: 3,
      letThrough: { wanted: 0, doubtful: 2, harmful: 0 },
      colleagues: 1,
      adds: ['news@weather.example'],
      overruledBy: [{ entry: { keptBy: 'Kari' }, deliveries: 1 }],
    })
    expect((await reach({ sender: 'safe' })).body).toMatchObject({
      looked: 2,
      letThrough: { doubtful: 2 },
      colleagues: 1,
    })
    expect((await reach({ sender: 'safe', width: 'subtree', for: 'everyone' })).body).toMatchObject({
      looked: 4,
      letThrough: { doubtful: 2 },
      refused: 1,
    })
    expect((await reach({ sender: 'safe', pattern: 'nonsense@' })).body.code).toBe('BAD_PATTERN')
  })
})

test('the record tells who did what and can not be changed', async () => {
  const [id = 0] = await arrive(server, { subject: 'for the record' })
  await per.post('/api/rulings', ruling([id], { message: 'discard', reason: 'she asked for it' }))
  const { body } = await per.get('/api/record?what=rulings&who=me')
  expect(body.lines[0]).toMatchObject({
    act: 'ruling',
    by: 'Per Dal',
    mailboxName: 'Ingrid',
    reason: 'she asked for it',
    facts: { message: 'discard', subject: 'for the record' },
  })
  await expect(server.db.query('UPDATE record_entries SET reason = NULL')).rejects.toThrow(/never changed/)
  await expect(server.db.query('DELETE FROM record_entries')).rejects.toThrow(/never removed/)
})

describe('an entry that has no say', () => {
  test.each([
    ['blocked', 'safe'],
    ['safe', 'blocked'],
  ] as const)(
    'made while the organisation’s binding entry says %s: the answer tells',
    async (bound, made) => {
      const domain = `bound-${bound}.example`
      const from = `Bound <desk@${domain}>`
      await oda.post('/api/senders/changes', {
        add: [{ pattern: domain, standing: bound, mailboxId: null, binding: true }],
        reason: 'for the test',
        token: randomUUID(),
      })
      const [id = 0] = await arrive(server, { from, headers: [proven(domain)] })
      const { body } = await per.post('/api/rulings', ruling([id], { sender: made, for: 'colleague' }))
      expect(body.overruled).toEqual([
        {
          made: body.added[0].id,
          by: expect.objectContaining({ pattern: domain, standing: bound, mailboxId: null }),
        },
      ])
    },
  )
  test('one that decides is not told to have none', async () => {
    const [id = 0] = await arrive(server, { from: 'Free <desk@free-say.example>' })
    const { body } = await per.post('/api/rulings', ruling([id], { sender: 'blocked', for: 'colleague' }))
    expect([body.added.length, body.overruled]).toEqual([1, []])
  })
})
