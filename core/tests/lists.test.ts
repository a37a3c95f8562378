import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import fc from 'fast-check'
import iconv from 'iconv-lite'
import Papa from 'papaparse'
import { describe, expect, test } from 'vitest'
import {
  planImport,
  readList,
  sendersIn,
  tidyPattern,
  writeCsv,
  writeJson,
  writeSieve,
  writeText,
  type ImportContext,
  type ListFormat,
  type ListLine,
  type WrittenEntry,
} from '@pendro/core/lists'
import { parsePattern, patternText, type SenderEntry, type SenderPattern } from '@pendro/core/senders'

const pattern = (text: string): SenderPattern => {
  const parsed = parsePattern(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}
const read = (text: string | Uint8Array, name = 'list.txt', format?: ListFormat) => {
  const found = readList(typeof text === 'string' ? Buffer.from(text) : text, { name, format })
  if (!found.ok) throw new Error(found.problem.code)
  return found.value
}
const shown = (lines: readonly ListLine[]) =>
  lines.map(({ line, part, entry }) =>
    entry.ok
      ? `${line}.${part} ${entry.value.standing ?? '-'} ${patternText(entry.value.pattern)}`
      : `${line}.${part} ! ${entry.problem.code}`,
  )

describe('what people paste where a pattern is meant', () => {
  test.each([
    ['anna@x.example', 'anna@x.example'],
    ['  anna@x.example ,', 'anna@x.example'],
    ['anna@x.example;', 'anna@x.example'],
    ['Anna Berg <anna@x.example>', 'anna@x.example'],
    ['"Berg, Anna" <anna@x.example>', 'anna@x.example'],
    ['<anna@x.example>', '<anna@x.example>'],
    ['<news.x.example>', '<news.x.example>'],
    ['mailto:anna@x.example', 'anna@x.example'],
    ['MAILTO:anna%2Borders@x.example?subject=Hi', 'anna+orders@x.example'],
    ['mailto:anna%ZZ@x.example', 'anna%ZZ@x.example'],
    ['"anna@x.example"', 'anna@x.example'],
    ["'anna@x.example'", 'anna@x.example'],
    ["'=sum@x.example", '=sum@x.example'],
    ["'@x.example", '@x.example'],
    ['anna @ x.example', 'anna @ x.example'],
    ['"anna b"@x.example', '"anna b"@x.example'],
  ])('%j is %j', (typed, expected) => expect(tidyPattern(typed)).toBe(expected))

  test.each([
    ['a@x.example\nb.example\r\n*.c.example', ['a@x.example', 'b.example', '*.c.example']],
    ['Berg, Anna <a@x.example>; "Ny, Bo" <b@x.example>', ['Berg', 'a@x.example', 'b@x.example']],
    ['a@x.example, a@x.example,\n\n a@x.example ', ['a@x.example']],
    ['<list.x.example>', ['<list.x.example>']],
    [' \n,;\n', []],
  ])('pasted where a sender is meant, %j are %j', (text, expected) =>
    expect(sendersIn(text)).toEqual(expected),
  )
})

describe('plain text', () => {
  test('each line gets its own answer', () => {
    const text = [
      '# our list',
      'anna@x.example # the printer',
      '',
      'blocked promo.example',
      'safe *.harbour.example until 2027-01-31 # pilots',
      'Ben <ben@x.example>, carla@x.example,',
      'mailto:dora@x.example',
      'two words',
      'com',
      ',,',
      '<news.x.example>',
      'x#y@x.example',
    ].join('\r\n')
    const { format, lines } = read(text)
    expect(format).toBe('text')
    expect(shown(lines)).toEqual([
      '2.0 - anna@x.example',
      '4.0 blocked promo.example',
      '5.0 safe *.harbour.example',
      '6.0 - ben@x.example',
      '6.1 - carla@x.example',
      '7.0 - dora@x.example',
      '8.0 ! bad-domain',
      '9.0 ! public-suffix',
      '10.0 ! empty-pattern',
      '11.0 - <news.x.example>',
      '12.0 - x#y@x.example',
    ])
    expect(lines[0]?.entry).toMatchObject({ value: { reason: 'the printer' } })
    expect(lines[2]?.entry).toMatchObject({ value: { until: '2027-01-31', reason: 'pilots' } })
  })
  test('a line in another encoding does not spoil the rest', () => {
    const bytes = Buffer.concat([
      Buffer.from('a@x.example # Blåbær\n'),
      iconv.encode('b@x.example # Blåbær\n', 'windows-1252'),
    ])
    expect(read(bytes).lines.map(({ entry }) => entry.ok && entry.value.reason)).toEqual(['Blåbær', 'Blåbær'])
  })
  test.each(['utf-16le', 'utf-16be'])('%s with its mark', encoding => {
    const bytes = iconv.encode('bücher.example\n', encoding, { addBOM: true })
    expect(shown(read(bytes).lines)).toEqual(['1.0 - xn--bcher-kva.example'])
  })
  test('UTF-8 with its mark', () => expect(shown(read('\ufeffx.example').lines)).toEqual(['1.0 - x.example']))
  test('a binary file is refused as a whole, and says where', () => {
    const png = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0])
    expect(readList(png, { name: 'list.txt' })).toEqual({ ok: false, problem: { code: 'binary', at: 6 } })
    expect(readList(new Uint8Array(), { name: 'list.txt' })).toEqual({
      ok: false,
      problem: { code: 'empty' },
    })
  })
  test('a hostile line is read in no time', () => {
    const text = `${'"<'.repeat(20_000)}\n${'a,'.repeat(20_000)}\n${'x '.repeat(20_000)}`
    expect(read(text).lines.length).toBeGreaterThan(20_000)
  })
})

describe('CSV', () => {
  // RFC 4180 §2: the forms of its examples (2. no line break at the end, 3. a header, 5. quotes, 6. commas and
  // line breaks inside, 7. doubled quotes), with senders in place of aaa, bbb, ccc.
  test.each([
    [
      '2. last record without a line break',
      'a@x.example,safe\r\nb@x.example,blocked',
      ['1.0 safe a@x.example', '2.0 blocked b@x.example'],
    ],
    ['3. a header line', 'pattern,standing\r\na@x.example,safe\r\n', ['2.0 safe a@x.example']],
    [
      '5. fields in double quotes',
      '"a@x.example","safe","because"\r\nb@x.example,blocked,\r\n',
      ['1.0 safe a@x.example', '2.0 blocked b@x.example'],
    ],
    [
      '6. line breaks and commas inside',
      '"a@x.example","safe","one\r\ntwo, three"\r\nb@x.example,safe,\r\n',
      ['1.0 safe a@x.example', '3.0 safe b@x.example'],
    ],
    ['7. a doubled quote', '"a@x.example","safe","the ""printer"""\r\n', ['1.0 safe a@x.example']],
  ])('RFC 4180 §2 %s', (_, text, expected) => expect(shown(read(text, 'list.csv').lines)).toEqual(expected))
  test('reasons keep what stood in quotes', () => {
    const { lines } = read('"a@x.example","safe","the ""printer"",\r\n2nd floor"\r\n', 'list.csv')
    expect(lines[0]?.entry).toMatchObject({ value: { reason: 'the "printer",\r\n2nd floor' } })
  })
  test('columns by name in any order; semicolons and tabs too', () => {
    expect(
      shown(
        read(
          'Standing;E-mail;Until\nsafe;a@x.example;2027-01-01\nperhaps;b@x.example;\nsafe;c@x.example;31.12.26',
          'l.csv',
        ).lines,
      ),
    ).toEqual(['2.0 safe a@x.example', '3.0 ! bad-standing', '4.0 ! bad-date'])
    expect(shown(read('sender\tstanding\na@x.example\tblocked', 'l.txt').lines)).toEqual([
      '2.0 blocked a@x.example',
    ])
  })
  test('cells that a spreadsheet would calculate go out harmless, and come back as they were', () => {
    const entries = [
      written('=cmd@x.example', { reason: '=HYPERLINK("https://x.example")' }),
      written('+a@x.example', { reason: '@SUM(A1)' }),
    ]
    const csv = writeCsv(entries)
    const cells = Papa.parse<string[]>(csv, { skipEmptyLines: true }).data.flat()
    expect(cells.filter(cell => /^[=+\-@\t\r]/.test(cell))).toEqual([])
    expect(
      read(csv, 'l.csv').lines.map(
        ({ entry }) => entry.ok && [patternText(entry.value.pattern), entry.value.reason],
      ),
    ).toEqual(entries.map(({ pattern: p, reason }) => [patternText(p), reason]))
  })
  const spectrum = dirname(createRequire(import.meta.url).resolve('csv-spectrum/package.json'))
  const files = readdirSync(join(spectrum, 'csvs')).filter(name => name.endsWith('.csv'))
  // npm csv-spectrum 2.0.0: files that CSV readers are known to trip over, with what they hold as JSON.
  test.each(files)('csv-spectrum %s: every row is answered', name => {
    const held = JSON.parse(readFileSync(join(spectrum, 'json', name.replace(/csv$/, 'json')), 'utf8')) as
      | object
      | object[]
    const rows = [held].flat()
    const headed = Object.keys(rows[0] ?? {}).includes('address')
    const { lines } = read(readFileSync(join(spectrum, 'csvs', name)), 'l.csv', 'csv')
    // A heading row in which we know no column is a row like the others.
    expect(lines.length).toBe(rows.length + (headed ? 0 : 1))
  })
})

describe('JSON', () => {
  test('texts, objects, and an object around them', () => {
    expect(
      shown(
        read(
          '["a@x.example", {"pattern":"x.example","standing":"blocked"}, 7, {"standing":"safe"}, {"pattern":"y.example","until":"soon"}]',
          'l.json',
        ).lines,
      ),
    ).toEqual([
      '1.0 - a@x.example',
      '2.0 blocked x.example',
      '3.0 ! no-text',
      '4.0 ! no-text',
      '5.0 ! bad-date',
    ])
    expect(shown(read('{"entries":["x.example"]}').lines)).toEqual(['1.0 - x.example'])
  })
  test.each(['{"entries":', '{"other":[]}', '[1'])('%s says what is missing', text =>
    expect(readList(Buffer.from(text), { name: 'l.json', format: 'json' })).toMatchObject({
      ok: false,
      problem: { code: 'bad-json' },
    }),
  )
})

describe('contacts', () => {
  test('every address of every card is a safe entry with the name as its reason', () => {
    // RFC 6350 §8, the author's card in its form (FN, N, ORG, EMAIL with TYPE, folded lines) with other names.
    const text = `BEGIN:VCARD
VERSION:4.0
FN:Nell Carding
N:Carding;Nell;;;ing. jr,M.Sc.
GENDER:F
LANG;TYPE=work;PREF=1:nb
ORG;TYPE=work:Halyard Print
ADR;TYPE=work:;Suite D2-630;2875 Quay;Terneholm;;0150;Norway
TEL;VALUE=uri;TYPE="work,voice";PREF=1:tel:+1-418-555-0102;ext=102
EMAIL;TYPE=work:nell.carding@halyard-print.exam
 ple
EMAIL;TYPE=home:nell@freepost.example
URL;TYPE=home:https://nell.example
END:VCARD
BEGIN:VCARD
VERSION:3.0
FN;CHARSET=UTF-8:Bücher Molo
EMAIL:post@bücher-molo.example
EMAIL:not an address
END:VCARD
BEGIN:VCARD
FN:Never ended
BEGIN:VCARD
VERSION:4.0
FN:No address
END:VCARD`
    const { format, lines } = read(text, 'contacts.vcf')
    expect(format).toBe('vcard')
    expect(shown(lines)).toEqual([
      '1.0 safe nell.carding@halyard-print.example',
      '1.1 safe nell@freepost.example',
      '15.0 safe post@xn--bcher-molo-9db.example',
      '15.1 ! bad-domain',
      '21.0 ! bad-card',
    ])
    expect(lines[0]).toMatchObject({
      entry: { value: { reason: 'Nell Carding' } },
      typed: 'Nell Carding <nell.carding@halyard-print.example>',
    })
  })
})

function written(text: string, more: Partial<WrittenEntry> = {}): WrittenEntry {
  return {
    pattern: pattern(text),
    standing: 'safe',
    reason: '',
    until: null,
    withoutAuthentication: false,
    keptBy: '',
    binding: false,
    ...more,
  }
}

const someEntries = fc.uniqueArray(
  fc.record({
    text: fc.oneof(
      fc.constantFrom(
        'anna@x.example',
        'anna+orders@x.example',
        'x.example',
        '*.x.example',
        '<news.x.example>',
        'bücher.example',
        '"an na"@y.example',
        '?q@y.example',
        "o'ne@y.example",
        '"a\\\\b\\"c"@y.example',
      ),
      fc.stringMatching(/^[a-z]{1,8}$/).map(word => `${word}@z.example`),
    ),
    standing: fc.constantFrom('safe' as const, 'blocked' as const),
    until: fc.constantFrom(null, '2026-12-31', '2027-02-28'),
    reason: fc.constantFrom('', 'The printer', 'says "yes", 2nd floor; #4', '=1+1', 'Blåbær'),
  }),
  { selector: ({ text }) => text, maxLength: 12 },
)

describe('what goes out comes back', () => {
  const forms = [
    ['text', writeText],
    ['csv', writeCsv],
    ['json', writeJson],
    ['sieve', writeSieve],
  ] as const
  test.each(forms)('%s', (format, write) => {
    fc.assert(
      fc.property(someEntries, all => {
        const entries = all.map(({ text, ...rest }) => written(text, rest))
        const plain = (list: readonly Pick<WrittenEntry, 'pattern' | 'standing' | 'until' | 'reason'>[]) =>
          list
            .map(({ pattern: p, standing, until, reason }) => [patternText(p), standing, until, reason])
            .sort()
        const found =
          entries.length === 0 && format === 'json' ? [] : read(write(entries), `l.${format}`, format).lines
        const back = found.map(({ entry }) => {
          if (!entry.ok || entry.value.standing === null) throw new Error(JSON.stringify(entry))
          return { ...entry.value, standing: entry.value.standing }
        })
        expect(plain(back)).toEqual(plain(entries))
      }),
      { numRuns: 300 },
    )
  })
  test('the format is found out from what stands in it', () => {
    const entries = [written('x.example')]
    for (const [format, write] of forms) expect(read(write(entries), 'list').format).toBe(format)
  })
})

describe('Sieve', () => {
  const all = [
    'anna@x.example',
    'anna+orders@x.example',
    'x.example',
    '*.x.example',
    '<news.x.example>',
    '?q@y.example',
    '"a\\\\b\\"c d"@y.example',
  ].flatMap(text => [
    written(text, { until: '2026-12-31', reason: 'keep "it"' }),
    written(text.replace('x.example', 'z.example'), { standing: 'blocked' }),
  ])
  test('the narrowest stands first, and safe before blocked', () => {
    const script = writeSieve([
      written('x.example', { standing: 'blocked' }),
      written('x.example'),
      written('a@x.example', { standing: 'blocked' }),
    ])
    const marks = [...script.matchAll(/"pattern":"([^"]*)","standing":"(\w+)"/g)].map(
      ([, p, s]) => `${p} ${s}`,
    )
    expect(marks).toEqual(['a@x.example blocked', 'x.example safe', 'x.example blocked'])
  })
  test('a rule that was changed by hand is told and not taken', () => {
    const script = writeSieve([written('x.example')]).replace('keep;', 'discard;')
    expect(shown(read(script, 'l.sieve').lines)).toEqual(['4.0 ! changed-by-hand'])
  })
  // Debian dovecot-sieve's compiler, where it is installed: an independent reader of RFC 5228.
  const compiler = ['/usr/bin/sievec', '/usr/local/bin/sievec'].find(existsSync)
  const compile = (script: string) => {
    const folder = mkdtempSync(join(tmpdir(), 'sieve-'))
    writeFileSync(join(folder, 'a.sieve'), script)
    return spawnSync(compiler ?? '', ['-c', '/dev/null', join(folder, 'a.sieve'), join(folder, 'a.svbin')])
  }
  test.skipIf(!compiler)(
    'what goes out compiles, what is broken does not (skipped where there is no sievec)',
    () => {
      const good = compile(writeSieve(all))
      expect([good.status, good.stderr.toString()]).toEqual([0, ''])
      expect(compile(writeSieve(all).replace('stop;', 'stop')).status).not.toBe(0)
    },
  )
})

describe('what becomes of each line', () => {
  const now = Date.UTC(2026, 10, 20)
  const organisation = { kind: 'organisation' } as const
  const entry = (
    id: number,
    text: string,
    standing: 'safe' | 'blocked',
    more: Partial<SenderEntry> = {},
  ): SenderEntry => ({
    id,
    pattern: pattern(text),
    standing,
    owner: organisation,
    binding: standing === 'blocked',
    withoutAuthentication: false,
    until: null,
    ...more,
  })
  const context = (more: Partial<ImportContext> = {}): ImportContext => ({
    owner: organisation,
    standing: 'safe',
    register: [
      entry(1, 'x.example', 'safe'),
      entry(2, 'promo.example', 'blocked'),
      entry(3, 'old.example', 'safe', { until: now - 1 }),
      entry(4, 'hers.example', 'safe', { owner: { kind: 'mailbox', mailboxId: 1 } }),
    ],
    policy: { ownDomains: ['harbour.example'], sharedProviders: ['freepost.example'] },
    now,
    takeContradicting: false,
    endOfDay: day => Date.parse(`${day}T24:00:00Z`),
    ...more,
  })
  const fates = (text: string, more: Partial<ImportContext> = {}) =>
    planImport(read(text).lines, context(more)).lines.map(({ line, fate }) => {
      const why =
        'problem' in fate
          ? ` ${fate.problem.code}`
          : 'by' in fate
            ? 'id' in fate.by
              ? ` entry ${fate.by.id}`
              : ` line ${fate.by.line}`
            : ''
      return `${line.line} ${fate.outcome}${why}`
    })
  const text = [
    'new.example',
    'x.example',
    'anna@x.example',
    'promo.example',
    'blocked new.example',
    'NEW.example.',
    'freepost.example',
    'safe harbour.example',
    'blocked *.harbour.example',
    'old.example',
    'hers.example',
    'late.example until 2026-11-19',
    'today.example until 2026-11-20',
    'not a pattern',
  ].join('\n')
  test('added, there, covered, contradicting, refused', () => {
    expect(fates(text)).toEqual([
      '1 added',
      '2 there entry 1',
      '3 covered entry 1',
      '4 contradicts entry 2',
      '5 contradicts line 1',
      '6 there line 1',
      '7 refused shared-provider',
      '8 refused own-domain',
      '9 refused blocks-own-domain',
      '10 added',
      '11 added',
      '12 refused until-passed',
      '13 added',
      '14 refused bad-domain',
    ])
  })
  test('contradicting lines are taken when told, and what they contradict ends', () => {
    const { change } = planImport(read('promo.example').lines, context({ takeContradicting: true }))
    expect(change.add.map(({ pattern: p }) => patternText(p))).toEqual(['promo.example'])
    expect(change.end.map(({ id }) => id)).toEqual([2])
  })
  test('into a colleague’s list, what the organisation decides already is covered', () => {
    expect(fates('anna@x.example\nhers.example', { owner: { kind: 'mailbox', mailboxId: 1 } })).toEqual([
      '1 covered entry 1',
      '2 there entry 4',
    ])
  })
  test('blocks of the organisation bind; safe entries and a colleague’s blocks do not', () => {
    const bindingOf = (line: string, more: Partial<ImportContext> = {}) =>
      planImport(read(line).lines, context(more)).change.add.map(({ binding }) => binding)
    expect(bindingOf('blocked new.example')).toEqual([true])
    expect(bindingOf('safe new.example')).toEqual([false])
    expect(bindingOf('new.example', { standing: 'blocked' })).toEqual([true])
    expect(bindingOf('blocked new.example', { owner: { kind: 'mailbox', mailboxId: 1 } })).toEqual([false])
  })
  test('the change is exactly the lines that are added', () => {
    const { lines, change } = planImport(read(text).lines, context())
    expect(change.add.length).toBe(lines.filter(({ fate }) => fate.outcome === 'added').length)
    expect(change.end).toEqual([])
  })
})
