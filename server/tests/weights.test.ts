import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { CalibrationShape } from '@pendro/contract'
import { weightBounds, weights } from '@pendro/core/weights'
import { refitWeights } from '../src/calibration/refit.ts'
import { execute, select } from '../src/db/database.ts'
import { Lessons } from '../src/db/models/learning.ts'
import { insert } from '../src/db/rows.ts'
import { defaultsEffect } from '../src/mailboxes/defaults.ts'
import { arrive, proven, signedIn, startTestServer, stateOf, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let per: typeof oda

beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())

const read = async () => ((await per.get('/api/calibration')).body as CalibrationShape).weights
const set = (to: object, was: object, by = oda) =>
  by.post('/api/organisation/defaults/changes', {
    change: { what: 'weights', was, to },
    token: randomUUID(),
  })
const undo = (change: number) => oda.post(`/api/mailbox-changes/${change}/undo`, {})

async function judged(id: number) {
  const [row] = await select<{
    score: number
    weights: number
    evidence: { finding: string; weight: number }[]
  }>(
    server.db,
    'SELECT d.score, j.weights, j.evidence FROM deliveries d JOIN delivery_judgements j ON j.delivery_id = d.id WHERE d.id = :id',
    { id },
  )
  const weighed = new Map(row?.evidence.map(({ finding, weight }) => [finding, weight]))
  return { score: row?.score ?? 0, version: row?.weights ?? -1, weighed }
}

const shipped = { own: {}, refit: true }

describe('weights of the organisation', () => {
  test('are shipped at first, each with where it may be', async () => {
    const { inUse, table, changed, fit } = await read()
    expect(inUse).toEqual(shipped)
    expect([changed, fit]).toEqual([null, null])
    expect(table).toHaveLength(Object.keys(weights).length)
    const bounds = weightBounds('link-file-host')
    expect(table.find(({ finding }) => finding === 'link-file-host')).toEqual({
      finding: 'link-file-host',
      weight: weights['link-file-host'],
      shipped: weights['link-file-host'],
      from: bounds?.[0],
      to: bounds?.[1],
    })
    expect(table.find(({ finding }) => finding === 'starting-point')).toMatchObject({ from: null, to: null })
  })

  test('a steward changes them: new mail is judged by them and says so, what was judged stays; undo', async () => {
    const [before = 0] = await arrive(server)
    const own = { 'link-file-host': 0.2 }
    expect((await set({ own, refit: true }, shipped, per)).status).toBe(403)
    const made = await set({ own, refit: true }, shipped)
    expect(made.status).toBe(200)
    const [after = 0] = await arrive(server)
    const [one, other] = [await judged(before), await judged(after)]
    expect([one.version, other.version]).toEqual([0, made.body.change])
    expect(one.weighed.get('link-file-host')).toBe(weights['link-file-host'])
    expect(other.weighed.get('link-file-host')).toBe(0.2)
    expect(other.score).toBeLessThan(one.score)
    expect(await read()).toMatchObject({ inUse: { own }, changed: { by: 'Oda Rask', undone: false } })
    // Somebody who saw what was before is told.
    expect((await set({ own: {}, refit: true }, shipped)).body.code).toBe('MAILBOX_CHANGED')
    expect((await undo(made.body.change)).status).toBe(200)
    const [third = 0] = await arrive(server)
    expect(await judged(third)).toMatchObject({ version: 0, score: one.score })
    // Taken back by a person: nothing is fitted anew until somebody says so.
    expect((await read()).inUse).toEqual({ own: {}, refit: false })
    expect((await set(shipped, { own: {}, refit: false })).status).toBe(200)
  })

  test.each([
    ['further than it may', { 'link-file-host': 9 }],
    ['on the other side of its meaning', { 'link-file-host': -0.1 }],
    ['one that stays as it is', { 'starting-point': -1 }],
    ['what tells wanted from junk no better than chance', { 'link-elsewhere': 0.3 }],
  ])('%s: refused, in words', async (_, own) => {
    const { inUse } = await read()
    const answer = await set({ own, refit: true }, inUse)
    expect(answer.body.code).toBe('BAD_WEIGHTS')
    expect((await read()).inUse).toEqual(inUse)
  })
  test.each([
    ['a finding nobody knows', { 'phase-of-the-moon': 1 }],
    ['no number', { bulk: 'much' }],
  ])('%s: not understood', async (_, own) => {
    expect((await set({ own, refit: true }, shipped)).status).toBe(400)
  })

  test('what a change would come to: mail of the last month weighed again, whatever it was weighed with', async () => {
    const first = await set({ own: { 'new-and-odd': 1.1 }, refit: true }, shipped)
    await arrive(server)
    const change = {
      what: 'weights' as const,
      was: shipped,
      to: { own: { 'link-file-host': 0.4, 'new-and-odd': 0.1, 'authentication-none': 0 }, refit: true },
    }
    const effect = (more: object = {}) => defaultsEffect(server.db, change, server.clock.now, more)
    const { replay } = await effect()
    const total = (of: object | undefined) =>
      Object.values(of ?? {}).reduce((a: number, b) => a + Number(b), 0)
    // Four letters so far, each held by the weights in use now, and by the others not.
    expect(total(replay?.letThrough)).toBe(4)
    expect(total(replay?.keptBack)).toBe(0)
    expect(replay?.examples[0]).toMatchObject({ would: 'come-through' })
    // Part by part it comes to the same.
    let [sum, before] = [0, null as number | null]
    do {
      const part = await effect({ before, atOnce: 2 })
      sum += total(part.replay?.letThrough)
      before = part.replay?.part?.next ?? null
    } while (before !== null)
    expect(sum).toBe(4)
    await undo(first.body.change)
    await set(shipped, { own: {}, refit: false })
  })
})

describe('refit on what people ruled', () => {
  /** As many rulings as it takes, on a few messages. */
  async function teach(messages: readonly number[], verdict: 'wanted' | 'junk', times: number) {
    const rows = Array.from({ length: times }, (_, i) => ({
      ruling_id: null,
      message_id: messages[i % messages.length] ?? 0,
      verdict,
      words: [],
      senders: [],
      counted: true,
      cluster_key: null,
      sender: null,
      colleague_id: null,
    }))
    await insert(server.db, Lessons, rows)
  }
  const messageOf = async (ids: readonly number[]) =>
    (
      await select<{ m: number }>(server.db, 'SELECT message_id AS m FROM deliveries WHERE id IN (:ids)', {
        ids,
      })
    ).map(({ m }) => m)
  let [hosts, proofs]: [number[], number[]] = [[], []]

  test('fewer than fifty rulings: not due; two hundred of one kind: nothing to fit', async () => {
    hosts = await messageOf(await arrive(server))
    proofs = await messageOf(
      await arrive(server, {
        from: 'Eva <eva@lists.example>',
        headers: [proven('lists.example')],
        body: '<p>Minutes</p>',
      }),
    )
    await teach(hosts, 'wanted', 49)
    expect(await refitWeights(server.db, server.clock.now)).toBe(0)
    await teach(hosts, 'wanted', 151)
    expect(await refitWeights(server.db, server.clock.now)).toBe(1)
    expect((await read()).fit).toBeNull()
  })

  test('here wanted mail links to file hosts and junk proves itself: taken into use a step at a time, told and undone', async () => {
    await teach(proofs, 'junk', 200)
    expect(await refitWeights(server.db, server.clock.now)).toBe(1)
    const { inUse, changed } = await read()
    expect(changed?.by).toBe('Pendro')
    expect(inUse.refit).toBe(true)
    const moved = Object.entries(inUse.own) as [keyof typeof weights, number][]
    expect(moved.length).toBeGreaterThan(1)
    for (const [finding, weight] of moved)
      expect(Math.abs(weight - weights[finding])).toBeLessThanOrEqual(0.2501)
    expect(inUse.own['link-file-host']).toBeCloseTo(weights['link-file-host'] - 0.25, 2)
    expect(inUse.own['dmarc-pass']).toBeCloseTo(weights['dmarc-pass'] + 0.25, 2)
    // The same rulings move a weight once: another step is fitted, and shown, and waits for new ones.
    expect(await refitWeights(server.db, server.clock.now)).toBe(1)
    const next = await read()
    expect(next.inUse).toEqual(inUse)
    expect(next.fit?.better).toBe(true)
    expect(next.fit?.own['link-file-host']).toBeCloseTo(weights['link-file-host'] - 0.5, 2)
    expect(await refitWeights(server.db, server.clock.now)).toBe(0)
    await teach(proofs, 'junk', 50)
    await refitWeights(server.db, server.clock.now)
    expect((await read()).inUse.own['link-file-host']).toBeCloseTo(weights['link-file-host'] - 0.5, 2)
  })

  test('taken back by a person, it is not done again, however many rulings come', async () => {
    const { changed } = await read()
    expect((await undo(changed?.change ?? 0)).status).toBe(200)
    const { inUse } = await read()
    expect(inUse.refit).toBe(false)
    await teach(proofs, 'junk', 60)
    await refitWeights(server.db, server.clock.now)
    const after = await read()
    expect(after.inUse).toEqual(inUse)
    // It is still said what it would come to.
    expect(after.fit?.better).toBe(true)
  })

  test('the way to a step does not matter to what the evidence says: kept with other weights, met as strongly', async () => {
    await execute(server.db, 'DELETE FROM weight_fit')
    await refitWeights(server.db, server.clock.now)
    const one = (await read()).fit?.own
    const [row] = await select<{ id: number; at: Date }>(
      server.db,
      "SELECT MIN(id) AS id FROM mailbox_changes WHERE what = 'organisation-weights'",
    )
    // As if the messages had come in under those weights.
    await execute(
      server.db,
      `UPDATE delivery_judgements SET weights = :id, evidence = JSON_REPLACE(evidence,
         REPLACE(JSON_UNQUOTE(JSON_SEARCH(evidence, 'one', 'link-file-host')), 'finding', 'weight'), 0.2)
       WHERE JSON_SEARCH(evidence, 'one', 'link-file-host') IS NOT NULL AND weights = 0`,
      { id: row?.id },
    )
    await execute(server.db, 'DELETE FROM weight_fit')
    await refitWeights(server.db, server.clock.now)
    const other = (await read()).fit?.own
    expect(other?.['link-file-host']).toBeCloseTo(one?.['link-file-host'] ?? 0, 1)
  })
})

describe('limits of a department', () => {
  const at = { junk: 95, quarantined: 96, nearCertain: 99 }
  const change = (was: object | null, to: object | null, department = 'Yard') =>
    oda.post('/api/organisation/defaults/changes', {
      change: { what: 'department-limits', department, was, to },
      token: randomUUID(),
    })
  beforeAll(() =>
    execute(server.db, "UPDATE mailboxes SET department = 'Yard' WHERE address = 'kari@harbour.example'"),
  )
  const stateFor = async (to: string) => stateOf(server.db, (await arrive(server, { to: [to] }))[0] ?? 0)

  test('count for its mailboxes alone, those with their own but not; the page of a mailbox says so; undo', async () => {
    const made = await change(null, at)
    expect(made.status).toBe(200)
    expect(await stateFor('kari@harbour.example')).not.toBe('quarantined')
    expect(await stateFor('ingrid@harbour.example')).toBe('quarantined')
    const sheet = await per.get(`/api/mailboxes/${server.mailbox('kari')}`)
    expect(sheet.body).toMatchObject({ limits: null, organisation: { limits: at } })
    const { body } = await per.get('/api/calibration?department=Yard')
    expect(body).toMatchObject({ limits: at, asOrganisation: false, mailboxes: 1 })
    expect((await change(null, at)).body.code).toBe('MAILBOX_CHANGED')
    expect((await undo(made.body.change)).status).toBe(200)
    expect(await stateFor('kari@harbour.example')).toBe('quarantined')
  })
  test('what they would come to is about its mail alone', async () => {
    const asked = { what: 'department-limits' as const, department: 'Yard', was: null, to: at }
    const { replay } = await defaultsEffect(server.db, asked, server.clock.now)
    expect(replay?.looked).toBe(2)
    expect(replay?.letThrough).toEqual({ wanted: 0, doubtful: 2, harmful: 0 })
  })
  test.each(['Nowhere', '__proto__', 'constructor'])(
    'a department nobody is in (%s) has none',
    async name => {
      expect((await change(null, at, name)).body.code).toBe('DEPARTMENT_NOT_FOUND')
      expect((await per.get(`/api/calibration?department=${name}`)).body.code).toBe('DEPARTMENT_NOT_FOUND')
    },
  )
  test('a name that is a word of the language is a name like any other', async () => {
    await execute(
      server.db,
      "UPDATE mailboxes SET department = 'constructor' WHERE address = 'kari@harbour.example'",
    )
    expect(await stateFor('kari@harbour.example')).toBe('quarantined')
    const made = await change(null, at, 'constructor')
    expect(await stateFor('kari@harbour.example')).not.toBe('quarantined')
    await undo(made.body.change)
    await execute(
      server.db,
      "UPDATE mailboxes SET department = 'Yard' WHERE address = 'kari@harbour.example'",
    )
  })
})
