import fc from 'fast-check'
import iconv from 'iconv-lite'
import { describe, expect, test } from 'vitest'
import {
  planDirectory,
  readDirectoryCsv,
  type DirectoryLine,
  type DirectoryPlan,
  type KnownMailbox,
} from '@pendro/core/directory'

const context = { ownDomains: ['harbour.example'], usual: { timeZone: 'Europe/Oslo', language: 'en' } }
const at = (name: string) => `${name}@harbour.example`

const known = (id: number, name: string, more: Partial<KnownMailbox> = {}): KnownMailbox => ({
  id,
  address: at(name),
  name,
  kind: 'person',
  department: 'Office',
  timeZone: 'Europe/Oslo',
  language: 'en',
  aliases: [],
  minders: [],
  isClosed: false,
  ...more,
})
const line = (n: number, address: string, fields: DirectoryLine['fields'] = {}): DirectoryLine => ({
  line: n,
  address,
  fields,
})
const answersOf = ({ answers }: DirectoryPlan) =>
  answers.map(one => (one.fate === 'wrong' ? `${one.line} ${one.problem.code}` : `${one.line} ${one.fate}`))

describe('who is who', () => {
  const kari = known(7, 'kari', { aliases: [at('watch')], directoryId: 'a' })
  test.each<[string, readonly DirectoryLine[], readonly string[]]>([
    ['an alias named as an address is whoever has it', [line(1, at('watch'))], ['1 change']],
    [
      'unless another line is about them, in whatever order',
      [line(1, at('watch')), line(2, at('kari'))],
      ['1 taken', '2 same'],
    ],
    ['or the directory knows both', [{ ...line(1, at('watch')), directoryId: 'b' }], ['1 taken']],
    [
      'and the same of the directory is the same',
      [{ ...line(1, at('watch')), directoryId: 'a' }],
      ['1 change'],
    ],
  ])('%s', (_what, lines, answers) => {
    expect(answersOf(planDirectory(lines, [kari], context))).toEqual(answers)
  })
  test('an address of Pendro is nobody’s, and whoever has postmaster keeps it', () => {
    const lines = [
      line(1, at('help')),
      line(2, at('other'), { aliases: at('help') }),
      line(3, at('kari'), { aliases: '' }),
      line(4, at('kari2'), { aliases: at('helper') }),
    ]
    const set = { ...context, ofPendro: [at('help')], postmaster: at('watch') }
    expect(answersOf(planDirectory(lines, [kari], set))).toEqual([
      '1 of-pendro',
      '2 of-pendro',
      '3 postmaster',
      '4 add',
    ])
  })
})

describe('what lines come to', () => {
  test('a new one gets the usual; one that is there keeps what the line says nothing of', () => {
    const plan = planDirectory(
      [
        line(1, 'Anna@Harbour.example', { name: ' Anna\n Berg ' }),
        line(2, at('kari'), { department: 'Finance' }),
      ],
      [known(7, 'kari', { language: 'nb' })],
      context,
    )
    expect(answersOf(plan)).toEqual(['1 add', '2 change'])
    expect(plan.add).toEqual([
      {
        address: at('anna'),
        name: 'Anna Berg',
        kind: 'person',
        department: '',
        timeZone: 'Europe/Oslo',
        language: 'en',
        aliases: [],
        minders: [],
      },
    ])
    expect(plan.change).toMatchObject([
      { id: 7, to: { department: 'Finance', language: 'nb' }, reopens: false },
    ])
    expect(plan.close).toEqual([])
  })
  test.each<[string, DirectoryLine, string]>([
    ['no address', line(1, 'kari'), '1 no-address'],
    ['elsewhere', line(1, 'kari@elsewhere.example'), '1 not-ours'],
    ['a subdomain is not ours by itself', line(1, 'kari@mail.harbour.example'), '1 not-ours'],
    ['a kind that there is not', line(1, at('x'), { kind: 'robot' }), '1 no-kind'],
    ['a kind by a name of prototypes', line(1, at('x'), { kind: 'constructor' }), '1 no-kind'],
    ['no zone', line(1, at('x'), { timeZone: 'Mars/Base' }), '1 no-zone'],
    ['no language', line(1, at('x'), { language: 'xx' }), '1 no-language'],
    ['an alias elsewhere', line(1, at('x'), { aliases: 'x@elsewhere.example' }), '1 not-ours'],
    ['an alias of somebody else', line(1, at('x'), { aliases: at('k.alias') }), '1 taken'],
    ['the address of somebody else as an alias', line(1, at('x'), { aliases: at('kari') }), '1 taken'],
    ['a minder nobody is', line(1, at('x'), { minders: at('nobody') }), '1 no-minder'],
    ['too long', line(1, at('x'), { name: 'x'.repeat(201) }), '1 too-long'],
  ])('%s', (_what, given, answer) => {
    const plan = planDirectory([given], [known(1, 'kari', { aliases: [at('k.alias')] })], context)
    expect(answersOf(plan)).toEqual([answer])
    expect([plan.add, plan.change, plan.close]).toEqual([[], [], []])
  })
  test('an address twice: the first line has it, by whatever name', () => {
    const plan = planDirectory(
      [
        line(1, at('a')),
        line(2, at('A')),
        line(3, at('b'), { aliases: at('a') }),
        line(4, `a+tag@harbour.example`),
      ],
      [],
      context,
    )
    expect(answersOf(plan)).toEqual(['1 add', '2 twice', '3 twice', '4 twice'])
  })
  test('an alias that one line gives up another may take', () => {
    const kari = known(1, 'kari', { aliases: [at('sales')] })
    const plan = planDirectory(
      [line(1, at('kari'), { aliases: '' }), line(2, at('per'), { aliases: at('sales') })],
      [kari, known(2, 'per')],
      context,
    )
    expect(answersOf(plan)).toEqual(['1 change', '2 change'])
  })
  test('minders may come with the same lines, and are named by any address of theirs', () => {
    const plan = planDirectory(
      [
        line(1, at('desk'), { kind: 'shared', minders: `${at('new')}; ${at('k.alias')}, ${at('desk')}` }),
        line(2, at('new')),
      ],
      [known(1, 'kari', { aliases: [at('k.alias')] })],
      context,
    )
    expect(plan.add[0]?.minders).toEqual([at('kari'), at('new')])
  })
  test('a closed one that is named is open again', () => {
    const plan = planDirectory([line(1, at('kari'))], [known(1, 'kari', { isClosed: true })], context)
    expect(answersOf(plan)).toEqual(['1 reopen'])
    expect(plan.change).toMatchObject([{ id: 1, reopens: true }])
  })
  test('who is missing is closed only where that was asked for, and never for a line that was wrong', () => {
    const all = [known(1, 'a'), known(2, 'b'), known(3, 'c'), known(4, 'd', { isClosed: true })]
    const lines = [line(1, at('a')), line(2, at('b'), { language: 'xx' })]
    expect(planDirectory(lines, all, context).close).toEqual([])
    const missing = new Set([1, 2, 3, 4])
    expect(planDirectory(lines, all, { ...context, missing }).close).toEqual([3])
    expect(planDirectory(lines, all, { ...context, missing: new Set([1]) }).close).toEqual([])
  })
})

/** Does a plan, as the database does. */
function done(plan: DirectoryPlan, before: readonly KnownMailbox[]): readonly KnownMailbox[] {
  const changed = new Map(plan.change.map(({ id, to }) => [id, to]))
  const kept = before.map(one => ({
    ...one,
    ...(changed.get(one.id) ?? {}),
    isClosed: changed.has(one.id) ? false : one.isClosed || plan.close.includes(one.id),
  }))
  return [...kept, ...plan.add.map((to, i) => ({ ...to, id: 1000 + i, isClosed: false }))]
}

const names = ['a', 'b', 'c', 'd', 'e']
const some = fc.subarray(names).map(list => list.map(at).join(' '))
const anyLine = fc
  .record({
    address: fc.constantFrom(...names.map(at)),
    fields: fc.record(
      {
        name: fc.constantFrom('', 'Anna', 'Berg'),
        department: fc.constantFrom('', 'Finance'),
        aliases: some,
        minders: some,
      },
      { requiredKeys: [] },
    ),
  })
  .map(one => one as Omit<DirectoryLine, 'line'>)
const anyKnown = fc
  .subarray(names)
  .map(list =>
    list.map((name, i): KnownMailbox => known(i + 1, name, { isClosed: i === 3, minders: [], aliases: [] })),
  )

describe('whatever is wanted', () => {
  test('no address is two mailboxes’, every minder is one, and doing it again comes to nothing', () => {
    fc.assert(
      fc.property(fc.array(anyLine, { maxLength: 8 }), anyKnown, fc.boolean(), (given, before, closes) => {
        const lines = given.map((one, i) => ({ ...one, line: i + 1 }))
        const missing = closes ? new Set(before.map(({ id }) => id)) : new Set<number>()
        const plan = planDirectory(lines, before, { ...context, missing })
        expect(plan.answers).toHaveLength(lines.length)
        const after = done(plan, before)
        const addresses = after.flatMap(one => [one.address, ...one.aliases])
        expect(new Set(addresses).size).toBe(addresses.length)
        const there = new Set(after.map(({ address }) => address))
        for (const one of after) expect(one.minders.every(minder => there.has(minder))).toBe(true)
        const right = lines.filter((_, i) => plan.answers[i]?.fate !== 'wrong')
        const again = planDirectory(right, after, context)
        expect(again.add).toEqual([])
        expect(again.change).toEqual([])
      }),
      { numRuns: 400 },
    )
  })
})

describe('tables', () => {
  const read = (text: string | Buffer) => readDirectoryCsv(Buffer.from(text))
  test('columns by their headings, in any order; strange ones are named', () => {
    const found = read('Name;E-Mail;Shoe size;Department\r\nAnna;anna@harbour.example;38;Office\r\n\r\n')
    expect(found).toMatchObject({
      ok: true,
      value: {
        lines: [{ line: 2, address: 'anna@harbour.example', fields: { name: 'Anna', department: 'Office' } }],
        unknown: ['shoe size'],
      },
    })
  })
  test('Latin-1 with semicolons, UTF-16, a byte-order mark, cells with line breaks', () => {
    const text = 'address;name\r\nasa@harbour.example;"Åse\nSæter"\r\nb@harbour.example;Bjørn'
    for (const bytes of [
      iconv.encode(text, 'latin1'),
      iconv.encode(text, 'utf-16le', { addBOM: true }),
      `\ufeff${text}`,
    ]) {
      const found = read(bytes as Buffer)
      expect(found.ok && found.value.lines.map(one => [one.line, one.fields.name])).toEqual([
        [2, 'Åse\nSæter'],
        [4, 'Bjørn'],
      ])
    }
  })
  test('without headings: address, name, department', () => {
    const found = read('a@harbour.example,Anna,Office\nb@harbour.example\n')
    expect(found.ok && found.value.lines).toEqual([
      { line: 1, address: 'a@harbour.example', fields: { name: 'Anna', department: 'Office' } },
      { line: 2, address: 'b@harbour.example', fields: {} },
    ])
  })
  test.each([
    ['', 'empty'],
    [' \n ', 'empty'],
    ['\u0000\u0001abc', 'binary'],
  ])('%j can’t be read', (text, code) => expect(read(text)).toMatchObject({ ok: false, problem: { code } }))
  test('100,000 lines and no more', () => {
    const lines = Array.from({ length: 100_001 }, (_, i) => `a${i}@harbour.example`)
    expect(read(lines.slice(1).join('\n')).ok).toBe(true)
    expect(read(lines.join('\n'))).toMatchObject({ ok: false, problem: { code: 'too-many' } })
  })
})

describe('which mail store a mailbox is at', () => {
  const context = { ownDomains: ['harbour.example'], usual: { timeZone: 'UTC', language: 'en' } }
  const line = (store?: string) => ({
    line: 1,
    address: 'anna@harbour.example',
    fields: { name: 'Anna', ...(store === undefined ? {} : { store }) },
  })
  test('a column says it; a table without one changes nothing of it', () => {
    const [added] = planDirectory([line('Pier')], [], context).add
    expect(added?.store).toBe('Pier')
    const there = { ...added, id: 1, isClosed: false } as KnownMailbox
    expect(planDirectory([line()], [there], context).change).toEqual([])
    expect(planDirectory([line('Yard')], [there], context).change[0]?.to.store).toBe('Yard')
    expect(planDirectory([line('')], [there], context).change[0]?.to.store).toBe(undefined)
    expect(planDirectory([line('x'.repeat(61))], [], context).answers[0]).toMatchObject({ fate: 'wrong' })
  })
})
