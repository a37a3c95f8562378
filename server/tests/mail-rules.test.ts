import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import { randomUUID } from 'node:crypto'
import { gzipSync } from 'node:zlib'
import type {
  MailRuleDraft,
  MailRuleShape,
  MailRuleSheet,
  PathLineShape,
  RulesChange,
  RulesEffect,
  RulesWork,
  WhereAnswer,
} from '@pendro/contract'
import { decodeWords } from '@pendro/core/address'
import { execute, select } from '../src/db/database.ts'
import { unpackReading } from '../src/reading/reading.ts'
import { does, draft, ruleTools } from './mail-rule-tools.ts'
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

type Tools = ReturnType<typeof ruleTools>

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
let oda: Awaited<ReturnType<typeof signedIn>>
let ownerOf: Tools['ownerOf']
let change: Tools['change']
let addRule: Tools['addRule']
let rulesNow: Tools['rulesNow']
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
  oda = await signedIn(server, 'oda')
  ;({ ownerOf, change, addRule, rulesNow } = ruleTools(server, { per, oda }))
})
afterEach(() => forget())
afterAll(() => server.close())

const effect = async (mailbox: string | null, given: RulesChange): Promise<RulesEffect> =>
  (await per.post('/api/mail-rules/effect', { mailbox: ownerOf(mailbox), change: given })).body as RulesEffect
const forget = () => execute(server.db, 'DELETE FROM mail_rules')
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
  })

  test('a release that is undone in time leaves it in its folder', async () => {
    await addRule('ingrid')
    const [id = 0] = await arrive(server, { ...printer, subject: 'Proof 13' })
    await work(server, fakeStore().send)
    const { body } = await per.post('/api/rulings', ruling([id], { message: 'release' }))
    await per.post(`/api/rulings/${body.id}/undo`, {})
    expect(await stateOf(server.db, id)).toBe('moved')
  })

  test('it is the colleague’s own mail: opening it asks why', async () => {
    await addRule('ingrid')
    const [id = 0] = await arrive(server, { ...printer, subject: 'Proof 14' })
    await work(server, fakeStore().send)
    expect((await per.get(`/api/deliveries/${id}`)).body.asksWhy).toBe(true)
  })
})

describe('stage 5 of the path', () => {
  test.each([
    // The rules of Aksel are not asked about Ingrid's mail.
    ['another mailbox’s rule', 'aksel', {}, { subject: 'Proof 20' }, 'quarantined', 'silent'],
    [
      'to the inbox, whatever the score',
      'ingrid',
      { action: does({ hold: 'let-in', place: { kind: 'inbox' } }) },
      {},
      'deferred',
      'decided',
    ],
    // What the score would quarantine is not let into the junk folder by it.
    [
      'junk, and the score is stricter',
      'ingrid',
      { action: does({ hold: 'junk' }) },
      {},
      'quarantined',
      'decided',
    ],
    [
      'to the junk folder',
      'ingrid',
      { action: does({ hold: 'junk' }) },
      { ...printer, body: 'Proof 12 is ready.' },
      'deferred',
      'decided',
    ],
    ['discarded at once', 'ingrid', { action: does({ hold: 'discarded' }) }, {}, 'discarded', 'decided'],
    // Placing is another question: the score holds it all the same.
    [
      'only filed',
      'ingrid',
      { action: does({ place: { kind: 'folder', folder: 'A' } }) },
      {},
      'quarantined',
      'silent',
    ],
    [
      'a condition that does not hold',
      'ingrid',
      { conditions: [{ field: 'subject', test: 'is', values: ['proof'] }] },
      {},
      'quarantined',
      'silent',
    ],
  ] as const)('%s', async (_name, mailbox, rule, letter, state, outcome) => {
    await addRule(mailbox, rule as Partial<MailRuleDraft>)
    const [id = 0] = await arrive(server, { subject: 'Proof 21', ...letter })
    expect([await stateOf(server.db, id), (await rulesLine(id))?.outcome]).toEqual([state, outcome])
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
      rule_holds: string
      rule_places: string
    }>(server.db, 'SELECT state, bound_for, folder, rule_holds, rule_places FROM deliveries WHERE id = :id', {
      id,
    })
    // The colleague's block says junk; the score would quarantine, and the stricter holds.
    expect(row).toMatchObject({
      state: 'quarantined',
      folder: null,
      rule_holds: 'let-in',
      rule_places: 'moved',
    })
    expect(await rulesLine(id)).toMatchObject({ outcome: 'late', rules: [{ id: ruleId }] })
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
  })

  test('“would mail reach …?” foresees rules that ask for the sender alone', async () => {
    await addRule('ingrid', {
      conditions: [{ field: 'from', test: 'contains', values: ['@ferries.example'] }],
    })
    const ask = async (from: string) =>
      (
        await per.get(
          `/api/senders/question?from=${from}&mailbox=${server.mailbox('ingrid')}&authenticated=yes`,
        )
      ).body
    expect(await ask('tea@ferries.example')).toMatchObject({ state: 'moved', decidedBy: 'rules' })
    expect(await ask('tea@notferries.example')).toMatchObject({ decidedBy: 'score' })
  })
})

describe('placing beside holding (domain.md §3)', () => {
  const filed = { action: does({ place: { kind: 'folder', folder: 'Print' } }) }
  const shown = async (id: number) => {
    const { body } = await per.get(`/api/deliveries/${id}`)
    return (body.path as PathLineShape[])
      .filter(({ outcome }) => outcome === 'decided')
      .map(({ stage, rules }) => (rules ? `${stage} ${rules[0]?.place} ${rules[0]?.folder}`.trim() : stage))
  }

  test('a safe sender’s mail is still sorted, and marked; both answers stand in the path', async () => {
    await addRule('ingrid', filed)
    await addRule('ingrid', { name: 'Mark', action: does({ important: true }) })
    const from = 'Print <desk@safe-printer.example>'
    await per.post('/api/rulings', {
      ...ruling(await arrive(server, { from, subject: 'x', headers: [proven('safe-printer.example')] })),
      sentence: { ...ruling([]).sentence, sender: 'safe', learn: 'nothing' },
    })
    const [id = 0] = await arrive(server, {
      from,
      subject: 'Proof',
      headers: [proven('safe-printer.example')],
    })
    const store = fakeStore()
    await work(server, store.send)
    expect(await stateOf(server.db, id)).toBe('moved')
    expect(await shown(id)).toEqual(['personal', 'placing moved Print'])
    const copy = store.taken.find(({ raw }) => raw.includes(`Pendro-Delivery: ${id}.`))
    expect(copy?.raw).toContain('\r\nPendro-Important: yes\r\n')
  })

  test.each([
    ['what the score holds is not let in by being filed', filed, 'quarantined', ['score']],
    [
      'set aside by a rule',
      { action: does({ hold: 'let-in', place: { kind: 'aside' } }) },
      'deferred',
      ['rules let-in', 'placing aside'],
    ],
    [
      'what is junked is not filed',
      { action: does({ hold: 'junk', place: { kind: 'inbox' } }) },
      'quarantined',
      ['rules junk'],
    ],
  ] as const)('%s', async (_name, rule, state, path) => {
    await addRule('ingrid', rule as Partial<MailRuleDraft>)
    const [id = 0] = await arrive(server, { subject: 'Proof 40' })
    expect([await stateOf(server.db, id), await shown(id)]).toEqual([state, path])
  })

  test('a rule lets in nothing that lists or harm stop', async () => {
    await addRule('ingrid', { action: does({ hold: 'let-in', place: { kind: 'inbox' } }) })
    const from = 'Ads <ads@shouting.example>'
    await oda.post('/api/rulings', {
      ...ruling(await arrive(server, { from, subject: 'x' })),
      sentence: { ...ruling([]).sentence, sender: 'blocked', for: 'everyone', learn: 'junk' },
    })
    const [blocked = 0] = await arrive(server, { from, subject: 'Proof' })
    expect([await stateOf(server.db, blocked), await shown(blocked)]).toEqual(['quarantined', ['binding']])
  })

  test('discarded by a rule: in no digest, told where it is, and can be restored', async () => {
    await addRule('ingrid', { name: 'Away with it', action: does({ hold: 'discarded' }) })
    const [id = 0] = await arrive(server, { from: 'Fair <news@fair.example>', subject: 'Proof of the fair' })
    expect(await stateOf(server.db, id)).toBe('discarded')
    const { body } = await per.post('/api/whereabouts', { from: 'fair', about: 'proof of the fair' })
    expect((body as WhereAnswer).hits[0]?.journey.map(({ kind }) => kind)).toEqual([
      'came-in',
      'checked',
      'discarded',
      'goes-away',
    ])
    const account = await per.get(`/api/whereabouts/${id}/account`)
    expect(account.body.explanations.de).toContain('Ihre Mailregel „Away with it“ hat sie verworfen')
    const restored = await per.post('/api/rulings', ruling([id], { message: 'restore' }))
    expect(restored.body.deliveries).toEqual([{ id, state: 'quarantined' }])
  })

  test('the organisation’s rules come after the colleague’s own, whatever stops there', async () => {
    await addRule(null, { name: 'No proofs', action: does({ hold: 'junk' }) })
    await addRule('ingrid', { action: does({ place: { kind: 'folder', folder: 'A' }, stop: true }) })
    await addRule('aksel', { action: does({ hold: 'let-in' }) })
    const mild = { ...printer, body: 'The proof is ready.' }
    const [hers = 0] = await arrive(server, {
      ...mild,
      subject: 'Proof 50',
      to: ['ingrid@harbour.example'],
    })
    const [aksels = 0] = await arrive(server, {
      ...mild,
      subject: 'Proof 51',
      to: ['aksel@harbour.example'],
    })
    const places = await select<{ bound_for: string }>(
      server.db,
      'SELECT bound_for FROM deliveries WHERE id IN (:ids) ORDER BY id',
      { ids: [hers, aksels] },
    )
    expect(places.map(row => row.bound_for)).toEqual(['junk', 'inbox'])
    expect((await rulesLine(hers))?.rules?.[0]).toMatchObject({ owner: 'organisation', name: 'No proofs' })
  })
})

describe('what a change of rules does is said before it is made', () => {
  const subjects = ['Proof a', 'Proof b, urgent', 'Proof c', 'Urgent alone']
  const urgent = {
    name: 'Urgent',
    conditions: [{ field: 'subject' as const, test: 'contains' as const, values: ['urgent', 'at once'] }],
    action: does({ hold: 'let-in', place: { kind: 'inbox' } }),
  }
  beforeAll(async () => {
    for (const subject of subjects) await arrive(server, { subject, to: ['kari@harbour.example'] })
  })
  const movesOf = ({ moves }: RulesEffect) =>
    moves
      .filter(({ deliveries }) => deliveries > 0)
      .map(({ from, to, deliveries }) => `${deliveries}: ${from.state} → ${to.state} ${to.folder}`.trim())
      .sort()

  test('a new rule: which mail, where it would be, and what then really happens', async () => {
    const filed = await effect('kari', { act: 'add', draft: draft() })
    expect(filed).toMatchObject({ matched: 3, changed: 3, finding: null })
    expect(movesOf(filed)).toEqual(['3: quarantined → moved Print/Prøver'])
    expect(
      filed.examples
        .filter(({ would }) => would.state === 'moved')
        .map(({ subject }) => subject)
        .sort(),
    ).toEqual(subjects.slice(0, 3))
    // Nothing was done by looking.
    expect(await rulesNow('kari')).toEqual([])
    await addRule('kari')
    const [id = 0] = await arrive(server, { subject: 'Proof d', to: ['kari@harbour.example'] })
    const [row] = await select<{ bound_for: string; folder: string }>(
      server.db,
      'SELECT bound_for, folder FROM deliveries WHERE id = :id',
      { id },
    )
    expect(row).toEqual({ bound_for: 'moved', folder: 'Print/Prøver' })
  })

  test('one rule behind another, without the first, and in the other order', async () => {
    const first = await addRule('kari')
    const second = await addRule('kari', urgent)
    const sheet = await ruleSheet(first)
    expect(sheet).toMatchObject({ on: true, mailboxName: 'Kari' })
    expect(sheet.effect.matched).toBe(4)
    expect(movesOf(sheet.effect)).toEqual(['1: moved → inbox', '3: moved → quarantined'])
    const turned = await effect('kari', { act: 'order', ids: [second, first] })
    expect(movesOf(turned)).toEqual(['1: moved → inbox'])
    const { body } = await per.get(`/api/mail-rules/work?mailbox=${server.mailbox('kari')}`)
    expect((body as RulesWork).rules.map(({ id, matched, acted }) => [id, matched, acted])).toEqual([
      [first, 4, 4],
      [second, 2, 1],
    ])
  })

  test('a rule that repeats another, and one that takes everything, are named', async () => {
    const first = await addRule('kari')
    const repeated = await effect('kari', { act: 'add', draft: draft({ name: 'Again' }) })
    expect(repeated.finding).toEqual({ kind: 'repeats', by: first, byName: 'Proofs' })
    const all = draft({ conditions: [{ field: 'subject', test: 'matches', values: ['*'] }] })
    expect((await effect('kari', { act: 'add', draft: all })).finding).toEqual({ kind: 'everything' })
  })

  test.each([
    ['missing', 'DELETE FROM message_readings'],
    ['of before rules were asked', 'UPDATE message_readings SET gzip = :before'],
  ])('a reading that is %s is made once more, and kept', async (_name, spoil) => {
    const before = gzipSync(JSON.stringify({ words: [], headers: [] }))
    await execute(server.db, spoil, { before })
    const again = await effect('kari', { act: 'add', draft: draft() })
    expect(again.looked).toBe(again.of)
    expect(again.matched).toBeGreaterThan(2)
    const kept = await select<{ gzip: Buffer }>(
      server.db,
      'SELECT r.gzip FROM message_readings r JOIN deliveries d ON d.message_id = r.message_id WHERE d.mailbox_id = :id',
      { id: server.mailbox('kari') },
    )
    expect(kept).toHaveLength(again.of)
    expect(kept.every(({ gzip }) => unpackReading(gzip).rules !== undefined)).toBe(true)
  })
})

describe('rules are changed as acts', () => {
  test('edited, switched, ordered, removed; each undone, and all in the record', async () => {
    const [a, b] = [await addRule('aksel', { name: 'a' }), await addRule('aksel', { name: 'b' })]
    const start = await rulesNow('aksel')
    const acts: readonly (readonly [RulesChange, unknown])[] = [
      [
        { act: 'edit', id: a, version: 1, draft: draft({ name: 'A', needs: 'any' }) },
        [{ name: 'A', needs: 'any' }, { name: 'b' }],
      ],
      [{ act: 'switch', id: b, on: false }, [{ on: true }, { on: false }]],
      [{ act: 'order', ids: [b, a] }, [{ id: b }, { id: a }]],
      [{ act: 'remove', id: a, version: 0 }, [{ id: b }]],
      [{ act: 'add', draft: draft({ name: 'first' }), at: 0 }, [{ name: 'first' }, { id: a }, { id: b }]],
    ]
    for (const [given, want] of acts) {
      const now = await rulesNow('aksel')
      const version = now.find(({ id }) => id === a)?.version ?? 0
      const { body, status } = await change('aksel', 'version' in given ? { ...given, version } : given)
      expect([given.act, status, body.code]).toEqual([given.act, 200, undefined])
      expect(await rulesNow('aksel')).toMatchObject(want as object[])
      expect((await per.post(`/api/mailbox-changes/${body.change}/undo`, {})).status).toBe(200)
      const plain = (rules: readonly MailRuleShape[]) => rules.map(({ version: _, ...rest }) => rest)
      expect(plain(await rulesNow('aksel'))).toEqual(plain(start))
      expect((await per.post(`/api/mailbox-changes/${body.change}/undo`, {})).body.code).toBe(
        'ALREADY_UNDONE',
      )
    }
    const { body } = await per.get('/api/record?what=mail-rules&who=everybody')
    const told = (body.lines as { act: string; undone: boolean }[]).slice(0, 10)
    expect(told.map(({ act }) => act)).toEqual(
      ['mail-rule-changed', 'mail-rule-off', 'mail-rules-ordered', 'mail-rule-removed', 'mail-rule-added']
        .flatMap(act => [act, 'mail-rules-undone'])
        .reverse(),
    )
    expect(told.filter(({ act }) => act !== 'mail-rules-undone').every(({ undone }) => undone)).toBe(true)
  })

  test('copied to others where they are not there yet, as one act', async () => {
    const [a, b] = [
      await addRule('aksel', { name: 'a' }),
      await addRule('aksel', { ...{ name: 'b' }, needs: 'any' }),
    ]
    await addRule('kari', { name: 'the same as a' })
    const copying: RulesChange = {
      act: 'copy',
      ids: [a, b],
      to: [server.mailbox('kari'), server.mailbox('ingrid')],
    }
    const { body } = await change('aksel', copying)
    expect(body.added).toHaveLength(3)
    expect((await rulesNow('kari')).map(({ name }) => name)).toEqual(['the same as a', 'b'])
    expect((await rulesNow('ingrid')).map(({ name }) => name)).toEqual(['a', 'b'])
    expect((await change('aksel', copying)).body.code).toBe('NOTHING_TO_DO')
    await per.post(`/api/mailbox-changes/${body.change}/undo`, {})
    expect((await rulesNow('kari')).map(({ name }) => name)).toEqual(['the same as a'])
    expect(await rulesNow('ingrid')).toEqual([])
  })

  test('somebody else was first: nothing is done, and undo keeps what was built on it', async () => {
    const id = await addRule('aksel', { name: 'a' })
    const mine = await change('aksel', { act: 'edit', id, version: 1, draft: draft({ name: 'mine' }) })
    const theirs = await change(
      'aksel',
      { act: 'edit', id, version: 1, draft: draft({ name: 'theirs' }) },
      oda,
    )
    expect([theirs.status, theirs.body.code]).toEqual([409, 'MAIL_RULE_CHANGED'])
    expect((await change('aksel', { act: 'order', ids: [id, 999_999] })).body.code).toBe('MAIL_RULE_CHANGED')
    await change('aksel', { act: 'edit', id, version: 2, draft: draft({ name: 'later' }) }, oda)
    const undone = await per.post(`/api/mailbox-changes/${mine.body.change}/undo`, {})
    expect([undone.status, undone.body.code]).toEqual([409, 'MAILBOX_CHANGED'])
    expect(await rulesNow('aksel')).toMatchObject([{ name: 'later' }])
  })

  test('sent twice it is one act; two that are added at once both are', async () => {
    const token = randomUUID()
    const add: RulesChange = { act: 'add', draft: draft({ name: 'once' }) }
    const twice = await Promise.all([change('aksel', add, per, token), change('aksel', add, per, token)])
    expect(twice.map(({ body }) => body)).toEqual([twice[0]?.body, twice[0]?.body])
    await Promise.all([addRule('aksel', { name: 'x' }), addRule('aksel', { name: 'y' })])
    expect((await rulesNow('aksel')).map(({ name }) => name).sort()).toEqual(['once', 'x', 'y'])
  })

  test('a rule begins like the message it is made from', async () => {
    const [plain = 0] = await arrive(server, { ...printer, subject: 'Proof' })
    const [listed = 0] = await arrive(server, {
      ...printer,
      subject: 'News',
      headers: ['List-Id: News <news.printer.example>'],
    })
    expect((await per.get(`/api/deliveries/${plain}/mail-rule`)).body).toMatchObject({
      name: 'Print',
      conditions: [{ field: 'from', test: 'is', values: ['desk@printer.example'] }],
    })
    expect((await per.get(`/api/deliveries/${listed}/mail-rule`)).body.conditions).toEqual([
      { field: 'list', test: 'is', values: ['news.printer.example'] },
    ])
  })
})

const folderNamed = (folder: string) => does({ place: { kind: 'folder', folder } })

describe('bad input', () => {
  test.each([
    ['no name', { name: ' ' }],
    ['no condition', { conditions: [] }],
    ['an empty value', { conditions: [{ field: 'subject', test: 'contains', values: [''] }] }],
    ['no value', { conditions: [{ field: 'subject', test: 'contains', values: [] }] }],
    ['a field nobody knows', { conditions: [{ field: 'x-spam', test: 'contains', values: ['a'] }] }],
    ['a kind nobody knows', { conditions: [{ field: 'kind', test: 'is', values: ['virus'] }] }],
    ['a size below nothing', { conditions: [{ field: 'size', test: 'over', bytes: -1 }] }],
    ['a folder without a name', { action: folderNamed('') }],
    ['a folder with an empty level', { action: folderNamed('Print//Proofs') }],
    ['a folder of 300 characters', { action: folderNamed('x'.repeat(300)) }],
    ['a line break in the folder', { action: folderNamed('Print\r\nPendro-Place: inbox') }],
    ['nothing to do', { action: does({ stop: true }) }],
    ['an action nobody knows', { action: { ...does({}), hold: 'forward' } }],
  ])('%s is refused with what is wrong', async (_name, more) => {
    const given = { act: 'add', draft: draft(more as Partial<MailRuleDraft>) } as const
    for (const { status, body } of [
      await change('aksel', given),
      await per.post('/api/mail-rules/effect', { mailbox: ownerOf('aksel'), change: given }),
    ])
      expect([status, body.code]).toEqual([400, 'BAD_REQUEST'])
  })

  test.each(['“Prøver” & "more"', '日本語/メール', '🚢 Ships', "O'Brien\\x"])(
    'a folder may be called %s: the mail store is told just that',
    async folder => {
      await addRule('ingrid', { action: does({ hold: 'let-in', place: { kind: 'folder', folder } }) })
      const [id = 0] = await arrive(server, { subject: 'Proof of a name' })
      const store = fakeStore()
      await work(server, store.send)
      const copy = store.taken.find(({ raw }) => raw.includes(`Pendro-Delivery: ${id}.`))
      const said = /^Pendro-Folder: (.*)$/m.exec(copy?.raw ?? '')?.[1] ?? ''
      expect(said).toMatch(/^[\x20-\x7e]+$/)
      expect(decodeWords(said)).toBe(folder)
    },
  )

  test('who may not, what is not there, and too many', async () => {
    const una = await signedIn(server, 'una')
    const add: RulesChange = { act: 'add', draft: draft() }
    expect((await change('aksel', add, una)).status).toBe(403)
    // The organisation's are the stewards'.
    expect((await change(null, add)).body.code).toBe('NEEDS_STEWARD')
    const nowhere = { mailbox: 99_999, change: add, token: randomUUID() }
    expect((await per.post('/api/mail-rules/changes', nowhere)).body.code).toBe('MAILBOX_NOT_FOUND')
    expect((await per.post('/api/mail-rules/effect', nowhere)).body.code).toBe('MAILBOX_NOT_FOUND')
    expect((await per.get('/api/mail-rules?mailbox=99999')).body.code).toBe('MAILBOX_NOT_FOUND')
    expect((await per.get('/api/mail-rules/99999')).body.code).toBe('MAIL_RULE_NOT_FOUND')
    expect((await per.get('/api/deliveries/99999999/mail-rule')).body.code).toBe('DELIVERY_NOT_FOUND')
    const gone: readonly RulesChange[] = [
      { act: 'switch', id: 99_999, on: false },
      { act: 'remove', id: 99_999, version: 1 },
      { act: 'copy', ids: [99_999], to: [server.mailbox('kari')] },
    ]
    for (const one of gone) expect((await change('aksel', one)).body.code).toBe('MAIL_RULE_NOT_FOUND')
    await execute(
      server.db,
      `INSERT INTO mail_rules (mailbox_id, place, name, needs, conditions, action, made_at)
       SELECT :id, seq, 'r', 'any', '[]', '{"hold":"let-in","place":null,"important":false,"stop":false}', NOW() FROM seq_1_to_500`,
      { id: server.mailbox('aksel') },
    )
    const { status, body } = await change('aksel', add)
    expect([status, body.code]).toEqual([409, 'TOO_MANY_RULES'])
    await forget()
    const words = Array.from({ length: 100 }, (_, i) => `word ${i}`)
    const broad = {
      ...add,
      draft: draft({
        conditions: Array.from({ length: 20 }, () => ({ field: 'body', test: 'contains', values: words })),
      }),
    }
    expect((await change('aksel', broad)).status).toBe(200)
    expect((await change('aksel', broad)).status).toBe(200)
    expect((await change('aksel', broad)).body.code).toBe('TOO_MANY_RULES')
  })
})
