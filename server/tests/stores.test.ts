import { randomUUID } from 'node:crypto'
import { afterAll, beforeEach, describe, expect, test, vi } from 'vitest'
import type { Bound } from '../src/db/bound.ts'
import { execute, findRow, select, selectBound } from '../src/db/database.ts'
import { workMoves } from '../src/stores/move.ts'
import { subjectsByImaplib } from './imap-client.ts'
import { freePort } from './ports.ts'
import { at } from './store-settings.ts'
import { password, startStoreWorld } from './store-world.ts'
import { ruling, setOrganisation } from './support.ts'

/** Debian's Dovecot as the mail store: what it says is what counts here. */
const world = await startStoreWorld()
const { server, store, oda, now, stores, later, use, state, letter, junk, look, copies } = world
const { handOver, handOverBySlots, asColleague, seen, moves, removes } = world
beforeEach(() => use())
afterAll(() => world.close())

/** When the store says messages of a subject were received (INTERNALDATE). */
async function inboxDates(subject: string): Promise<number[]> {
  const client = asColleague()
  await client.connect()
  await client.mailboxOpen('INBOX', { readOnly: true })
  const all = await client.fetchAll('1:*', { envelope: true, internalDate: true })
  await client.logout()
  return all.flatMap(({ envelope, internalDate }) =>
    envelope?.subject === subject ? [new Date(internalDate ?? 0).getTime()] : [],
  )
}

describe('looking into mailboxes', () => {
  test('what was handed over is found where it is, unread', async () => {
    const { id, subject } = await letter()
    await handOver()
    expect((await seen())['INBOX']).toContain(subject)
    expect(await look()).toBe('looked')
    expect(await copies(id)).toEqual([{ path: 'INBOX', seen: 0, put_by: 'arrival', gone: 0 }])
  })

  test('what a mail program moves is followed, and told as moved by it', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    await moves(subject, 'INBOX', 'Yard')
    later(60)
    await look()
    expect(await copies(id)).toEqual([
      { path: 'INBOX', seen: 0, put_by: 'arrival', gone: 1 },
      { path: 'Yard', seen: 0, put_by: 'colleague', gone: 0 },
    ])
  })
})

describe('what a release comes to', () => {
  test('what is in the junk folder is moved, and nobody has it twice', async () => {
    const { id, subject } = await junk()
    expect([await state(id), (await seen())['Junk']]).toEqual(['junk', [subject]])
    const { status } = await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    expect(status).toBe(200)
    await handOver()
    expect(await state(id)).toBe('released')
    const folders = await seen()
    expect(folders['Junk']).toBeUndefined()
    expect(folders['INBOX']?.filter(one => one === subject)).toEqual([subject])
    expect((await copies(id)).at(-1)).toEqual({ path: 'INBOX', seen: 0, put_by: 'pendro', gone: 0 })
    // The next look finds what is known.
    later(60)
    await look()
    expect(await copies(id)).toHaveLength(2)
  })

  test('moved to the inbox just before, and not looked at since: it is there once all the same', async () => {
    const { id, subject } = await junk()
    await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    // As by the colleague, or by a process that was killed before it could note it.
    await moves(subject, 'Junk', 'INBOX')
    await handOver()
    expect(await state(id)).toBe('released')
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
  })

  test('released before anybody has looked where it is: it is moved, and there once', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 99.9, nearCertain: 99.9 },
    })
    const { id, subject } = await letter()
    await handOver()
    await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    await handOver()
    const folders = await seen()
    expect(folders['Junk'] ?? []).not.toContain(subject)
    expect(folders['INBOX']?.filter(one => one === subject)).toEqual([subject])
    // Whoever moves it on at once, before any look, is told of as such: that Pendro had put it there is known.
    await moves(subject, 'INBOX', 'Later')
    await look()
    const copies = await select(
      server.db,
      'SELECT c.put_by, f.path FROM store_copies c JOIN store_folders f ON f.id = c.folder_id WHERE c.delivery_id = :id ORDER BY c.id',
      { id },
    )
    expect(copies).toEqual([
      { put_by: 'pendro', path: 'INBOX' },
      { put_by: 'colleague', path: 'Later' },
    ])
  })

  test('moved by a mail program it is released, and junk again when it is moved back', async () => {
    const { id, subject } = await junk()
    await moves(subject, 'Junk', 'INBOX')
    later(60)
    await look()
    expect(await state(id)).toBe('released')
    await moves(subject, 'INBOX', 'Junk')
    later(60)
    await look()
    expect(await state(id)).toBe('junk')
    expect((await copies(id)).map(({ path, put_by, gone }) => `${path} ${put_by} ${gone}`)).toEqual([
      'Junk arrival 1',
      'INBOX colleague 1',
      'Junk colleague 0',
    ])
  })

  test('what was never there is handed over, or put there with its own date', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 1, nearCertain: 99.9 },
    })
    await use({ releases: 'append' })
    await setOrganisation(server.db, { watching: false })
    const { id, subject } = await letter()
    const receivedAt = now()
    expect(await state(id)).toBe('quarantined')
    later(3600)
    await oda.post('/api/rulings', ruling([id], { message: 'release' }))
    await handOver()
    expect(await state(id)).toBe('released')
    const dates = await inboxDates(subject)
    expect(dates).toHaveLength(1)
    // To the second, as IMAP has it.
    expect(Math.floor((dates[0] ?? 0) / 1000)).toBe(Math.floor(receivedAt.getTime() / 1000))
  })
})

describe('a block in a mailbox', () => {
  test('takes the message at hand out of sight, too, says so before, and brings it back with its undo', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    const { sentence } = ruling([id], { sender: 'blocked' })
    const { body: reach } = await oda.post('/api/rulings/reach', { deliveries: [id], sentence })
    expect(reach.toJunk).toBe(1)
    const { body } = await oda.post('/api/rulings', ruling([id], { sender: 'blocked' }))
    await workMoves(server.db, stores(), now)
    const folders = await seen()
    expect([folders['Junk'], folders['INBOX'] ?? []]).toEqual([
      expect.arrayContaining([subject]),
      expect.not.arrayContaining([subject]),
    ])
    const { body: account } = await oda.get(`/api/whereabouts/${id}/account`)
    expect(account.hit.journey.at(-1)).toMatchObject({
      kind: 'moved-by-desk',
      facts: { folder: 'Junk', read: 'unread' },
    })
    await oda.post(`/api/rulings/${body.id}/undo`, {})
    await workMoves(server.db, stores(), now)
    expect((await seen())['INBOX']).toContain(subject)
  })

  test('for all colleagues, or with the message released, moves nothing', async () => {
    const { id } = await letter()
    await handOver()
    await look()
    for (const more of [{ sender: 'blocked', for: 'everyone' }, { sender: 'safe' }]) {
      const { sentence } = ruling([id], more)
      const { body } = await oda.post('/api/rulings/reach', { deliveries: [id], sentence })
      expect(body.toJunk).toBe(0)
    }
  })
})

describe('what is said of where mail is', () => {
  test('a folder, since when, unread, and who moved it; never the inbox of what is not there', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    await moves(subject, 'INBOX', 'Yard')
    later(60)
    // The page looks by itself.
    const { body } = await oda.get(`/api/whereabouts/${id}/account`)
    const here = body.hit.journey.find(({ stage }: { stage: string }) => stage === 'here')
    expect(here).toMatchObject({
      kind: 'moved-by-program',
      at: now().toISOString(),
      facts: { folder: 'Yard', place: 'other', read: 'unread' },
    })
    expect(body.explanations.en).toContain('A mail program moved it to the folder “Yard”')
    expect(body.explanations.en).not.toContain('delivered to your inbox')
  })

  test('what a rule has put into a folder, and the store has not, is where the store has it', async () => {
    const { id } = await letter()
    await execute(
      server.db,
      "UPDATE deliveries SET bound_for = 'moved', folder = 'Cranes' WHERE id = :id AND state = 'deferred'",
      { id },
    )
    await execute(
      server.db,
      "UPDATE outbox SET place = 'moved' WHERE subject_id = :id AND kind = 'delivery'",
      {
        id,
      },
    )
    await handOver()
    expect(await state(id)).toBe('moved')
    // By a hand, or a filter of the store’s own, before anybody has looked.
    const client = asColleague('ingrid@harbour.example')
    await client.connect()
    await client.mailboxOpen('Cranes')
    await client.messageMove('1:*', 'INBOX')
    await client.logout()
    later(60)
    const { body } = await oda.get(`/api/whereabouts/${id}/account`)
    const here = body.hit.journey.find(({ stage }: { stage: string }) => stage === 'here')
    expect(here).toMatchObject({
      kind: 'found-in',
      facts: { folder: 'INBOX', place: 'inbox', read: 'unread' },
    })
  })

  test('what a mail program threw away is no longer there', async () => {
    const { id, subject } = await letter()
    await handOver()
    await look()
    await removes(subject)
    later(60)
    const { body } = await oda.get(`/api/whereabouts/${id}/account`)
    expect(body.hit.journey.at(-1)).toMatchObject({ kind: 'gone-from-store', facts: { place: 'inbox' } })
    expect(body.explanations.nb).toContain('ikke lenger der')
  })
})

describe('a try that nobody heard the end of', () => {
  test('what the store has already is not handed over again', async () => {
    const { id, subject } = await letter()
    await handOver()
    // As a process that was killed after the store had said yes leaves it.
    await execute(server.db, "UPDATE deliveries SET state = 'deferred', bound_for = 'inbox' WHERE id = :id", {
      id,
    })
    await execute(
      server.db,
      "UPDATE outbox SET done_at = NULL, claimed_until = :past WHERE kind = 'delivery' AND subject_id = :id",
      { id, past: new Date(now().getTime() - 1000) },
    )
    await handOver()
    expect(await state(id)).toBe('inbox')
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
  })

  test('several for one mailbox: those that wait for their turn are asked about, too', async () => {
    const letters = await Promise.all(Array.from({ length: 6 }, () => letter()))
    await handOver()
    const ids = letters.map(({ id }) => id)
    await execute(
      server.db,
      "UPDATE deliveries SET state = 'deferred', bound_for = 'inbox' WHERE id IN (:ids)",
      { ids },
    )
    await execute(
      server.db,
      "UPDATE outbox SET done_at = NULL, claimed_until = :past WHERE kind = 'delivery' AND subject_id IN (:ids)",
      { ids, past: new Date(now().getTime() - 1000) },
    )
    await handOverBySlots()
    const inbox = (await seen())['INBOX'] ?? []
    for (const { subject } of letters)
      expect([subject, inbox.filter(one => one === subject).length]).toEqual([subject, 1])
    for (const id of ids) expect(await state(id)).toBe('inbox')
  })

  test('a release that may have arrived is not called back: nobody is told that it stayed', async () => {
    await setOrganisation(server.db, {
      watching: false,
      limits: { junk: 1, quarantined: 1, nearCertain: 99.9 },
    })
    const undone = async (begun: string) => {
      const { id } = await letter()
      await handOver()
      const { body } = await oda.post('/api/rulings', ruling([id], { message: 'release' }))
      await execute(
        server.db,
        `UPDATE outbox SET ${begun} WHERE kind = 'delivery' AND subject_id = :id AND place = 'released'`,
        { id, past: new Date(now().getTime() - 1000) },
      )
      const answer = await oda.post(`/api/rulings/${body.id}/undo`, {})
      return [answer.body.stayedReleased, await state(id)]
    }
    expect(await undone('attempts = 0')).toEqual([0, 'quarantined'])
    // By a process that was killed, or by a try that nobody heard the end of.
    expect(await undone('claimed_until = :past')).toEqual([1, 'deferred'])
    expect(await undone('unsure = TRUE, attempts = 1')).toEqual([1, 'deferred'])
    await handOver()
    await use()
  })

  test('what it has not is', async () => {
    const { id, subject } = await letter()
    await execute(
      server.db,
      "UPDATE outbox SET claimed_until = :past WHERE kind = 'delivery' AND subject_id = :id",
      { id, past: new Date(now().getTime() - 1000) },
    )
    await handOver()
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
    expect(await state(id)).toBe('inbox')
  })

  test('nothing is handed over while the store can’t be asked', async () => {
    const { id, subject } = await letter()
    await use({ imap: at(await freePort()) })
    await execute(
      server.db,
      "UPDATE outbox SET claimed_until = :past WHERE kind = 'delivery' AND subject_id = :id",
      { id, past: new Date(now().getTime() - 1000) },
    )
    await handOver()
    const job = await findRow<{ unsure: number; problem: string }>(
      server.db,
      "SELECT unsure, problem FROM outbox WHERE kind = 'delivery' AND subject_id = :id",
      { id },
    )
    expect([await state(id), job]).toEqual(['deferred', { unsure: 1, problem: 'store-not-asked' }])
    await use()
    later(60)
    await handOver()
    expect((await seen())['INBOX']?.filter(one => one === subject)).toEqual([subject])
  })
})

// Whoever claims passes over what is locked: a mailbox's later message would go before its earlier one.
test('what is held while outcomes are written down is what was sent, and not all that waits', async () => {
  for (let i = 0; i < 3; i += 1) await letter()
  const query = vi.spyOn(server.db, 'query')
  await handOver()
  const calls = query.mock.calls.map(([sql, options]) => ({
    sql: String(sql),
    bind: (options as unknown as Bound | undefined)?.bind ?? [],
  }))
  query.mockRestore()
  const holding = calls.filter(({ sql }) => /^SELECT id FROM outbox .*FOR UPDATE$/s.test(sql))
  expect(holding.length).toBeGreaterThan(0)
  // The fewer wait, the likelier the index of what is due is taken; now nothing does.
  for (const { sql, bind } of holding) {
    const plan = await selectBound<{ key: string | null }>(server.db, { sql: `EXPLAIN ${sql}`, bind })
    expect(plan.map(({ key }) => key)).toEqual(['PRIMARY'])
  }
})

describe('moving', () => {
  test('all of a folder goes to the inbox, and back', async () => {
    const { body: before } = await oda.get(`/api/mailboxes/${server.mailbox('ingrid')}/store`)
    expect(before.folders.map(({ path }: { path: string }) => path)).toContain('Yard')
    const there = (await seen())['Yard']
    const id = server.mailbox('ingrid')
    const begun = await oda.post(`/api/mailboxes/${id}/moves`, { from: 'Yard', token: randomUUID() })
    expect([begun.status, begun.body]).toEqual([200, { move: expect.any(Number) }])
    await workMoves(server.db, stores(), now)
    expect((await seen())['Yard']).toBeUndefined()
    const inbox = { user: 'ingrid@harbour.example', password, folder: 'INBOX' }
    const second = await subjectsByImaplib(store.ports.imap, inbox)
    expect(second.sort()).toEqual((await seen())['INBOX']?.sort())
    for (const subject of there ?? []) expect(second.filter(one => one === subject)).toHaveLength(1)
    await oda.post(`/api/store-moves/${begun.body.move}/undo`, {})
    await workMoves(server.db, stores(), now)
    expect((await seen())['Yard']).toEqual(there)
  })
})
