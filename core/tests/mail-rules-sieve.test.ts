import { spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  matchingRules,
  parseSieve,
  readRules,
  settleRules,
  writeRules,
  type MailRule,
  type ReadRule,
  type RuleAction,
  type RuleCondition,
  type Vacation,
} from '@pendro/core/mail-rules'
import { parseMessage, ruleView } from '@pendro/core/message'

// Debian dovecot-sieve's compiler and interpreter: independent readers of RFC 5228.
const found = (name: string) => [`/usr/bin/${name}`, `/usr/local/bin/${name}`].find(existsSync)
const [compiler, interpreter] = [found('sievec'), found('sieve-test')]

const does = (more: Partial<RuleAction>): RuleAction => ({
  hold: null,
  place: null,
  important: false,
  stop: false,
  ...more,
})
const into = (folder: string, more: Partial<RuleAction> = {}) =>
  does({ place: { kind: 'folder', folder }, ...more })
const text = (
  field: 'from' | 'to' | 'subject' | 'list' | 'body' | 'attachment',
  name: 'contains' | 'is' | 'begins' | 'matches',
  ...values: string[]
): RuleCondition => ({ field, test: name, values })
const rule = (
  conditions: readonly RuleCondition[],
  action: RuleAction,
  more: Partial<MailRule> = {},
): MailRule => ({
  id: 0,
  name: 'r',
  owner: 'mailbox',
  needs: 'all',
  conditions,
  action,
  ...more,
})

const mail = (
  more: { from?: string; to?: string; subject?: string; list?: string; body?: string; file?: string } = {},
) => {
  const {
    from = 'Print Desk <desk@printer.example>',
    to = 'anna@harbour.example',
    subject = 'Proof 12',
    body = 'It is ready.',
  } = more
  const text = [
    `From: ${from}`,
    `To: ${to}`,
    `Subject: ${subject}`,
    ...(more.list ? [`List-Id: ${more.list}`] : []),
  ]
  const whole = more.file
    ? [
        ...text,
        'MIME-Version: 1.0',
        'Content-Type: multipart/mixed; boundary=b',
        '',
        '--b',
        'Content-Type: text/plain',
        '',
        body,
        '--b',
        'Content-Type: application/pdf',
        `Content-Disposition: attachment; filename="${more.file}"`,
        '',
        '%PDF-1.4',
        '--b--',
        '',
      ]
    : [...text, '', body, '']
  return whole.join('\r\n')
}

const vacation: Vacation = {
  days: 3,
  addresses: ['anna@harbour.example', 'a.berg@harbour.example'],
  ownDomains: ['harbour.example'],
  inside: { subject: '', text: 'Ask Kari ${hold} "today".' },
  outside: { subject: 'Away', text: 'Back on Monday.' },
  away: null,
}

const isRoot = process.getuid?.() === 0
const ids = isRoot
  ? { uid: 65_534, gid: 65_534 }
  : { uid: process.getuid?.() ?? 65_534, gid: process.getgid?.() ?? 65_534 }

/** What the interpreter says it would do with a message that came for Anna. */
function interpret(script: string, message: string): string {
  const folder = mkdtempSync(join(tmpdir(), 'sieve-rules-'))
  chmodSync(folder, 0o755)
  writeFileSync(join(folder, 'a.sieve'), script)
  writeFileSync(join(folder, 'mail'), message)
  // It runs as whoever the mail belongs to, and that may not be root.
  const { uid, gid } = ids
  writeFileSync(
    join(folder, 'conf'),
    `mail_uid = ${uid}\nmail_gid = ${gid}\nfirst_valid_uid = ${uid}\nfirst_valid_gid = ${gid}\nmail_location = mbox:${folder}/box\nmail_home = ${folder}\n`,
  )
  const anna = 'anna@harbour.example'
  const { stdout, stderr } = spawnSync(
    interpreter ?? '',
    [
      ...['-c', join(folder, 'conf'), '-f', 'ben@sender.example', '-r', anna, '-a', anna],
      join(folder, 'a.sieve'),
      join(folder, 'mail'),
    ],
    { encoding: 'utf8', uid, gid, env: { PATH: process.env.PATH, HOME: folder } },
  )
  if (!/store message|discard/i.test(stdout)) throw new Error(`${script}\n${stdout}\n${stderr}`)
  return stdout
}

/** Where the interpreter puts a message: a folder, 'INBOX', or 'discarded'; with '!' when it is flagged. */
function runSieve(script: string, message: string): string {
  const said = interpret(script, message)
  const stored = /store message in folder: (.+)/.exec(said)?.[1]?.trim()
  return stored === undefined ? 'discarded' : `${stored}${/\\flagged/i.test(said) ? '!' : ''}`
}

/** What the interpreter would answer; `null`: nothing. */
const answeredBy = (script: string, message: string): string | null =>
  /send vacation message:([^]*?)(?:\n \* |\nImplicit|\n\n\n|$)/.exec(interpret(script, message))?.[1] ?? null

/** Where our rules put it, when nothing else holds it. */
async function runOurs(rules: readonly MailRule[], message: string): Promise<string> {
  const parsed = await parseMessage(Buffer.from(message))
  if (!parsed.ok) throw new Error('unreadable')
  const said = settleRules(matchingRules(rules, ruleView(parsed.value, Buffer.byteLength(message))))
  if (said.hold?.hold === 'discarded') return 'discarded'
  if (said.hold?.hold === 'junk') return 'Junk'
  const place = said.place
  const folder = place?.place === 'moved' ? place.folder : place?.place === 'aside' ? 'Set aside' : 'INBOX'
  return `${folder}${said.important ? '!' : ''}`
}

const mails = [
  mail(),
  mail({ subject: 'proof of 12' }),
  mail({ subject: 'Berth 4', from: 'desk@printer.example' }),
  mail({ subject: 'Berth a*b "quoted" \\ back', body: 'Proof inside' }),
  mail({
    from: '"Proof Reader" <reader@other.example>',
    to: 'Anna Berg <anna@harbour.example>, ben@harbour.example',
  }),
  mail({ list: 'Proofs <proofs.printer.example>', subject: 'digest' }),
  mail({ file: 'proof-12.pdf', subject: 'file' }),
  mail({ subject: 'cost ${hold} of proofs' }),
]

const sets: Readonly<Record<string, readonly MailRule[]>> = {
  'one condition each': [rule([text('subject', 'contains', 'proof')], into('Print', { stop: true }))],
  'is, whole': [rule([text('subject', 'is', 'Proof 12')], into('Exact', { stop: true }))],
  begins: [rule([text('subject', 'begins', 'proof')], into('Print', { stop: true }))],
  'matches with wildcards of its own': [
    rule([text('subject', 'matches', '*a\\*b*')], into('Star', { stop: true })),
  ],
  'begins with what would be wildcards': [
    rule([text('subject', 'begins', 'Berth a*b')], into('Star', { stop: true })),
  ],
  'quotes and backslashes': [
    rule([text('subject', 'contains', '"quoted" \\ back')], into('Say "hi" \\ so', { stop: true })),
  ],
  'what looks like a variable': [
    rule([text('subject', 'contains', '${hold}')], into('A ${place} b')),
    rule([text('subject', 'contains', 'berth')], into('B')),
  ],
  'several values': [rule([text('subject', 'contains', 'berth', 'digest')], into('Two', { stop: true }))],
  'sender by address': [rule([text('from', 'is', 'desk@printer.example')], into('Desk', { stop: true }))],
  'sender by name': [rule([text('from', 'is', 'Proof Reader')], into('Reader', { stop: true }))],
  'name begins': [rule([text('from', 'begins', 'proof r')], into('Reader', { stop: true }))],
  'sender by pattern': [
    rule([text('from', 'matches', '*@printer.example')], into('Printer', { stop: true })),
  ],
  recipients: [rule([text('to', 'is', 'ben@harbour.example')], into('Ben', { stop: true }))],
  list: [rule([text('list', 'is', 'proofs.printer.example')], into('List', { stop: true }))],
  'list by pattern': [rule([text('list', 'matches', '*.printer.example')], into('List', { stop: true }))],
  'list begins': [rule([text('list', 'begins', 'proofs.')], into('List', { stop: true }))],
  body: [rule([text('body', 'contains', 'inside')], into('Body', { stop: true }))],
  'name of an attachment': [rule([text('attachment', 'contains', 'proof')], into('Files', { stop: true }))],
  size: [rule([{ field: 'size', test: 'over', bytes: 250 }], into('Large', { stop: true }))],
  'any of two': [
    rule(
      [text('subject', 'contains', 'digest'), text('from', 'contains', 'reader')],
      into('Any', { stop: true }),
      { needs: 'any' },
    ),
  ],
  'all of two': [
    rule(
      [text('subject', 'contains', 'proof'), text('from', 'contains', 'desk')],
      into('All', { stop: true }),
    ),
  ],
  'junk, then the rest': [
    rule([text('subject', 'contains', 'berth')], does({ hold: 'junk' })),
    rule([text('from', 'contains', 'printer')], into('Print')),
  ],
  discarded: [rule([text('subject', 'contains', 'berth')], does({ hold: 'discarded' }))],
  'marked and filed by two': [
    rule([text('subject', 'contains', 'proof')], does({ important: true })),
    rule([text('from', 'contains', 'printer')], into('Print')),
  ],
  'the first says where': [
    rule([text('subject', 'contains', 'proof')], into('First')),
    rule([text('from', 'contains', 'printer')], into('Second')),
  ],
  'let in before junk': [
    rule([text('subject', 'contains', 'proof')], does({ hold: 'let-in' })),
    rule([text('from', 'contains', 'printer')], does({ hold: 'junk' })),
  ],
  'stops in the middle': [
    rule([text('subject', 'contains', 'proof')], does({ important: true, stop: true })),
    rule([text('from', 'contains', 'printer')], into('Second')),
    rule([text('subject', 'contains', 'berth')], does({ place: { kind: 'aside' } })),
  ],
  'held is not marked': [
    rule([text('subject', 'contains', 'proof')], does({ important: true })),
    rule([text('from', 'contains', 'printer')], does({ hold: 'junk' })),
  ],
  'the inbox is a place': [
    rule([text('subject', 'contains', 'proof')], does({ place: { kind: 'inbox' } })),
    rule([text('from', 'contains', 'printer')], into('Second')),
  ],
}

describe.skipIf(!interpreter || !compiler)(
  'rules as a script do the same (skipped where there is no sieve-test)',
  () => {
    test.each(Object.entries(sets))('%s', async (_name, rules) => {
      const { script, left } = writeRules(rules)
      expect(left).toEqual([])
      const put = []
      const want = []
      for (const message of mails) {
        put.push(runSieve(script, message))
        want.push(await runOurs(rules, message))
      }
      expect(put).toEqual(want)
      // A set that moves nothing would prove nothing.
      expect(new Set(want).size).toBeGreaterThan(1)
    })

    describe('with an automatic reply', () => {
      const rules = [rule([text('subject', 'contains', 'berth')], does({ hold: 'junk' }))]
      const answers = (message: string, more: Partial<Vacation> = {}) =>
        answeredBy(writeRules(rules, { ...vacation, ...more }).script, message)

      test.each([
        ['somebody outside', mail({ subject: 'Hello' }), 'Back on Monday.'],
        [
          'a colleague',
          mail({ subject: 'Hello', from: 'kari@harbour.example' }),
          'Ask Kari ${hold} "today".',
        ],
        ['what is held', mail({ subject: 'Berth 4' }), null],
      ])('%s', (_name, message, want) => {
        const said = answers(message)
        if (want === null) expect(said).toBeNull()
        else expect(said).toContain(want)
      })
      test('only on days away', () => {
        const hello = mail({ subject: 'Hello' })
        expect(answers(hello, { away: [{ from: '2020-01-01', back: '2020-01-05' }] })).toBeNull()
        expect(answers(hello, { away: [{ from: '2020-01-01', back: '2200-01-05' }] })).toContain(
          'Back on Monday.',
        )
        expect(answers(hello, { away: [] })).toBeNull()
        expect(answers(hello, { outside: null })).toBeNull()
      })
    })

    describe('as it is kept in a mail store, where other scripts follow', () => {
      const rules = [rule([text('subject', 'contains', 'berth')], into('Berths'))]
      const more = `fileinto "Elsewhere";\n`
      const kept = (one: RuleAction, folders = { junk: 'Unwanted', aside: '' }) =>
        writeRules([rule([text('subject', 'contains', 'berth')], one)], null, { settles: true, folders })
          .script
      const berth = mail({ subject: 'Berth 4' })

      test('what a rule has given a place is not theirs any more, and is there once', () => {
        const said = interpret(writeRules(rules, null, { settles: true }).script + more, berth)
        expect(said.match(/store message in folder: (.+)/g)).toEqual(['store message in folder: Berths'])
      })
      test('of what no rule gives a place they decide', () => {
        expect(runSieve(kept(into('Berths')) + more, mail())).toBe('Elsewhere')
        expect(runSieve(kept(does({ important: true })) + more, berth)).toBe('Elsewhere!')
      })
      test('folders are called as the store calls them; without one for what is set aside it is the inbox', () => {
        expect(runSieve(kept(does({ hold: 'junk' })) + more, berth)).toBe('Unwanted')
        expect(runSieve(kept(does({ place: { kind: 'aside' } })) + more, berth)).toBe('INBOX')
        expect(runSieve(kept(does({ place: { kind: 'inbox' } })) + more, berth)).toBe('INBOX')
      })
      test('a reply that somebody has changed leaves the rules ours; a command that somebody has added does not', () => {
        const { script } = writeRules(rules, vacation, { settles: true })
        const changed = script.replace('Back on Monday.', 'Back on Tuesday.')
        expect(readRules(changed)).toMatchObject({ ok: true, value: { rules: [{ name: 'r' }], left: [] } })
        const added = changed.replace('# automatic reply\n', '# automatic reply\ndiscard;\n')
        expect(readRules(added)).toMatchObject({
          ok: true,
          value: { rules: [{ name: 'r' }], left: [{ why: 'edited' }] },
        })
      })
      test.each<
        [what: string, change: (script: string) => string, rules: readonly string[], left: readonly string[]]
      >([
        ['nothing', one => one, ['first', 'second'], []],
        [
          'a rule',
          one => one.replace('set "place" "A"', 'set "place" "Z"'),
          ['second'],
          ['edited set "place" "Z";'],
        ],
        [
          'the last rule',
          one => one.replace('set "place" "B"', 'set "place" "Z"'),
          ['first'],
          ['edited set "place" "Z";'],
        ],
        [
          'what follows the rules',
          one => one.replace('fileinto "Junk"', 'fileinto "Bin"'),
          ['first', 'second'],
          ['always if', 'edited'],
        ],
        [
          'what stands before them',
          one => one.replace('set "hold" "";', 'set "hold" "junk";'),
          ['first', 'second'],
          ['edited set "hold" "junk";'],
        ],
        [
          'a rule more at its end',
          one => `${one}# mine\nif header :is "subject" "c" {\n  fileinto "C";\n}\n`,
          ['first', 'second', 'mine'],
          [],
        ],
        ['a command more at its end', one => `${one}discard;\n`, ['first', 'second'], ['always discard']],
        ['a mark that is none any more', one => one.replace('"first"', 'first'), [], ['always set']],
      ])('somebody has changed %s', (what, change, names, left) => {
        const two = [
          rule([text('subject', 'is', 'a')], into('A'), { name: 'first' }),
          rule([text('subject', 'is', 'b')], into('B'), { name: 'second' }),
        ]
        const read = readRules(change(writeRules(two, null, { settles: true }).script))
        if (!read.ok) throw new Error(read.problem.code)
        expect(read.value.rules.map(({ name }) => name)).toEqual(names)
        const told = read.value.left.map(({ why, text: said }) => `${why} ${said}`)
        if (what === 'what follows the rules' || names.length === 0) expect(told.length).toBeGreaterThan(0)
        else expect(told).toEqual(left)
      })
    })

    test('whatever a rule says, a compiler takes it', () => {
      const folder = mkdtempSync(join(tmpdir(), 'sieve-compile-'))
      const word = fc
        .string({ minLength: 1, maxLength: 12, unit: fc.constantFrom(...'ab "\\*?${}.ø\n') })
        .map(one => one.replace(/\n/g, '').trim() || 'x')
      const condition = fc.oneof(
        fc.record({
          field: fc.constantFrom(
            'from' as const,
            'to' as const,
            'subject' as const,
            'list' as const,
            'body' as const,
            'attachment' as const,
          ),
          test: fc.constantFrom('contains' as const, 'is' as const, 'begins' as const, 'matches' as const),
          values: fc.array(word, { minLength: 1, maxLength: 3 }),
        }),
        fc.record({
          field: fc.constant('size' as const),
          test: fc.constantFrom('over' as const, 'under' as const),
          bytes: fc.nat({ max: 1e9 }),
        }),
      )
      const action = fc.record({
        hold: fc.constantFrom(null, 'let-in' as const, 'junk' as const, 'discarded' as const),
        place: fc.oneof(
          fc.constant(null),
          fc.constant({ kind: 'aside' as const }),
          word.map(folder => ({ kind: 'folder' as const, folder: folder.replace(/[.*?\\]/g, 'x') })),
        ),
        important: fc.boolean(),
        stop: fc.boolean(),
      })
      const some = fc.record({
        name: word,
        needs: fc.constantFrom('all' as const, 'any' as const),
        conditions: fc.array(condition, { minLength: 1, maxLength: 3 }),
        action,
      })
      // As somebody downloads it, or as it is kept in a mail store.
      const ways = fc.record({
        replies: fc.boolean(),
        settles: fc.boolean(),
        folders: fc.record({
          junk: fc.constantFrom('Junk', 'Un"wanted ${x}'),
          aside: fc.constantFrom('Set aside', 'Later'),
          separator: fc.constantFrom('/', '.', '\\', '$'),
          prefix: fc.constantFrom('', 'INBOX.', '"'),
        }),
      })
      fc.assert(
        fc.property(
          fc.array(some, { minLength: 1, maxLength: 5 }),
          ways,
          (rules, { replies, ...options }) => {
            const { script } = writeRules(rules, replies ? vacation : null, options)
            writeFileSync(join(folder, 'a.sieve'), script)
            const { status, stderr } = spawnSync(
              compiler ?? '',
              [join(folder, 'a.sieve'), join(folder, 'a.svbin')],
              { encoding: 'utf8' },
            )
            expect([status, status === 0 ? '' : `${stderr}\n${script}`]).toEqual([0, ''])
            // And we read back what we wrote, to the letter.
            const read = readRules(script)
            expect(read.ok && read.value).toEqual({ rules, left: [] })
          },
        ),
        { numRuns: 20 },
      )
    })
  },
)

test('what Sieve has no words for is left out and named', () => {
  const kinds = rule([{ field: 'kind', test: 'is', values: ['pdf'] }], into('PDF'), { name: 'PDFs' })
  const { script, left } = writeRules([kinds, rule([text('subject', 'is', 'a')], into('A'))])
  expect(left).toEqual([{ name: 'PDFs', why: 'kind' }])
  expect(script).not.toContain('PDF"')
})

describe('scripts of others', () => {
  const read = (script: string) => {
    const result = readRules(script)
    if (!result.ok) throw new Error(JSON.stringify(result.problem))
    return result.value
  }
  const one = (script: string): ReadRule | undefined => read(script).rules[0]

  test.each<readonly [string, string, Partial<ReadRule>]>([
    // RFC 5228's own examples, §2.7.1, §3.1 and §5 (from memory of the RFC's text, names changed).
    [
      'header :contains',
      'require "fileinto";\nif header :contains "Subject" ["money", "prize"] { fileinto "Offers"; }',
      { needs: 'all', conditions: [text('subject', 'contains', 'money', 'prize')], action: into('Offers') },
    ],
    [
      'address :domain',
      'if address :domain :is "from" "x.example" { keep; stop; }',
      {
        conditions: [text('from', 'matches', '*@x.example')],
        action: does({ place: { kind: 'inbox' }, stop: true }),
      },
    ],
    [
      'size with a unit',
      'if size :over 100K { discard; }',
      { conditions: [{ field: 'size', test: 'over', bytes: 102_400 }], action: does({ hold: 'discarded' }) },
    ],
    [
      'allof',
      'if allof (header :is "subject" "a", address :all :is "from" "a@x.example") { fileinto "A"; }',
      { needs: 'all', conditions: [text('subject', 'is', 'a'), text('from', 'is', 'a@x.example')] },
    ],
    [
      'anyof of the same is one with several values',
      'if anyof (header :contains "subject" "a", header :contains "subject" "b") { fileinto "A"; }',
      { conditions: [text('subject', 'contains', 'a', 'b')] },
    ],
    [
      'anyof within allof, where one condition says it',
      'if allof (anyof (header :is "subject" "a", header :is "subject" "b"), size :under 1M) { fileinto "A"; }',
      {
        needs: 'all',
        conditions: [text('subject', 'is', 'a', 'b'), { field: 'size', test: 'under', bytes: 1_048_576 }],
      },
    ],
    [
      'is, unless it says otherwise',
      'if header "subject" "a" { keep; }',
      { conditions: [text('subject', 'is', 'a')] },
    ],
    [
      'To and Cc are the recipients',
      'if header :contains ["to", "Cc"] "a" { keep; }',
      { conditions: [text('to', 'contains', 'a')] },
    ],
    [
      'a list by its brackets',
      'if header :is "list-id" "<a.x.example>" { keep; }',
      { conditions: [text('list', 'is', 'a.x.example')] },
    ],
    [
      'a pattern that is a beginning',
      'if header :matches "subject" "a\\\\*b*" { keep; }',
      { conditions: [text('subject', 'begins', 'a*b')] },
    ],
    [
      'a comparator is passed over',
      'if header :comparator "i;octet" :is "subject" "a" { keep; }',
      { conditions: [text('subject', 'is', 'a')] },
    ],
    [
      'flags',
      'if header :is "subject" "a" { addflag "\\\\Flagged"; stop; }',
      { action: does({ important: true, stop: true }) },
    ],
    [
      'the junk folder by its usual names',
      'if header :is "subject" "a" { fileinto "INBOX.Spam"; }',
      { action: does({ hold: 'junk' }) },
    ],
    [
      'the comment above is its name',
      '# rule:[Offers]\nif header :is "subject" "a" { keep; }',
      { name: 'Offers' },
    ],
    [
      'a text over several lines',
      'if header :contains "subject" text:\n..a\n.\n{ keep; }',
      { conditions: [text('subject', 'contains', '.a')] },
    ],
    [
      'case of words does not matter',
      'IF Header :Contains "SUBJECT" "a" { KEEP; }',
      { conditions: [text('subject', 'contains', 'a')] },
    ],
    [
      'comments of both kinds',
      '/* a\n*/ if header :is "subject" "a" # b\n{ keep; }',
      { conditions: [text('subject', 'is', 'a')] },
    ],
  ])('%s', (_name, script, want) => {
    expect(one(script)).toMatchObject(want)
    expect(read(script).left).toEqual([])
  })

  test.each([
    ['if not header :is "subject" "a" { keep; }', 'negated'],
    ['if exists "x-spam" { keep; }', 'test'],
    ['if header :contains "x-spam-flag" "yes" { keep; }', 'header'],
    ['if header :regex "subject" "a" { keep; }', 'match'],
    ['if header :is "subject" "a" { redirect "b@x.example"; }', 'action'],
    ['if header :is "subject" "a" { vacation "away"; }', 'action'],
    ['if header :is "subject" "a" { fileinto :copy "A"; }', 'action'],
    ['if header :is "subject" "a" { fileinto "A"; fileinto "B"; }', 'several-places'],
    ['if header :is "subject" "a" { if size :over 1 { keep; } }', 'nested'],
    ['if header :is "subject" "a" { stop; }', 'nothing'],
    ['if header :is "subject" "" { keep; }', 'nothing'],
    ['fileinto "A";', 'always'],
    ['if allof (anyof (size :over 1, header :is "subject" "a"), size :under 9) { keep; }', 'nested'],
    ['if header :is "subject" "a" { keep; } else { discard; }', 'else'],
    [
      'if header :is "subject" "a" { keep; } elsif size :over 1 { discard; } if size :over 2 { keep; }',
      'goes-on',
    ],
  ])('%s: left out, %s', (script, why) => expect(read(script).left.map(line => line.why)).toContain(why))

  test('branches of one if are asked in turn: each stops', () => {
    const { rules, left } = read(
      'if header :is "subject" "a" { fileinto "A"; } elsif header :is "subject" "b" { fileinto "B"; }',
    )
    expect(rules.map(({ action }) => action)).toEqual([into('A', { stop: true }), into('B')])
    expect(left).toEqual([])
  })
  test('what would be filed twice is taken, and told', () => {
    const { rules, left } = read(
      'if header :is "subject" "a" { fileinto "A"; }\nif size :over 1 { fileinto "B"; }',
    )
    expect(rules).toHaveLength(2)
    expect(left).toEqual([{ line: 1, why: 'once', text: 'a' }])
  })
  test('what follows stop is never asked', () => {
    expect(read('stop;\nif header :is "subject" "a" { keep; }')).toEqual({ rules: [], left: [] })
  })
  test('a script of ours that was changed by hand is read as anybody’s', () => {
    const { script } = writeRules([
      rule([text('subject', 'contains', 'proof')], into('Print', { stop: true })),
    ])
    const changed = script.replace('fileinto :create "Print"', 'fileinto :create "Other"')
    expect(one(changed)?.action).toEqual(into('Other', { stop: true }))
  })

  test.each([
    ['if header :is "subject" "a" { keep;', 'unfinished', 1],
    ['keep;\nif header ["a" { }', 'unexpected', 2],
    ['if header :is "subject" "a { keep; }', 'unexpected', 1],
    ['keep; %%', 'unexpected', 1],
    ['if ['.repeat(1000), 'unexpected', 1],
    [`if ${'not '.repeat(200)}true { keep; }`, 'too-deep', 1],
    [`${'if true { '.repeat(200)}`, 'too-deep', 1],
  ])('%j is refused: %s', (script, code, line) =>
    expect(parseSieve(script)).toMatchObject({ ok: false, problem: { code, line } }),
  )
  test.each([
    ['a megabyte', `# ${'x'.repeat(1_000_000)}`],
    ['tens of thousands of commands', 'keep;'.repeat(39_000)],
  ])('%s is refused', (_name, script) =>
    expect(parseSieve(script)).toMatchObject({ ok: false, problem: { code: 'too-long' } }),
  )
})
