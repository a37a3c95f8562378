import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { MailRuleDraft, MailRuleSheet, PathLineShape, WhereAnswer } from '@pendro/contract'
import { decodeWords } from '@pendro/core/address'
import { execute, select } from '../src/db/database.ts'
import {
  arrive,
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
let per: Awaited<ReturnType<typeof signedIn>>
let oda: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  oda = await signedIn(server, 'oda')
})
afterAll(() => server.close())

const draft = (more: Partial<MailRuleDraft> = {}): MailRuleDraft => ({
  name: 'Proofs',
  needs: 'all',
  conditions: [{ field: 'subject', test: 'contains', text: 'proof' }],
  action: { kind: 'folder', folder: 'Print/Prøver' },
  ...more,
})
async function addRule(mailbox: string, more: Partial<MailRuleDraft> = {}): Promise<number> {
  const { body } = await per.post(`/api/mailboxes/${server.mailbox(mailbox)}/mail-rules`, draft(more))
  return body.id as number
}
const forget = (mailbox: string) =>
  execute(server.db, 'DELETE FROM mail_rules WHERE mailbox_id = :id', { id: server.mailbox(mailbox) })
const rulesLine = async (id: number): Promise<PathLineShape | undefined> => {
  const { body } = await per.get(`/api/deliveries/${id}`)
  return (body.path as PathLineShape[]).find(({ stage }) => stage === 'rules')
}
const ruleSheet = async (id: number): Promise<MailRuleSheet> =>
  (await per.get(`/api/mail-rules/${id}`)).body as MailRuleSheet
const printer = { from: 'Print <desk@printer.example>', headers: [proven('printer.example')] }

describe('a mail rule moves a message', () => {
  test('into its folder, as the mail store is told; whereabouts names rule and folder; back to the inbox', async () => {
    const ruleId = await addRule('ingrid')
    const [id = 0] = await arrive(server, { ...printer, subject: 'Proof 12 of the timetable' })
    expect(await stateOf(server.db, id)).toBe('deferred')
    const store = fakeStore()
    await work(server, store.send)
    expect(await stateOf(server.db, id)).toBe('moved')
    expect(store.taken[0]?.raw).toMatch(
      /^Pendro-Delivery: \d+\.moved\.[0-9a-f]{24}\r\nPendro-Place: moved\r\n/,
    )
    const folder = /^Pendro-Folder: (.*)$/m.exec(store.taken[0]?.raw ?? '')?.[1]
    // RFC 2047 §2: nothing but ASCII in the header itself.
    expect(folder).toMatch(/^[\x20-\x7e]+$/)
    expect(decodeWords(folder ?? '')).toBe('Print/Prøver')

    const { body } = await per.post('/api/whereabouts', { from: 'printer', about: 'proof' })
    const [hit] = (body as WhereAnswer).hits
    expect(hit).toMatchObject({ id, state: 'moved' })
    expect(hit?.journey.at(-1)).toMatchObject({
      kind: 'moved',
      stage: 'here',
      facts: { rule: 'Proofs', ruleId, folder: 'Print/Prøver' },
    })
    const account = await per.get(`/api/whereabouts/${id}/account`)
    expect(account.body.explanations.nb).toContain(
      'E-postregelen din «Proofs» flyttet den til mappen «Print/Prøver»',
    )

    const { body: moved } = await per.post('/api/rulings', ruling([id], { message: 'release' }))
    expect(moved.deliveries).toEqual([{ id, state: 'deferred' }])
    await work(server, store.send)
    expect(store.taken[1]?.raw).toMatch(
      /^Pendro-Delivery: \d+\.released\.[0-9a-f]{24}\r\nPendro-Place: inbox\r\n/,
    )
    expect(store.taken[1]?.raw).not.toContain('Pendro-Folder')
    const again = await per.post('/api/whereabouts', { from: 'printer', about: 'proof' })
    expect((again.body as WhereAnswer).hits[0]?.journey.map(({ kind }) => kind)).toEqual([
      'came-in',
      'checked',
      'moved',
      'ruled-release',
      'landed',
    ])
    await forget('ingrid')
  })

  test('a release that is undone in time leaves it in its folder', async () => {
    await addRule('ingrid')
    const [id = 0] = await arrive(server, { ...printer, subject: 'Proof 13' })
    await work(server, fakeStore().send)
    const { body } = await per.post('/api/rulings', ruling([id], { message: 'release' }))
    await per.post(`/api/rulings/${body.id}/undo`, {})
    expect(await stateOf(server.db, id)).toBe('moved')
    await forget('ingrid')
  })

  test('it is the colleague’s own mail: opening it asks why', async () => {
    await addRule('ingrid')
    const [id = 0] = await arrive(server, { ...printer, subject: 'Proof 14' })
    await work(server, fakeStore().send)
    expect((await per.get(`/api/deliveries/${id}`)).body.asksWhy).toBe(true)
    await forget('ingrid')
  })
})

describe('stage 5 of the path', () => {
  test.each([
    // The rules of Aksel are not asked about Ingrid's mail.
    ['another mailbox’s rule', 'aksel', {}, { subject: 'Proof 20' }, 'quarantined', 'silent'],
    ['to the inbox, whatever the score', 'ingrid', { action: { kind: 'inbox' } }, {}, 'deferred', 'decided'],
    ['to the junk folder', 'ingrid', { action: { kind: 'junk' } }, {}, 'deferred', 'decided'],
    [
      'a condition that does not hold',
      'ingrid',
      { conditions: [{ field: 'subject', test: 'is', text: 'proof' }] },
      {},
      'quarantined',
      'silent',
    ],
  ] as const)('%s', async (_name, mailbox, rule, letter, state, outcome) => {
    await addRule(mailbox, rule as Partial<MailRuleDraft>)
    const [id = 0] = await arrive(server, { subject: 'Proof 21', ...letter })
    expect([await stateOf(server.db, id), (await rulesLine(id))?.outcome]).toEqual([state, outcome])
    await forget(mailbox)
  })

  test('lists come first; the rule that would have matched is named', async () => {
    const ruleId = await addRule('ingrid')
    await per.post('/api/rulings', {
      ...ruling(await arrive(server, { from: 'Ads <ads@pushy.example>', subject: 'x' })),
      sentence: { ...ruling([]).sentence, sender: 'blocked', learn: 'junk' },
    })
    const [id = 0] = await arrive(server, { from: 'Ads <ads@pushy.example>', subject: 'Proof of love' })
    const [row] = await select<{
      state: string
      bound_for: string
      folder: string | null
      rule_says: string
    }>(server.db, 'SELECT state, bound_for, folder, rule_says FROM deliveries WHERE id = :id', { id })
    // The colleague's block says junk; the score would quarantine, and the stricter holds.
    expect(row).toMatchObject({ state: 'quarantined', folder: null, rule_says: 'moved' })
    expect(await rulesLine(id)).toMatchObject({ outcome: 'late', rules: [{ id: ruleId }] })
    await forget('ingrid')
  })

  test('the reach of an entry knows what a rule did: a block would keep back what the rule lets in', async () => {
    await addRule('ingrid')
    const from = 'Ads <ads@pushier.example>'
    const [first = 0] = await arrive(server, { from, subject: 'Proof', headers: [proven('pushier.example')] })
    expect((await rulesLine(first))?.outcome).toBe('decided')
    const { body } = await per.post('/api/rulings/reach', {
      deliveries: [first],
      sentence: { ...ruling([]).sentence, sender: 'blocked' },
    })
    // It arrives now, in its folder; the entry would keep it back.
    expect(body).toMatchObject({ looked: 1, letThrough: { wanted: 0, doubtful: 0, harmful: 0 } })
    const { wanted, doubtful, harmful } = body.keptBack
    expect(wanted + doubtful + harmful).toBe(1)
    await forget('ingrid')
  })

  test('“would mail reach …?” foresees rules that ask for the sender alone', async () => {
    await addRule('ingrid', { conditions: [{ field: 'from', test: 'contains', text: '@ferries.example' }] })
    const ask = async (from: string) =>
      (
        await per.get(
          `/api/senders/question?from=${from}&mailbox=${server.mailbox('ingrid')}&authenticated=yes`,
        )
      ).body
    expect(await ask('tea@ferries.example')).toMatchObject({ state: 'moved', decidedBy: 'rules' })
    expect(await ask('tea@notferries.example')).toMatchObject({ decidedBy: 'score' })
    await forget('ingrid')
  })
})

describe('what a rule does is said before it is switched off', () => {
  test('where its mail would be without it: the next rule, or the score', async () => {
    const id = await addRule('kari')
    await addRule('kari', {
      name: 'Urgent',
      conditions: [{ field: 'subject', test: 'contains', text: 'urgent' }],
      action: { kind: 'inbox' },
    })
    for (const subject of ['Proof a', 'Proof b, urgent', 'Proof c']) {
      await arrive(server, { subject, to: ['kari@harbour.example'] })
    }
    await arrive(server, { subject: 'Urgent alone', to: ['kari@harbour.example'] })
    const sheet = await ruleSheet(id)
    expect(sheet).toMatchObject({ on: true, mailboxName: 'Kari', decided: 3 })
    expect(sheet.without).toEqual({ inbox: 1, aside: 0, moved: 0, junk: 0, quarantined: 2 })

    expect((await oda.post(`/api/mail-rules/${id}`, { on: false })).status).toBe(200)
    const outcomes: string[] = []
    for (const subject of ['Proof a', 'Proof b, urgent', 'Proof c']) {
      const [delivery = 0] = await arrive(server, { subject, to: ['kari@harbour.example'] })
      outcomes.push(await stateOf(server.db, delivery))
    }
    // 'deferred' is the inbox one on its way.
    expect(outcomes).toEqual(['quarantined', 'deferred', 'quarantined'])
    expect((await ruleSheet(id)).on).toBe(false)

    await oda.post(`/api/mail-rules/${id}`, { on: true })
    await oda.post(`/api/mail-rules/${id}`, { on: true })
    const { body } = await per.get('/api/record?what=mail-rules&who=everybody')
    const acts = (body.lines as { act: string; by: string }[]).slice(0, 2).map(({ act, by }) => [act, by])
    // What is so already is no act.
    expect(acts).toEqual([
      ['mail-rule-on', 'Oda Rask'],
      ['mail-rule-off', 'Oda Rask'],
    ])
    await forget('kari')
  })

  test('rules stand in the order they were added, also when two are added at once', async () => {
    await Promise.all([addRule('aksel', { name: 'a' }), addRule('aksel', { name: 'b' })])
    const third = await addRule('aksel', { name: 'c' })
    const { body } = await per.get(`/api/mailboxes/${server.mailbox('aksel')}/mail-rules`)
    expect(body.rules).toHaveLength(3)
    expect(body.rules[2]).toMatchObject({ id: third, name: 'c', on: true })
    await forget('aksel')
  })
})

describe('bad input', () => {
  test.each([
    ['no name', { name: ' ' }],
    ['no condition', { conditions: [] }],
    ['an empty text', { conditions: [{ field: 'subject', test: 'contains', text: '' }] }],
    ['a field nobody knows', { conditions: [{ field: 'x-spam', test: 'contains', text: 'a' }] }],
    ['a folder without a name', { action: { kind: 'folder', folder: '' } }],
    ['a folder with an empty level', { action: { kind: 'folder', folder: 'Print//Proofs' } }],
    ['a line break in the folder', { action: { kind: 'folder', folder: 'Print\r\nPendro-Place: inbox' } }],
    ['an action nobody knows', { action: { kind: 'forward', to: 'a@x.example' } }],
  ])('%s is refused with what is wrong', async (_name, more) => {
    const { status, body } = await per.post(
      `/api/mailboxes/${server.mailbox('aksel')}/mail-rules`,
      draft(more as Partial<MailRuleDraft>),
    )
    expect([status, body.code]).toEqual([400, 'BAD_REQUEST'])
  })

  test('who may not, what is not there, and too many', async () => {
    const una = await signedIn(server, 'una')
    expect((await una.post(`/api/mailboxes/${server.mailbox('aksel')}/mail-rules`, draft())).status).toBe(403)
    expect((await per.post('/api/mailboxes/99999/mail-rules', draft())).body.code).toBe('MAILBOX_NOT_FOUND')
    expect((await per.get('/api/mailboxes/99999/mail-rules')).body.code).toBe('MAILBOX_NOT_FOUND')
    expect((await per.get('/api/mail-rules/99999')).body.code).toBe('MAIL_RULE_NOT_FOUND')
    expect((await per.post('/api/mail-rules/99999', { on: false })).body.code).toBe('MAIL_RULE_NOT_FOUND')
    await execute(
      server.db,
      `INSERT INTO mail_rules (mailbox_id, place, name, needs, conditions, action, made_at)
       SELECT :id, seq, 'r', 'any', '[]', '{"kind":"inbox"}', NOW() FROM seq_1_to_500`,
      { id: server.mailbox('aksel') },
    )
    const { status, body } = await per.post(`/api/mailboxes/${server.mailbox('aksel')}/mail-rules`, draft())
    expect([status, body.code]).toEqual([409, 'TOO_MANY_RULES'])
    await forget('aksel')
  })
})
