import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { pointing } from '@pendro/core/delivery'
import { select } from '../src/db/database.ts'
import { migrations } from '../src/db/migrate.ts'
import { Deliveries } from '../src/db/models/deliveries.ts'
import { findAll, update } from '../src/db/rows.ts'
import { arrive, ruling, signedIn, startTestServer, stateOf, type TestServer } from './support.ts'

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

/** Claims to be from us, and is not. */
const forged = () => arrive(server, { from: 'Ingrid <ingrid@harbour.example>', subject: 'Wire this' })

describe('releasing against the evidence', () => {
  test('needs a reason, which the record keeps; nothing is done without it', async () => {
    const [id = 0] = await forged()
    const sheet = (await per.get(`/api/deliveries/${id}`)).body
    expect([sheet.row.points, sheet.pointsWhy]).toEqual(['against', 'own-domain'])
    const refused = await per.post('/api/rulings', ruling([id], { message: 'release' }))
    expect([refused.status, refused.body.code, refused.body.facts.context]).toEqual([
      400,
      'NEEDS_REASON',
      'against',
    ])
    expect(await stateOf(server.db, id)).toBe('quarantined')
    const given = ruling([id], { message: 'release', reason: 'she sent it from her phone' })
    expect((await per.post('/api/rulings', given)).status).toBe(200)
    const [line] = (await per.get('/api/record?who=everybody&what=rulings')).body.lines
    expect(line).toMatchObject({ act: 'ruling', reason: 'she sent it from her phone' })
  })

  test('one of many is enough; discarding and leaving ask for none', async () => {
    const [bad = 0] = await forged()
    const [usual = 0] = await arrive(server, { from: 'Anna <anna@usual.example>', subject: 'Usual' })
    const both = await per.post('/api/rulings', ruling([usual, bad], { message: 'release' }))
    expect(both.body.code).toBe('NEEDS_REASON')
    expect(await stateOf(server.db, usual)).toBe('quarantined')
    expect((await per.post('/api/rulings', ruling([bad], { message: 'discard' }))).status).toBe(200)
    expect(
      (await per.post('/api/rulings', ruling([usual], { message: 'leave', learn: 'junk' }))).status,
    ).toBe(200)
  })

  test('what cannot be released at all is told that first', async () => {
    const [id = 0] = await arrive(server, {
      headers: [
        'Content-Disposition: attachment; filename="setup.exe"',
        'Content-Type: application/octet-stream',
      ],
      body: 'MZ harmless',
    })
    expect((await per.post('/api/rulings', ruling([id], { message: 'release' }))).body.code).toBe('SEALED')
  })
})

test('where the evidence points is told the same of mail that came before it was kept', async () => {
  await forged()
  await arrive(server, { from: 'Bank <it@harb0ur.example>', subject: 'lookalike' })
  await arrive(server, { subject: 'plain' })
  const before = await findAll(
    server.db,
    Deliveries,
    {},
    { columns: ['id', 'points'], order: [['id', 'ASC']] },
  )
  expect(new Set(before.map(({ points }) => points)).size).toBeGreaterThan(1)
  await update(server.db, Deliveries, { points: 'doubt' }, { id: before.map(({ id }) => id) })
  // As an upgrade does it.
  for (const statement of migrations['0015-points'] ?? [])
    if (statement.startsWith('UPDATE')) await server.db.query(statement)
  const after = await findAll(
    server.db,
    Deliveries,
    {},
    { columns: ['id', 'points'], order: [['id', 'ASC']] },
  )
  expect(after).toEqual(before)
  // And by the one function that says so.
  const kept = await select<{
    id: number
    score: number
    evidence: { finding: string }[]
    path: { stage: 'score'; outcome: 'decided'; facts: { verdict?: string } }[]
  }>(
    server.db,
    'SELECT d.id, d.score, j.evidence, j.path FROM deliveries d JOIN delivery_judgements j ON j.delivery_id = d.id ORDER BY d.id',
  )
  expect(
    kept.map(({ id, score, evidence, path }) => ({
      id,
      points: pointing({
        score,
        findings: new Set(evidence.map(({ finding }) => finding)),
        path,
        verdict: path.at(-1)?.facts.verdict as 'under',
      }).direction,
    })),
  ).toEqual(before)
})

describe('for everybody, by somebody who may only ask', () => {
  const open = async () =>
    (await oda.get('/api/senders/requests')).body.requests.filter(
      (one: { state: string }) => one.state === 'open',
    )

  test('no entry is made; the stewards have one request, and undo takes it back', async () => {
    const ids = await Promise.all(
      ['ingrid', 'kari', 'aksel'].map(
        async name =>
          (await arrive(server, { to: [`${name}@harbour.example`], from: 'Ads <ads@wide.example>' }))[0] ?? 0,
      ),
    )
    const asked = { message: 'discard', learn: 'junk', sender: 'blocked', for: 'request', width: 'domain' }
    const preview = await per.post('/api/rulings/reach', ruling(ids, asked))
    expect(preview.body).toMatchObject({ adds: ['wide.example'] })
    const { body, status } = await per.post('/api/rulings', ruling(ids, asked))
    expect([status, body.added]).toEqual([200, []])
    expect(await open()).toMatchObject([{ pattern: 'wide.example', standing: 'blocked', askedBy: 'Per Dal' }])
    expect((await oda.get('/api/senders?find=wide.example')).body.rows).toEqual([])
    // Asked again it says so, and the messages stay as they are.
    const [again = 0] = await arrive(server, { from: 'Ads <ads@wide.example>' })
    expect((await per.post('/api/rulings', ruling([again], asked))).body.code).toBe('ALREADY_ASKED')
    expect(await stateOf(server.db, again)).toBe('quarantined')
    await per.post(`/api/rulings/${body.id}/undo`, {})
    expect(await open()).toEqual([])
  })

  test('what was approved meanwhile stands when the ruling is undone', async () => {
    const [id = 0] = await arrive(server, { from: 'Ads <ads@agreed.example>' })
    const { body } = await per.post('/api/rulings', ruling([id], { sender: 'blocked', for: 'request' }))
    const [request] = await open()
    await oda.post(`/api/senders/requests/${request.id}/answer`, {
      approve: true,
      answer: '',
      token: crypto.randomUUID(),
    })
    expect((await oda.get('/api/senders?find=agreed.example')).body.rows).toHaveLength(1)
    await per.post(`/api/rulings/${body.id}/undo`, {})
    expect((await oda.get('/api/senders?find=agreed.example')).body.rows).toHaveLength(1)
  })

  test('our own domain can’t even be asked for', async () => {
    const [id = 0] = await forged()
    const asked = ruling([id], { sender: 'blocked', for: 'request', width: 'domain' })
    expect((await per.post('/api/rulings', asked)).body.code).toBe('BLOCKS_OWN_DOMAIN')
  })

  test('an entry for everybody is still a steward’s to make', async () => {
    const [id = 0] = await arrive(server, { from: 'Ads <ads@notyours.example>' })
    const asked = ruling([id], { sender: 'blocked', for: 'everyone' })
    expect((await per.post('/api/rulings', asked)).body.code).toBe('NEEDS_STEWARD')
  })
})
