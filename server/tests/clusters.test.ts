import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { DeliverySheet } from '@pendro/contract'
import { bandsOf, sketchOf } from '@pendro/core/clusters'
import { execute, inTransaction, select } from '../src/db/database.ts'
import { fitOnLessons } from '../src/judging/fit-text.ts'
import { joinClusters } from '../src/judging/cluster-texts.ts'
import { arrive, ruling, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>

beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())

const body = (change: (words: string[]) => void = () => {}, tail = ''): string => {
  const words =
    'Your parcel could not be delivered because nobody was at home when our driver came by this morning so please choose another day and confirm your full address with the small fee that we have to ask for storing it at the depot until you collect it yourself or send somebody'.split(
      ' ',
    )
  change(words)
  return `<p>${words.join(' ')} ${tail}</p><p><a href="https://files.dropshelf.example/x">choose</a></p>`
}

const clusterOf = async (id = 0): Promise<string> => {
  const [row] = await select<{ cluster_key: string }>(
    server.db,
    'SELECT cluster_key FROM deliveries WHERE id = :id',
    { id },
  )
  return row?.cluster_key ?? ''
}

describe('a campaign is one cluster', () => {
  test('whatever it varies: a word, the subject, the link, the sender', async () => {
    const [first] = await arrive(server, { body: body(), subject: 'Parcel waiting' })
    const [word] = await arrive(server, {
      body: body(words => (words[20] = 'Thursday')),
      subject: 'Your parcel',
    })
    const [link] = await arrive(server, {
      body: body().replace('files.dropshelf.example/x', 'files.dropshelf.example/y'),
    })
    const [other] = await arrive(server, {
      body: '<p>Minutes of the harbour meeting of last week, with the list of everybody who came and what was said about the new ramp.</p>',
    })
    const key = await clusterOf(first)
    expect(await clusterOf(word)).toBe(key)
    expect(await clusterOf(link)).toBe(key)
    expect(await clusterOf(other)).not.toBe(key)
    const [counted] = await select<{ deliveries: number }>(
      server.db,
      'SELECT deliveries FROM clusters WHERE cluster_key = :key',
      { key },
    )
    expect(counted?.deliveries).toBe(3)
    // The sheet says in what they differ.
    const [last] = await arrive(server, {
      body: body().replace('files.dropshelf.example/x', 'drop.elsewhere.example/x'),
      subject: 'Parcel waiting',
    })
    const { alike } = (await per.get(`/api/deliveries/${first}`)).body as DeliverySheet
    expect(alike).toMatchObject({ messages: 3, lookedAt: 3 })
    expect(alike?.subject).toEqual({ count: 2, most: ['A parcel waits', 'Your parcel'] })
    expect(alike?.sender.count).toBe(3)
    expect(alike?.hosts).toEqual({ count: 1, most: ['drop.elsewhere.example'] })
    expect(alike?.attachments.count).toBe(0)
    expect(last).toBeGreaterThan(0)
    expect(((await per.get(`/api/deliveries/${other}`)).body as DeliverySheet).alike).toBeNull()
  })
  test('a text between two clusters brings them together, with their deliveries and what rulings moved', async () => {
    const words = Array.from(
      { length: 60 },
      (_, i) => `bridge${String.fromCharCode(97 + (i % 26))}${'xyz'[i % 3] ?? ''}`,
    )
    const at = (from: number, to: number, by: string) =>
      `<p>${words.map((word, i) => (i >= from && i < to ? `${word}${by}` : word)).join(' ')}</p><a href="https://files.dropshelf.example/x">x</a>`
    const [left] = await arrive(server, { body: at(0, 8, 'l') })
    const [right] = await arrive(server, { body: at(52, 60, 'r') })
    expect(await clusterOf(left)).not.toBe(await clusterOf(right))
    await per.post('/api/rulings', ruling([right ?? 0], { message: 'leave', learn: 'junk' }))
    const [middle] = await arrive(server, { body: at(0, 0, '') })
    const key = await clusterOf(middle)
    expect([await clusterOf(left), await clusterOf(right)]).toEqual([key, key])
    const rows = await select<{ deliveries: number; shift: number }>(
      server.db,
      'SELECT deliveries, shift FROM clusters WHERE cluster_key = :key',
      { key },
    )
    expect(rows).toEqual([{ deliveries: 3, shift: 4 }])
  })
  test('two processes that meet the same text at the same moment keep it once', async () => {
    const text = Array.from({ length: 40 }, (_, i) => `moment${String.fromCharCode(97 + (i % 26))}`).join(' ')
    const sketch = sketchOf({ text })
    const join = () =>
      inTransaction(server.db, tx =>
        joinClusters(server.db, tx, [{ key: 'a'.repeat(32), sketch }], server.clock.now),
      )
    const joined = await Promise.all([join(), join(), join()])
    expect(joined.map(one => one.get('a'.repeat(32)))).toEqual(
      Array.from({ length: 3 }, () => 'a'.repeat(32)),
    )
    const kept = await select<{ n: number }>(
      server.db,
      "SELECT COUNT(*) AS n FROM cluster_texts WHERE text_key = REPEAT('a', 32)",
    )
    expect(kept[0]?.n).toBe(1)
  })
  test('one band that thousands share is looked at in part only', async () => {
    const text = Array.from({ length: 40 }, (_, i) => `crowded${String.fromCharCode(97 + (i % 26))}`).join(
      ' ',
    )
    const sketch = sketchOf({ text })
    const [hash = 0] = bandsOf(sketch)
    await execute(
      server.db,
      `INSERT INTO cluster_bands (band, hash, text_id) SELECT 0, :hash, seq + 1000000 FROM seq_1_to_5000`,
      { hash },
    )
    const joined = await inTransaction(server.db, tx =>
      joinClusters(server.db, tx, [{ key: 'b'.repeat(32), sketch }], server.clock.now),
    )
    expect(joined.get('b'.repeat(32))).toBe('b'.repeat(32))
  })
})

describe('what counts as a lesson', () => {
  const wordCounts = async () =>
    await select<{ word: string; wanted: number; junk: number }>(
      server.db,
      'SELECT word, wanted, junk FROM words WHERE wanted <> 0 OR junk <> 0 ORDER BY word',
    )
  const total = async () => (await wordCounts()).find(({ word }) => word === '') ?? { wanted: 0, junk: 0 }
  const taught = (ids: readonly number[], learn: string) =>
    per.post('/api/rulings', ruling(ids, { message: 'leave', learn }))

  test('a text teaches once of each kind, however often it is ruled on', async () => {
    const ids: number[] = []
    for (let i = 0; i < 6; i += 1)
      ids.push(...(await arrive(server, { body: body(words => (words[30] = `again${'abcdef'[i] ?? ''}`)) })))
    const before = await total()
    await taught(ids.slice(0, 3), 'junk')
    for (const id of ids.slice(3)) await taught([id], 'junk')
    expect((await total()).junk - before.junk).toBe(1)
  })
  test('undone, the next of the same text counts in its place: as if the first had never been', async () => {
    const text =
      'One and the same long sentence about the ferry timetable that is sent to everybody in the whole office today'
    const [one, two] = [
      await arrive(server, { body: `${text} x` }),
      await arrive(server, { body: `${text} y` }),
    ]
    const start = await wordCounts()
    const first = await taught(one, 'junk')
    const afterFirst = await wordCounts()
    const second = await taught(two, 'junk')
    expect(await wordCounts()).toEqual(afterFirst)
    await per.post(`/api/rulings/${first.body.id}/undo`, {})
    const only = (await wordCounts()).find(({ word }) => word === 'timetable')
    expect(only?.junk).toBe((start.find(({ word }) => word === 'timetable')?.junk ?? 0) + 1)
    await per.post(`/api/rulings/${second.body.id}/undo`, {})
    expect(await wordCounts()).toEqual(start)
  })
  test('one sender moves no word more than ten times, whatever they write', async () => {
    const before = await total()
    for (let i = 0; i < 14; i += 1) {
      const letters = `${String.fromCharCode(97 + i)}`.repeat(5)
      const ids = await arrive(server, {
        from: 'Flood <flood@poison.example>',
        body: `<p>${Array.from({ length: 20 }, (_, k) => `poison${letters}${String.fromCharCode(97 + k)}`).join(' ')}</p><a href="https://files.dropshelf.example/x">timetable</a>`,
      })
      await taught(ids, 'junk')
    }
    expect((await total()).junk - before.junk).toBe(10)
  })
})

test('the model is a function of the lessons: fitted again after an undo it is what it was, to the byte', async () => {
  const model = async () =>
    (
      await select<Record<string, unknown>>(
        server.db,
        'SELECT slope, intercept, stack_linear, stack_offset, lessons, log_loss, MD5(model) AS model FROM text_calibration',
      )
    )[0]
  // A hundred and twenty lessons of before, half of each kind.
  for (let i = 0; i < 120; i += 1) {
    const junk = i % 2 === 1
    const words = [
      `${junk ? 'jackpot' : 'timetable'}${String.fromCharCode(97 + (i % 7))}`,
      `${junk ? 'winner' : 'berth'}`,
      `common${String.fromCharCode(97 + (i % 5))}`,
    ]
    await execute(
      server.db,
      "INSERT INTO lessons (verdict, words, senders) VALUES (:verdict, :words, '[]')",
      { verdict: junk ? 'junk' : 'wanted', words: JSON.stringify(words) },
    )
    for (const word of ['', ...words])
      await execute(
        server.db,
        'INSERT INTO words (word, wanted, junk) VALUES (:word, :wanted, :junk) ON DUPLICATE KEY UPDATE wanted = wanted + VALUES(wanted), junk = junk + VALUES(junk)',
        { word, wanted: junk ? 0 : 1, junk: junk ? 1 : 0 },
      )
  }
  await fitOnLessons(server.db, server.clock.now)
  const before = await model()
  const ids = await arrive(server, { subject: 'winner timetable' })
  const taught = await per.post('/api/rulings', ruling(ids, { message: 'leave', learn: 'wanted' }))
  await fitOnLessons(server.db, server.clock.now)
  expect(await model()).not.toEqual(before)
  await per.post(`/api/rulings/${taught.body.id}/undo`, {})
  await fitOnLessons(server.db, server.clock.now)
  expect(await model()).toEqual(before)
})
