import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { root } from '../../scripts/prepare.mjs'
import { dataModelPage, schemaColumns } from '../../scripts/data-model.ts'
import type { Database } from '../src/db/database.ts'
import { migrate } from '../src/db/migrate.ts'
import { tables } from '../src/db/tables.ts'
import { freshDatabase } from './support.ts'

let db: Database
beforeAll(async () => {
  ;({ db } = await freshDatabase())
  await migrate(db)
})
afterAll(() => db.close())

describe('the schema that the migrations make', () => {
  test('every table says what it is for, what makes it grow and when its rows go; no other is told of', async () => {
    const there = new Set((await schemaColumns(db)).map(({ table_name }) => table_name))
    expect(Object.keys(tables).sort()).toEqual([...there].sort())
    for (const { purpose, grows, ends } of Object.values(tables))
      for (const text of [purpose, grows, ends]) expect(text).not.toBe('')
  })

  test('docs/data-model.md is of this schema (npm run data-model)', async () => {
    expect(readFileSync(join(root, 'docs/data-model.md'), 'utf8')).toBe(await dataModelPage(db))
  })
})
