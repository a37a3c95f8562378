import { randomUUID } from 'node:crypto'
import request from 'supertest'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { z } from 'zod'
import type { Endpoint, Role } from '@pendro/contract'
import { endpoints } from '@pendro/contract/all-endpoints'
import { execute, select } from '../src/db/database.ts'
import { insertOne } from '../src/db/rows.ts'
import { DigestReplies } from '../src/db/models/digests.ts'
import { StoreMoves } from '../src/db/models/stores.ts'
import {
  arrive,
  fakeStore,
  password,
  ruling,
  sample,
  sentence,
  signedIn,
  startTestServer,
  throughTheDoor,
  work,
  type TestServer,
} from './support.ts'

/**
 * Who may ask for what: each request of the contract, with each role, for staffers of the whole organisation and of one
 * department of it. The other department is named by a word that nothing may tell them.
 */
const secret = 'zebrafell'

type Any = Endpoint<z.ZodType, z.ZodType, z.ZodType, z.ZodType>
const all = Object.entries(endpoints) as unknown as readonly [string, Any][]
const forStaffers = all.filter(([, { roles }]) => Array.isArray(roles))
const roles: readonly Role[] = ['steward', 'helpdesk', 'observer']

/** What there is of each kind on one side; numbers of the other side are refused, these are not. */
interface Side {
  readonly mailbox: number
  readonly deliveries: readonly [number, number]
  readonly ruling: number
  readonly enquiry: number
  readonly digest: number
  readonly reply: number
  readonly entry: number
  readonly rule: number
  readonly change: number
  readonly move: number
  readonly cluster: string
  readonly department: string
}

let server: TestServer
let theirs: Side
let others: Side
type Session = Pick<Awaited<ReturnType<typeof signedIn>>, 'get' | 'post' | 'postFile'>

/** A program with a key: neither cookie nor token. */
const byKey = (secret: string): Session => ({
  get: path => request(server.app).get(path).set('Authorization', `Bearer ${secret}`),
  post: (path, body) => request(server.app).post(path).set('Authorization', `Bearer ${secret}`).send(body),
  postFile: (path, bytes) =>
    request(server.app)
      .post(path)
      .set('Authorization', `Bearer ${secret}`)
      .set('Content-Type', 'application/octet-stream')
      .send(bytes),
})
const keys = new Map<string, Session>()
const reaches = { steward: 'steward', helpdesk: 'act', observer: 'read' } as const
const sessions = new Map<string, Session>()
const sessionOf = (role: Role, isWhole: boolean): Session => {
  const found = sessions.get(`${role} ${isWhole}`)
  if (!found) throw new Error(role)
  return found
}

beforeAll(async () => {
  server = await startTestServer()
  const { db } = server
  await execute(
    db,
    `UPDATE mailboxes SET department = 'Zebrafell', name = CONCAT('Zebrafell ', name) WHERE address IN ('kari@harbour.example', 'bookings@harbour.example')`,
  )
  await execute(
    db,
    `INSERT INTO staffers (name, sign_in, role, password, departments)
     SELECT CONCAT(name, ' of Office'), CONCAT(sign_in, '-office'), role, password, '["Office"]' FROM staffers`,
  )
  for (const [role, name] of [
    ['steward', 'oda'],
    ['helpdesk', 'per'],
    ['observer', 'una'],
  ] as const)
    for (const isWhole of [true, false])
      sessions.set(`${role} ${isWhole}`, await signedIn(server, isWhole ? name : `${name}-office`))
  for (const role of roles)
    for (const isWhole of [true, false]) {
      const made = await sessionOf('steward', true).post('/api/keys', {
        name: `Key of ${role}`,
        reach: reaches[role],
        departments: isWhole ? null : ['Office'],
        days: 30,
      })
      keys.set(`${role} ${isWhole}`, byKey((made.body as { secret: string }).secret))
    }
  theirs = await fill('ingrid', 'office')
  others = await fill('kari', secret)
})
afterAll(() => server.close())

/** Something of everything for one mailbox; `word` stands in all of it. */
async function fill(name: string, word: string): Promise<Side> {
  const { db } = server
  const oda = sessionOf('steward', true)
  const mailbox = server.mailbox(name)
  const send = async (subject: string) => {
    const from = `${word} sender <${word}@${word}-promo.example>`
    const body = `<p>Words of ${word}, ${subject}: <a href="https://files.dropshelf.example/x">here it is</a></p>`
    const [id = 0] = await arrive(server, { to: [`${name}@harbour.example`], subject, from, body })
    return id
  }
  const first = await send(`First ${word}`)
  const second = await send(`Second ${word}`)
  const ruled = await send(`Third ${word}`)
  const odd = await send(`Fourth ${word}`)
  const ok = async (answer: PromiseLike<request.Response>): Promise<Record<string, never>> => {
    const { status, body } = await answer
    expect([status, body]).toEqual([200, expect.anything()])
    return body as Record<string, never>
  }
  const applied = await ok(
    oda.post(
      '/api/rulings',
      ruling([ruled], { message: 'release', learn: 'wanted', sender: 'safe', reason: word }),
    ),
  )
  await ok(oda.post('/api/rulings', ruling([odd], { message: 'discard', learn: 'junk', reason: word })))
  const enquiry = await ok(
    oda.post('/api/enquiries', {
      mailboxId: mailbox,
      how: 'phone',
      words: `Where is the mail of ${word}?`,
      question: { from: word, to: '', about: word, when: '' },
    }),
  )
  await ok(oda.post(`/api/mailboxes/${mailbox}/digest`, {}))
  const [digest] = await select<{ id: number }>(
    db,
    'SELECT MAX(id) AS id FROM digests WHERE mailbox_id = :mailbox',
    {
      mailbox,
    },
  )
  // Left in no digest, for the preview of the next.
  const third = await send(`Fifth ${word}`)
  const entries = await ok(
    oda.post('/api/senders/changes', {
      add: [
        {
          pattern: `news@${word}-list.example`,
          standing: 'safe',
          mailboxId: mailbox,
          until: null,
          withoutAuthentication: false,
        },
      ],
      end: [],
      reason: `About ${word}`,
      token: randomUUID(),
    }),
  )
  await ok(
    oda.post('/api/senders/requests', {
      pattern: `all@${word}-ask.example`,
      standing: 'safe',
      mailboxId: mailbox,
      reason: `For ${word}`,
    }),
  )
  const rules = await ok(
    oda.post('/api/mail-rules/changes', {
      mailbox,
      change: { act: 'add', draft: ruleFor(word) },
      reason: word,
      token: randomUUID(),
    }),
  )
  const change = await ok(
    oda.post(`/api/mailboxes/${mailbox}/changes`, {
      change: { what: 'filtering', was: true, to: false },
      reason: word,
      token: randomUUID(),
    }),
  )
  const move = await insertOne(db, StoreMoves, {
    mailbox_id: mailbox,
    token: randomUUID(),
    from_path: word,
    to_path: 'INBOX',
    state: 'done',
    at: server.clock.now,
    waiting: [],
    from_validity: 1,
    moved: [],
    to_validity: 1,
    total: 0,
    next_at: server.clock.now,
  })
  const reply = await insertOne(db, DigestReplies, {
    received_at: server.clock.now,
    mailbox_id: mailbox,
    subject: `Re: ${word}`,
    outcome: 'asked',
    needs_look: true,
    facts: { fates: [], slips: [], sign: '' },
    source: sample({ subject: word }),
    source_hash: word.padEnd(64, '0'),
  })
  await throughTheDoor(server, {
    from: `${word}@refused.example`,
    to: [`${name}@harbour.example`],
    raw: 'x'.repeat(2000),
    maxBytes: 1000,
  })
  await work(server, fakeStore().send)
  const [row] = await select<{ cluster_key: string }>(
    db,
    'SELECT cluster_key FROM deliveries WHERE id = :third',
    { third },
  )
  return {
    mailbox,
    deliveries: [first, second],
    ruling: applied.id as unknown as number,
    enquiry: enquiry.id as unknown as number,
    digest: digest?.id ?? 0,
    reply,
    entry: (entries as unknown as { added: { id: number }[] }).added[0]?.id ?? 0,
    rule: (rules as unknown as { added: number[] }).added[0] ?? 0,
    change: change.change as unknown as number,
    move,
    cluster: row?.cluster_key ?? '',
    department: word === 'office' ? 'Office' : 'Zebrafell',
  }
}

const ruleFor = (word: string) => ({
  name: `Rule of ${word}`,
  needs: 'all',
  conditions: [{ field: 'from', test: 'is', values: [`${word}@files.example`] }],
  action: { place: { kind: 'folder', folder: word }, hold: null, important: false, stop: false },
})

interface Asked {
  readonly params?: Readonly<Record<string, unknown>>
  readonly query?: Readonly<Record<string, unknown>>
  readonly body?: object
}

async function ask(
  session: Session,
  { method, path, takes }: Any,
  { params = {}, query = {}, body = {} }: Asked,
) {
  const address = path.replace(/\{(\w+)\}/g, (_, name: string) => String(params[name] ?? 999_999))
  const search = new URLSearchParams(
    Object.fromEntries(Object.entries(query).map(([key, value]) => [key, String(value)])),
  )
  const url = search.size > 0 ? `${address}?${search}` : address
  if (method === 'get') return session.get(url)
  return takes === undefined ? session.post(url, body) : session.postFile(url, sample())
}

const told = ({ text, body }: request.Response) => `${text} ${JSON.stringify(body)}`.toLowerCase()

describe('each request, with each role, of the whole and of a department', () => {
  const requests = forStaffers.filter(([name]) => name !== 'signOut' && name !== 'liveStream')
  /** Sessions, staffers and keys are for people. */
  const isForPeople = ({ path }: Any) => /^\/api\/(session|staffers|keys)\b/.test(path)
  test.each(requests)('%s', async (_name, endpoint) => {
    for (const [role, isWhole, isKey] of roles.flatMap(one =>
      [true, false].flatMap(whole => [[one, whole, false] as const, [one, whole, true] as const]),
    )) {
      const session = isKey ? keys.get(`${role} ${isWhole}`) : sessionOf(role, isWhole)
      if (!session) throw new Error(role)
      const { status, body } = await ask(session, endpoint, {})
      const got = { role, isWhole, isKey, status, code: (body as { code?: string }).code }
      if (!endpoint.roles.includes(role as never))
        expect(got).toMatchObject({ status: 403, code: role === 'observer' ? 'OBSERVER' : 'NEEDS_STEWARD' })
      else if (!isWhole && endpoint.scope === 'whole') expect(got).toMatchObject({ code: 'OUT_OF_SCOPE' })
      else if (isKey && isForPeople(endpoint)) expect(got).toMatchObject({ status: 403, code: 'FOR_PEOPLE' })
      else expect([401, 500]).not.toContain(got.status)
    }
    const nobody = await request(server.app)[endpoint.method](endpoint.path.replace(/\{\w+\}/g, '1'))
    expect(nobody.status).toBe(401)
  })

  test('what is open to anybody, or to colleagues on their own pages, lets no staffer’s session do more', async () => {
    for (const [, endpoint] of all.filter(([, one]) => one.roles === 'colleague' && one.method !== 'delete'))
      expect((await ask(sessionOf('steward', true), endpoint, {})).status).toBe(401)
  })
})

const day = { from: 0, to: 100, days: 90, states: 'kept' }
const watchingOf = (department: string) => ({ what: 'department-watching', department, was: null, to: false })
const noReply = { when: 'off', inside: [], outside: [], days: 7 }
const filtering = { what: 'filtering', was: true, to: false }
const change = () => ({ reason: '', token: randomUUID() })
const question = { from: 'office', to: '', about: '', when: '' }
const only = (id: number): Asked => ({ params: { id } })

/** One request about what is on a side, for each that is not for the whole organisation alone. */
const about: Readonly<Record<string, (side: Side) => Asked>> = {
  reviewList: ({ mailbox }) => ({ query: { ...day, mailbox } }),
  reviewCounts: ({ mailbox }) => ({ query: { ...day, mailbox } }),
  reviewCluster: ({ cluster, mailbox }) => ({ params: { key: cluster }, query: { ...day, mailbox } }),
  selectShown: ({ mailbox }) => ({ body: { ...day, mailbox } }),
  deliverySheet: side => only(side.deliveries[0]),
  sayWhy: side => ({ ...only(side.deliveries[0]), body: { reason: 'asked for', enquiry: side.enquiry } }),
  safeView: side => only(side.deliveries[0]),
  messageSource: side => only(side.deliveries[0]),
  feedbackReport: side => only(side.deliveries[0]),
  previewRuling: side => ({ body: { deliveries: side.deliveries, sentence: sentence({ sender: 'safe' }) } }),
  applyRuling: side => ({ body: ruling(side.deliveries, { learn: 'wanted' }) }),
  undoRuling: side => ({ params: { id: side.ruling } }),
  eraseForGood: side => ({ body: { deliveries: side.deliveries } }),
  keepUntil: side => ({ ...only(side.deliveries[0]), body: { until: '2026-12-24' } }),
  unsubscribe: side => only(side.deliveries[0]),
  listMail: ({ mailbox }) => ({ query: { mailbox } }),
  readAccount: side => only(side.deliveries[0]),
  tryAgain: side => only(side.deliveries[0]),
  listEnquiries: ({ mailbox }) => ({ query: { mailbox } }),
  openEnquiry: ({ mailbox }) => ({
    body: { mailboxId: mailbox, how: 'phone', words: 'Where is it?', question },
  }),
  readEnquiry: ({ enquiry }) => only(enquiry),
  changeEnquiry: side => ({ ...only(side.enquiry), body: { delivery: side.deliveries[0] } }),
  answerEnquiry: ({ enquiry }) => ({ ...only(enquiry), body: { words: 'It is here.', token: randomUUID() } }),
  setDigestSchedule: ({ mailbox }) => ({ ...only(mailbox), body: { schedule: null } }),
  setLanguage: ({ mailbox }) => ({ ...only(mailbox), body: { language: 'de' } }),
  noteDigestLine: side => ({ ...only(side.deliveries[0]), body: { leaveOut: false, note: 'seen' } }),
  lookedAtReply: ({ reply }) => only(reply),
  sentDigest: ({ digest }) => only(digest),
  previewDigest: ({ mailbox }) => only(mailbox),
  sendDigest: ({ mailbox }) => only(mailbox),
  previewDefaults: ({ department }) => ({ body: { change: watchingOf(department) } }),
  changeDefaults: ({ department }) => ({ body: { change: watchingOf(department), ...change() } }),
  listMailRules: ({ mailbox }) => ({ query: { mailbox } }),
  readRulesWork: ({ mailbox }) => ({ query: { mailbox } }),
  previewRulesChange: ({ mailbox, rule }) => ({
    body: { mailbox, change: { act: 'switch', id: rule, on: false } },
  }),
  changeRules: ({ mailbox, rule }) => ({
    body: { mailbox, change: { act: 'switch', id: rule, on: false }, ...change() },
  }),
  readMailRule: ({ rule }) => only(rule),
  suggestMailRule: side => only(side.deliveries[0]),
  previewFold: ({ mailbox }) => only(mailbox),
  foldRules: ({ mailbox, rule }) => ({ ...only(mailbox), body: { rules: [rule], ...change() } }),
  exportMailRules: ({ mailbox }) => ({ query: { mailbox } }),
  findMailboxes: ({ mailbox }) => ({ query: { id: mailbox } }),
  readMailbox: ({ mailbox }) => only(mailbox),
  readMailboxInStore: ({ mailbox }) => only(mailbox),
  readStoreScript: ({ mailbox }) => only(mailbox),
  putStoreScript: ({ mailbox }) => ({ ...only(mailbox), body: { seen: '' } }),
  undoStoreScript: ({ mailbox }) => only(mailbox),
  moveMail: ({ mailbox }) => ({ ...only(mailbox), body: { from: 'Yard', token: randomUUID() } }),
  undoStoreMove: ({ move }) => only(move),
  previewMailboxChange: ({ mailbox }) => ({ ...only(mailbox), body: { change: filtering } }),
  changeMailbox: ({ mailbox }) => ({ ...only(mailbox), body: { change: filtering, ...change() } }),
  undoMailboxChange: side => ({ params: { id: side.change } }),
  previewReply: ({ mailbox }) => ({ ...only(mailbox), body: { reply: noReply, to: 'colleague' } }),
  bringInContacts: ({ mailbox }) => ({ query: { mailbox, name: 'x.vcf', act: 'look' } }),
  clearContacts: ({ mailbox }) => ({ body: { mailbox } }),
  exportSenders: ({ mailbox }) => ({ query: { mailbox, format: 'csv' } }),
  senderEntries: ({ mailbox }) => ({ query: { mailbox } }),
  senderCounts: ({ mailbox }) => ({ query: { mailbox } }),
  entrySheet: ({ entry }) => only(entry),
  previewChange: ({ entry }) => ({ body: { add: [], end: [entry] } }),
  applyChange: ({ entry }) => ({ body: { add: [], end: [entry], ...change() } }),
  wouldReach: ({ mailbox }) => ({ query: { mailbox, from: 'a@b.example' } }),
  askForEveryone: ({ mailbox }) => ({
    body: { pattern: 'c@d.example', standing: 'safe', mailboxId: mailbox, reason: 'for all' },
  }),
  readRecord: ({ mailbox }) => ({ query: { mailbox, who: 'everybody' } }),
}

/** Lists of everything: what is on the other side is left out of them. */
const lists: Readonly<Record<string, Asked>> = {
  openWork: {},
  findAnything: { query: { text: secret } },
  reviewList: { query: day },
  reviewCounts: { query: day },
  lookFor: { body: { from: secret, to: '', about: '', when: '' } },
  listMail: { query: {} },
  readTrouble: {},
  listEnquiries: {},
  digestDay: {},
  digestReplies: {},
  listFoldable: {},
  listMailRules: {},
  findMailboxes: {},
  listMailboxes: {},
  readDefaults: {},
  exportSenders: { query: { format: 'csv' } },
  senderEntries: {},
  senderCounts: {},
  readRequests: {},
  readRecord: { query: { who: 'everybody' } },
  readCalibration: {},
  readWatching: {},
}

const endpointOf = (name: string): Any => {
  const found = all.find(([one]) => one === name)
  if (!found) throw new Error(name)
  return found[1]
}

describe('what a department’s staffer hears of the others', () => {
  const scoped = forStaffers.filter(([, { scope }]) => typeof scope === 'object')
  test('every request that keeps to departments is tried here', () => {
    const untried = scoped.filter(
      ([name, { scope }]) =>
        !(Object.keys(scope).length > 0 ? name in about : name in lists) && name !== 'liveStream',
    )
    expect(untried.map(([name]) => name)).toEqual([])
  })

  test.each(Object.entries(about))('%s: not about what is theirs not', async (name, given) => {
    const endpoint = endpointOf(name)
    for (const role of roles.filter(one => endpoint.roles.includes(one as never))) {
      const byTheKey = keys.get(`${role} false`)
      if (byTheKey) expect((await ask(byTheKey, endpoint, given(others))).body.code).toBe('OUT_OF_SCOPE')
      const refused = await ask(sessionOf(role, false), endpoint, given(others))
      expect([role, refused.status, refused.body.code]).toEqual([role, 404, 'OUT_OF_SCOPE'])
      expect(told(refused)).not.toContain(secret)
      // What is not there at all is answered alike.
      const gone = Object.fromEntries(Object.keys(others).map(key => [key, 999_999])) as unknown as Side
      const nowhere = await ask(sessionOf(role, false), endpoint, {
        ...given({
          ...gone,
          deliveries: [999_998, 999_999],
          cluster: others.cluster,
          department: 'Nowhere',
        }),
      })
      expect(nowhere.body).toEqual(refused.body)
    }
  })
  test.each(Object.entries(about))(
    '%s: about what is theirs, and nothing of the others',
    async (name, given) => {
      const endpoint = endpointOf(name)
      for (const role of roles.filter(one => endpoint.roles.includes(one as never))) {
        const answer = await ask(sessionOf(role, false), endpoint, given(theirs))
        expect([role, answer.body.code, answer.status < 500]).not.toEqual([
          role,
          'OUT_OF_SCOPE',
          expect.anything(),
        ])
        // An act is done by one of them and is done for the others; what is refused is refused in words of its own.
        expect([200, 400, 409, 403, 404, 422]).toContain(answer.status)
        expect(told(answer)).not.toContain(secret)
      }
    },
  )
  test.each(Object.entries(lists))('%s: all of theirs, nothing of the others', async (name, given) => {
    const endpoint = endpointOf(name)
    for (const role of roles.filter(one => endpoint.roles.includes(one as never))) {
      for (const session of [sessionOf(role, false), keys.get(`${role} false`)]) {
        if (!session) throw new Error(role)
        const answer = await ask(session, endpoint, given)
        expect(answer.status).toBe(200)
        expect(told(answer)).not.toContain(secret)
      }
    }
  })
  test('the same lists tell it to whoever looks after all: they could have told it', async () => {
    const silent: string[] = []
    for (const [name, given] of Object.entries(lists)) {
      const answer = await ask(sessionOf('steward', true), endpointOf(name), given)
      if (!told(answer).includes(secret)) silent.push(name)
    }
    // Numbers alone, rules of the organisation, and folding, which needs more rules than one.
    expect(silent).toEqual([
      'openWork',
      'reviewCounts',
      'digestDay',
      'listFoldable',
      'listMailRules',
      'senderCounts',
      'readWatching',
    ])
  })
  test('a steward of a department sets what it has in place of the organisation’s, and takes that back; no other’s', async () => {
    const [whole, part] = [sessionOf('steward', true), sessionOf('steward', false)]
    const limits = { junk: 41, quarantined: 61, nearCertain: 81 }
    const of = (department: string) => ({
      change: { what: 'department-limits', department, was: null, to: limits },
      ...change(),
    })
    const send = (session: Session, body: object) => session.post('/api/organisation/defaults/changes', body)
    const mine = await send(part, of('Office'))
    expect(mine.status).toBe(200)
    const undo = (session: Session, id: number) => session.post(`/api/mailbox-changes/${id}/undo`, {})
    const { body: read } = await part.get('/api/organisation/defaults')
    expect(read.departments.map(({ name }: { name: string }) => name)).toEqual(['Office'])
    expect((await undo(part, mine.body.change as number)).status).toBe(200)
    const theOthers = await send(whole, of('Zebrafell'))
    expect((await undo(part, theOthers.body.change as number)).body.code).toBe('OUT_OF_SCOPE')
    expect((await undo(whole, theOthers.body.change as number)).status).toBe(200)
    const everybody = { what: 'watching', was: false, to: true }
    expect((await send(part, { change: everybody, ...change() })).body).toMatchObject({
      code: 'OUT_OF_SCOPE',
      facts: { context: 'whole' },
    })
  })
  test('numbers are of theirs alone', async () => {
    const whole = sessionOf('steward', true)
    const part = sessionOf('steward', false)
    const both = async (name: string, given: Asked = {}) => {
      const of = async (session: Session) =>
        (await ask(session, endpointOf(name), given)).body as Record<string, number>
      return [await of(whole), await of(part)] as const
    }
    for (const [name, key, given] of [
      ['reviewCounts', 'total', { query: day }],
      ['senderCounts', 'total', {}],
      ['openWork', 'enquiries', {}],
      ['listMailboxes', 'total', {}],
      ['findMailboxes', 'total', {}],
    ] as const) {
      const [all, own] = await both(name, given)
      expect([name, (own[key] ?? 0) < (all[key] ?? 0)]).toEqual([name, true])
    }
  })
})

describe('acts on what is partly theirs', () => {
  test.each(['previewRuling', 'applyRuling', 'eraseForGood'])(
    '%s: one that is not theirs refuses all',
    async name => {
      const mixed = { ...theirs, deliveries: [theirs.deliveries[0], others.deliveries[0]] as const }
      const answer = await ask(sessionOf('steward', false), endpointOf(name), about[name]?.(mixed) ?? {})
      expect(answer.body.code).toBe('OUT_OF_SCOPE')
    },
  )
  test('a ruling on both is nobody’s to undo who looks after one', async () => {
    const [mine = 0, other = 0] = await arrive(server, {
      to: ['ingrid@harbour.example', 'kari@harbour.example'],
      subject: 'To both',
    })
    const made = await sessionOf('steward', true).post(
      '/api/rulings',
      ruling([mine, other], { learn: 'junk' }),
    )
    expect((await sessionOf('steward', false).post(`/api/rulings/${made.body.id}/undo`, {})).body.code).toBe(
      'OUT_OF_SCOPE',
    )
    const sheet = await sessionOf('steward', false).get(`/api/deliveries/${mine}`)
    expect(told(sheet)).not.toContain(secret)
    expect(sheet.body.history).toHaveLength(1)
  })
  test('a ruling on all that was shown is not theirs to undo while its mail is still to come', async () => {
    const whole = sessionOf('steward', true)
    await arrive(server, { to: ['kari@harbour.example'], subject: 'To come' })
    const made = await whole.post('/api/selections', day)
    const ruled = await whole.post('/api/rulings', {
      selection: made.body.id,
      sentence: sentence({ learn: 'junk', reason: 'all of it' }),
      token: randomUUID(),
    })
    expect(ruled.status).toBe(200)
    const undone = await sessionOf('steward', false).post(`/api/rulings/${ruled.body.id}/undo`, {})
    expect(undone.body.code).toBe('OUT_OF_SCOPE')
    expect((await whole.post(`/api/rulings/${ruled.body.id}/undo`, {})).status).toBe(200)
  })
  test('entries for everybody, by any way, are for whoever looks after everybody', async () => {
    const steward = sessionOf('steward', false)
    const everybodys = await steward.post('/api/senders/changes', {
      add: [
        {
          pattern: 'x@y.example',
          standing: 'blocked',
          mailboxId: null,
          until: null,
          withoutAuthentication: false,
        },
      ],
      end: [],
      ...change(),
    })
    expect(everybodys.body.code).toBe('OUT_OF_SCOPE')
    const [id = 0] = await arrive(server, { subject: 'For all' })
    const ruled = await steward.post('/api/rulings', ruling([id], { sender: 'blocked', for: 'everyone' }))
    expect(ruled.body.code).toBe('OUT_OF_SCOPE')
    expect((await steward.post('/api/rulings', ruling([id], { sender: 'blocked' }))).status).toBe(200)
  })
  test('a selection that came to hold what is theirs no more is refused', async () => {
    const steward = sessionOf('steward', false)
    await arrive(server, { to: ['aksel@harbour.example'] })
    const made = await steward.post('/api/selections', day)
    expect(made.status).toBe(200)
    await execute(
      server.db,
      "UPDATE mailboxes SET department = 'Elsewhere' WHERE address = 'aksel@harbour.example'",
    )
    const ruled = await steward.post('/api/rulings', {
      selection: made.body.id,
      sentence: sentence({ learn: 'junk', reason: 'all of it' }),
      token: randomUUID(),
    })
    expect(ruled.body.code).toBe('OUT_OF_SCOPE')
    await execute(
      server.db,
      "UPDATE mailboxes SET department = 'Office' WHERE address = 'aksel@harbour.example'",
    )
  })
  test('rules copied to the others are not taken back by whoever looks after one', async () => {
    const made = await sessionOf('steward', true).post('/api/mail-rules/changes', {
      mailbox: theirs.mailbox,
      change: { act: 'copy', ids: [theirs.rule], to: [others.mailbox] },
      ...change(),
    })
    expect(made.status).toBe(200)
    const undone = await sessionOf('steward', false).post(`/api/mailbox-changes/${made.body.change}/undo`, {})
    expect(undone.body.code).toBe('OUT_OF_SCOPE')
  })
})

describe('keys of programs', () => {
  const make = (more: object = {}) =>
    sessionOf('steward', true).post('/api/keys', { name: 'Monitor', reach: 'act', days: 2, ...more })
  test('told once, kept as a hash, named in the record, and ended', async () => {
    const { body } = await make()
    const { key, secret: told } = body as { key: { id: number }; secret: string }
    expect(told).toMatch(/^pendro_key_[\w-]{43}$/)
    expect(JSON.stringify((await sessionOf('steward', true).get('/api/keys')).body)).not.toContain(told)
    expect(JSON.stringify(await select(server.db, 'SELECT * FROM api_keys'))).not.toContain(told)
    const program = byKey(told)
    const [id = 0] = await arrive(server, { subject: 'By a program' })
    const ruled = await program.post('/api/rulings', ruling([id], { message: 'discard', learn: 'junk' }))
    expect(ruled.status).toBe(200)
    const { body: record } = await sessionOf('steward', true).get('/api/record?what=rulings')
    expect(record.lines[0]).toMatchObject({ by: 'Monitor', deliveryId: id })
    // It is nobody who works with Pendro, and signs in nowhere.
    const { body: staffers } = await sessionOf('steward', true).get('/api/staffers')
    expect(JSON.stringify(staffers)).not.toContain('Monitor')
    const { body: list } = await sessionOf('steward', true).get('/api/keys')
    expect(list.keys[0]).toMatchObject({ name: 'Monitor', reach: 'act', usedAt: expect.any(String) })
    expect((await sessionOf('steward', true).post(`/api/keys/${key.id}/end`, {})).status).toBe(200)
    expect((await program.get('/api/review')).body.code).toBe('KEY_WRONG')
    expect((await sessionOf('steward', true).post(`/api/keys/${key.id}/end`, {})).body.code).toBe(
      'KEY_NOT_FOUND',
    )
  })
  test('one that ended by its day, or was never made, is told so, whatever cookie comes with it', async () => {
    const { body } = await make({ days: 1 })
    const program = byKey((body as { secret: string }).secret)
    expect((await program.get('/api/review')).status).toBe(200)
    const now = server.clock.now
    server.clock.now = new Date(now.getTime() + 86_400_000 + 1)
    expect((await program.get('/api/review')).body.code).toBe('KEY_WRONG')
    server.clock.now = now
    for (const wrong of [`pendro_key_${'a'.repeat(43)}`, 'x'.repeat(43)]) {
      const answer = await sessionOf('steward', true)
        .get('/api/review')
        .set('Authorization', `Bearer ${wrong}`)
      expect(answer.body.code).toBe('KEY_WRONG')
    }
  })
  test('a steward’s key is no steward that is left', async () => {
    const { body } = await sessionOf('steward', true).get('/api/staffers')
    const oda = body.staffers.find((one: { signIn: string }) => one.signIn === 'oda')
    const change = { what: 'role', was: 'steward', to: 'helpdesk' }
    expect(
      (await sessionOf('steward', true).post(`/api/staffers/${oda.id}/changes`, { change })).body.code,
    ).toBe('LAST_STEWARD')
  })
})

describe('who looks after what', () => {
  test('a department that was renamed is theirs no more, and says so', async () => {
    await execute(server.db, "UPDATE mailboxes SET department = 'Front office' WHERE department = 'Office'")
    const { body } = await sessionOf('helpdesk', false).get('/api/mailboxes/table')
    expect(body.rows).toEqual([])
    const { body: staffers } = await sessionOf('steward', true).get('/api/staffers')
    expect(staffers.departments).not.toContain('Office')
    await execute(server.db, "UPDATE mailboxes SET department = 'Office' WHERE department = 'Front office'")
  })
  test('changed, it counts from the next request on; a steward of a department is no steward that is left', async () => {
    const oda = sessionOf('steward', true)
    const { body } = await oda.get('/api/staffers')
    const of = (signIn: string) => body.staffers.find((one: { signIn: string }) => one.signIn === signIn)
    const set = (signIn: string, was: unknown, to: unknown) =>
      oda.post(`/api/staffers/${of(signIn).id}/changes`, { change: { what: 'departments', was, to } })
    expect((await set('oda', null, ['Office'])).body.code).toBe('LAST_STEWARD')
    expect((await set('per-office', ['Office'], ['Nowhere'])).body.code).toBe('DEPARTMENT_NOT_FOUND')
    expect((await set('per-office', ['Zebrafell'], ['Office'])).body.code).toBe('MAILBOX_CHANGED')
    expect((await set('per-office', ['Office'], ['Zebrafell'])).body).toMatchObject({
      departments: ['Zebrafell'],
    })
    const seen = await sessionOf('helpdesk', false).get(`/api/mailboxes/${others.mailbox}`)
    expect(seen.status).toBe(200)
    expect((await sessionOf('helpdesk', false).get(`/api/mailboxes/${theirs.mailbox}`)).body.code).toBe(
      'OUT_OF_SCOPE',
    )
    await set('per-office', ['Zebrafell'], ['Office'])
  })
  test('invited for a department, they look after it', async () => {
    const oda = sessionOf('steward', true)
    const { body } = await oda.post('/api/staffers/invitations', {
      name: 'Nils',
      signIn: 'nils',
      role: 'helpdesk',
      departments: ['Office'],
    })
    expect(body.invitation).toMatchObject({ departments: ['Office'] })
    await request(server.app)
      .post('/api/invitation/accept')
      .send({ secret: body.secret, password: 'harbour lantern quilt' })
    const session = await request(server.app)
      .post('/api/session')
      .send({ signIn: 'nils', password: 'harbour lantern quilt' })
    expect(session.body.staffer).toMatchObject({ departments: ['Office'] })
    expect(password).not.toBe('')
  })
})
