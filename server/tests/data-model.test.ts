import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { root } from '../../scripts/prepare.mjs'
import { dataModelPage } from '../../scripts/data-model.ts'
import { execute, select, type Database } from '../src/db/database.ts'
import { migrate } from '../src/db/migrate.ts'
import { Deliveries } from '../src/db/models/deliveries.ts'
import { allModels } from '../src/db/models/index.ts'
import { Lessons, Words } from '../src/db/models/learning.ts'
import { SenderEntries } from '../src/db/models/lists.ts'
import { Mailboxes } from '../src/db/models/organisation.ts'
import { exists, findAll, findOne, idAt, insert, insertOne, remove, update } from '../src/db/rows.ts'
import { freshDatabase } from './support.ts'

let db: Database
beforeAll(async () => {
  ;({ db } = await freshDatabase())
  await migrate(db)
})
afterAll(() => db.close())

interface SchemaColumn {
  readonly table_name: string
  readonly column_name: string
  readonly type: string
  readonly nullable: string
  readonly column_key: string
  readonly preset: string | null
  readonly extra: string
  /** The database checks that it is JSON. */
  readonly is_json: number
}

const schema = () =>
  select<SchemaColumn>(
    db,
    `SELECT c.table_name AS table_name, c.column_name AS column_name, c.column_type AS type, c.is_nullable AS nullable,
       c.column_key AS column_key, c.column_default AS preset, c.extra AS extra,
       EXISTS (SELECT 1 FROM information_schema.check_constraints k WHERE k.constraint_schema = DATABASE()
         AND k.table_name = c.table_name AND k.check_clause = CONCAT('json_valid(\`', c.column_name, '\`)')) AS is_json
     FROM information_schema.columns c WHERE c.table_schema = DATABASE() ORDER BY c.table_name, c.ordinal_position`,
  )

/** The words of an enum in one order: which comes first in the schema means nothing. */
const typeOf = (type: string) =>
  type.startsWith('enum') ? (type.match(/'[^']*'/g) ?? []).sort().join(' ') : type

describe('the models', () => {
  test('are of every table and column that the migrations make, with type, key and what may be left out', async () => {
    const there = (await schema()).map(column => ({
      where: `${column.table_name}.${column.column_name}`,
      type: column.is_json ? 'json' : typeOf(column.type),
      nullable: column.nullable === 'YES',
      primary: column.column_key === 'PRI',
      serial: column.extra === 'auto_increment',
      generated: /GENERATED|on update/i.test(column.extra),
    }))
    const said = allModels.flatMap(({ table, columns }) =>
      Object.entries(columns).map(([name, { type, nullable, primary, serial, generated }]) => ({
        where: `${table}.${name}`,
        type: type === 'longtext' ? 'json' : typeOf(type),
        nullable,
        primary,
        serial,
        generated,
      })),
    )
    const byPlace = (a: { where: string }, b: { where: string }) => (a.where < b.where ? -1 : 1)
    expect(said.sort(byPlace)).toEqual(there.sort(byPlace))
  })

  test('say what each table is for, what makes it grow and when its rows go', () => {
    for (const { note } of allModels)
      for (const text of [note.purpose, note.grows, note.ends]) expect(text).not.toBe('')
  })

  test('lead only to tables there are, by a number as wide as theirs', () => {
    const tables = new Map(allModels.map(({ table, columns }) => [table, columns]))
    for (const { table, columns } of allModels)
      for (const [name, { leadsTo, type }] of Object.entries(columns))
        if (leadsTo !== null)
          expect([table, name, type]).toEqual([table, name, tables.get(leadsTo)?.id?.type])
  })

  test('docs/data-model.md is made from them (npm run data-model)', () => {
    expect(readFileSync(join(root, 'docs/data-model.md'), 'utf8')).toBe(dataModelPage())
  })
})

describe('rows read and written through a model', () => {
  const mailbox = (name: string) => ({
    address: `${name}@harbour.example`,
    name,
    kind: 'person' as const,
    time_zone: 'Europe/Oslo',
    language: 'en',
  })

  test('come back as they went in: decimals as numbers, JSON parsed, flags, days and moments to the millisecond', async () => {
    const id = await insertOne(db, Mailboxes, {
      ...mailbox('mia'),
      limit_junk: 12.5,
      uses_set_aside: true,
      digest_times: ['07:00', '15:30'],
    })
    expect(await findOne(db, Mailboxes, { id })).toMatchObject({
      limit_junk: 12.5,
      limit_quarantined: null,
      uses_set_aside: 1,
      filtering: 1,
      digest_times: ['07:00', '15:30'],
    })
    const at = new Date('2026-03-29T01:30:00.123Z')
    await insert(db, Deliveries, [
      {
        message_id: 2 ** 40,
        mailbox_id: id,
        address_used: '',
        received_at: at,
        received_day: '2026-03-29',
        expires_at: at,
        state: 'junk',
        score: 40.5,
        left_out: false,
        from_name: '',
        from_address: '',
        subject: '',
        reasons: [{ finding: 'harm', facts: { name: 'a "quoted" \\ name' } }],
        attachments: 0,
        cluster_key: '0'.repeat(32),
      },
    ])
    const columns = ['message_id', 'received_at', 'received_day', 'score', 'reasons', 'landed_at'] as const
    expect(await findOne(db, Deliveries, { mailbox_id: id }, { columns })).toEqual({
      message_id: 2 ** 40,
      received_at: at,
      received_day: '2026-03-29',
      score: 40.5,
      reasons: [{ finding: 'harm', facts: { name: 'a "quoted" \\ name' } }],
      landed_at: null,
    })
    // SQL text and models give the same.
    expect(
      await select(db, `SELECT ${columns.join(', ')} FROM deliveries WHERE mailbox_id = :id`, { id }),
    ).toEqual(await findAll(db, Deliveries, { mailbox_id: id }, { columns }))
  })

  test('are found, changed and removed by what fits, in an order, and only those', async () => {
    const ids = await insert(db, Mailboxes, ['ana', 'bo', 'cy'].map(mailbox))
    expect(
      (await findAll(db, Mailboxes, { id: ids }, { order: [['name', 'DESC']], limit: 2 })).map(m => m.name),
    ).toEqual(['cy', 'bo'])
    expect(
      await update(db, Mailboxes, { department: 'Quay', digest_weekdays: [1, 5] }, { id: ids.slice(1) }),
    ).toBe(2)
    expect(
      (await findAll(db, Mailboxes, { department: 'Quay' }, { columns: ['name', 'digest_weekdays'] })).map(
        m => m,
      ),
    ).toEqual([
      { name: 'bo', digest_weekdays: [1, 5] },
      { name: 'cy', digest_weekdays: [1, 5] },
    ])
    expect(await remove(db, Mailboxes, { id: idAt(ids, 0) })).toBe(1)
    expect(await exists(db, Mailboxes, { id: idAt(ids, 0) })).toBe(false)
    expect(await exists(db, Mailboxes, { id: idAt(ids, 1) })).toBe(true)
    expect(await findOne(db, Mailboxes, { id: idAt(ids, 0) })).toBeNull()
  })

  test('are written all or none when the transaction fails', async () => {
    await expect(
      db.transaction(async tx => {
        await insert(db, Words, [{ word: 'half', wanted: 1, junk: 0 }], tx)
        await update(db, Words, { junk: 3 }, { word: 'half' }, tx)
        throw new Error('no')
      }),
    ).rejects.toThrow('no')
    expect(await exists(db, Words, { word: 'half' })).toBe(false)
  })

  test('a column that the database computes follows what it is computed from', async () => {
    const entry = {
      kind: 'domain' as const,
      pattern: 'x.example',
      standing: 'safe' as const,
      binding: false,
      without_authentication: false,
      reason: '',
      origin: 'by hand' as const,
      created_at: new Date(0),
    }
    const id = await insertOne(db, SenderEntries, entry)
    await expect(insertOne(db, SenderEntries, entry)).rejects.toThrow()
    await update(db, SenderEntries, { ended_at: new Date(1) }, { id })
    expect((await findOne(db, SenderEntries, { id }))?.live_key).toBeNull()
  })

  test('values are never part of the statement', async () => {
    const words = ["a'b", 'a\\b', ':v0_0', '?', '"; DROP TABLE words; --']
    await insert(db, Lessons, [{ verdict: 'junk', words, senders: [] }])
    expect((await findOne(db, Lessons, { verdict: 'junk' }))?.words).toEqual(words)
    for (const word of words) {
      await insert(db, Words, [{ word, wanted: 1, junk: 0 }])
      expect((await findOne(db, Words, { word }))?.word).toBe(word)
    }
    expect(await execute(db, 'DELETE FROM words WHERE word IN (:words)', { words })).toBe(words.length)
  })

  test('ids that are not there are an error, not row 0', () => {
    expect(() => idAt([7], 1)).toThrow(RangeError)
  })
})
