import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { CalibrationShape, DeliverySheet, DigestPreview, WatchingDays } from '@pendro/contract'
import { execute, findRow } from '../src/db/database.ts'
import { defaultsEffect } from '../src/mailboxes/defaults.ts'
import { arrive, proven, ruling, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>

beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  await execute(server.db, "UPDATE mailboxes SET department = 'Yard' WHERE address = 'kari@harbour.example'")
})
afterAll(() => server.close())

const set = (was: boolean, to: boolean) =>
  oda.post('/api/organisation/defaults/changes', {
    change: { what: 'watching', was, to },
    token: randomUUID(),
  })
const setDepartment = (was: boolean | null, to: boolean | null) =>
  oda.post('/api/organisation/defaults/changes', {
    change: { what: 'department-watching', department: 'Yard', was, to },
    token: randomUUID(),
  })
const sheet = async (id: number) => (await oda.get(`/api/deliveries/${id}`)).body as DeliverySheet
/** Where it is or is bound for, and where it would have been kept. */
async function placeOf(id: number) {
  const row = await findRow<{ state: string; would: string | null }>(
    server.db,
    'SELECT COALESCE(bound_for, state) AS state, would FROM deliveries WHERE id = :id',
    { id },
  )
  return [row?.state, row?.would]
}
const one = async (given: object = {}) => (await arrive(server, given))[0] ?? 0
const calibration = async () => (await oda.get('/api/calibration')).body as CalibrationShape
const macro = {
  body: [
    '--b',
    'Content-Type: text/plain',
    '',
    'see',
    '--b',
    'Content-Type: application/octet-stream; name="run.exe"',
    'Content-Disposition: attachment; filename="run.exe"',
    'Content-Transfer-Encoding: base64',
    '',
    Buffer.from(`MZ${'\0'.repeat(58)}\x40\0\0\0PE\0\0`, 'latin1').toString('base64'),
    '--b--',
  ].join('\r\n'),
  headers: ['Content-Type: multipart/mixed; boundary=b'],
}

describe('watching: everything is judged, and nothing but harm is held back', () => {
  let change = 0
  test('a steward says so; mail that would be kept back goes on, and its path says what would have been', async () => {
    const made = await set(false, true)
    expect(made.status).toBe(200)
    change = made.body.change
    const id = await one()
    expect(await placeOf(id)).toEqual(['inbox', 'quarantined'])
    const { path, row } = await sheet(id)
    expect(row.score).toBeGreaterThan(40)
    expect(path.find(({ stage }) => stage === 'watching')).toMatchObject({
      outcome: 'decided',
      facts: { would: 'quarantined' },
    })
    expect(path.find(({ stage }) => stage === 'score')).toMatchObject({ outcome: 'decided' })
  })
  test('what would go on anyway is as it was, and is not counted', async () => {
    const id = await one({
      from: 'Eva <eva@lists.example>',
      headers: [proven('lists.example')],
      body: '<p>Minutes</p>',
    })
    expect(await placeOf(id)).toEqual(['inbox', null])
    expect((await sheet(id)).path.find(({ stage }) => stage === 'watching')?.outcome).toBe('silent')
    expect((await calibration()).watched).toBe(1)
  })
  test('harm is sealed all the same', async () => {
    const id = await one(macro)
    expect(await placeOf(id)).toEqual(['sealed', null])
    expect((await sheet(id)).path.find(({ stage }) => stage === 'watching')?.outcome).toBe('late')
  })
  test('a blocked sender would be quarantined; a colleague’s own entry would junk', async () => {
    await oda.post('/api/rulings', {
      ...ruling([await one({ from: 'Spam <spam@pest.example>' })], {
        sender: 'blocked',
        for: 'everyone',
        reason: 'pest',
      }),
    })
    const id = await one({ from: 'Spam <spam@pest.example>' })
    expect(await placeOf(id)).toEqual(['inbox', 'quarantined'])
    expect((await sheet(id)).path.find(({ stage }) => stage === 'binding')?.outcome).toBe('decided')
  })
  test('“would it come through?” says yes, and why', async () => {
    const asked = `/api/senders/question?from=spam@pest.example&mailbox=${server.mailbox('ingrid')}&authenticated=no`
    const { body } = await oda.get(asked)
    expect(body).toMatchObject({ state: 'inbox', decidedBy: 'watching' })
  })
  test('the preview of a digest says what it would list', async () => {
    const { body } = (await oda.get(`/api/mailboxes/${server.mailbox('ingrid')}/digest`)) as {
      body: DigestPreview
    }
    expect(body.listed).toBe(0)
    expect(body.watched.count).toBe(3)
    expect(body.watched.lines[0]).toMatchObject({ would: 'quarantined', from: 'Spam' })
  })
  test('rulings on what went on teach as any other', async () => {
    const id = await one({ body: '<p>Quite another: <a href="https://files.dropshelf.example/w">w</a></p>' })
    expect((await oda.post('/api/rulings', ruling([id], { learn: 'junk' }))).status).toBe(200)
    expect((await calibration()).junk.reduce((a, b) => a + b, 0)).toBeGreaterThan(0)
  })
  test('Review lists what would have been held, and the days say how much of it people called what', async () => {
    const would = await findRow<{ n: number }>(
      server.db,
      "SELECT COUNT(*) AS n FROM deliveries WHERE would IS NOT NULL AND state IN ('inbox', 'deferred')",
    )
    await execute(
      server.db,
      "UPDATE deliveries SET state = 'inbox' WHERE state = 'deferred' AND bound_for = 'inbox'",
    )
    const listed = async (more = '') =>
      (await oda.get(`/api/review?states=watched&order=newest&days=28${more}`)).body as {
        rows: { state: string; subject: string; clusterDeliveries: number }[]
      }
    const { rows } = await listed()
    expect(rows.reduce((n, row) => n + row.clusterDeliveries, 0)).toBe(would?.n)
    expect(new Set(rows.map(({ state }) => state))).toEqual(new Set(['inbox']))
    const { body: counts } = await oda.get('/api/review/counts?states=watched&days=28')
    expect(counts.total).toBe(would?.n)
    expect((await listed('&find=nothing-like-this')).rows).toEqual([])

    const { body } = (await oda.get('/api/watching')) as { body: WatchingDays }
    expect(body.watching).toBe(true)
    expect(body.days).toHaveLength(1)
    const [today] = body.days
    expect(today).toMatchObject({ day: '2026-11-20', would: would?.n, wanted: 0, junk: 1 })
    expect(today?.came).toBeGreaterThan(today?.would ?? 0)
  })
  test('holding from now on: what it would have come to; then mail is held, and undo is watching again', async () => {
    const asked = { what: 'watching' as const, was: true, to: false }
    const { replay } = await defaultsEffect(server.db, asked, server.clock.now)
    const held = Object.values(replay?.keptBack ?? {}).reduce((a, b) => a + b, 0)
    const would = await findRow<{ n: number }>(
      server.db,
      'SELECT COUNT(*) AS n FROM deliveries WHERE would IS NOT NULL',
    )
    // The entry made since holds one more of its mail: the lists are those of today.
    expect(held).toBeGreaterThanOrEqual(would?.n ?? 0)
    expect(replay?.letThrough).toEqual({ wanted: 0, doubtful: 0, harmful: 0 })
    await set(true, false)
    const id = await one()
    expect(await placeOf(id)).toEqual(['quarantined', null])
    expect((await sheet(id)).path.some(({ stage }) => stage === 'watching')).toBe(false)
    expect((await oda.post(`/api/mailbox-changes/${change}/undo`, {})).body.code).toBe('MAILBOX_CHANGED')
  })
  test('a department by itself, and then like all the others again', async () => {
    expect((await setDepartment(null, true)).status).toBe(200)
    const [kari, ingrid] = [await one({ to: ['kari@harbour.example'] }), await one()]
    expect([await placeOf(kari), await placeOf(ingrid)]).toEqual([
      ['inbox', 'quarantined'],
      ['quarantined', null],
    ])
    const { replay } = await defaultsEffect(
      server.db,
      { what: 'department-watching', department: 'Yard', was: true, to: null },
      server.clock.now,
    )
    expect(Object.values(replay?.keptBack ?? {}).reduce((a, b) => a + b, 0)).toBe(1)
    await setDepartment(true, null)
    expect(await placeOf(await one({ to: ['kari@harbour.example'] }))).toEqual(['quarantined', null])
    expect((await oda.get('/api/organisation/defaults')).body.departments).toContainEqual({
      name: 'Yard',
      mailboxes: 1,
      limits: null,
      watching: null,
    })
  })
})
