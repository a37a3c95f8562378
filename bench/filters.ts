import { dayOf, daysBefore } from '@pendro/core/calendar'
import type { Bound } from '../server/src/db/bound.ts'
import { select, selectBound, type Database } from '../server/src/db/database.ts'
import { startAsking } from './asking.ts'
import { byClient } from './client.ts'
import { atMost, inTurns, ms, type Measured, type Section } from './measure.ts'

interface Case {
  readonly name: string
  readonly path: string
  /** Conditions and order of the same rows, as somebody would type them. */
  readonly bare: string
}

const kept = "d.state IN ('quarantined', 'junk')"
const delivered = "d.state IN ('inbox', 'aside', 'moved')"
const wanted = 'ORDER BY d.rank_score, d.id LIMIT 100'
const newest = 'ORDER BY d.received_at DESC, d.id DESC LIMIT'

/** `day`: the first of the 14 days that the review list looks back. */
const reviewCases = (day: string): readonly Case[] => {
  const since = `d.received_day >= '${day}'`
  return [
    { name: 'kept back, likeliest wanted first', path: '', bare: `${kept} AND ${since} ${wanted}` },
    { name: 'newest first', path: '?order=newest', bare: `${kept} AND ${since} ${newest} 100` },
    {
      name: 'expiring first',
      path: '?order=expiring',
      bare: `${kept} AND ${since} ORDER BY d.expires_at, d.id LIMIT 100`,
    },
    { name: 'delivered', path: '?states=delivered', bare: `${delivered} AND ${since} ${wanted}` },
    {
      name: 'one colleague, delivered',
      path: '?states=delivered&mailbox=17&days=14',
      bare: `${delivered} AND ${since} AND d.mailbox_id = 17 ${wanted}`,
    },
    {
      name: 'a band of scores',
      path: '?from=40&to=60',
      bare: `${kept} AND ${since} AND d.score >= 40 AND d.score < 60 ${wanted}`,
    },
    {
      name: 'a band with nothing in it',
      path: '?from=99.5&to=100',
      bare: `${kept} AND ${since} AND d.score >= 99.5 ${wanted}`,
    },
    {
      name: 'a word',
      path: '?find=wo1k4',
      bare: `${kept} AND ${since} AND (d.subject LIKE '%wo1k4%' OR d.from_name LIKE '%wo1k4%' OR d.from_address LIKE '%wo1k4%') ${wanted}`,
    },
  ]
}

const listCases: readonly Case[] = [
  { name: 'all mail', path: '?', bare: `TRUE ${newest} 60` },
  { name: 'one state', path: '?state=inbox', bare: `d.state = 'inbox' ${newest} 60` },
  { name: 'one colleague', path: '?mailbox=17', bare: `d.mailbox_id = 17 ${newest} 60` },
  { name: 'from 5 MB', path: '?sizeFrom=5000', bare: `m.size >= 5000000 ${newest} 60` },
  {
    name: 'a state, scores and sizes',
    path: '?state=junk&scoreFrom=40&scoreTo=41&sizeFrom=50',
    bare: `d.state = 'junk' AND d.score BETWEEN 40 AND 41 AND m.size >= 50000 ${newest} 60`,
  },
  { name: 'scores with nothing in them', path: '?scoreFrom=99.5', bare: `d.score >= 99.5 ${newest} 60` },
  {
    name: 'without a sender',
    path: '?without=haus9',
    bare: `d.from_address NOT LIKE '%haus9%' ${newest} 60`,
  },
  {
    name: 'two months ago',
    path: `?until=${daysBefore(dayOf(Date.now(), 'Europe/Oslo'), 60)}`,
    bare: `d.received_at < '${daysBefore(dayOf(Date.now(), 'UTC'), 59)}' ${newest} 60`,
  },
]

/** Filters of the review list and of the exact list at a million deliveries, by HTTP, against SQL typed for them. */
export async function benchFilters(db: Database, url: string): Promise<Section> {
  const { get, stop } = await startAsking(db)
  const rows: Measured[] = []
  const plans: string[] = []
  const since = daysBefore(dayOf(Date.now(), 'Europe/Oslo'), 13)
  const groups = [
    { what: 'Review', address: '/api/review', cases: reviewCases(since) },
    { what: 'Exact list', address: '/api/whereabouts/list', cases: listCases },
  ]
  for (const { what, address, cases } of groups)
    for (const { name, path, bare } of cases) {
      const sql = `SELECT d.*, b.name FROM (SELECT d.* FROM deliveries d ${bare.includes('m.') ? 'JOIN messages m ON m.id = d.message_id' : ''} WHERE ${bare}) d JOIN mailboxes b ON b.id = d.mailbox_id`
      const [ours = 0, client = 1, connected = 1] = await inTurns(
        5,
        () => get(`${address}${path}`),
        async () => byClient(url, sql),
        () => select(db, sql),
      )
      const against = `bare SQL by the mariadb client; ${ms(connected)} on an open connection`
      rows.push(atMost(`${what}: ${name}`, ours, client, 2, against))
      plans.push(`| ${what}: ${name} | ${await plansOf(db, () => get(`${address}${path}`))} |`)
    }
  await stop()
  return {
    title: 'Filters at 1,000,000 deliveries over 93 days',
    rows,
    notes: [
      'A review row stands for its whole cluster, with how many deliveries and colleagues it has; the bare SQL tells only its rows.',
      'What our own statements read, by which key, with the rows of its range as the server expects them (a page ends the reading long before):',
      ['| | deliveries and messages |', '|---|---|', ...plans].join('\n'),
    ].join('\n\n'),
  }
}

/** How the statements that some work sends read deliveries and messages: key and rows the server expects. */
async function plansOf(db: Database, work: () => Promise<unknown>): Promise<string> {
  const sent: Bound[] = []
  const query = db.query.bind(db)
  db.query = ((sql: string, options: { bind?: unknown[] }) => {
    if (/^\s*SELECT/.test(sql) && /FROM \(*(SELECT .*FROM )?(deliveries|messages) /s.test(sql))
      sent.push({ sql, bind: options.bind ?? [] })
    return query(sql, options)
  }) as typeof db.query
  await work()
  db.query = query as typeof db.query
  const read = new Map<string, number>()
  for (const { sql, bind } of sent)
    for (const { table, key, rows } of await selectBound<{
      table: string | null
      key: string | null
      rows: number
    }>(db, { sql: `EXPLAIN ${sql}`, bind }))
      if (table !== null && /^([dm]|deliveries|messages)$/.test(table))
        read.set(key ?? 'no key', Math.max(read.get(key ?? 'no key') ?? 0, Number(rows)))
  return [...read].map(([key, rows]) => `${key} (${rows.toLocaleString('en')})`).join(', ')
}
