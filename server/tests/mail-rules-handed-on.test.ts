import { randomUUID } from 'node:crypto'
import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import type { FoldPreview, MailRuleDraft, MailRuleShape } from '@pendro/contract'
import { execute, select } from '../src/db/database.ts'
import { does, draft, ruleTools } from './mail-rule-tools.ts'
import { arrive, proven, signedIn, startTestServer, type TestServer } from './support.ts'

type Tools = ReturnType<typeof ruleTools>

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
let change: Tools['change']
let addRule: Tools['addRule']
let rulesNow: Tools['rulesNow']
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  ;({ change, addRule, rulesNow } = ruleTools(server, { per, oda: await signedIn(server, 'oda') }))
})
afterEach(() => execute(server.db, 'DELETE FROM mail_rules'))
afterAll(() => server.close())

describe('rules and Sieve', () => {
  test('out as a script, in again as the same rules; what is there already is not added twice', async () => {
    await addRule('aksel', {
      name: 'a',
      action: does({ place: { kind: 'folder', folder: 'Print' }, stop: true }),
    })
    await addRule('aksel', { name: 'b', needs: 'any', action: does({ hold: 'junk' }) })
    await addRule('aksel', {
      name: 'PDFs',
      conditions: [{ field: 'kind', test: 'is', values: ['pdf'] }],
      action: does({ important: true }),
    })
    const out = await per.get(`/api/mail-rules/sieve?mailbox=${server.mailbox('aksel')}`)
    expect(out.type).toBe('application/sieve')
    const script = String(out.text ?? out.body)
    expect(script).toMatch(/^# Left out: PDFs asks for kinds of attachments, by content\.\n/)
    const { body: read } = await per.post('/api/mail-rules/sieve', { script })
    expect(read.left).toEqual([])
    expect((read.rules as MailRuleDraft[]).map(({ name }) => name)).toEqual(['a', 'b'])
    expect((await change('aksel', { act: 'bring-in', drafts: read.rules })).body.code).toBe('NOTHING_TO_DO')
    const { body } = await change('kari', { act: 'bring-in', drafts: [...read.rules, ...read.rules] })
    expect(body.added).toHaveLength(2)
    const plain = (rules: readonly MailRuleShape[]) =>
      rules.map(({ name, needs, conditions, action }) => ({ name, needs, conditions, action }))
    expect(plain(await rulesNow('kari'))).toEqual(plain(await rulesNow('aksel')).slice(0, 2))
    await per.post(`/api/mailbox-changes/${body.change}/undo`, {})
    expect(await rulesNow('kari')).toEqual([])
  })

  test.each([
    ['if header :is "subject" "a" {', 'unfinished'],
    ['keep;\n%%', 'Line 2'],
    ['x'.repeat(300_000), 'longer than'],
    [`if ${'not '.repeat(50)}true { keep; }`, 'nested'],
  ])('a script that can’t be read says where: %#', async (script, said) => {
    const { status, body } = await per.post('/api/mail-rules/sieve', { script })
    expect([status, body.code]).toEqual([400, 'BAD_SCRIPT'])
    expect(body.text).toContain(said === 'unfinished' ? 'before it is finished' : said)
  })
  test('what can’t be taken is told by its line', async () => {
    const { body } = await per.post('/api/mail-rules/sieve', {
      script:
        'if header :is "subject" "a" { redirect "b@x.example"; }\nif header :is "subject" "b" { keep; }',
    })
    expect(body.left).toEqual([{ line: 1, why: 'action', text: 'redirect' }])
    expect(body.rules).toHaveLength(1)
  })
})

describe('rules that only block one sender each become entries', () => {
  const sender = (i: number) => `offers-${i}@shop-${i % 26}.example`
  /** 104 rules, and a few that do or ask for more. */
  async function manyRules(): Promise<void> {
    const drafts = Array.from({ length: 104 }, (_, i) =>
      draft({
        name: sender(i),
        conditions: [{ field: 'from', test: 'is', values: [sender(i)] }],
        action: does({ hold: i % 10 === 0 ? 'discarded' : 'junk' }),
      }),
    )
    const odd = [
      draft({ name: 'files', action: does({ place: { kind: 'folder', folder: 'A' } }) }),
      draft({
        name: 'asks for a subject',
        conditions: [
          { field: 'from', test: 'is', values: ['x@y.example'] },
          { field: 'subject', test: 'contains', values: ['sale'] },
        ],
        action: does({ hold: 'junk' }),
      }),
    ]
    const { body } = await change('bookings', { act: 'bring-in', drafts: [...drafts, ...odd] })
    expect(body.added).toHaveLength(106)
  }
  const to = ['bookings@harbour.example']
  const bound = async (from: string) => {
    const [id = 0] = await arrive(server, {
      from: `Shop <${from}>`,
      subject: 'Berths for Monday',
      body: 'Please find the berths for Monday below.',
      to,
      headers: [proven(from.split('@')[1] ?? '')],
    })
    const [row] = await select<{ state: string; bound_for: string | null }>(
      server.db,
      'SELECT state, bound_for FROM deliveries WHERE id = :id',
      { id },
    )
    return row?.bound_for ?? row?.state
  }
  const entries = async () =>
    (
      await select<{ n: number }>(
        server.db,
        "SELECT COUNT(*) AS n FROM sender_entries WHERE mailbox_id = :id AND ended_at IS NULL AND standing = 'blocked'",
        { id: server.mailbox('bookings') },
      )
    )[0]?.n
  const preview = async (): Promise<FoldPreview> =>
    (await per.get(`/api/mailboxes/${server.mailbox('bookings')}/mail-rules/fold`)).body as FoldPreview
  const senders = [1, 10, 55, 99].map(sender)

  test('104 of them: entries made, the replay equal, undone, equal again', async () => {
    await manyRules()
    expect((await per.get('/api/mail-rules/foldable')).body.mailboxes).toEqual([
      { mailboxId: server.mailbox('bookings'), name: 'Bookings', rules: 104, all: 106 },
    ])
    const before = []
    for (const from of [...senders, 'friend@quay.example']) before.push(await bound(from))
    expect(before).toEqual(['junk', 'discarded', 'junk', 'junk', 'inbox'])

    const shown = await preview()
    expect(shown.folds).toHaveLength(104)
    expect(shown).toMatchObject({ entries: 104, discards: 11, looked: 5, of: 5, matched: 4, elsewhere: 1 })
    expect(shown.stays.map(({ name, why }) => [name, why])).toEqual([
      ['files', 'does-more'],
      ['asks for a subject', 'asks-more'],
    ])
    const rules = shown.folds.map(({ id }) => id)
    const token = randomUUID()
    const fold = () =>
      per.post(`/api/mailboxes/${server.mailbox('bookings')}/mail-rules/fold`, {
        rules,
        token,
        reason: 'one list',
      })
    const twice = await Promise.all([fold(), fold()])
    expect(twice.map(({ status }) => status)).toEqual([200, 200])
    expect(twice[0]?.body).toMatchObject({ rules: 104 })
    expect(await entries()).toBe(104)
    expect((await rulesNow('bookings')).map(({ name }) => name)).toEqual(['files', 'asks for a subject'])

    // The same mail is held; what was discarded is in the junk folder now, as was said.
    const after = []
    for (const from of [...senders, 'friend@quay.example']) after.push(await bound(from))
    expect(after).toEqual(['junk', 'junk', 'junk', 'junk', 'inbox'])
    expect((await preview()).folds).toEqual([])

    const { body: record } = await per.get('/api/record?what=mail-rules&who=everybody')
    expect(record.lines[0]).toMatchObject({
      act: 'mail-rules-folded',
      reason: 'one list',
      facts: { rules: 104 },
    })
    const start = shown.folds.map(({ id, name }) => [id, name])
    expect((await per.post(`/api/rulings/${twice[0]?.body.rulingId}/undo`, {})).status).toBe(200)
    expect(await entries()).toBe(0)
    const now = await rulesNow('bookings')
    expect(now.slice(0, 104).map(({ id, name }) => [id, name])).toEqual(start)
    const again = []
    for (const from of [...senders, 'friend@quay.example']) again.push(await bound(from))
    expect(again).toEqual(before)
    expect(await preview()).toMatchObject({ entries: 104, stays: shown.stays })
  })

  test('other rules than those shown are not touched; who may not is told', async () => {
    const id = await addRule('bookings', {
      conditions: [{ field: 'from', test: 'is', values: ['a@b.example'] }],
      action: does({ hold: 'junk' }),
    })
    const path = `/api/mailboxes/${server.mailbox('bookings')}/mail-rules/fold`
    expect((await per.post(path, { rules: [id, 999_999], token: randomUUID() })).body.code).toBe(
      'MAIL_RULE_CHANGED',
    )
    expect(
      (await (await signedIn(server, 'una')).post(path, { rules: [id], token: randomUUID() })).status,
    ).toBe(403)
    expect((await per.get('/api/mailboxes/99999/mail-rules/fold')).body.code).toBe('MAILBOX_NOT_FOUND')
    expect(await rulesNow('bookings')).toHaveLength(1)
  })

  test('what an entry covers already becomes none, and comes back all the same', async () => {
    const block = await per.post('/api/senders/changes', {
      add: [{ pattern: 'covered.example', standing: 'blocked', mailboxId: server.mailbox('bookings') }],
      end: [],
      reason: '',
      token: randomUUID(),
    })
    expect(block.status).toBe(200)
    await addRule('bookings', {
      name: 'covered',
      conditions: [{ field: 'from', test: 'is', values: ['a@covered.example'] }],
      action: does({ hold: 'junk' }),
    })
    const shown = await preview()
    expect(shown).toMatchObject({ entries: 0, folds: [{ name: 'covered', made: 0 }] })
    const { body } = await per.post(`/api/mailboxes/${server.mailbox('bookings')}/mail-rules/fold`, {
      rules: shown.folds.map(({ id }) => id),
      token: randomUUID(),
    })
    expect(await rulesNow('bookings')).toEqual([])
    await per.post(`/api/rulings/${body.rulingId}/undo`, {})
    expect((await rulesNow('bookings')).map(({ name }) => name)).toEqual(['covered'])
  })
})
