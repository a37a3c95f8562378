import type { Replayed } from '@pendro/core/history'
import { execute, type Database, type Tx } from '../db/database.ts'
import { moveVersion } from '../db/versions.ts'

const atOnce = 500

interface Row {
  readonly keys: readonly (string | number)[]
  readonly counts: readonly number[]
}

interface Table {
  readonly name: string
  readonly keys: readonly string[]
  readonly counts: readonly string[]
}

const tables = {
  senders: { name: 'senders_seen', keys: ['sender'], counts: ['n', 'wanted', 'junk'] },
  letters: { name: 'correspondence', keys: ['address', 'mailbox_id', 'domain'], counts: ['n'] },
  domains: { name: 'correspondence_domains', keys: ['domain'], counts: ['n'] },
} as const satisfies Record<string, Table>

/** Adds what history taught to the counts, or takes it off; a row that comes to nothing goes, as if it had never been. */
export async function addReplayed(
  db: Database,
  tx: Tx,
  { senders, letters, domains }: Replayed,
  sign: 1 | -1,
): Promise<void> {
  const rows = {
    senders: [...senders].map(([sender, { n, wanted, junk }]) => ({
      keys: [sender],
      counts: [n, wanted, junk],
    })),
    letters: letters.map(({ address, mailboxId, domain, n }) => ({
      keys: [address, mailboxId, domain],
      counts: [n],
    })),
    domains: [...domains].map(([domain, n]) => ({ keys: [domain], counts: [n] })),
  }
  for (const of of ['senders', 'letters', 'domains'] as const)
    await (sign === 1 ? add : takeOff)(db, tx, tables[of], inOrder(rows[of]))
  if (domains.size > 0) await moveVersion(db, 'correspondents', tx)
}

/** In one order everywhere, so that two at once wait for each other instead of locking each other out. */
const inOrder = (rows: readonly Row[]): readonly Row[] =>
  [...rows].sort((a, b) => (String(a.keys) < String(b.keys) ? -1 : 1))

function* partsOf(rows: readonly Row[]): Generator<readonly Row[]> {
  for (let i = 0; i < rows.length; i += atOnce) yield rows.slice(i, i + atOnce)
}

const valuesOf = (rows: readonly Row[]) =>
  Object.fromEntries(
    rows.flatMap(({ keys, counts }, i) => [
      ...keys.map((key, k) => [`k${k}x${i}`, key] as const),
      ...counts.map((n, c) => [`c${c}x${i}`, n] as const),
    ]),
  )

async function add(db: Database, tx: Tx, { name, keys, counts }: Table, rows: readonly Row[]): Promise<void> {
  for (const part of partsOf(rows)) {
    const line = (_: Row, i: number) =>
      `(${[...keys.map((__, k) => `:k${k}x${i}`), ...counts.map((__, c) => `:c${c}x${i}`)].join(', ')})`
    await execute(
      db,
      `INSERT INTO ${name} (${[...keys, ...counts].join(', ')}) VALUES ${part.map(line).join(', ')}
       ON DUPLICATE KEY UPDATE ${counts.map(count => `${count} = ${count} + VALUES(${count})`).join(', ')}`,
      valuesOf(part),
      tx,
    )
  }
}

/** How often somebody wrote is never below nothing; what people called it may be, between two of their acts. */
const lessSql = (count: string) =>
  count === 'n' ? 't.n = GREATEST(0, CAST(t.n AS SIGNED) - x.n)' : `t.${count} = t.${count} - x.${count}`

async function takeOff(
  db: Database,
  tx: Tx,
  { name, keys, counts }: Table,
  rows: readonly Row[],
): Promise<void> {
  for (const part of partsOf(rows)) {
    const line = (_: Row, i: number) =>
      `SELECT ${[...keys.map((key, k) => `:k${k}x${i} AS ${key}`), ...counts.map((count, c) => `:c${c}x${i} AS ${count}`)].join(', ')}`
    const joined = `${name} t JOIN (${part.map(line).join(' UNION ALL ')}) x ON ${keys.map(key => `t.${key} = x.${key}`).join(' AND ')}`
    await execute(db, `UPDATE ${joined} SET ${counts.map(lessSql).join(', ')}`, valuesOf(part), tx)
    await execute(
      db,
      `DELETE t FROM ${joined} WHERE ${counts.map(count => `t.${count} = 0`).join(' AND ')}`,
      valuesOf(part),
      tx,
    )
  }
}
