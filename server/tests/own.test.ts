import { randomUUID } from 'node:crypto'
import fc from 'fast-check'
import request from 'supertest'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { parseMessage } from '@pendro/core/message'
import { findReferences } from '@pendro/core/digest'
import { execute, select } from '../src/db/database.ts'
import { hasPassword, prove, storePassword } from '../src/own/access.ts'
import { linkSigner, linkToken, readLinkToken } from '../src/digests/links.ts'
import {
  arrive,
  asColleague,
  fakeStore,
  proven,
  ruling,
  signedIn,
  startTestServer,
  stateOf,
  work,
  type TestServer,
} from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())
beforeEach(async () => {
  await work(server, fakeStore().send)
  await execute(server.db, 'DELETE FROM sign_in_tries')
})

const onDevice = (name: string) => asColleague(server, name)
const act = (deliveries: readonly number[], what: string, token: string = randomUUID()) => ({
  deliveries,
  act: what,
  token,
})
const enter = (body: object) => request(server.app).post('/api/own/session').send(body)

async function letterTo(address: string, word: string): Promise<string> {
  const store = fakeStore()
  await work(server, store.send)
  const raw = store.taken.find(m => m.to === address && m.raw.includes(word))?.raw ?? ''
  const parsed = await parseMessage(Buffer.from(raw))
  return parsed.ok ? parsed.value.text : ''
}

describe('link tokens', () => {
  const key = Buffer.alloc(32, 7)
  const facts = fc.record({
    deliveryId: fc.integer({ min: 1, max: 2 ** 45 }),
    mailboxId: fc.integer({ min: 1, max: 2 ** 31 }),
    epoch: fc.integer({ min: 1, max: 1000 }),
    until: fc.integer({ min: 0, max: 2 ** 33 }),
  })
  test('say what was signed; one character changed, another key: nothing', () => {
    fc.assert(
      fc.property(facts, fc.nat(), fc.constantFrom(...'0123456789abcdefz.'), (fact, at, other) => {
        const token = linkToken(
          { key, mailboxId: fact.mailboxId, epoch: fact.epoch },
          fact.deliveryId,
          new Date(fact.until * 1000),
        )
        expect(readLinkToken(key, token)).toEqual(fact)
        expect(readLinkToken(Buffer.alloc(32, 8), token)).toBeNull()
        const place = at % token.length
        const changed = token.slice(0, place) + other + token.slice(place + 1)
        if (changed !== token) expect(readLinkToken(key, changed)).toBeNull()
      }),
    )
  })
  test('nothing in one can be read as a reference, or as one with a slip', () => {
    fc.assert(
      fc.property(facts, ({ deliveryId, ...rest }) => {
        const token = linkToken({ key, ...rest }, deliveryId, new Date(rest.until * 1000))
        expect(findReferences(`https://pendro.example/d/${token}/send-trust`)).toEqual({
          references: [],
          perhaps: [],
          slips: [],
        })
      }),
    )
  })
  test.each(['x', '1.1.1.1.zz', '../../api', '1.1.1.1.' + 'A'.repeat(32), '1.1.1.1.' + '0'.repeat(32)])(
    '%j leads nowhere, in words',
    async token => {
      const { body } = await request(server.app).get(`/api/own/links/${encodeURIComponent(token)}`)
      expect(body).toEqual({ state: 'no-link', address: '', language: '', deliveryId: null })
    },
  )
  test('one longer than any of ours is refused before it is looked at', async () => {
    expect((await request(server.app).get(`/api/own/links/${'0'.repeat(300)}`)).body.code).toBe('BAD_REQUEST')
  })
})

describe('a digest’s links', () => {
  test('stand in both bodies; fetching every one of them changes nothing; each belongs to one mailbox', async () => {
    const [id = 0] = await arrive(server, {
      from: 'Shop <desk@links.example>',
      subject: 'Linked',
      headers: [proven('links.example')],
    })
    server.clock.now = new Date(server.clock.now.getTime() + 60_000)
    const per = await signedIn(server, 'per')
    await per.post(`/api/mailboxes/${server.mailbox('ingrid')}/digest`, {})
    const store = fakeStore()
    await work(server, store.send)
    const raw = store.taken.find(({ raw: text }) => /^List-Id/im.test(text))?.raw ?? ''
    const parsed = await parseMessage(Buffer.from(raw))
    if (!parsed.ok) throw new Error('no digest')
    const { html, text } = parsed.value
    const urls = [...(html ?? '').matchAll(/href="([^"]+)"/g)].map(
      ([, url = '']) => new URL(url.replaceAll('&#38;', '&')),
    )
    expect(urls.map(({ pathname }) => pathname.split('/')[3] ?? pathname.split('/')[1])).toEqual(
      expect.arrayContaining(['d', 'send', 'send-trust', 'refuse', 'own']),
    )
    expect(text).toContain(urls[0]?.href)
    // what a link scanner does
    for (const { pathname } of urls) await request(server.app).get(pathname)
    const token = urls[0]?.pathname.split('/')[2] ?? ''
    for (let i = 0; i < 3; i += 1) await request(server.app).get(`/api/own/links/${token}`)
    expect(await stateOf(server.db, id)).toBe('quarantined')

    const [ingrid, kari] = await Promise.all([onDevice('ingrid'), onDevice('kari')])
    expect((await ingrid.get(`/api/own/links/${token}`)).body).toEqual({
      state: 'good',
      address: 'ingrid@harbour.example',
      language: 'en',
      deliveryId: id,
    })
    expect((await kari.get(`/api/own/links/${token}`)).body).toMatchObject({ deliveryId: null })
    expect((await request(server.app).get(`/api/own/links/${token}`)).body).toMatchObject({
      deliveryId: null,
    })

    const done = await ingrid.post('/api/own/acts', act([id], 'send'))
    expect(done.body.deliveries).toEqual([{ id, state: 'deferred' }])
    const later = fakeStore()
    await work(server, later.send)
    expect(later.taken.filter(({ raw: text }) => text.includes('Subject: Linked'))).toHaveLength(1)
    expect((await ingrid.post('/api/own/acts', act([id], 'send'))).body.code).toBe('ALREADY_RULED')

    // revoked by the colleague, and out of date by itself
    const signer = await linkSigner(server.db, server.mailbox('ingrid'))
    const old = linkToken(signer, id, new Date(server.clock.now.getTime() - 1000))
    expect((await ingrid.get(`/api/own/links/${old}`)).body.state).toBe('expired')
    const other = await onDevice('ingrid')
    await ingrid.post('/api/own/revoke', {})
    expect((await ingrid.get(`/api/own/links/${token}`)).body.state).toBe('revoked')
    expect((await other.get('/api/own/session')).status).toBe(401)
    expect((await ingrid.get('/api/own/session')).status).toBe(200)

    // a new password ends them as well: one of them may be the reason for it
    const third = await onDevice('ingrid')
    await storePassword(server.db, server.mailbox('ingrid'), 'the one before')
    await ingrid.post('/api/own/password', { old: 'the one before', password: 'gulls over the pier' })
    expect((await third.get('/api/own/session')).status).toBe(401)
    expect((await ingrid.get('/api/own/session')).status).toBe(200)
    const proof = { address: 'ingrid@harbour.example', password: 'gulls over the pier' }
    expect((await enter(proof)).status).toBe(200)
  })
})

describe('signing in on a device', () => {
  test('a new colleague is welcomed once with a password of their own, which opens their page', async () => {
    await arrive(server, {
      to: ['aksel@harbour.example'],
      headers: [proven('x.example')],
      from: 'X <a@x.example>',
    })
    server.clock.now = new Date(server.clock.now.getTime() + 60_000)
    const per = await signedIn(server, 'per')
    await per.post(`/api/mailboxes/${server.mailbox('aksel')}/digest`, {})
    const text = await letterTo('aksel@harbour.example', 'only for you')
    const password = /^ {4}(\S+)$/m.exec(text)?.[1] ?? ''
    expect(password).toMatch(/^([a-z2-9]{4}-){3}[a-z2-9]{4}$/)
    const answer = await enter({ address: 'Aksel@harbour.example', password })
    expect(answer.body).toMatchObject({ name: 'Aksel', minds: [{ name: 'Bookings' }], hasPassword: true })
    expect(answer.headers['set-cookie']?.[0]).toMatch(/pendro_colleague=.*HttpOnly.*SameSite=Strict/)
    expect((await enter({ address: 'kari@harbour.example', password })).body.code).toBe('OWN_SIGN_IN_FAILED')

    await arrive(server, {
      to: ['aksel@harbour.example'],
      headers: [proven('y.example')],
      from: 'Y <a@y.example>',
    })
    server.clock.now = new Date(server.clock.now.getTime() + 60_000)
    await per.post(`/api/mailboxes/${server.mailbox('aksel')}/digest`, {})
    expect(await letterTo('aksel@harbour.example', 'only for you')).toBe('')
    const rows = await select(server.db, 'SELECT password FROM colleague_access')
    expect(JSON.stringify(rows)).not.toContain(password)
    // Who has none yet may choose the first without an old one; who has one may not.
    expect(await hasPassword(server.db, server.mailbox('aksel'))).toBe(true)
    expect(await hasPassword(server.db, server.mailbox('bookings'))).toBe(false)
  })

  test('a code goes to the mailbox, counts ten minutes and once', async () => {
    const ask = (address: string) => request(server.app).post('/api/own/code').send({ address })
    // an alias is the same mailbox
    expect((await ask('i.solvang@harbour.example')).body).toEqual({ minutes: 10 })
    const code =
      /The code is (\d{6})\./.exec(await letterTo('ingrid@harbour.example', 'is your code'))?.[1] ?? ''
    expect((await enter({ address: 'kari@harbour.example', code })).body.code).toBe('OWN_SIGN_IN_FAILED')
    expect(
      (await enter({ address: 'ingrid@harbour.example', code: `${code.slice(0, 3)} ${code.slice(3)}` }))
        .status,
    ).toBe(200)
    expect((await enter({ address: 'ingrid@harbour.example', code })).body.code).toBe('OWN_SIGN_IN_FAILED')

    await ask('ingrid@harbour.example')
    const late =
      /The code is (\d{6})\./.exec(await letterTo('ingrid@harbour.example', 'is your code'))?.[1] ?? ''
    server.clock.now = new Date(server.clock.now.getTime() + 10 * 60_000 + 1)
    expect((await enter({ address: 'ingrid@harbour.example', code: late })).body.code).toBe(
      'OWN_SIGN_IN_FAILED',
    )
  })

  test('nobody learns which mailboxes there are; shared ones have no sign-in', async () => {
    for (const address of ['nobody@harbour.example', 'bookings@harbour.example', 'not an address']) {
      expect((await request(server.app).post('/api/own/code').send({ address })).body).toEqual({
        minutes: 10,
      })
      expect((await enter({ address, password: 'x' })).body.code).toBe('OWN_SIGN_IN_FAILED')
    }
    const store = fakeStore()
    await work(server, store.send)
    expect(store.taken).toEqual([])
  })

  test('tries and codes are throttled by mailbox, in every process', async () => {
    for (let i = 0; i < 10; i += 1) await enter({ address: 'kari@harbour.example', code: '000000' })
    expect((await enter({ address: 'kari@harbour.example', password: 'x' })).body.code).toBe('TOO_MANY_TRIES')
    server.clock.now = new Date(server.clock.now.getTime() + 16 * 60_000)
    const codes: number[] = []
    for (let i = 0; i < 6; i += 1) {
      const asked = await request(server.app).post('/api/own/code').send({ address: 'kari@harbour.example' })
      codes.push(asked.status)
      await work(server, fakeStore().send)
    }
    expect(codes).toEqual([200, 200, 200, 200, 200, 429])
  })

  test('many tries at once are counted as many: none slips through between look and count', async () => {
    const answers = await Promise.all(
      Array.from({ length: 40 }, (_, i) =>
        prove(
          server.db,
          { address: 'kari@harbour.example', code: String(i), device: '' },
          server.clock.now,
        ).catch((error: { code?: string }) => error.code),
      ),
    )
    expect(answers.filter(code => code === 'OWN_SIGN_IN_FAILED')).toHaveLength(10)
    expect(answers.filter(code => code === 'TOO_MANY_TRIES')).toHaveLength(30)
  })

  test('the limits are the same for an address nobody has: they tell nothing either', async () => {
    // A server each: the limit of a device is another one, and counts all it sends.
    const outcomes = async (address: string) => {
      const own = await startTestServer()
      const post = async (path: string, body: object) =>
        (
          await request(own.app)
            .post(path)
            .send({ address, ...body })
        ).status
      const statuses: number[] = []
      for (let i = 0; i < 11; i += 1) statuses.push(await post('/api/own/session', { password: 'x' }))
      for (let i = 0; i < 6; i += 1) {
        statuses.push(await post('/api/own/code', {}))
        await work(own, fakeStore().send)
      }
      await own.close()
      return statuses
    }
    const [known, unknown] = [
      await outcomes('aksel@harbour.example'),
      await outcomes('nobody.at.all@harbour.example'),
    ]
    expect(known).toEqual(unknown)
    expect(known.slice(9)).toEqual([401, 429, 200, 200, 200, 200, 200, 429])
    // Passwords are slow to prove on purpose.
  }, 90_000)
})

describe('nothing of other colleagues is reached by guessing', () => {
  test('messages, views, acts, undo and entries of somebody else do not exist', async () => {
    const [theirs = 0] = await arrive(server, { to: ['kari@harbour.example'], subject: 'Kari’s own' })
    const kari = await onDevice('kari')
    const ingrid = await onDevice('ingrid')
    const added = await kari.post('/api/own/senders', {
      add: [{ pattern: 'friend@elsewhere.example', standing: 'safe' }],
      token: randomUUID(),
    })
    const { entries } = (await kari.get('/api/own/senders')).body
    expect(entries).toMatchObject([{ pattern: 'friend@elsewhere.example', standing: 'safe' }])
    const answers = [
      await ingrid.get(`/api/own/mail/${theirs}`),
      await ingrid.get(`/api/own/mail/${theirs}/view`),
      await ingrid.post('/api/own/acts', act([theirs], 'send')),
      await ingrid.post('/api/own/acts', act([theirs], 'refuse')),
      await ingrid.post(`/api/own/acts/${added.body.rulingId}/undo`, {}),
      await ingrid.post('/api/own/senders', { end: [entries[0].id], token: randomUUID() }),
    ]
    expect(answers.map(({ status }) => status)).toEqual([404, 404, 404, 404, 404, 404])
    expect((await ingrid.get('/api/own/mail?find=Kari')).body.rows).toEqual([])
    expect(await stateOf(server.db, theirs)).toBe('quarantined')
    // ended by its owner: still not there for others
    await kari.post('/api/own/senders', { end: [entries[0].id], token: randomUUID() })
    const after = await ingrid.post('/api/own/senders', { end: [entries[0].id], token: randomUUID() })
    expect(after.body.code).toBe('ENTRY_NOT_FOUND')
  })

  test('every staff address refuses a colleague’s cookie, and the other way round', async () => {
    const ingrid = await onDevice('ingrid')
    const per = await signedIn(server, 'per')
    for (const path of ['/api/review', '/api/mailboxes', '/api/record', '/api/senders', '/api/digests/day'])
      expect([path, (await ingrid.get(path)).status]).toEqual([path, 401])
    for (const path of ['/api/own/mail', '/api/own/senders', '/api/own/settings', '/api/own/session'])
      expect([path, (await per.get(path)).status]).toEqual([path, 401])
    expect((await ingrid.postWithoutToken('/api/own/acts', act([1], 'send'))).body.code).toBe('CSRF')
  })

  test('a minder reaches the shared mailbox, and only its minders do', async () => {
    const [id = 0] = await arrive(server, { to: ['bookings@harbour.example'], subject: 'A booking' })
    const [kari, ingrid] = await Promise.all([onDevice('kari'), onDevice('ingrid')])
    expect((await kari.get(`/api/own/mail/${id}`)).body.row).toMatchObject({ mailbox: 'Bookings' })
    expect((await ingrid.get(`/api/own/mail/${id}`)).status).toBe(404)
  })
})

describe('the acts', () => {
  const held = async (subject: string, domain: string) =>
    (await arrive(server, { from: `Shop <desk@${domain}>`, subject, headers: [proven(domain)] }))[0] ?? 0

  test('trust makes a personal entry that asks for authentication; undo takes it back, the message stays', async () => {
    const ingrid = await onDevice('ingrid')
    const id = await held('Trust me', 'trusted.example')
    const { body } = await ingrid.post('/api/own/acts', act([id], 'send-trust'))
    expect(body.patterns).toEqual(['desk@trusted.example'])
    const [entry] = await select(
      server.db,
      "SELECT mailbox_id, binding, without_authentication, origin FROM sender_entries WHERE pattern = 'desk@trusted.example'",
    )
    expect(entry).toEqual({
      mailbox_id: server.mailbox('ingrid'),
      binding: 0,
      without_authentication: 0,
      origin: 'digest',
    })
    await work(server, fakeStore().send)
    const undone = await ingrid.post(`/api/own/acts/${body.rulingId}/undo`, {})
    expect(undone.body).toEqual({ stayedReleased: 1 })
    expect(await stateOf(server.db, id)).toBe('released')
    expect((await ingrid.get('/api/own/senders')).body.entries).toEqual([])
  })

  test('refuse discards and blocks for this colleague; undo brings both back', async () => {
    const ingrid = await onDevice('ingrid')
    const id = await held('Never', 'refused.example')
    const { body } = await ingrid.post('/api/own/acts', act([id], 'refuse'))
    expect(await stateOf(server.db, id)).toBe('discarded')
    await ingrid.post(`/api/own/acts/${body.rulingId}/undo`, {})
    expect(await stateOf(server.db, id)).toBe('quarantined')
    const per = await signedIn(server, 'per')
    const { lines } = (await per.get('/api/record?what=rulings&who=everybody')).body
    expect(lines[1]).toMatchObject({ act: 'ruling', by: 'Ingrid', byKind: 'colleague', undone: true })
  })

  test('the same act sent twice is done once', async () => {
    const ingrid = await onDevice('ingrid')
    const id = await held('Twice', 'twice.example')
    const asked = act([id], 'send')
    const answers = await Promise.all([
      ingrid.post('/api/own/acts', asked),
      ingrid.post('/api/own/acts', asked),
    ])
    expect(answers.map(({ body }) => body.rulingId)).toEqual([
      answers[0]?.body.rulingId,
      answers[0]?.body.rulingId,
    ])
    const store = fakeStore()
    await work(server, store.send)
    expect(store.taken).toHaveLength(1)
  })

  test('one of several that can not be sent refuses all', async () => {
    const ingrid = await onDevice('ingrid')
    const ids = [await held('One', 'several.example'), await held('Two', 'several.example')]
    const per = await signedIn(server, 'per')
    await per.post('/api/rulings', ruling(ids.slice(0, 1), { message: 'discard' }))
    const { body } = await ingrid.post('/api/own/acts', act(ids, 'send'))
    expect(body).toMatchObject({ code: 'ALREADY_RULED', facts: { by: 'Per Dal' } })
    expect(await stateOf(server.db, ids[1] ?? 0)).toBe('quarantined')
  })

  test('what trusting comes to is said before: arrives, blocked for everybody, not proven', async () => {
    const ingrid = await onDevice('ingrid')
    const outlook = async (id: number) => (await ingrid.get(`/api/own/mail/${id}`)).body.outlook
    expect(await outlook(await held('Plain', 'plain.example'))).toEqual({
      arrives: true,
      why: '',
      pattern: '',
    })
    const [unproven = 0] = await arrive(server, { from: 'X <x@unproven.example>' })
    expect(await outlook(unproven)).toMatchObject({ arrives: false, why: 'not-proven' })
    const oda = await signedIn(server, 'oda')
    await oda.post('/api/senders/changes', {
      add: [{ pattern: '*.blocked.example', standing: 'blocked', mailboxId: null }],
      reason: 'Fraud',
      token: randomUUID(),
    })
    const id = await held('Blocked', 'shop.blocked.example')
    expect(await outlook(id)).toEqual({ arrives: false, why: 'organisation', pattern: '*.blocked.example' })
    // it can be trusted all the same, and the list says what stands above it
    await ingrid.post('/api/own/acts', act([id], 'send-trust'))
    expect((await ingrid.get('/api/own/senders')).body.entries).toMatchObject([
      { pattern: 'desk@shop.blocked.example', overruledBy: '*.blocked.example' },
    ])
  })

  test('a colleague can not block the organisation’s own domain, nor let in what many share', async () => {
    const ingrid = await onDevice('ingrid')
    const add = (pattern: string, standing: string) =>
      ingrid.post('/api/own/senders', { add: [{ pattern, standing }], token: randomUUID() })
    expect((await add('harbour.example', 'blocked')).body.code).toBe('BLOCKS_OWN_DOMAIN')
    expect((await add('freepost.example', 'safe')).body.code).toBe('NEEDS_STEWARD')
    expect((await add('a.*.example', 'safe')).body.code).toBe('BAD_PATTERN')
  })
})

test('a page at a time, searched, newest first; counts are of all', async () => {
  const kari = await onDevice('kari')
  for (let i = 0; i < 5; i += 1) {
    server.clock.now = new Date(server.clock.now.getTime() + 1000)
    await arrive(server, {
      to: ['kari@harbour.example'],
      from: `P${i} <a@paged${i}.example>`,
      subject: `Paged 100% ${i}`,
      headers: [proven(`paged${i}.example`)],
    })
  }
  const first = (await kari.get('/api/own/mail?limit=3&find=100%25')).body
  const second = (await kari.get(`/api/own/mail?limit=3&find=100%25&after=${first.next}`)).body
  const subjects = [...first.rows, ...second.rows].map(({ subject }: { subject: string }) => subject)
  expect(subjects).toEqual([4, 3, 2, 1, 0].map(i => `Paged 100% ${i}`))
  expect(second.next).toBeNull()
  expect(first.counts.kept).toBeGreaterThanOrEqual(5)
  expect((await kari.get('/api/own/mail?find=100_')).body.rows).toEqual([])
})

test('settings: times, language, and what is listed change the next digest', async () => {
  const ingrid = await onDevice('ingrid')
  const set = (more: object) =>
    ingrid.post('/api/own/settings', {
      language: 'nb',
      schedule: { times: ['16:00', '06:30'], weekdays: [5, 1] },
      listsJunk: true,
      listsNearCertain: true,
      ...more,
    })
  expect((await set({})).status).toBe(200)
  expect((await ingrid.get('/api/own/settings')).body).toMatchObject({
    language: 'nb',
    inForce: { times: ['06:30', '16:00'], weekdays: [1, 5] },
    listsNearCertain: true,
  })
  expect((await set({ schedule: { times: ['25:00'], weekdays: [1] } })).status).toBe(400)
  await arrive(server, { subject: 'Near-certain indeed', from: 'Z <z@zz.example>' })
  await execute(server.db, "UPDATE deliveries SET left_out = TRUE WHERE subject = 'Near-certain indeed'")
  const per = await signedIn(server, 'per')
  const preview = () => per.get(`/api/mailboxes/${server.mailbox('ingrid')}/digest`)
  expect((await preview()).body.message.text).toContain('Near-certain indeed')
  expect((await preview()).body.message.subject).toMatch(/^Holdt tilbake/)
  await set({ listsNearCertain: false })
  expect((await preview()).body.message.text).not.toContain('Near-certain indeed')
})

describe('discarded for good', () => {
  const contents = async (id: number) =>
    (
      await select<{ n: number }>(
        server.db,
        `SELECT (SELECT COUNT(*) FROM message_sources s WHERE s.message_id = d.message_id)
              + (SELECT COUNT(*) FROM message_readings r WHERE r.message_id = d.message_id) AS n FROM deliveries d WHERE d.id = :id`,
        { id },
      )
    )[0]?.n
  test('one’s own, once it was discarded: nobody brings it back, and its content is gone', async () => {
    const kari = await onDevice('kari')
    const aksel = await onDevice('aksel')
    const [id = 0] = await arrive(server, { to: ['kari@harbour.example'], subject: 'Gone for good' })
    expect((await kari.post('/api/own/erase', { delivery: id })).body.code).toBe('WRONG_STATE')
    const refused = await kari.post('/api/own/acts', act([id], 'refuse'))
    expect((await aksel.post('/api/own/erase', { delivery: id })).body.code).toBe('DELIVERY_NOT_FOUND')
    expect(await contents(id)).toBe(2)
    expect((await kari.post('/api/own/erase', { delivery: id })).status).toBe(200)
    expect([await stateOf(server.db, id), await contents(id)]).toEqual(['expired', 0])
    expect((await kari.get(`/api/own/mail/${id}`)).body).toMatchObject({ gone: true })
    expect((await kari.get(`/api/own/mail/${id}/view`)).status).toBe(410)
    // Undoing the refusal ends the block, and leaves the message where nothing is.
    await kari.post(`/api/own/rulings/${refused.body.rulingId}/undo`, {})
    expect(await stateOf(server.db, id)).toBe('expired')
    const [line] = await select(
      server.db,
      "SELECT by_kind, by_name, facts FROM record_entries WHERE act = 'erased' AND delivery_id = :id",
      { id },
    )
    expect(line).toMatchObject({ by_kind: 'colleague', by_name: 'Kari', facts: { subject: 'Gone for good' } })
  })
  test('what somebody else still has keeps its content; here it can’t be read any more', async () => {
    const per = await signedIn(server, 'per')
    const [hers = 0, his = 0] = await arrive(server, {
      to: ['kari@harbour.example', 'aksel@harbour.example'],
    })
    await per.post('/api/rulings', ruling([hers], { message: 'discard' }))
    const una = await signedIn(server, 'una')
    expect((await una.post('/api/deliveries/erase', { deliveries: [hers] })).status).toBe(403)
    expect((await per.post('/api/deliveries/erase', { deliveries: [hers, his] })).body).toMatchObject({
      code: 'WRONG_STATE',
      text: expect.stringContaining('can’t be discarded for good'),
    })
    expect(await stateOf(server.db, hers)).toBe('discarded')
    expect((await per.post('/api/deliveries/erase', { deliveries: [hers] })).status).toBe(200)
    expect((await per.get(`/api/deliveries/${hers}/source`)).body.code).toBe('SOURCE_GONE')
    expect((await per.get(`/api/deliveries/${hers}`)).body).toMatchObject({ body: null, headers: [] })
    expect((await per.get(`/api/deliveries/${his}/source`)).status).toBe(200)
    const journey = (await per.get(`/api/whereabouts/${hers}/account`)).body.hit.journey
    expect(journey.map(({ kind }: { kind: string }) => kind)).toContain('erased')
  })
})

test('a fresh digest is sent to whoever asks on their page, once in a while', async () => {
  const aksel = await onDevice('aksel')
  server.clock.now = new Date(server.clock.now.getTime() + 20 * 60_000)
  await arrive(server, { to: ['aksel@harbour.example'], subject: 'Fresh and kept' })
  const { body } = await aksel.post('/api/own/digest', {})
  expect(body.listed).toBeGreaterThan(0)
  expect(await letterTo('aksel@harbour.example', 'Fresh and kept')).toContain('Fresh and kept')
  expect((await aksel.post('/api/own/digest', {})).body.code).toBe('DIGEST_JUST_SENT')
  server.clock.now = new Date(server.clock.now.getTime() + 11 * 60_000)
  expect((await aksel.post('/api/own/digest', {})).body.listed).toBe(body.listed)
})

test('a staffer sets the language a colleague is written to in', async () => {
  const per = await signedIn(server, 'per')
  const una = await signedIn(server, 'una')
  const path = `/api/mailboxes/${server.mailbox('aksel')}/language`
  expect((await una.post(path, { language: 'de' })).status).toBe(403)
  expect((await per.post(path, { language: 'xx' })).status).toBe(400)
  expect((await per.post('/api/mailboxes/999999/language', { language: 'de' })).body.code).toBe(
    'MAILBOX_NOT_FOUND',
  )
  expect((await per.post(path, { language: 'de' })).status).toBe(200)
  const { body } = await per.get(`/api/mailboxes/${server.mailbox('aksel')}/digest`)
  expect(body).toMatchObject({ language: 'de', ownLanguage: 'de' })
})
