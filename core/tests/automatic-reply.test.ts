import { describe, expect, test } from 'vitest'
import {
  noReply,
  replyProblem,
  replyWords,
  threadOf,
  whyUnanswered,
  type AutomaticReply,
  type Unanswered,
} from '../src/automatic-reply/index.ts'
import { noAuthentication } from '../src/senders/index.ts'

type Asked = Parameters<typeof whyUnanswered>[0]

const header = (name: string, value: string) => ({ name, value })
const asked = (more: Partial<Asked> & { extra?: Asked['headers'] } = {}): Asked => ({
  envelopeFrom: 'ben@sender.example',
  own: ['anna@harbour.example', 'a.berg@harbour.example'],
  authentication: { ...noAuthentication, spf: { result: 'pass', domain: 'sender.example' } },
  ...more,
  headers: more.headers ?? [
    header('From', 'Ben <ben@sender.example>'),
    header('To', 'Anna <anna@harbour.example>'),
    ...(more.extra ?? []),
  ],
})

describe('who gets no answer', () => {
  // RFC 3834 §2 and §5, RFC 5230 §4.5 and §4.6 as tables (from the texts of the RFCs, from memory).
  test.each<readonly [string, Asked, Unanswered | null]>([
    ['a letter to the mailbox', asked(), null],
    ['the null reverse-path', asked({ envelopeFrom: '' }), 'empty-path'],
    [
      'Auto-Submitted: auto-replied',
      asked({ extra: [header('Auto-Submitted', 'auto-replied')] }),
      'automatic',
    ],
    [
      '… auto-generated with a parameter',
      asked({ extra: [header('Auto-Submitted', 'auto-generated; type=x')] }),
      'automatic',
    ],
    ['… an extension nobody knows', asked({ extra: [header('auto-submitted', 'auto-foo')] }), 'automatic'],
    ['… no', asked({ extra: [header('Auto-Submitted', 'No (a person)')] }), null],
    ['Precedence: bulk', asked({ extra: [header('Precedence', 'bulk')] }), 'bulk'],
    ['Precedence: list', asked({ extra: [header('precedence', 'LIST')] }), 'bulk'],
    ['Precedence: junk', asked({ extra: [header('Precedence', 'junk')] }), 'bulk'],
    ['Precedence: first-class', asked({ extra: [header('Precedence', 'first-class')] }), null],
    ...[
      'List-Id',
      'List-Help',
      'List-Subscribe',
      'List-Unsubscribe',
      'List-Post',
      'List-Owner',
      'List-Archive',
    ].map(name => [name, asked({ extra: [header(name, '<x.example>')] }), 'list'] as const),
    ['List-Something-Else', asked({ extra: [header('List-Something-Else', 'x')] }), null],
    ...[
      'owner-news',
      'news-owner',
      'news-request',
      'LISTSERV',
      'majordomo',
      'MAILER-DAEMON',
      'no-reply',
      'donotreply',
      'news-bounces',
    ].map(local => [local, asked({ envelopeFrom: `${local}@sender.example` }), 'robot'] as const),
    ['request-desk is a desk', asked({ envelopeFrom: 'request-desk@sender.example' }), null],
    [
      'a report of delivery',
      asked({ extra: [header('Content-Type', 'multipart/report; report-type=delivery-status')] }),
      'report',
    ],
    [
      'an ordinary attachment',
      asked({ extra: [header('Content-Type', 'multipart/mixed; boundary=report')] }),
      null,
    ],
    ['the mailbox itself', asked({ envelopeFrom: 'anna@harbour.example' }), 'own-address'],
    ['… by an alias with a tag', asked({ envelopeFrom: 'A.Berg+x@harbour.example' }), 'own-address'],
    [
      'not among the recipients (a blind copy, a list without marks)',
      asked({ headers: [header('To', 'all@sender.example')] }),
      'not-addressed',
    ],
    ['no recipients at all', asked({ headers: [] }), 'not-addressed'],
    [
      'in Cc, by an alias',
      asked({
        headers: [header('To', 'x@y.example'), header('Cc', 'x@y.example, "A" <A.BERG@harbour.example>')],
      }),
      null,
    ],
    ['with a tag', asked({ headers: [header('To', 'anna+orders@harbour.example')] }), null],
    [
      'in Resent-To',
      asked({ headers: [header('To', 'x@y.example'), header('Resent-To', 'anna@harbour.example')] }),
      null,
    ],
    [
      'only named in the display name',
      asked({ headers: [header('To', '"anna@harbour.example" <x@y.example>')] }),
      'not-addressed',
    ],
    ['a return path that nothing proves', asked({ authentication: noAuthentication }), 'unproven'],
    [
      '… proven for somebody else',
      asked({ authentication: { ...noAuthentication, spf: { result: 'pass', domain: 'other.example' } } }),
      'unproven',
    ],
    [
      '… signed by its own organisation',
      asked({
        authentication: { ...noAuthentication, dkim: [{ result: 'pass', domain: 'mail.sender.example' }] },
      }),
      null,
    ],
    [
      '… that DMARC denies',
      asked({
        authentication: {
          ...noAuthentication,
          spf: { result: 'pass', domain: 'sender.example' },
          dmarc: { result: 'fail', domain: 'sender.example' },
        },
      }),
      'unproven',
    ],
  ])('%s: %o → %s', (_name, given, want) => expect(whyUnanswered(given)).toBe(want))

  test('what we send ourselves is never answered: two who are away write one answer each', () => {
    const ours = asked({
      envelopeFrom: '',
      extra: [header('Auto-Submitted', 'auto-replied'), header('In-Reply-To', '<1@x.example>')],
    })
    expect(whyUnanswered(ours)).toBe('empty-path')
    // Also where a relay has put a return path of its own in.
    expect(whyUnanswered({ ...ours, envelopeFrom: 'ben@sender.example' })).toBe('automatic')
  })
})

describe('what is answered', () => {
  const en = { language: 'en', subject: 'I am away', text: 'Back on Monday.' }
  const nb = { language: 'nb', subject: '', text: 'Tilbake mandag.' }
  test.each([
    ['the reader’s language', [en, nb], 'nb', { subject: 'Auto: Berths', text: 'Tilbake mandag.' }],
    [
      'another language: all there are',
      [en, nb],
      'pl',
      { subject: 'I am away', text: 'Back on Monday.\n\n* * *\n\nTilbake mandag.' },
    ],
    [
      'somebody unknown: all there are',
      [nb, en],
      null,
      { subject: 'Auto: Berths', text: 'Tilbake mandag.\n\n* * *\n\nBack on Monday.' },
    ],
    ['no text', [], 'en', null],
  ] as const)('%s', (_name, texts, language, want) =>
    expect(replyWords(texts, { language, subject: ' Berths\r\nBcc: x@y.example ' })).toEqual(
      want && { ...want, subject: want.subject.replace('Berths', 'Berths Bcc: x@y.example') },
    ),
  )

  test.each([
    [[header('Message-ID', '<3@x>')], ['<3@x>']],
    [
      [
        header('References', '<1@x>\r\n <2@x>'),
        header('In-Reply-To', '<2@x>'),
        header('Message-ID', '<3@x>'),
      ],
      ['<1@x>', '<2@x>', '<3@x>'],
    ],
    [
      [header('In-Reply-To', '<2@x> (of Monday)'), header('Message-ID', '<3@x>')],
      ['<2@x>', '<3@x>'],
    ],
    [
      [header('References', '<3@x> <1@x>'), header('Message-ID', '<3@x>')],
      ['<1@x>', '<3@x>'],
    ],
    [[header('Message-ID', 'none')], []],
  ])('thread %#: %j', (headers, want) => expect(threadOf(headers)).toEqual(want))
  test('a thread of thousands is cut to its end', () => {
    const ids = Array.from({ length: 900 }, (_, i) => `<${i}@x>`).join(' ')
    const thread = threadOf([header('References', ids), header('Message-ID', '<own@x>')])
    expect([thread.length, thread.at(-1)]).toEqual([21, '<own@x>'])
  })
})

test.each<readonly [Partial<AutomaticReply>, ReturnType<typeof replyProblem>]>([
  [{}, null],
  [{ when: 'away' }, 'no-text'],
  [{ when: 'always', outside: [{ language: 'en', subject: '', text: 'x' }] }, null],
  [
    {
      inside: [
        { language: 'en', subject: '', text: 'x' },
        { language: 'en', subject: '', text: 'y' },
      ],
    },
    'twice',
  ],
  // One to colleagues and one to others are two texts.
  [
    {
      inside: [{ language: 'en', subject: '', text: 'x' }],
      outside: [{ language: 'en', subject: '', text: 'y' }],
    },
    null,
  ],
])('a setting %j: %s', (more, want) => expect(replyProblem({ ...noReply, ...more })).toBe(want))
