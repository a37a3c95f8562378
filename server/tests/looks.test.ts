import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { MailboxChange, MailboxSheet, OwnPage } from '@pendro/contract'
import { parseMessage } from '@pendro/core/message'
import { execute, select } from '../src/db/database.ts'
import { workReminders } from '../src/digests/reminders.ts'
import { workDigests } from '../src/digests/sending.ts'
import { arrive, asColleague, signedIn, startTestServer, stateOf, type TestServer } from './support.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
let kari: Awaited<ReturnType<typeof asColleague>>
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  kari = await asColleague(server, 'kari')
  await execute(server.db, "UPDATE sessions SET expires_at = '2099-01-01'")
  await execute(server.db, "UPDATE colleague_sessions SET expires_at = '2099-01-01'")
  await execute(server.db, 'UPDATE mailboxes SET digest_lists_junk = TRUE')
})
afterAll(() => server.close())

const start = new Date('2026-11-20T09:00:00Z')
beforeEach(async () => {
  server.clock.now = start
  for (const table of [
    'mailbox_looks',
    'digests',
    'digest_lines',
    'deliveries',
    'messages',
    'digest_due',
    'outbox',
  ])
    await execute(server.db, `DELETE FROM ${table}`)
  await execute(server.db, "UPDATE mailboxes SET junk_shown = 'always', reminders = 'digest'")
  await execute(
    server.db,
    "UPDATE chores SET next_at = '2020-01-01', claimed_until = NULL WHERE name = 'reminders'",
  )
})

const at = (day: number, hour = 9) => {
  server.clock.now = new Date(Date.UTC(2026, 10, 20 + day, hour))
}
const sheet = async () => (await per.get(`/api/mailboxes/${server.mailbox('kari')}`)).body as MailboxSheet
const unlooked = async () => {
  const { body } = await per.get('/api/mailboxes/table?trait=unlooked&order=kept')
  return (body.rows as { name: string; unlooked: number }[]).map(({ name, unlooked: n }) => [name, n])
}
const ownMail = async (query = '') => (await kari.get(`/api/own/mail${query}`)).body as OwnPage
const change = (one: MailboxChange) =>
  per
    .post(`/api/mailboxes/${server.mailbox('kari')}/changes`, { change: one, token: randomUUID() })
    .expect(200)
/** One kept-back message for Kari that is likely wanted; in the quarantine or the junk folder. */
async function kept(state: 'quarantined' | 'junk' = 'quarantined', points = 'wanted'): Promise<number> {
  const [id = 0] = await arrive(server, { to: ['kari@harbour.example'] })
  await execute(
    server.db,
    'UPDATE deliveries SET state = :state, points = :points, left_out = FALSE WHERE id = :id',
    { id, state, points },
  )
  return id
}
const digests = { now: () => server.clock.now, publicUrl: '' }
/** Digests that went to Kari since, as text, oldest first. */
async function told(): Promise<{ subject: string; text: string }[]> {
  const rows = await select<{ source: Buffer }>(
    server.db,
    'SELECT source FROM digests WHERE mailbox_id = :id ORDER BY id',
    { id: server.mailbox('kari') },
  )
  return Promise.all(
    rows.map(async ({ source }) => {
      const parsed = await parseMessage(source)
      if (!parsed.ok) throw new Error('a digest nobody can read')
      return { subject: parsed.value.subject, text: parsed.value.text }
    }),
  )
}
const digestAt = async (day: number) => {
  at(day, 6)
  await workDigests(server.db, digests)
}

describe('who looks', () => {
  test('is noted by the colleague’s own page, and only for what it shows', async () => {
    await kept()
    await kept('junk')
    expect((await sheet()).looks).toMatchObject({ kept: null, junk: null, unlooked: 2 })
    at(1)
    await ownMail('?find=parcel')
    await ownMail('?show=sent')
    expect((await sheet()).looks).toMatchObject({ kept: null, junk: null })
    await ownMail('?junk=hidden')
    expect((await sheet()).looks).toMatchObject({ kept: '2026-11-21T09:00:00.000Z', junk: null, unlooked: 1 })
    at(2)
    await ownMail()
    expect((await sheet()).looks).toMatchObject({ junk: '2026-11-22T09:00:00.000Z', unlooked: 0 })
    at(3)
    await kept()
    expect((await sheet()).looks.unlooked).toBe(1)
  })

  test('what has waited for two weeks unseen puts the mailbox into the staffers’ list, a look takes it out', async () => {
    await kept()
    at(13)
    expect(await unlooked()).toEqual([])
    at(14)
    expect(await unlooked()).toEqual([['Kari', 1]])
    await ownMail()
    expect(await unlooked()).toEqual([])
  })
})

describe('the junk folder on the own page', () => {
  const shown = async (query = '') => {
    const page = await ownMail(query)
    return [page.rows.map(({ state }) => state).sort(), page.junk, page.counts.kept]
  }

  test('always, never, or only when something new is in it; what is hidden is counted, and one press away', async () => {
    await kept()
    await kept('junk')
    at(1)
    expect(await shown()).toEqual([['junk', 'quarantined'], { shown: true, count: 1 }, 2])
    await change({ what: 'junk-shown', was: 'always', to: 'never' })
    expect(await shown()).toEqual([['quarantined'], { shown: false, count: 1 }, 1])
    expect(await shown('?junk=shown')).toEqual([['junk', 'quarantined'], { shown: true, count: 1 }, 2])
    await change({ what: 'junk-shown', was: 'never', to: 'new' })
    // Looked at on day 1.
    expect(await shown()).toEqual([['quarantined'], { shown: false, count: 1 }, 1])
    at(2)
    await kept('junk')
    expect((await ownMail()).junk).toEqual({ shown: true, count: 2 })
    at(3)
    expect((await ownMail()).junk).toEqual({ shown: false, count: 2 })
  })

  test('is the colleague’s to choose, with a line in the record and an undo; nobody else’s change can be undone so', async () => {
    const choose = (was: string, to: string) =>
      kari.post('/api/own/junk', { change: { what: 'junk-shown', was, to }, token: randomUUID() })
    const made = await choose('always', 'never').expect(200)
    expect((await kari.get('/api/own/junk')).body).toEqual({ shown: 'never', reminders: 'digest' })
    expect((await choose('always', 'new')).body).toMatchObject({ code: 'MAILBOX_CHANGED' })
    const { body: record } = await per.get(
      `/api/record?what=everything&who=everybody&mailbox=${server.mailbox('kari')}`,
    )
    expect(record.lines[0]).toMatchObject({
      act: 'mailbox-junk-shown',
      by: 'Kari',
      facts: { was: 'junk-shown-always', now: 'junk-shown-never' },
    })
    const aksel = await asColleague(server, 'aksel')
    expect((await aksel.post(`/api/own/changes/${made.body.change}/undo`, {})).body).toMatchObject({
      code: 'CHANGE_NOT_FOUND',
    })
    await kari.post(`/api/own/changes/${made.body.change}/undo`, {}).expect(200)
    expect((await kari.get('/api/own/junk')).body).toMatchObject({ shown: 'always' })
  })
})

describe('a reminder', () => {
  /** Told of on day 0, kept for 28 days: about to go from day 25. */
  async function aboutToGo(): Promise<number> {
    const id = await kept()
    await digestAt(0.9)
    await digestAt(1)
    expect(await told()).toHaveLength(1)
    return id
  }
  beforeEach(async () => {
    await digestAt(-1)
    at(0)
  })

  test('comes with the digest while likely wanted mail can still be had, once a week at most; its code works', async () => {
    const id = await aboutToGo()
    await digestAt(24)
    expect(await told()).toHaveLength(1)
    await digestAt(26)
    const [first, reminder, ...more] = await told()
    expect(more).toEqual([])
    expect(reminder?.subject).toBe('About to go away: 1 message kept back for you')
    const code = /\b[0-9A-Z]{3}-[0-9A-Z]{3}\b/
    expect(code.exec(reminder?.text ?? '')?.[0]).toBe(code.exec(first?.text ?? '')?.[0])
    expect(reminder?.text).toContain('Goes away on 18 December')
    await digestAt(27)
    expect(await told()).toHaveLength(2)
    expect(await stateOf(server.db, id)).toBe('quarantined')
  })

  test('stands above what is new; the preview shows it as it will be', async () => {
    await aboutToGo()
    at(26, 5)
    await kept()
    const { body } = await per.get(`/api/mailboxes/${server.mailbox('kari')}/digest`)
    expect(body.message.text).toMatch(/nobody has looked at it since[\s\S]*This message looked like junk/)
    await digestAt(26)
    const last = (await told()).at(-1)
    expect(last?.subject).toBe('Kept back for you: 1 message')
    expect(last?.text).toMatch(/nobody has looked at it since[\s\S]*This message looked like junk/)
  })

  test('is none for whoever has looked, for what is not likely wanted, or where it is off', async () => {
    await aboutToGo()
    for (const quiet of [
      () => ownMail(),
      () => execute(server.db, "UPDATE deliveries SET points = 'doubt'"),
      () => change({ what: 'reminders', was: 'digest', to: 'off' }),
      () => change({ what: 'reminders', was: 'digest', to: 'message' }),
    ]) {
      await execute(server.db, 'DELETE FROM mailbox_looks')
      await execute(server.db, "UPDATE deliveries SET points = 'wanted'")
      await execute(server.db, "UPDATE mailboxes SET reminders = 'digest'")
      at(20)
      await quiet()
      await digestAt(26)
      expect(await told()).toHaveLength(1)
    }
  })

  test('of its own is the first word where digests are off, and what it names can be asked for', async () => {
    await execute(server.db, "UPDATE mailboxes SET digest_times = '[]' WHERE id = :id", {
      id: server.mailbox('kari'),
    })
    await change({ what: 'reminders', was: 'digest', to: 'message' })
    const id = await kept()
    at(26)
    expect(await workReminders(server.db, digests)).toBe(1)
    const [line] = await select<{ reference: string; digest_id: number }>(
      server.db,
      'SELECT l.reference, d.digest_id FROM digest_lines l JOIN deliveries d ON d.id = l.delivery_id WHERE d.id = :id',
      { id },
    )
    expect(line?.digest_id).toBeGreaterThan(0)
    expect((await told()).at(-1)?.text).toContain(line?.reference)
    await execute(server.db, 'UPDATE mailboxes SET digest_times = NULL')
  })

  test('of its own comes by day, also without digests, with a code for what was only counted; once a week', async () => {
    const id = await aboutToGo()
    await execute(server.db, 'UPDATE digest_lines SET reference = NULL WHERE delivery_id = :id', { id })
    await change({ what: 'reminders', was: 'digest', to: 'message' })
    await execute(server.db, "UPDATE mailboxes SET digest_times = '[]' WHERE id = :id", {
      id: server.mailbox('kari'),
    })
    const remind = async (day: number, hour: number) => {
      at(day, hour)
      return workReminders(server.db, digests)
    }
    expect(await remind(26, 4)).toBe(0)
    expect(await remind(26, 9)).toBe(1)
    expect(await remind(27, 9)).toBe(0)
    const last = (await told()).at(-1)
    expect(last?.subject).toBe('About to go away: 1 message kept back for you')
    const [line] = await select<{ reference: string }>(
      server.db,
      'SELECT reference FROM digest_lines WHERE delivery_id = :id',
      { id },
    )
    expect(last?.text).toContain(line?.reference)
    const { body } = await per.get(
      `/api/record?what=everything&who=everybody&mailbox=${server.mailbox('kari')}`,
    )
    expect(body.lines[0]).toMatchObject({ act: 'reminder-sent', facts: { listed: 1 } })
    await execute(server.db, 'UPDATE mailboxes SET digest_times = NULL')
  })
})
