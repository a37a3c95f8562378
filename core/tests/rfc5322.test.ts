// Expected values from the text of RFC 5322 appendix A (example messages) and RFC 2047 §8.
import { describe, expect, test } from 'vitest'
import { decodeWords, parseMailboxes } from '@pendro/core/address'
import { parseMessage, readDate } from '@pendro/core/message'

const short = (raw: string) => parseMailboxes(raw).map(({ name, text }) => [name, text])

describe('RFC 5322 appendix A: addresses', () => {
  const cases: [string, string, string[][]][] = [
    ['A.1.1 simple', 'John Doe <jdoe@machine.example>', [['John Doe', 'jdoe@machine.example']]],
    [
      'A.1.2 quoted name',
      '"Joe Q. Public" <john.q.public@example.com>',
      [['Joe Q. Public', 'john.q.public@example.com']],
    ],
    [
      'A.1.2 three forms',
      'Mary Smith <mary@x.test>, jdoe@example.org, Who? <one@y.test>',
      [
        ['Mary Smith', 'mary@x.test'],
        ['', 'jdoe@example.org'],
        ['Who?', 'one@y.test'],
      ],
    ],
    [
      'A.1.2 quoted pairs',
      '<boss@nil.test>, "Giant; \\"Big\\" Box" <sysservices@example.net>',
      [
        ['', 'boss@nil.test'],
        ['Giant; "Big" Box', 'sysservices@example.net'],
      ],
    ],
    [
      'A.1.3 group',
      'A Group:Ed Jones <c@a.test>,joe@where.test,John <jdoe@one.test>;',
      [
        ['Ed Jones', 'c@a.test'],
        ['', 'joe@where.test'],
        ['John', 'jdoe@one.test'],
      ],
    ],
    ['A.1.3 empty group', 'Undisclosed recipients:;', []],
    [
      'A.2 colon in quotes',
      '"Mary Smith: Personal Account" <smith@home.example>',
      [['Mary Smith: Personal Account', 'smith@home.example']],
    ],
    [
      'A.5 comments',
      'Pete(A nice \\) chap) <pete(his account)@silly.test(his host)>',
      [['Pete', 'pete@silly.test']],
    ],
    [
      'A.5 group with comments',
      "A Group(Some people)     :Chris Jones <c@(Chris's host.)public.example>,         joe@example.org,  John <jdoe@one.test> (my dear friend); (the end of the group)",
      [
        ['Chris Jones', 'c@public.example'],
        ['', 'joe@example.org'],
        ['John', 'jdoe@one.test'],
      ],
    ],
    ['A.5 hidden recipients', '(Empty list)(start)Hidden recipients  :(nobody(that I know))  ;', []],
    [
      'A.6.1 dot in a bare name',
      'Joe Q. Public <john.q.public@example.com>',
      [['Joe Q. Public', 'john.q.public@example.com']],
    ],
    [
      'A.6.1 route, empty item, spaces at the dot',
      'Mary Smith <@node.test:mary@example.net>, , jdoe@test  . example',
      [
        ['Mary Smith', 'mary@example.net'],
        ['', 'jdoe@test.example'],
      ],
    ],
    [
      'A.6.3 comment in the domain',
      'John Doe <jdoe@machine(comment).  example>',
      [['John Doe', 'jdoe@machine.example']],
    ],
  ]
  test.each(cases)('%s', (_name, raw, want) => expect(short(raw)).toEqual(want))
})

describe('RFC 5322 appendix A: dates', () => {
  const cases: [string, string, string][] = [
    ['A.1.1', 'Fri, 21 Nov 1997 09:55:06 -0600', '1997-11-21T15:55:06.000Z'],
    ['A.1.2', 'Tue, 1 Jul 2003 10:52:37 +0200', '2003-07-01T08:52:37.000Z'],
    [
      'A.5 folded, no seconds',
      'Thu,      13        Feb          1969      23:32               -0330 (Newfoundland Time)',
      '1969-02-14T03:02:00.000Z',
    ],
    ['A.6.2 two-digit year, zone name', '21 Nov 97 09:55:06 GMT', '1997-11-21T09:55:06.000Z'],
    [
      'A.6.3 comments and spaces',
      'Fri, 21 Nov 1997 09(comment):   55  :  06 -0600',
      '1997-11-21T15:55:06.000Z',
    ],
  ]
  test.each(cases)('%s', (_name, raw, want) =>
    expect(new Date(readDate(raw) ?? NaN).toISOString()).toBe(want),
  )
  test.each(['', 'yesterday', 'Fri, 31 Foo 2003 10:00:00 +0000'])('unreadable: %j is null, not now', raw =>
    expect(readDate(raw)).toBeNull(),
  )
})

describe('RFC 5322 appendix A: whole messages', () => {
  test('A.2: the second message of the thread', async () => {
    const raw = [
      'From: Mary Smith <mary@example.net>',
      'To: John Doe <jdoe@machine.example>',
      'Reply-To: "Mary Smith: Personal Account" <smith@home.example>',
      'Subject: Re: Saying Hello',
      'Date: Fri, 21 Nov 1997 10:01:10 -0600',
      'Message-ID: <3456@example.net>',
      'In-Reply-To: <1234@local.machine.example>',
      'References: <1234@local.machine.example>',
      '',
      'This is a reply to your hello.',
      '',
    ].join('\r\n')
    const parsed = await parseMessage(Buffer.from(raw))
    expect(parsed.ok && parsed.value).toMatchObject({
      subject: 'Re: Saying Hello',
      messageId: '<3456@example.net>',
      answers: ['<1234@local.machine.example>'],
      replyTo: [{ name: 'Mary Smith: Personal Account', text: 'smith@home.example' }],
      text: expect.stringContaining('This is a reply to your hello.'),
      defects: [],
    })
  })
  test('A.6.3: space before the colon, a fold of white space only', async () => {
    const raw = [
      'From  : John Doe <jdoe@machine(comment).  example>',
      'To    : Mary Smith',
      '  ',
      '          <mary@example.net>',
      'Subject     : Saying Hello',
      'Date  : Fri, 21 Nov 1997 09(comment):   55  :  06 -0600',
      '',
      'So, "Hello".',
    ].join('\r\n')
    const parsed = await parseMessage(Buffer.from(raw))
    expect(parsed.ok && parsed.value).toMatchObject({
      from: [{ name: 'John Doe', text: 'jdoe@machine.example' }],
      to: [{ name: 'Mary Smith', text: 'mary@example.net' }],
      subject: 'Saying Hello',
    })
  })
})

describe('RFC 2047 §8: encoded words', () => {
  const cases: [string, string][] = [
    ['=?ISO-8859-1?Q?a?=', 'a'],
    ['=?ISO-8859-1?Q?a?= b', 'a b'],
    ['=?ISO-8859-1?Q?a?= =?ISO-8859-1?Q?b?=', 'ab'],
    ['=?ISO-8859-1?Q?a?=  =?ISO-8859-1?Q?b?=', 'ab'],
    ['=?ISO-8859-1?Q?a_b?=', 'a b'],
    ['=?ISO-8859-1?Q?a?= =?ISO-8859-2?Q?_b?=', 'a b'],
    ['=?ISO-8859-1?Q?Andr=E9?=', 'André'],
    [
      '=?ISO-8859-1?B?SWYgeW91IGNhbiByZWFkIHRoaXMgeW8=?= =?ISO-8859-2?B?dSB1bmRlcnN0YW5kIHRoZSBleGFtcGxlLg==?=',
      'If you can read this you understand the example.',
    ],
    // not in the RFC: charsets Node's own decoder gets wrong or lacks
    ['=?windows-1252?Q?=93quoted=94_=80?=', '“quoted” €'],
    ['=?KOI8-R?B?8NLJ18XU?=', 'Привет'],
    ['=?GB18030?B?xOO6ww==?=', '你好'],
    ['=?ISO-2022-JP?B?GyRCJDMkcyRLJEEkTxsoQg==?=', 'こんにちは'],
    ['=?x-none-such?Q?a?=', 'a'],
  ]
  test.each(cases)('%s', (raw, want) => expect(decodeWords(raw)).toBe(want))

  test('an encoded comma or bracket makes no second address', () => {
    expect(short('=?utf-8?Q?pay=2C_boss_=3Cboss=40vindholm.example=3E?= <x@away.example>')).toEqual([
      ['pay, boss <boss@vindholm.example>', 'x@away.example'],
    ])
  })
})

// RFC 2046 §5.1.1: the "very simple" multipart message, and that preamble and epilogue are to be ignored.
test('RFC 2046 §5.1.1 example', async () => {
  const raw = [
    'From: Sender <sender@a.example>',
    'To: Reader <reader@b.example>',
    'Date: Sun, 21 Mar 1993 23:56:48 -0800',
    'Subject: Sample message',
    'MIME-Version: 1.0',
    'Content-type: multipart/mixed; boundary="simple boundary"',
    '',
    'This is the preamble.  It is to be ignored, though it',
    'is a handy place for composition agents to include an',
    'explanatory note to non-MIME conformant readers.',
    '',
    '--simple boundary',
    '',
    'This is implicitly typed plain US-ASCII text.',
    'It does NOT end with a linebreak.',
    '--simple boundary',
    'Content-type: text/plain; charset=us-ascii',
    '',
    'This is explicitly typed plain US-ASCII text.',
    'It DOES end with a linebreak.',
    '',
    '--simple boundary--',
    '',
    'This is the epilogue.  It is also to be ignored.',
  ].join('\r\n')
  const parsed = await parseMessage(Buffer.from(raw))
  const text = parsed.ok ? parsed.value.text : ''
  expect(text).toContain('It does NOT end with a linebreak.')
  expect(text).toContain('It DOES end with a linebreak.')
  expect(text).not.toContain('preamble')
  expect(text).not.toContain('epilogue')
})
