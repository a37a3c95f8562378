import { randomUUID } from 'node:crypto'
import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import type { MailRuleShape, OwnRulesChange, RulesEffect, WhereAnswer } from '@pendro/contract'
import { execute } from '../src/db/database.ts'
import { does, draft, ruleTools } from './mail-rule-tools.ts'
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
let per: Awaited<ReturnType<typeof signedIn>>
let ingrid: Awaited<ReturnType<typeof asColleague>>
let tools: ReturnType<typeof ruleTools>
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  ingrid = await asColleague(server, 'ingrid')
  tools = ruleTools(server, { per, oda: await signedIn(server, 'oda') })
})
afterEach(() => execute(server.db, 'DELETE FROM mail_rules'))
afterAll(() => server.close())

const printer = { from: 'Print <desk@printer.example>', headers: [proven('printer.example')] }
const listMail = (listId: string) => ({
  ...printer,
  headers: [...printer.headers, `List-Id: The harbour <${listId}>`],
})
/** The state a message comes to once the store has it. */
async function arrived(given: Parameters<typeof arrive>[1]): Promise<{ id: number; state: string }> {
  const [id = 0] = await arrive(server, given)
  await work(server, fakeStore().send)
  return { id, state: await stateOf(server.db, id) }
}
const names = async () => (await tools.rulesNow('ingrid')).map(({ name }) => name)

describe('put back, and keep it so', () => {
  const keepSo = (id: number) =>
    per.post('/api/rulings', ruling([id], { message: 'release', place: 'inbox' }))

  test('one act brings the message back and makes a rule above all others; the next one stays; one undo takes both', async () => {
    await tools.addRule('ingrid')
    const { id, state } = await arrived({ ...printer, subject: 'Proof 1' })
    expect(state).toBe('moved')
    const { body, status } = await keepSo(id)
    expect(status).toBe(200)
    expect(await names()).toEqual(['desk@printer.example', 'Proofs'])
    expect((await arrived({ ...printer, subject: 'Proof 2' })).state).toBe('inbox')
    // Somebody else's proofs are filed as before.
    const other = { from: 'Web <desk@other.example>', headers: [proven('other.example')], subject: 'Proof 3' }
    expect((await arrived(other)).state).toBe('moved')
    const { body: record } = await per.get('/api/record?what=everything&who=everybody')
    expect(record.lines.find(({ act }: { act: string }) => act === 'ruling').facts).toMatchObject({
      place: 'inbox',
    })
    await per.post(`/api/rulings/${body.id}/undo`, {}).expect(200)
    expect(await names()).toEqual(['Proofs'])
    expect((await arrived({ ...printer, subject: 'Proof 4' })).state).toBe('moved')
  })

  test('of a mailing list the list is kept, not whoever wrote to it; what is set aside comes back so, too', async () => {
    const board = listMail('board.harbour.example')
    await tools.addRule('ingrid', {
      name: 'Aside',
      conditions: [{ field: 'list', test: 'contains', values: ['harbour'] }],
      action: does({ hold: 'let-in', place: { kind: 'aside' } }),
    })
    const { id, state } = await arrived(board)
    expect(state).toBe('aside')
    await keepSo(id).expect(200)
    const [rule] = await tools.rulesNow('ingrid')
    expect(rule?.conditions).toEqual([{ field: 'list', test: 'is', values: ['board.harbour.example'] }])
    const again = { ...board, from: 'Jon <jon@printer.example>' }
    expect((await arrived(again)).state).toBe('inbox')
    expect((await arrived(listMail('crew.harbour.example'))).state).toBe('aside')
  })

  test('the same again makes no second rule; a rule somebody has changed since stands in the way of the undo', async () => {
    await tools.addRule('ingrid')
    const first = await arrived({ ...printer, subject: 'Proof 5' })
    const second = await arrived({ ...printer, subject: 'Proof 6' })
    const { body } = await keepSo(first.id)
    await keepSo(second.id).expect(200)
    expect(await names()).toEqual(['desk@printer.example', 'Proofs'])
    const [rule] = await tools.rulesNow('ingrid')
    await tools.change('ingrid', { act: 'switch', id: rule?.id ?? 0, on: false })
    const undone = await per.post(`/api/rulings/${body.id}/undo`, {})
    expect([undone.status, undone.body.code]).toEqual([409, 'MAIL_RULE_CHANGED'])
    expect(await names()).toEqual(['desk@printer.example', 'Proofs'])
    await tools.change('ingrid', { act: 'remove', id: rule?.id ?? 0, version: (rule?.version ?? 0) + 1 })
    await per.post(`/api/rulings/${body.id}/undo`, {}).expect(200)
  })

  test('a mailbox that is full of rules refuses it whole: the message stays where it is', async () => {
    const rules = Array.from({ length: 500 }, (_, i) =>
      draft({ conditions: [{ field: 'subject', test: 'contains', values: ['proof', `number ${i}`] }] }),
    )
    await tools.change('ingrid', { act: 'bring-in', drafts: rules })
    expect(await names()).toHaveLength(500)
    const { id } = await arrived({ ...printer, subject: 'Proof 7' })
    const refused = await keepSo(id)
    expect([refused.status, refused.body.code]).toEqual([409, 'TOO_MANY_RULES'])
    expect(await stateOf(server.db, id)).toBe('moved')
  })
})

test('a folder that the mail program does not fetch: Whereabouts says so, and what to tell the colleague', async () => {
  await tools.addRule('ingrid')
  const { id } = await arrived({ ...printer, subject: 'Proof unseen' })
  const path = `/api/mailboxes/${server.mailbox('ingrid')}`
  await per
    .post(`${path}/changes`, {
      change: { what: 'unfetched', was: [], to: ['Print/Prøver', 'Old'] },
      token: randomUUID(),
    })
    .expect(200)
  const { body: sheet } = await per.get(path)
  expect(sheet.folders).toEqual([
    { folder: 'Print/Prøver', deliveries: expect.any(Number), fetched: false },
    { folder: 'Old', deliveries: 0, fetched: false },
  ])
  const { body } = await per.post('/api/whereabouts', { from: 'printer', about: 'proof unseen' })
  const [hit] = (body as WhereAnswer).hits
  expect([hit?.id, hit?.journey.at(-1)?.facts.unfetched]).toEqual([id, 'yes'])
  const { body: account } = await per.get(`/api/whereabouts/${id}/account`)
  expect(account.explanations.en).toContain('Your mail program does not fetch that folder')
  await per.post(`${path}/changes`, {
    change: { what: 'unfetched', was: ['Old', 'Print/Prøver'], to: ['Old'] },
    token: randomUUID(),
  })
  const { body: later } = await per.get(`/api/whereabouts/${id}/account`)
  expect(later.explanations.en).not.toContain('does not fetch')
})

describe('a colleague’s own rules', () => {
  const change = (given: OwnRulesChange) =>
    ingrid.post('/api/own/rules/changes', { change: given, token: randomUUID() })
  const rules = async () => (await ingrid.get('/api/own/rules')).body.rules as MailRuleShape[]
  const file = draft({ action: does({ place: { kind: 'folder', folder: 'Proofs' } }) })

  test('what it would have done is shown; it files what comes; switched, changed, removed and undone', async () => {
    const before = await arrived({ ...printer, subject: 'Proof 20' })
    const shown = await ingrid
      .post('/api/own/rules/effect', { change: { act: 'add', draft: file } })
      .expect(200)
    expect((shown.body as RulesEffect).examples.map(({ deliveryId }) => deliveryId)).toContain(before.id)
    await change({ act: 'add', draft: file }).expect(200)
    const { body: record } = await per.get('/api/record?what=everything&who=everybody')
    expect(record.lines[0]).toMatchObject({ act: 'mail-rule-added', by: 'Ingrid' })
    const safe = { ...printer, headers: [...printer.headers, 'X-Nothing: 1'] }
    await per.post('/api/rulings', ruling([before.id], { message: 'leave', learn: 'wanted', sender: 'safe' }))
    expect((await arrived({ ...safe, subject: 'Proof 21' })).state).toBe('moved')
    const [rule] = await rules()
    const off = await change({ act: 'switch', id: rule?.id ?? 0, on: false }).expect(200)
    expect((await arrived({ ...safe, subject: 'Proof 22' })).state).toBe('inbox')
    await ingrid.post(`/api/own/changes/${off.body.change}/undo`, {}).expect(200)
    expect((await rules())[0]).toMatchObject({ on: true })
    expect((await change({ act: 'remove', id: rule?.id ?? 0, version: 99 })).body.code).toBe(
      'MAIL_RULE_CHANGED',
    )
  })

  test('can’t let in what would be held, and reach nobody else’s', async () => {
    const letIn = draft({ action: does({ hold: 'let-in' }) })
    const refused = await change({ act: 'add', draft: letIn })
    expect([refused.status, refused.body.code]).toEqual([400, 'BAD_REQUEST'])
    const others = await tools.addRule('kari')
    expect((await change({ act: 'switch', id: others, on: false })).body.code).toBe('MAIL_RULE_NOT_FOUND')
    expect((await change({ act: 'remove', id: others, version: 1 })).body.code).toBe('MAIL_RULE_NOT_FOUND')
    const made = await tools.change('kari', { act: 'switch', id: others, on: false })
    const undone = await ingrid.post(`/api/own/changes/${made.body.change}/undo`, {})
    expect([undone.status, undone.body.code]).toEqual([404, 'CHANGE_NOT_FOUND'])
    const copied = await ingrid.post('/api/own/rules/changes', {
      change: { act: 'copy', ids: [others], to: [1] },
      token: randomUUID(),
    })
    expect(copied.status).toBe(400)
  })
})
