import { afterAll, beforeAll, expect, test } from 'vitest'
import type { Database } from '../src/db/database.ts'
import { moveVersion, readVersions } from '../src/db/versions.ts'
import { startTestServer, type TestServer } from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

/** The database, with statements that are counted and whose answers wait until they are let through. */
function slowly(db: Database): {
  readonly db: Database
  readonly count: () => number
  readonly letThrough: () => void
} {
  let count = 0
  let letThrough = () => {}
  const gate = new Promise<void>(resolve => (letThrough = resolve))
  const query = async (...given: Parameters<Database['query']>) => {
    count += 1
    const answer = await db.query(...given)
    await gate
    return answer
  }
  return { db: Object.assign(Object.create(db) as Database, { query }), count: () => count, letThrough }
}

const versionOf = async (asked: ReturnType<typeof readVersions>) =>
  Number((await asked).get('correspondents') ?? 0)

test('who asks while a statement is under way shares the next one, and sees what was changed before they asked', async () => {
  const { db, count, letThrough } = slowly(server.db)
  const before = await versionOf(readVersions(server.db))
  const first = readVersions(db)
  // It has its answer already, and that is the old one.
  await moveVersion(server.db, 'correspondents')
  const later = Array.from({ length: 20 }, () => readVersions(db))
  letThrough()
  await first
  for (const one of later) expect(await versionOf(one)).toBe(before + 1)
  expect(count()).toBe(2)
})

test('a statement that fails is asked again for those who wait', async () => {
  let fails = true
  const query = async (...given: Parameters<Database['query']>) => {
    if (!fails) return server.db.query(...given)
    fails = false
    throw new Error('away')
  }
  const db = Object.assign(Object.create(server.db) as Database, { query })
  const [first, second] = [readVersions(db), readVersions(db)]
  await expect(first).rejects.toThrow('away')
  expect((await second).size).toBeGreaterThan(0)
})
