import { randomUUID } from 'node:crypto'
import { afterAll, beforeEach, describe, expect, test } from 'vitest'
import { execute, findRow, inTransaction, select } from '../src/db/database.ts'
import { readHere } from '../src/reading/reader.ts'
import { learnFromMoves } from '../src/reports/moved.ts'
import { noteVerdicts } from '../src/stores/verdicts.ts'
import { startStoreWorld } from './store-world.ts'
import { arrive, ruling, setOrganisation } from './support.ts'

/** What colleagues do in their mail programs, at Debian's Dovecot: seen, followed and learned from. */
const world = await startStoreWorld()
const { server, oda, now, later, use, letter, junk, look, handOver, asColleague, seen, moves, opens } = world
beforeEach(() => use())
afterAll(() => world.close())

describe('who looks into the junk folder', () => {
  const looks = async () => {
    const { body } = await oda.get(`/api/mailboxes/${server.mailbox('ingrid')}`)
    return body.looks as { junk: string | null; junkFolder: { total: number; unread: number } }
  }
  const lookAfter = async () => {
    later(60)
    await look()
  }

  test('whoever opens a message there has; whoever opens one in the inbox has not', async () => {
    const other = await letter()
    const { subject } = await junk()
    const before = await looks()
    expect(before.junk).toBeNull()
    await opens(other.subject, 'INBOX')
    await lookAfter()
    expect((await looks()).junk).toBeNull()
    await opens(subject, 'Junk')
    await lookAfter()
    const after = await looks()
    expect(after.junk).not.toBeNull()
    expect(after.junkFolder).toEqual({ ...before.junkFolder, unread: before.junkFolder.unread - 1 })
  })

  test('what was read elsewhere and moved there is no look', async () => {
    const { subject } = await letter()
    await handOver()
    await look()
    await execute(server.db, 'DELETE FROM mailbox_looks')
    await opens(subject, 'INBOX')
    await lookAfter()
    await moves(subject, 'INBOX', 'Junk')
    await lookAfter()
    expect(await looks()).toMatchObject({ junk: null })
  })
})

describe('what colleagues move in their mail programs teaches', () => {
  const everybody = ['ingrid', 'aksel', 'kari', 'bookings']
  const user = (name: string) => `${name}@harbour.example`
  const learn = () => learnFromMoves(server.db, { read: readHere.read, now })
  const lessons = (cluster: string) =>
    select<{ verdict: string; counted: number }>(
      server.db,
      'SELECT verdict, counted FROM lessons WHERE cluster_key = :cluster',
      { cluster },
    )
  const clusterOf = async (id: number) =>
    (
      await findRow<{ k: string }>(server.db, 'SELECT cluster_key AS k FROM deliveries WHERE id = :id', {
        id,
      })
    )?.k ?? ''
  /** The same mailing to all of them, handed over. */
  const mailing = async () => {
    const subject = `Offer ${randomUUID().slice(0, 8)}`
    const words = Array.from({ length: 40 }, () => randomUUID().slice(0, 6)).join(' ')
    const ids = await arrive(server, { to: everybody.map(user), subject, body: words })
    await handOver()
    for (const name of everybody) await look(name)
    return { ids, subject, cluster: await clusterOf(ids[0] ?? 0) }
  }
  /** One after the other, with a look after each. */
  const move = async (names: readonly string[], subject: string, from: string, to: string) => {
    for (const name of names) {
      await moves(subject, from, to, user(name))
      later(60)
      await look(name)
    }
  }
  const listed = async (who = oda) =>
    (await who.get('/api/review?states=moved')).body.rows as {
      subject: string
      moved: { as: string; colleagues: number }
    }[]

  beforeEach(() => execute(server.db, 'DELETE FROM colleague_moves'))

  test('three that agree teach once, and it can be undone for good', async () => {
    const { subject, cluster } = await mailing()
    await move(['ingrid', 'aksel'], subject, 'INBOX', 'Junk')
    expect([await learn(), await lessons(cluster)]).toEqual([0, []])
    await move(['kari'], subject, 'INBOX', 'Junk')
    expect([await learn(), await learn()]).toEqual([1, 0])
    expect(await lessons(cluster)).toEqual([{ verdict: 'junk', counted: 1 }])
    const { body } = await oda.get('/api/record?what=rulings&who=pendro')
    const line = body.lines[0]
    expect(line).toMatchObject({
      by: 'Pendro',
      facts: { message: 'moved', learn: 'junk', colleagues: 3 },
    })
    expect((await oda.post(`/api/rulings/${line.rulingId}/undo`, {})).status).toBe(200)
    expect([await lessons(cluster), await learn(), await lessons(cluster)]).toEqual([[], 0, []])
  })

  test('one who moves ever so much is one; who moves it back has said nothing', async () => {
    const { subject, cluster, ids } = await mailing()
    await execute(
      server.db,
      `INSERT INTO colleague_moves (delivery_id, mailbox_id, cluster_key, verdict, at)
       SELECT id, :mailbox, :cluster, 'junk', :now FROM deliveries WHERE cluster_key <> :cluster LIMIT 10`,
      { mailbox: server.mailbox('ingrid'), cluster, now: now() },
    )
    await move(['aksel', 'kari'], subject, 'INBOX', 'Junk')
    await move(['kari'], subject, 'Junk', 'INBOX')
    expect([ids.length, await learn(), await lessons(cluster)]).toEqual([4, 0, []])
  })

  test('where they don’t agree nothing is learned', async () => {
    const first = await mailing()
    await move(['ingrid', 'aksel', 'kari'], first.subject, 'INBOX', 'Junk')
    await execute(server.db, "UPDATE colleague_moves SET verdict = 'wanted' WHERE mailbox_id = :kari", {
      kari: server.mailbox('kari'),
    })
    expect([await learn(), await lessons(first.cluster)]).toEqual([0, []])
  })

  test('out of junk it was wanted', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 99.9, nearCertain: 99.9 },
    })
    const { subject, cluster } = await mailing()
    expect((await seen(user('bookings')))['Junk']).toContain(subject)
    await move(['ingrid', 'kari', 'bookings'], subject, 'Junk', 'INBOX')
    expect([await learn(), await lessons(cluster)]).toEqual([1, [{ verdict: 'wanted', counted: 1 }]])
  })

  test('where a staffer has ruled already nothing is added', async () => {
    const { ids, subject, cluster } = await mailing()
    await oda.post('/api/rulings', ruling([ids[3] ?? 0], { message: 'leave', learn: 'wanted' }))
    await move(['ingrid', 'aksel', 'kari'], subject, 'INBOX', 'Junk')
    expect([await learn(), (await lessons(cluster)).map(({ verdict }) => verdict)]).toEqual([0, ['wanted']])
  })

  test('switched off nothing is; Review lists what was moved all the same', async () => {
    await setOrganisation(server.db, { moves: { learn: false } })
    const { subject, cluster } = await mailing()
    await move(['ingrid', 'aksel', 'kari'], subject, 'INBOX', 'Junk')
    expect([await learn(), await lessons(cluster)]).toEqual([0, []])
    const rows = await listed()
    expect(rows.find(row => row.subject === subject)?.moved).toEqual({ as: 'junk', colleagues: 3 })
    await setOrganisation(server.db, { moves: { learn: true } })
  })

  test('of one mailbox fifty a day are noted', async () => {
    for (let i = 0; i < 52; i += 1) await letter()
    const found = await select<{ id: number; cluster: string }>(
      server.db,
      'SELECT id, cluster_key AS cluster FROM deliveries ORDER BY id DESC LIMIT 52',
    )
    const moved = found.map(({ id, cluster }) => ({
      deliveryId: id,
      kind: 'junk' as const,
      state: 'inbox' as const,
      cameFrom: null,
      cluster,
    }))
    const note = () =>
      inTransaction(server.db, tx =>
        noteVerdicts(server.db, tx, { mailboxId: server.mailbox('ingrid'), moved, now: now() }),
      )
    await note()
    await note()
    const noted = await findRow<{ n: number }>(server.db, 'SELECT COUNT(*) AS n FROM colleague_moves')
    expect(noted?.n).toBe(50)
  })
})

describe('a mailbox that somebody has before them', () => {
  const unread = async () => {
    const { body } = await oda.get(`/api/mailboxes/${server.mailbox('ingrid')}/store`)
    const folders = body.folders as { path: string; total: number; unread: number }[]
    return folders.find(({ path }) => path === 'INBOX')
  }
  /** Nothing is looked at here but what the store says by itself (RFC 2177). */
  const until = async (wanted: object) => {
    for (let i = 0; i < 100; i += 1) {
      const found = await unread()
      if (found && Object.entries(wanted).every(([name, n]) => found[name as 'total'] === n)) return found
      await new Promise(resolve => setTimeout(resolve, 50))
    }
    return unread()
  }

  // What changes while the connection is still being opened waits for the next look (docs/next.md): a slow machine needs another try.
  test(
    'shows what changes there without being asked to look: new mail, what is read, and what is gone',
    { retry: 2 },
    async () => {
      await use()
      await look()
      const { total = 0, unread: before = 0 } = (await unread()) ?? {}
      const events = () =>
        findRow<{ n: number }>(
          server.db,
          "SELECT COUNT(*) AS n FROM live_events WHERE kind = 'mailbox' AND by_name = ''",
        )
      const told = (await events())?.n ?? 0
      const client = asColleague()
      await client.connect()
      await client.append('INBOX', 'Subject: Seen at once\r\n\r\nhi\r\n')
      const came = { total: total + 1, unread: before + 1 }
      expect(await until(came)).toMatchObject(came)
      await client.mailboxOpen('INBOX')
      const uids = (await client.search({ subject: 'Seen at once' }, { uid: true })) || []
      await client.messageFlagsAdd([...uids], ['\\Seen'], { uid: true })
      const read = { total: total + 1, unread: before }
      expect(await until(read)).toMatchObject(read)
      await client.messageDelete([...uids], { uid: true })
      expect(await until({ total })).toMatchObject({ total })
      await client.logout()
      // Other screens are told.
      expect((await events())?.n ?? 0).toBeGreaterThan(told)
    },
  )
})
