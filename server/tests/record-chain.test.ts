import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { execute, findRow, inTransaction, type Database } from '../src/db/database.ts'
import { headOf, sealRecord, verifyRecord } from '../src/record/seal.ts'
import { pendro, writeRecord } from '../src/record/write.ts'
import { migratedDatabase } from './support.ts'

let db: Database
beforeAll(async () => {
  ;({ db } = await migratedDatabase())
})
afterAll(() => db.close())
beforeEach(async () => {
  await tamper('DELETE FROM record_entries')
  await execute(db, 'DELETE FROM record_seals')
  await execute(db, 'DELETE FROM record_unsealed')
})

/** As whoever owns the database could: the guards taken off, something done, the guards put back. */
async function tamper(statement: string) {
  await db.query('DROP TRIGGER IF EXISTS record_never_changes')
  await db.query('DROP TRIGGER IF EXISTS record_never_shrinks')
  await db.query(statement)
}
const write = (...reasons: string[]) =>
  inTransaction(db, tx =>
    writeRecord(
      db,
      tx,
      reasons.map(reason => ({
        at: new Date('2026-11-20T08:00:00.123Z'),
        act: 'enquiry-came-in' as const,
        by: pendro,
        reason,
        facts: { enquiry: 1, subject: 'Åse “x”' },
      })),
    ),
  )
const idOf = async (reason: string) =>
  (await findRow<{ id: number }>(db, 'SELECT id FROM record_entries WHERE reason = :reason', { reason }))
    ?.id ?? 0

test('an untouched record holds, whole and page by page', async () => {
  expect(await verifyRecord(db)).toEqual({ sealed: 0, waiting: 0, head: null, fault: null })
  await write('a', 'b', 'c')
  expect(await verifyRecord(db)).toMatchObject({ sealed: 0, waiting: 3, fault: null })
  expect(await sealRecord(db, 2)).toBe(2)
  const early = await headOf(db)
  expect(await sealRecord(db, 2)).toBe(1)
  expect(await sealRecord(db)).toBe(0)
  await write(...Array.from({ length: 2500 }, (_, i) => `more ${i}`))
  while ((await sealRecord(db)) > 0);
  const whole = await verifyRecord(db, { head: early?.hash ?? '' })
  expect(whole).toMatchObject({ sealed: 2503, waiting: 0, fault: null })
  expect(whole.head).toEqual(await headOf(db))
})

test('two processes seal side by side: one chain, nothing twice', async () => {
  await write(...Array.from({ length: 60 }, (_, i) => `e${i}`))
  const seal = async () => {
    while ((await sealRecord(db, 7)) > 0);
  }
  await Promise.all([seal(), seal(), seal()])
  expect(await verifyRecord(db)).toMatchObject({ sealed: 60, waiting: 0, fault: null })
})

test.each<[what: string, statement: (id: number) => string, fault: string]>([
  ['a reason changed', id => `UPDATE record_entries SET reason = 'B' WHERE id = ${id}`, 'changed'],
  [
    'its moment changed',
    id => `UPDATE record_entries SET at = at + INTERVAL 1 SECOND WHERE id = ${id}`,
    'changed',
  ],
  ['somebody else named', id => `UPDATE record_entries SET by_id = 7 WHERE id = ${id}`, 'changed'],
  ['a fact changed', id => `UPDATE record_entries SET facts = '{"n":2}' WHERE id = ${id}`, 'changed'],
  ['an entry taken out', id => `DELETE FROM record_entries WHERE id = ${id}`, 'missing'],
  ['a seal taken out', id => `DELETE FROM record_seals WHERE entry_id = ${id}`, 'gap'],
  ['an entry never queued', () => 'DELETE FROM record_unsealed', 'unsealed'],
])('%s is found', async (_, statement, fault) => {
  await write('a', 'b', 'c')
  await sealRecord(db)
  await write('d')
  await tamper(statement(await idOf('b')))
  expect((await verifyRecord(db)).fault).toMatchObject({ kind: fault })
})

test('a chain made anew does not pass through the head that was written down', async () => {
  await write('a', 'b', 'c')
  await sealRecord(db)
  const head = (await headOf(db))?.hash ?? ''
  await tamper("UPDATE record_entries SET reason = 'B' WHERE reason = 'b'")
  await execute(db, 'DELETE FROM record_seals')
  await execute(db, 'INSERT INTO record_unsealed SELECT id FROM record_entries')
  await sealRecord(db)
  expect((await verifyRecord(db)).fault).toBeNull()
  expect((await verifyRecord(db, { head })).fault).toEqual({ kind: 'other-head' })
})

test('an end cut off is found with a head from the log, and only with it', async () => {
  await write('a', 'b', 'c')
  await sealRecord(db)
  const head = (await headOf(db))?.hash ?? ''
  const last = await idOf('c')
  await execute(db, 'DELETE FROM record_seals WHERE entry_id = :last', { last })
  await tamper(`DELETE FROM record_entries WHERE id = ${last}`)
  expect((await verifyRecord(db)).fault).toBeNull()
  expect((await verifyRecord(db, { head })).fault).toEqual({ kind: 'other-head' })
})
