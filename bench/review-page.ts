import { gzipSync } from 'node:zlib'
import { existsSync, readFileSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import { root } from '../scripts/prepare.mjs'
import { execute, select, type Database } from '../server/src/db/database.ts'
import { startAsking } from './asking.ts'
import { atMost, inTurns, type Measured, type Section } from './measure.ts'

/** Multiplies the demo's deliveries until there are `wanted`: same texts in new clusters, spread over 28 days. */
export async function growDeliveries(db: Database, wanted: number): Promise<void> {
  const count = async () =>
    (await select<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM deliveries'))[0]?.n ?? 0
  for (let n = await count(), round = 1; n < wanted; n = await count(), round += 1) {
    const some = Math.min(n, wanted - n)
    await execute(
      db,
      `INSERT INTO messages (direction, received_at, message_id_hash, envelope_from, from_name, from_address, subject, size, sender_facts, harm, bulk, unreadable)
       SELECT direction, DATE_SUB(received_at, INTERVAL MOD(id * 7919, 3600) SECOND), NULL, envelope_from, from_name, from_address, CONCAT(subject, ' ', :round), size, sender_facts, harm, bulk, unreadable
       FROM messages WHERE direction = 'in' ORDER BY id LIMIT :some`,
      { some, round },
    )
    await execute(
      db,
      `INSERT IGNORE INTO deliveries (message_id, mailbox_id, address_used, received_at, received_day, expires_at, state, bound_for, came_from, score, left_out, landed_at, from_name, from_address, subject, reasons, attachments, cluster_key, rank_base, rank_score)
       SELECT (SELECT MAX(id) FROM messages) - d.n, mailbox_id, address_used, DATE_SUB(received_at, INTERVAL MOD(id * 7919, 3600) SECOND), received_day, expires_at, state, NULL, NULL, score, left_out, landed_at,
         from_name, from_address, CONCAT(subject, ' ', :round), reasons, attachments, MD5(CONCAT(cluster_key, :round)), rank_base, rank_score
       FROM (SELECT *, ROW_NUMBER() OVER (ORDER BY id) - 1 AS n FROM deliveries ORDER BY id LIMIT :some) d`,
      { some, round },
    )
  }
  for (const table of ['deliveries', 'messages']) await select(db, `ANALYZE TABLE ${table}`)
  await settled(db)
}

/** What was just written goes to disk in the background for a while; that is no part of reading. At most a minute. */
async function settled(db: Database): Promise<void> {
  for (let i = 0; i < 60; i += 1) {
    const [row] = await select<{ Value: string }>(
      db,
      "SHOW GLOBAL STATUS LIKE 'Innodb_buffer_pool_pages_dirty'",
    )
    if (Number(row?.Value ?? 0) < 300) return
    await new Promise(resolve => setTimeout(resolve, 1000))
  }
}

/** The review page by HTTP against the bare SQL for the same rows, in the same run. */
export async function benchReview(db: Database, deliveries: number): Promise<Section> {
  await growDeliveries(db, deliveries)
  const { get, stop } = await startAsking(db)
  const rows: Measured[] = []
  const cases = [
    ['likeliest to be wanted first', '/api/review', "state = 'quarantined' ORDER BY rank_score, id"],
    ['newest first', '/api/review?order=newest', "state = 'quarantined' ORDER BY received_at DESC, id DESC"],
    ['one state', '/api/review?states=quarantined', "state = 'quarantined' ORDER BY rank_score, id"],
  ] as const
  for (const [name, path, where] of cases) {
    const ids = (await get<{ rows: { id: number }[] }>(path)).rows.map(({ id }) => id)
    // The least any program has to do: read these rows, and the names of their colleagues, by key.
    const bare = () =>
      select(
        db,
        `SELECT d.*, m.name FROM deliveries d JOIN mailboxes m ON m.id = d.mailbox_id WHERE d.id IN (:ids)`,
        { ids },
      )
    const search = () =>
      select(
        db,
        `SELECT d.*, m.name FROM (SELECT * FROM deliveries WHERE ${where} LIMIT 100) d JOIN mailboxes m ON m.id = d.mailbox_id`,
      )
    const [ours = 0, bySearch = 1, byKey = 1] = await inTurns(25, () => get(path), search, bare)
    rows.push(
      atMost(
        `Review page, ${name}, ${ids.length} rows of ${deliveries.toLocaleString('en')}`,
        ours,
        bySearch,
        3,
        `bare SQL in the same order; by key ${byKey.toFixed(1)} ms`,
      ),
    )
  }
  await stop()
  return { title: `The review list at ${deliveries.toLocaleString('en')} deliveries`, rows, notes: '' }
}

/** Gzipped JavaScript that the first screen needs: the entry and what it imports at once. */
export function benchBundle(): Section {
  const folder = join(root, 'web/dist/assets')
  const entry = /src="\/assets\/([^"]+\.js)"/.exec(
    readFileSync(join(root, 'web/dist/index.html'), 'utf8'),
  )?.[1]
  if (!entry || !existsSync(folder)) throw new Error('the web part is not built')
  const all = readdirSync(folder).filter(name => name.endsWith('.js'))
  const needed = (names: readonly string[]) => {
    const found = new Set<string>()
    const add = (name: string) => {
      if (found.has(name)) return
      found.add(name)
      for (const [, other] of readFileSync(join(folder, name), 'utf8').matchAll(
        /(?:from|import)\s*["']\.\/([\w.-]+\.js)["']/g,
      ))
        if (other) add(other)
    }
    names.forEach(add)
    return [...found]
  }
  const rows = firstScreens.map(([what, chunk]) => {
    const own = all.filter(name => name.startsWith(`${chunk}-`))
    if (own.length === 0) throw new Error(`${chunk} has no file of its own`)
    const files = needed([entry, ...own])
    const size =
      files.reduce((sum, name) => sum + gzipSync(readFileSync(join(folder, name))).length, 0) / 1000
    return {
      what: `${what}: ${files.length} of ${all.length} files, gzip`,
      ours: `${size.toFixed(0)} kB`,
      against: '250 kB (limit)',
      ratio: size / 250,
      wanted: 'at most 1',
      met: size <= 250,
    }
  })
  return {
    title: 'JavaScript before the first screen',
    rows,
    notes:
      'What opens above a screen (panels, menus, dialogs) and the search come with code of their own, once the screen is there.',
  }
}

/** Screens that a day can begin with, and the files that have their code. */
const firstScreens = [
  ['Review', 'review-area'],
  ['Signing in', 'sign-in'],
  ['A colleague’s own pages', 'own'],
] as const
