import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { bound } from '../src/db/bound.ts'
import { execute, select, type Database } from '../src/db/database.ts'
import { insertRows } from '../src/db/rows.ts'
import { freshDatabase } from './support.ts'

describe('a statement and its values', () => {
  test('names become places, in the order they are read in', () => {
    expect(bound('SELECT 1 FROM a WHERE b = :b AND c IN (:c) OR b = :b', { b: 'x', c: [1, 2] })).toEqual({
      sql: 'SELECT 1 FROM a WHERE b = $1 AND c IN ($2,$3) OR b = $4',
      bind: ['x', 1, 2, 'x'],
    })
  })

  test.each([
    ["SELECT ':a' FROM b", 'in quotes'],
    ["SELECT 'it''s :a' FROM b", 'behind a doubled quote'],
    ["SELECT 'a\\' :a' FROM b", 'behind an escaped quote'],
    ['SELECT `:a` FROM b', 'in the name of a column'],
    ['SELECT @x::a FROM b', 'behind another colon'],
    ["SELECT TIME('10:30:00') FROM b", 'a time'],
  ])('%s is left alone: %s', sql => {
    expect(bound(sql, {})).toEqual({ sql, bind: [] })
  })

  test('a name without a value, and an empty list, are told by their statement', () => {
    expect(() => bound('DELETE FROM a WHERE b = :b', {})).toThrow(/:b in DELETE FROM a/)
    expect(() => bound('DELETE FROM a WHERE b IN (:b)', { b: [] })).toThrow(/empty list for :b/)
  })

  test('a value that looks like a name or a place stays a value', () => {
    expect(bound('SELECT :a, :b', { a: ':b', b: '$1' })).toEqual({ sql: 'SELECT $1, $2', bind: [':b', '$1'] })
  })
})

describe('what the database keeps is what was given', () => {
  let db: Database
  beforeAll(async () => {
    db = (await freshDatabase()).db
    await execute(
      db,
      `CREATE TABLE kept (id BIGINT AUTO_INCREMENT PRIMARY KEY, words TEXT NOT NULL, bytes BLOB NOT NULL,
       at DATETIME(3) NOT NULL, yes BOOLEAN NOT NULL, n BIGINT NOT NULL, score DECIMAL(5,2) NULL)`,
    )
  })
  afterAll(() => db.close())

  // The driver writes values into the text: whatever is a quote, an escape or a place must not become one.
  const hostile = fc.oneof(
    fc.string({ unit: 'binary', maxLength: 60 }),
    fc.string({
      unit: fc.constantFrom("'", '"', '`', '\\', '?', '$1', ':a', '--', '/*', '\0', '\n', 'é', '😀'),
    }),
  )
  const row = fc.record({
    words: hostile.map(text => text.toWellFormed()),
    bytes: fc.uint8Array({ maxLength: 80 }).map(bytes => Buffer.from(bytes)),
    at: fc.date({ min: new Date('1990-01-01'), max: new Date('2100-01-01'), noInvalidDate: true }),
    yes: fc.boolean(),
    n: fc.integer(),
    score: fc.option(fc.integer({ min: -9999, max: 9999 }).map(n => n / 100)),
  })

  test('texts, bytes, times, numbers and nothing, whatever is in them', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(row, { minLength: 1, maxLength: 8 }), async rows => {
        const ids = await insertRows(db, { table: 'kept', numbered: true }, rows)
        const kept = await select<(typeof rows)[number] & { id: number; yes: number | boolean }>(
          db,
          'SELECT * FROM kept WHERE id IN (:ids) ORDER BY id',
          { ids },
        )
        expect(kept.map(({ id: _, yes, ...one }) => ({ ...one, yes: Boolean(yes) }))).toEqual(rows)
      }),
      { numRuns: 80 },
    )
  })
})
