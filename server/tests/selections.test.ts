import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { SelectionProgress, SelectionSummary } from '@pendro/contract'
import { execute, select } from '../src/db/database.ts'
import { readHere } from '../src/reading/reader.ts'
import { workSelections } from '../src/rulings/rule-all.ts'
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

/** Messages of a kind that a search shows and nothing else. */
async function mailOf(word: string, count: number): Promise<readonly number[]> {
  const ids: number[] = []
  for (let i = 0; i < count; i += 1)
    ids.push(
      ...(await arrive(server, {
        from: `Crate <desk@${word}-${i}.example>`,
        subject: `${word} no. ${i}`,
        headers: [proven(`${word}-${i}.example`)],
      })),
    )
  return ids
}
const mark = async (who: typeof per, find: string, more: object = {}) => {
  const { body, status } = await who.post('/api/selections', { find, ...more })
  expect([status, body.code]).toEqual([200, undefined])
  return body as SelectionSummary
}
const sentence = (part: object = {}) => ruling([1], part).sentence
const rule = (who: typeof per, selection: number, part: object, token: string = randomUUID()) =>
  who.post('/api/rulings', { selection, sentence: sentence(part), token })
const progress = async (who: typeof per, id: number) =>
  (await who.get(`/api/selections/${id}`)).body as SelectionProgress
const part = () => workSelections(server.db, { now: server.clock.now, read: readHere.read })
async function toTheEnd(): Promise<void> {
  while ((await part()) > 0);
}
const statesOf = (ids: readonly number[]) => Promise.all(ids.map(id => stateOf(server.db, id)))
const all = (ids: readonly number[], state: string) => ids.map(() => state)

describe('everything shown is one ruling', () => {
  test('frozen as it was: what comes in afterwards is not of it', async () => {
    const ids = await mailOf('frozen', 5)
    const selection = await mark(per, 'frozen no.')
    expect(selection).toMatchObject({
      deliveries: 5,
      colleagues: 1,
      senders: 5,
      can: { release: 5, discard: 5, restore: 0 },
      against: 0,
    })
    const [later = 0] = await mailOf('frozen', 1)
    const applied = await rule(per, selection.id, { message: 'discard', learn: 'junk' })
    expect(applied.status).toBe(200)
    expect(await progress(per, selection.id)).toMatchObject({ state: 'ruling', total: 5, done: 0 })
    await toTheEnd()
    expect(await progress(per, selection.id)).toMatchObject({ state: 'ruled', done: 5, left: 0 })
    expect(await statesOf(ids)).toEqual(all(ids, 'discarded'))
    expect(await stateOf(server.db, later)).toBe('quarantined')
    const [{ n }] = (await select<{ n: number }>(
      server.db,
      'SELECT COUNT(*) AS n FROM selection_deliveries WHERE selection_id = :id',
      { id: selection.id },
    )) as [{ n: number }]
    expect(n).toBe(0)
  })

  test('one undo takes back all of it, lessons and entries too', async () => {
    const words = () => select(server.db, 'SELECT * FROM words WHERE wanted + junk > 0 ORDER BY word')
    const before = await words()
    const ids = await mailOf('wholesale', 4)
    const selection = await mark(oda, 'wholesale no.')
    const { body } = await rule(oda, selection.id, {
      message: 'discard',
      learn: 'junk',
      sender: 'blocked',
      for: 'everyone',
    })
    expect(body.added.map(({ pattern }: { pattern: string }) => pattern).sort()).toEqual(
      [0, 1, 2, 3].map(i => `desk@wholesale-${i}.example`),
    )
    await toTheEnd()
    expect(await words()).not.toEqual(before)
    const undone = await oda.post(`/api/rulings/${body.id}/undo`, {})
    expect(undone.body).toMatchObject({ deliveries: [], running: selection.id })
    await toTheEnd()
    expect(await progress(oda, selection.id)).toMatchObject({ state: 'undone', done: 0 })
    expect(await statesOf(ids)).toEqual(all(ids, 'quarantined'))
    expect(await words()).toEqual(before)
    expect((await oda.get('/api/senders?find=wholesale')).body.rows).toEqual([])
    expect((await oda.post(`/api/rulings/${body.id}/undo`, {})).body.code).toBe('ALREADY_UNDONE')
  })

  test('undone half way: what is left stays, what was done comes back', async () => {
    const ids = await mailOf('halfway', 3)
    const selection = await mark(per, 'halfway no.')
    const { body } = await rule(per, selection.id, { message: 'discard', learn: 'nothing' })
    await part()
    await per.post(`/api/rulings/${body.id}/undo`, {})
    await toTheEnd()
    expect(await statesOf(ids)).toEqual(all(ids, 'quarantined'))
    expect(await progress(per, selection.id)).toMatchObject({ state: 'undone' })
  })

  test('what somebody else decides meanwhile is left alone and counted', async () => {
    const ids = await mailOf('race', 3)
    const selection = await mark(per, 'race no.')
    await oda.post('/api/rulings', ruling([ids[1] ?? 0], { message: 'release' }))
    await rule(per, selection.id, { message: 'discard' })
    await toTheEnd()
    expect(await progress(per, selection.id)).toMatchObject({ state: 'ruled', done: 2, left: 1 })
    expect(await statesOf(ids)).toEqual(['discarded', 'deferred', 'discarded'])
    await work(server, fakeStore().send)
  })

  test('released through the queue, a few hundred at a time; the copies arrive once', async () => {
    const ids = await mailOf('freed', 6)
    const selection = await mark(per, 'freed no.')
    await rule(per, selection.id, { message: 'release', learn: 'wanted' })
    // The queue is full of others' releases: nothing more is put into it.
    await execute(
      server.db,
      `INSERT INTO outbox (kind, subject_id, place, next_at) SELECT 'delivery', 900000 + seq, 'released', '2099-01-01' FROM seq_1_to_400`,
    )
    expect(await part()).toBe(0)
    await execute(server.db, 'DELETE FROM outbox WHERE subject_id > 900000')
    await toTheEnd()
    const store = fakeStore()
    await work(server, store.send)
    expect(await statesOf(ids)).toEqual(all(ids, 'released'))
    expect(store.taken).toHaveLength(6)
  })

  test('sent twice it is one ruling; another one needs marking anew', async () => {
    await mailOf('twice', 2)
    const selection = await mark(per, 'twice no.')
    const token = randomUUID()
    const [first, second] = await Promise.all([
      rule(per, selection.id, { message: 'discard' }, token),
      rule(per, selection.id, { message: 'discard' }, token),
    ])
    expect(first?.body.id).toBe(second?.body.id)
    expect((await rule(per, selection.id, { message: 'restore' })).body.code).toBe('SELECTION_GONE')
    await toTheEnd()
  })

  test('two processes at once do each part once', async () => {
    const ids = await mailOf('parallel', 8)
    const selection = await mark(per, 'parallel no.')
    await rule(per, selection.id, { message: 'discard', learn: 'junk' })
    await Promise.all([toTheEnd(), toTheEnd(), toTheEnd()])
    expect(await progress(per, selection.id)).toMatchObject({ state: 'ruled', done: 8, left: 0 })
    const lessons = await select(
      server.db,
      'SELECT message_id FROM lessons WHERE message_id IN (SELECT message_id FROM deliveries WHERE id IN (:ids))',
      { ids },
    )
    expect(lessons).toHaveLength(8)
  })
})

describe('what is refused', () => {
  test('nothing shown, somebody else’s selection, an observer', async () => {
    expect((await per.post('/api/selections', { find: 'nothing has this' })).body.code).toBe('NOTHING_SHOWN')
    await mailOf('mine', 2)
    const selection = await mark(per, 'mine no.')
    expect((await oda.get(`/api/selections/${selection.id}`)).body.code).toBe('SELECTION_GONE')
    expect((await rule(oda, selection.id, { message: 'discard' })).body.code).toBe('SELECTION_GONE')
    const reach = { selection: selection.id, sentence: sentence({ sender: 'blocked' }) }
    expect((await oda.post('/api/rulings/reach', reach)).body.code).toBe('SELECTION_GONE')
    const una = await signedIn(server, 'una')
    expect((await una.post('/api/selections', { find: 'mine no.' })).status).toBe(403)
  })
  test('for everybody by helpdesk; an act that fits none; nothing to do', async () => {
    await mailOf('rules', 2)
    const selection = await mark(per, 'rules no.')
    const codes = [
      { message: 'leave', sender: 'blocked', for: 'everyone' },
      { message: 'restore' },
      { message: 'leave', learn: 'nothing' },
    ].map(async given => (await rule(per, selection.id, { learn: 'nothing', ...given })).body.code)
    expect(await Promise.all(codes)).toEqual(['NEEDS_STEWARD', 'WRONG_STATE', 'NOTHING_TO_DO'])
  })
  test('releasing against the evidence without a reason', async () => {
    const ids = await mailOf('against', 2)
    await execute(server.db, "UPDATE deliveries SET points = 'against' WHERE id = :id", { id: ids[0] })
    const selection = await mark(per, 'against no.')
    expect(selection.against).toBe(1)
    expect((await rule(per, selection.id, { message: 'release' })).body.code).toBe('NEEDS_REASON')
    expect((await rule(per, selection.id, { message: 'release', reason: 'asked by phone' })).status).toBe(200)
    await toTheEnd()
    await work(server, fakeStore().send)
  })
  test('the reach of a selection is counted before it is made', async () => {
    await mailOf('reached', 3)
    const selection = await mark(oda, 'reached no.')
    const given = {
      selection: selection.id,
      sentence: sentence({ sender: 'safe', for: 'everyone', width: 'domain' }),
    }
    const { body } = await oda.post('/api/rulings/reach', given)
    expect(body).toMatchObject({ looked: 3, adds: expect.arrayContaining(['reached-0.example']) })
    expect(body.letThrough.doubtful + body.letThrough.wanted + body.letThrough.harmful).toBe(3)
  })
  test('the record tells of it twice: as it was decided, and what came of it', async () => {
    await mailOf('recorded', 2)
    const selection = await mark(per, 'recorded no.')
    const { body } = await rule(per, selection.id, { message: 'discard' })
    await toTheEnd()
    const lines = await select<{ act: string; facts: object }>(
      server.db,
      'SELECT act, facts FROM record_entries WHERE ruling_id = :id ORDER BY id',
      { id: body.id },
    )
    expect(lines).toEqual([
      { act: 'ruling', facts: expect.objectContaining({ deliveries: 2, subject: 'recorded no. 0' }) },
      { act: 'ruling-done', facts: { deliveries: 2, left: 0 } },
    ])
  })
})
