import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { select } from '../src/db/database.ts'
import {
  beginHistory,
  endHistory,
  findHistory,
  learnHistory,
  undoHistory,
  type Found,
} from '../src/history/history.ts'
import { readHere } from '../src/reading/reader.ts'
import { arrive, found, startTestServer, type TestServer } from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

let serial = 0
const letter = (headers: readonly string[], body: string): Buffer => {
  serial += 1
  return Buffer.from(
    [
      ...headers,
      `Message-ID: <old${serial}@before.example>`,
      'Date: Fri, 2 Oct 2026 09:00:00 +0000',
      '',
      body,
    ].join('\r\n'),
  )
}
const ingrid = () => server.mailbox('ingrid')
const sent = (to: string, subject = 'The berth'): Found => ({
  raw: letter(
    ['From: Ingrid <ingrid@harbour.example>', `To: ${to}`, `Subject: ${subject}`],
    'When can you come?',
  ),
  mailboxId: ingrid(),
  verdict: 'sent',
})
const kept = (from: string, body: string, headers: readonly string[] = []): Found => ({
  raw: letter([`From: ${from}`, 'To: ingrid@harbour.example', 'Subject: Timetable', ...headers], body),
  mailboxId: ingrid(),
  verdict: 'wanted',
})
const junk = (from: string, body: string): Found => ({ ...kept(from, body), verdict: 'junk' })

/** Everything history may touch; words that came to nothing are as if they had never been. */
async function everything() {
  const ask = (sql: string) => select(server.db, sql)
  return Promise.all([
    ask('SELECT word, wanted, junk FROM words WHERE wanted <> 0 OR junk <> 0 ORDER BY word'),
    ask('SELECT sender, n, wanted, junk FROM senders_seen ORDER BY sender'),
    ask('SELECT address, mailbox_id, domain, n FROM correspondence ORDER BY address, mailbox_id'),
    ask('SELECT domain, n FROM correspondence_domains ORDER BY domain'),
    ask('SELECT verdict, words, counted, sender FROM lessons ORDER BY id'),
    ask('SELECT hash FROM history_messages ORDER BY hash'),
  ])
}
const begin = () => beginHistory(server.db, { name: 'Old mail', by: 'Oda', now: server.clock.now })
const learn = (run: number, messages: readonly Found[]) =>
  learnHistory(server.db, run, messages, readHere.read)
async function undo(run: number): Promise<void> {
  while ((await undoHistory(server.db, run)) > 0);
}
async function findingsOf(
  from: string,
  headers: readonly string[] = [],
): Promise<ReadonlyMap<string, Record<string, unknown>>> {
  const [id] = await arrive(server, { from, headers, body: '<p>Morning crossing</p>' })
  const rows = await select<{ evidence: { finding: string; facts: Record<string, unknown> }[] }>(
    server.db,
    'SELECT evidence FROM delivery_judgements WHERE delivery_id = :id',
    { id },
  )
  return new Map(rows[0]?.evidence.map(({ finding, facts }) => [finding, facts]))
}

/** Texts that differ in a number only are one. */
const other = [
  'deck',
  'cabin',
  'berth',
  'galley',
  'stern',
  'bow',
  'anchor',
  'mast',
  'hull',
  'buoy',
  'crane',
  'quay',
]

describe('learning from older mail', () => {
  const history = () => [
    sent('anna@partner.example'),
    sent('anna@partner.example', 'Again'),
    ...Array.from({ length: 12 }, (_, i) =>
      kept('Tor <tor@guild.example>', `crossing timetable ferry ${other[i] ?? ''}`, [
        'List-Id: <crew.guild.example>',
      ]),
    ),
    ...Array.from({ length: 12 }, (_, i) =>
      junk(`Win <win@prize${i}.example>`, `lottery voucher jackpot ${other[i] ?? ''}`),
    ),
  ]
  let run = 0
  let all: readonly Found[] = []

  test('correspondents, known senders, lists, threads and words, at once', async () => {
    run = await begin()
    all = history()
    expect(await learn(run, all)).toBe(26)
    await endHistory(server.db, run)
    expect(await findHistory(server.db, run)).toEqual({ state: 'done', taken: 26, left_out: 0 })
    expect((await findingsOf('Anna <anna@partner.example>')).get('correspondence-address')).toEqual({
      count: 2,
    })
    expect((await findingsOf('Tor <tor@guild.example>')).get('seen-often')).toEqual({ count: 12 })
    const proof = [
      'List-Id: <crew.guild.example>',
      found('dkim=pass header.d=guild.example', 'guild.example'),
    ]
    expect((await findingsOf('Siv <siv@other.example>', proof)).has('known-list')).toBe(true)
    expect((await findingsOf('Siv <siv@other.example>', proof.slice(0, 1))).has('known-list')).toBe(false)
    const answer = await findingsOf('Who <who@elsewhere.example>', ['In-Reply-To: <old1@before.example>'])
    expect(answer.get('answers-colleague')).toEqual({ subject: 'The berth' })
    // Ten of one sender count, so that nobody’s mail alone says what is wanted.
    const lessons = await select<{ verdict: string; n: number }>(
      server.db,
      'SELECT verdict, COUNT(*) AS n FROM lessons WHERE counted GROUP BY verdict ORDER BY verdict',
    )
    expect(lessons).toEqual([
      { verdict: 'wanted', n: 10 },
      { verdict: 'junk', n: 12 },
    ])
  })
  test('the same messages again teach nothing, in this run or in another', async () => {
    const again = await begin()
    const before = await everything()
    expect(await learn(again, all)).toBe(0)
    expect(await everything()).toEqual(before)
    expect(await findHistory(server.db, again)).toMatchObject({ taken: 0, left_out: 26 })
    await expect(learn(run, [sent('late@partner.example')])).rejects.toThrow('CHANGE_NOT_FOUND')
  })
  test('undone: as if it had never been; live mail and rulings keep what they taught', async () => {
    await undo(run)
    expect(await findHistory(server.db, run)).toMatchObject({ state: 'undone' })
    expect((await findingsOf('Anna <anna@partner.example>')).has('correspondence-address')).toBe(false)
    expect((await findingsOf('Tor <tor@guild.example>')).has('seen-often')).toBe(false)
    expect(await undoHistory(server.db, run)).toBe(0)
  })
  test('in parts, broken off and begun again, it comes to what it does at once; and back to nothing', async () => {
    const before = await everything()
    const messages = history()
    const whole = await begin()
    await learn(whole, messages)
    const atOnce = await everything()
    await undo(whole)
    expect(await everything()).toEqual(before)
    const parts = await begin()
    await learn(parts, messages.slice(0, 7))
    // A step that fails leaves nothing of itself.
    let n = 0
    const failing = (raw: Uint8Array) => {
      n += 1
      return n > 3 ? Promise.reject(new Error('broken off')) : readHere.read(raw)
    }
    await expect(learnHistory(server.db, parts, messages.slice(7, 15), failing)).rejects.toThrow('broken off')
    for (let i = 0; i < messages.length; i += 5) await learn(parts, messages.slice(i, i + 5))
    expect(await everything()).toEqual(atOnce)
    // Half taken back, and then the rest.
    await undoHistory(server.db, parts)
    await undo(parts)
    expect(await everything()).toEqual(before)
  })
  test('what can’t be read is left out and told; nothing at all is nothing', async () => {
    const odd = await begin()
    expect(await learn(odd, [{ raw: Buffer.alloc(0), mailboxId: ingrid(), verdict: 'wanted' }])).toBe(0)
    expect(await learn(odd, [])).toBe(0)
    expect(await findHistory(server.db, odd)).toMatchObject({ taken: 0, left_out: 1 })
  })
  test('two at once learn each message once', async () => {
    const messages = history()
    const run2 = await begin()
    const [one, other] = await Promise.all([learn(run2, messages), learn(run2, [...messages].reverse())])
    expect(one + other).toBe(26)
    await undo(run2)
  })
})
