import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { CalibrationShape } from '@pendro/contract'
import { readRuled } from '../src/calibration/ruled.ts'
import { arrive, proven, ruling, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>

beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())

const calibration = async (days = 30): Promise<CalibrationShape> =>
  (await per.get(`/api/calibration?days=${days}`)).body as CalibrationShape
const sum = (counts: readonly number[]) => counts.reduce((total, n) => total + n, 0)
const rule = (ids: readonly number[], more: object) => per.post('/api/rulings', ruling(ids, more))
const hours = (n: number) => {
  server.clock.now = new Date(server.clock.now.getTime() + n * 3_600_000)
}

describe('what people decided against what the score said', () => {
  test('before anybody has ruled there is nothing to compare, and the area says so in every part', async () => {
    const found = await calibration()
    expect(found).toMatchObject({ area: null, brier: null, logLoss: null, evidence: [], teach: [] })
    expect(found.wanted).toHaveLength(101)
    expect(found.reliability.every(({ count, enough }) => count === 0 && !enough)).toBe(true)
    expect(found.weeks).toHaveLength(5)
    expect(found.text).toMatchObject({ wanted: 0, junk: 0, bound: 1, linear: false })
  })
  test('a release is wanted, a discard is junk, what was taught outweighs both, and leaving says nothing', async () => {
    const [released, discarded, taught, left] = [
      await arrive(server),
      await arrive(server, {
        body: '<p>Other words: <a href="https://files.dropshelf.example/y">there</a></p>',
      }),
      await arrive(server, {
        body: '<p>Third kind: <a href="https://files.dropshelf.example/z">look</a></p>',
      }),
      await arrive(server, {
        body: '<p>Fourth thing: <a href="https://files.dropshelf.example/q">see</a></p>',
      }),
    ]
    hours(3)
    await rule(released, { message: 'release', learn: 'nothing' })
    await rule(discarded, { message: 'discard', learn: 'nothing' })
    await rule(taught, { message: 'discard', learn: 'wanted' })
    await rule(left, { message: 'leave', learn: 'nothing', sender: 'safe', reason: 'known' })
    const found = await calibration()
    expect([sum(found.wanted), sum(found.junk)]).toEqual([2, 1])
    expect(sum(found.unruled)).toBe(1)
    expect(found.area).not.toBeNull()
    expect(found.weeks.at(-1)).toMatchObject({
      rulings: 3,
      held: 2,
      missed: 0,
      undone: 0,
      median: 3,
      ninth: 3,
    })
    expect(found.reliability.filter(({ count }) => count > 0)).toMatchObject([{ count: 3, enough: false }])
  })
  test('of several rulings on one message the last that stands counts; an undone one is told as undone', async () => {
    const ids = await arrive(server, {
      body: '<p>Fifth sort: <a href="https://files.dropshelf.example/v">open</a></p>',
    })
    const before = await calibration()
    await rule(ids, { message: 'leave', learn: 'junk' })
    hours(1)
    const second = await rule(ids, { message: 'leave', learn: 'wanted' })
    expect(sum((await calibration()).wanted)).toBe(sum(before.wanted) + 1)
    await per.post(`/api/rulings/${second.body.id}/undo`, {})
    const after = await calibration()
    expect([sum(after.wanted), sum(after.junk)]).toEqual([sum(before.wanted), sum(before.junk) + 1])
    expect(after.weeks.at(-1)?.undone).toBe(1)
  })
  test('junk that got through is told apart from junk that was held', async () => {
    const ids = await arrive(server, {
      from: 'Anna <anna@quiet.example>',
      headers: [proven('quiet.example')],
      body: '<p>Are you coming on Sunday?</p>',
    })
    await rule(ids, { message: 'leave', learn: 'junk' })
    expect((await calibration()).weeks.at(-1)?.missed).toBe(1)
    const [ruled] = (await readRuled(server.db, { since: new Date(0), department: '', scope: null })).slice(
      -1,
    )
    expect(ruled).toMatchObject({ isJunk: true, hadArrived: true, deliveryId: ids[0] })
  })
  test('evidence: how often it was there, right, and decisive', async () => {
    const ids = await arrive(server, {
      from: 'Berit <berit@odd.example>',
      headers: [proven('odd.example')],
      body: '<a href="http://192.0.2.77/x">www.parcel.example</a>',
    })
    await rule(ids, { message: 'leave', learn: 'junk' })
    const { evidence } = await calibration()
    const host = evidence.find(({ finding }) => finding === 'link-file-host')
    expect(host).toMatchObject({ weight: 0.9 })
    expect(host?.right).toBe(host?.junk)
    // With either sign alone those messages would have been held; the proven one was held by its number alone.
    expect(host?.decisive).toBe(0)
    expect(evidence.find(({ finding }) => finding === 'link-numeric-host')).toMatchObject({
      junk: 1,
      right: 1,
      decisive: 1,
    })
    expect(evidence.some(({ finding }) => finding === 'starting-point')).toBe(false)
  })
  test('what would teach most: in doubt, not ruled on, one of each text', async () => {
    const body = (n: number) =>
      `<p>The same long text about a parcel that could not be delivered to you at home this morning because nobody came to the door <a href="https://files.dropshelf.example/t">choose ${'abcdef'[n] ?? ''}day</a></p>`
    const ids = [await arrive(server, { body: body(0) }), await arrive(server, { body: body(1) })].flat()
    const { teach } = await calibration()
    const found = teach.filter(({ id }) => ids.includes(id))
    expect(found).toMatchObject([{ copies: 2, colleague: 'Ingrid' }])
    await rule(ids, { message: 'leave', learn: 'junk' })
    expect((await calibration()).teach.filter(({ id }) => ids.includes(id))).toEqual([])
  })
  test('ninety days or thirty, nothing else', async () => {
    expect((await calibration(90)).weeks).toHaveLength(13)
    expect((await per.get('/api/calibration?days=365')).status).toBe(400)
  })
  test('observers read it', async () => {
    const una = await signedIn(server, 'una')
    expect((await una.get('/api/calibration')).status).toBe(200)
  })
})

describe('where judgement is often wrong', () => {
  const drift = async () => (await calibration()).drift
  const aside = (body: object) => per.post('/api/calibration/aside', body)
  /** A word of its own: texts that differ in a number only are one. */
  const word = (n: number) => [...String(n)].map(digit => 'abcdefghij'[Number(digit)]).join('')
  let serial = 0
  const text = (tail: string) => {
    serial += 1
    return `<p>Notes on ${word(serial)} ${tail}</p>`
  }
  const hosted = '<a href="https://files.dropshelf.example/n">here</a>'
  beforeAll(async () => {
    // Where it is right: junk that was held, of many senders.
    for (let i = 0; i < 30; i += 1)
      await rule(await arrive(server, { body: text(hosted) }), { message: 'discard', learn: 'nothing' })
  })
  test('a proven sender held six times though wanted: an entry would mend it; set aside with a reason, until twice as much goes wrong', async () => {
    const held = async (n: number) => {
      for (let i = 0; i < n; i += 1) {
        const ids = await arrive(server, {
          from: 'Notes <notes@drifting.example>',
          headers: [proven('drifting.example')],
          body: text(
            `<a href="http://192.0.2.77/x">www.parcel.example</a><span style="display:none">${'outofsight '.repeat(5)}</span>`,
          ),
        })
        await rule(ids, { message: 'release', learn: 'nothing', reason: 'asked for' })
      }
    }
    await held(6)
    const [found] = (await drift()).filter(({ value }) => value === 'drifting.example')
    expect(found).toMatchObject({
      kind: 'sender',
      rulings: 6,
      wrong: 6,
      held: 6,
      remedy: { standing: 'safe', pattern: 'drifting.example' },
      aside: null,
    })
    expect(found?.examples).toHaveLength(5)
    const key = found?.key ?? ''
    expect((await aside({ key })).body.code).toBe('NEEDS_REASON')
    // A page may say what it likes: a finding is what is found.
    expect((await aside({ key: 'sender nobody.example', reason: 'a trial' })).body.code).toBe(
      'FINDING_NOT_FOUND',
    )
    expect((await aside({ key, wrong: 400, reason: 'a trial' })).status).toBe(200)
    const left = (await drift()).find(one => one.key === key)
    expect(left?.aside).toMatchObject({ by: 'Per Dal', reason: 'a trial' })
    await held(6)
    expect((await drift()).find(one => one.key === key)).toMatchObject({ wrong: 12, aside: null })
    await aside({ key, reason: 'still a trial' })
    expect((await aside({ key, back: true })).status).toBe(200)
    expect((await aside({ key, back: true })).body.code).toBe('FINDING_NOT_FOUND')
  })
  test('one text to many colleagues is one case', async () => {
    const to = ['kari', 'ingrid', 'aksel'].map(name => `${name}@harbour.example`)
    for (let i = 0; i < 2; i += 1)
      await rule(
        await arrive(server, { from: 'Mass <mass@mass.example>', to, body: `<p>The same ${hosted}</p>` }),
        {
          message: 'release',
          learn: 'nothing',
          reason: 'asked for',
        },
      )
    expect((await drift()).filter(({ value }) => value === 'mass.example')).toEqual([])
  })
  test('an unproven sender is not to be made safe for everybody', async () => {
    for (let i = 0; i < 6; i += 1)
      await rule(await arrive(server, { from: 'Old <old@unproven.example>', body: text(hosted) }), {
        message: 'release',
        learn: 'nothing',
        reason: 'asked for',
      })
    expect((await drift()).find(({ value }) => value === 'unproven.example')).toMatchObject({ remedy: null })
  })
})
