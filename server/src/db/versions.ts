import { execute, select, type Database, type Tx } from './database.ts'

/** What is the same for every message and seldom changes, so that each process keeps it in memory. */
export type Kept = 'organisation' | 'correspondents' | 'calibration'

/** How often each has changed, by name. Whoever asks sees a change as soon as it is committed, whichever process made it. */
export type Versions = ReadonlyMap<string, string>

/** Those who ask at the same moment share a statement, unless they ask within a transaction. */
export const readVersions = (db: Database, tx?: Tx): Promise<Versions> =>
  tx === undefined ? together(db) : ask(db, tx)

interface Asking {
  readonly now: Promise<Versions>
  next: Promise<Versions> | null
}
const asking = new WeakMap<Database, Asking>()

/** A statement that was begun before somebody asked may be behind what they have just changed: they get the next one. */
function together(db: Database): Promise<Versions> {
  const under = asking.get(db)
  if (under === undefined) return begin(db)
  under.next ??= under.now.then(
    () => begin(db),
    () => begin(db),
  )
  return under.next
}

function begin(db: Database): Promise<Versions> {
  const under: Asking = { now: ask(db), next: null }
  asking.set(db, under)
  const end = () => {
    if (under.next === null) asking.delete(db)
  }
  under.now.then(end, end)
  return under.now
}

async function ask(db: Database, tx?: Tx): Promise<Versions> {
  const rows = await select<{ name: Kept; n: string }>(
    db,
    `SELECT name, CAST(n AS CHAR) AS n FROM versions
     UNION ALL SELECT 'organisation', CAST(changed_at AS CHAR) FROM organisation`,
    {},
    tx,
  )
  return new Map(rows.map(({ name, n }) => [name, n]))
}

/** Says that one of them has changed, in the transaction that changes it. The organisation's moves by itself. */
export async function moveVersion(db: Database, name: Exclude<Kept, 'organisation'>, tx?: Tx): Promise<void> {
  await execute(
    db,
    'INSERT INTO versions (name, n) VALUES (:name, 1) ON DUPLICATE KEY UPDATE n = n + 1',
    { name },
    tx,
  )
}

const kept = new WeakMap<Database, Map<Kept, { readonly version: string; readonly value: unknown }>>()

/** The value of a version: from memory when it is still that one, else read and kept. */
export async function keep<T>(
  db: Database,
  versions: Versions,
  name: Kept,
  read: () => Promise<T>,
): Promise<T> {
  const known = kept.get(db) ?? new Map<Kept, { version: string; value: unknown }>()
  kept.set(db, known)
  const version = versions.get(name) ?? ''
  const held = known.get(name)
  if (held?.version === version) return held.value as T
  const value = await read()
  // Nothing there is not kept: before the first set-up somebody is about to make it.
  if (value !== null) known.set(name, { version, value })
  return value
}
