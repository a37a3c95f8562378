import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { deliveryStates } from '@pendro/core/delivery'
import { enLists } from '@pendro/contract/wording/en-lists'
import { select, type Database } from '../src/db/database.ts'
import { insertRows } from '../src/db/rows.ts'
import { migrate, migrations } from '../src/db/migrate.ts'
import { freshDatabase } from './support.ts'

let db: Database

/** What version 8 said of a line, and the code and facts of it now. */
const lines: readonly (readonly [said: string, code: string | null, facts: object])[] = [
  ['', null, {}],
  ['The opposite entry of this list ends.', 'ends', {}],
  ['The same as line 17.', 'there-line', { line: 17 }],
  ['The list has this entry already.', 'there-entry', {}],
  [
    'Would change nothing: *.x.example (safe, organisation) decides already.',
    'covered',
    { entry: '*.x.example (safe, organisation)' },
  ],
  ['Says the opposite of line 3.', 'contradicts-line', { line: 3 }],
  [
    'Says the opposite of anna@x.example (blocked, Kari).',
    'contradicts-entry',
    { entry: 'anna@x.example (blocked, Kari)' },
  ],
  [
    'Anyone can have an address at this provider. If you mean it, a steward adds it by hand, with a reason.',
    'shared-provider',
    {},
  ],
  ['Its last day has passed.', 'until-passed', {}],
  ['“ok” is no standing; it is safe or blocked.', 'bad-standing', { text: 'ok' }],
  ['“31.12” is no day; write it as 2026-12-31.', 'bad-date', { text: '31.12' }],
  ['There is no “pattern” in it.', 'no-text', {}],
  ['There is no domain in it. Accepted are an address (anna@x.example), …', 'empty-domain', {}],
  [
    "“co.uk” is not one organisation's domain: unrelated senders live under it. Name the domain below it, such as x.co.uk.",
    'public-suffix',
    { domain: 'co.uk' },
  ],
  [
    '“192.0.2.1” is a network address; sender entries name domains. Accepted …',
    'ip-literal',
    { text: '192.0.2.1' },
  ],
  ["“a b” can't stand before the @ of an address. Accepted …", 'bad-local', { text: 'a b' }],
  ['The part before the @ has 80 characters; at most 64 fit.', 'too-long', { length: 80, limit: 64 }],
  ['Something nobody remembers', 'said', { text: 'Something nobody remembers' }],
]

beforeAll(async () => {
  ;({ db } = await freshDatabase())
  await migrate(db, { to: '0008-exact-list' })
  await insertRows(db, { table: 'list_imports' }, [
    {
      staffer_id: 1,
      at: new Date(0),
      name: 'a.csv',
      format: 'csv',
      options: {},
      source: Buffer.from(''),
      state: 'failed',
      problem: 'This is no list: byte 17 can’t stand in a text. Save a spreadsheet as CSV first.',
    },
    {
      staffer_id: 1,
      at: new Date(0),
      name: 'b.json',
      format: 'json',
      options: {},
      source: Buffer.from(''),
      state: 'failed',
      problem:
        'This can’t be read as JSON: Unexpected end. Expected is a list of texts, or of objects with “pattern”.',
    },
    {
      staffer_id: 1,
      at: new Date(0),
      name: 'c.txt',
      format: 'text',
      options: {},
      source: Buffer.from(''),
      state: 'ready',
      problem: '',
    },
  ])
  await insertRows(
    db,
    { table: 'list_import_lines' },
    lines.map(([why], i) => ({ import_id: 1, line: i, part: 0, typed: 'x', outcome: 'refused', why })),
  )
  await insertRows(db, { table: 'delivery_judgements' }, [
    {
      delivery_id: 1,
      path: [],
      evidence: [
        {
          finding: 'odd-headers',
          weight: 1,
          facts: {},
          raw: [
            ['From', 'stands there more than once'],
            ['Date', 'is missing'],
            ['X-A', 'has 12000 characters'],
          ],
        },
        {
          finding: 'date-far-off',
          weight: 1,
          facts: {},
          raw: [
            ['Date', '(none)'],
            ['came in', '2026-11-01T00:00:00.000Z'],
          ],
        },
        {
          finding: 'lookalike-own',
          weight: 1,
          facts: {},
          raw: [
            ['resembles', 'harbour.example'],
            ['by', 'one letter'],
          ],
        },
      ],
    },
  ])
  await migrate(db)
})
afterAll(() => db.close())

describe('what was said in sentences is said by codes', () => {
  test.each(lines.map(([said, code, facts], i) => ({ said, code, facts, i })))(
    '“$said”',
    async ({ code, facts, i }) => {
      const [row] = await select<{ why: unknown }>(db, 'SELECT why FROM list_import_lines WHERE line = :i', {
        i,
      })
      expect(row?.why).toEqual(code === null ? null : { code, facts })
      if (code !== null) expect({ ...enLists.pattern, ...enLists.listLine }).toHaveProperty(code)
    },
  )

  test('of files', async () => {
    const rows = await select<{ problem: unknown }>(db, 'SELECT problem FROM list_imports ORDER BY id')
    expect(rows.map(({ problem }) => problem)).toEqual([
      { code: 'binary', facts: { byte: 17 } },
      { code: 'bad-json', facts: { text: 'Unexpected end' } },
      null,
    ])
  })

  test('of evidence', async () => {
    const [row] = await select<{ evidence: { raw: unknown }[] }>(
      db,
      'SELECT evidence FROM delivery_judgements',
    )
    expect(row?.evidence.map(({ raw }) => raw)).toEqual([
      [
        ['From', '', 'repeated'],
        ['Date', '', 'absent'],
        ['X-A', '12000', 'long'],
      ],
      [
        ['Date', '', 'absent'],
        ['', '2026-11-01T00:00:00.000Z', 'came-in'],
      ],
      [
        ['', 'harbour.example', 'resembles'],
        ['', '', 'one-letter'],
      ],
    ])
  })
})

describe('an upgrade that was interrupted goes on where it was', () => {
  const schemaOf = (of: Database) =>
    select(
      of,
      `SELECT table_name, column_name, column_type, is_nullable FROM information_schema.columns
       WHERE table_schema = DATABASE() ORDER BY table_name, ordinal_position`,
    )
  let whole: unknown
  beforeAll(async () => {
    const { db: plain } = await freshDatabase()
    await migrate(plain)
    whole = await schemaOf(plain)
    await plain.close()
  })

  test.each<[string, (length: number) => number]>([
    ['after the first statement', () => 0],
    ['in the middle', length => Math.floor(length / 2)],
    ['after the last', length => length - 1],
  ])('of every migration, %s: done, and not noted', async (_when, at) => {
    const { db: cut } = await freshDatabase()
    for (const [name, statements] of Object.entries(migrations)) {
      const last = at(statements.length)
      await cut.query(
        'CREATE TABLE IF NOT EXISTS migration_steps (name VARCHAR(60) NOT NULL PRIMARY KEY, done INT UNSIGNED NOT NULL)',
      )
      for (const statement of statements.slice(0, last)) await cut.query(statement)
      await insertRows(cut, { table: 'migration_steps' }, [{ name, done: last }])
      // What defines the schema commits by itself; anything else is undone with its note.
      const cutShort = statements[last] ?? ''
      if (/^\s*(?:CREATE|ALTER|DROP)\b/i.test(cutShort)) await cut.query(cutShort)
      await migrate(cut, { to: name })
    }
    expect(await schemaOf(cut)).toEqual(whole)
    expect(await migrate(cut)).toEqual([])
    await cut.close()
  })

  test('the database knows the states of core, and no others', async () => {
    const { db: plain } = await freshDatabase()
    await migrate(plain)
    const [column] = await select<{ type: string }>(
      plain,
      `SELECT column_type AS type FROM information_schema.columns
       WHERE table_schema = DATABASE() AND table_name = 'deliveries' AND column_name = 'state'`,
    )
    const known = [...(column?.type ?? '').matchAll(/'(\w+)'/g)].map(([, state]) => state)
    expect(known.sort()).toEqual([...deliveryStates].sort())
    await plain.close()
  })
})
