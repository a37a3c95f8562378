import { parseAuthenticationResults, parseDmarcRecord, parseSpfRecord } from '@pendro/core/authentication'
import { decodeWords, parseAddress, parseDomain, parseMailboxes, readFromFields } from '@pendro/core/address'
import { clusterKey } from '@pendro/core/clusters'
import { findAutomaticSign, findReferences, readReply } from '@pendro/core/digest'
import { tokensOf } from '@pendro/core/judgement'
import { readList } from '@pendro/core/lists'
import { matchingRules, readRules, type MailRule } from '@pendro/core/mail-rules'
import {
  ruleView,
  harmless,
  parseMessage,
  readDate,
  readHtml,
  readListId,
  readStatusNotification,
  safeView,
  visibleName,
  type Message,
} from '@pendro/core/message'
import { parsePattern } from '@pendro/core/senders'
import { fold, readParty, readWhen, wordsOf } from '@pendro/core/whereabouts'

/** Pieces whose long runs make careless grammars start over. */
const pieces = [
  ' ',
  '\t',
  '.',
  '..',
  '<',
  '>',
  '(',
  ')',
  '"',
  '\\',
  '@',
  'a',
  'a ',
  'a.',
  'a@',
  '@a.',
  ',',
  ';',
  ':',
  '=',
  '=?',
  '=?utf-8?q?a?=',
  '[',
  '-',
  '/',
  '&',
  '%',
  '{',
  'http://',
  'http://a.',
  'www.',
  '<a',
  '<a href=',
  '<div>',
  '</div>',
  '<p>',
  '<table><tr><td>',
  '<!--',
  '&amp;',
  '> ',
  '>> ',
  '\n',
  '\r\n ',
  '\n\n',
  'Re: ',
  'a@b.c ',
  '1',
  '1 ',
  'é',
  '\u200b',
  '\u202e',
  'begin 644 a\n',
  'K7Q-4MD ',
  'from ',
  'by ',
  '%{',
  '+',
  '*',
  '*.',
  '#',
  "'",
  '|',
  '~',
  '😀',
]
const starts = ['', 'a', '<', '"', '(', 'a<', 'Mon, 1 ', 'x.example; spf=', 'v=spf1 ', 'v=DMARC1; ']
const ends = ['', 'a', '>', '@', '!', 'x@y.example']

/** Bait of `length` characters: each piece repeated, between each start and each end. */
export function* baits(length: number): Generator<string> {
  for (const [i, piece] of pieces.entries()) {
    const run = piece.repeat(Math.ceil(length / piece.length)).slice(0, length)
    yield run
    // Not every pair: each piece meets some starts and ends, all of them meet some piece.
    yield `${starts[i % starts.length]}${run}${ends[i % ends.length]}`
    yield `${starts[(i * 7 + 3) % starts.length]}${run}${ends[(i * 5 + 2) % ends.length]}`
  }
}

const message = (text: string, subject = ''): Message => ({
  headers: [],
  from: [{ name: text.slice(0, 8000), text: 'a@x.example', address: null }],
  fromDomains: [],
  fromWhole: true,
  sender: null,
  replyTo: [],
  to: [],
  cc: [],
  subject,
  date: null,
  messageId: null,
  answers: [],
  listId: null,
  text,
  html: null,
  links: [],
  hiddenText: '',
  attachments: [],
  defects: [],
})
const rule = (text: string): MailRule => ({
  id: 1,
  name: 'r',
  owner: 'mailbox',
  needs: 'any',
  conditions: [{ field: 'body', test: 'matches', values: [text] }],
  action: { hold: 'let-in', place: null, important: false, stop: false },
})

const inHeader = (name: string) => (text: string) =>
  parseMessage(Buffer.from(`From: a@x.example\r\n${name}: ${text.replace(/[\r\n]+/g, ' ')}\r\n\r\nhi`))
const inBody = (head: string) => (text: string) =>
  parseMessage(Buffer.from(`From: a@x.example\r\n${head}\r\n\r\n${text}`))

/** Everything that meets what outsiders write, by name. */
export const readers: Readonly<Record<string, (text: string) => unknown>> = {
  parseMailboxes,
  readFromFields: text => readFromFields([text, text]),
  parseAddress,
  parseDomain,
  decodeWords,
  parsePattern,
  parseAuthenticationResults,
  parseDmarcRecord,
  parseSpfRecord: text => {
    try {
      return parseSpfRecord(`v=spf1 ${text}`)
    } catch {
      return null
    }
  },
  readDate,
  readListId,
  readHtml,
  safeView: text => safeView(text, new Map()),
  harmless,
  visibleName,
  clusterKey: text => clusterKey({ subject: text, text, messageId: null }),
  tokensOf: text => tokensOf(message(text, text)),
  findReferences,
  readReply: text =>
    readReply({ headers: [], envelopeFrom: 'a@x.example', subject: text, text, htmlText: text }),
  findAutomaticSign: text =>
    findAutomaticSign({ headers: [{ name: 'Precedence', value: text }], envelopeFrom: text, subject: text }),
  readList: text => readList(Buffer.from(text), { name: 'a.txt' }),
  readCsv: text => readList(Buffer.from(text), { name: 'a.csv' }),
  readSieve: text => readList(Buffer.from(text), { name: 'a.sieve' }),
  readVcard: text => readList(Buffer.from(`BEGIN:VCARD\n${text}\nEND:VCARD`), { name: 'a.vcf' }),
  readWhen: text => readWhen(text.slice(0, 400), { now: 0, timeZone: 'UTC' } as never),
  readParty: text => readParty(text.slice(0, 400)),
  fold,
  wordsOf,
  readRules,
  matchingRules: text =>
    matchingRules([rule('*a*b*c'), rule(`*${text.slice(0, 200)}`)], ruleView(message(text), text.length)),
  ...Object.fromEntries(
    [
      'From',
      'To',
      'Reply-To',
      'Subject',
      'Date',
      'Message-ID',
      'References',
      'List-Id',
      'Received',
      'Content-Type',
      'Content-Disposition',
      'Authentication-Results',
      'DKIM-Signature',
      'X-Any',
    ].map(name => [`a message with ${name}`, inHeader(name)]),
  ),
  'a message of plain text': inBody('Content-Type: text/plain'),
  'a message of HTML': inBody('Content-Type: text/html'),
  'a message in base64': inBody('Content-Transfer-Encoding: base64'),
  'a message in quoted-printable': inBody('Content-Transfer-Encoding: quoted-printable'),
  'a message in uuencode': inBody('Content-Transfer-Encoding: x-uuencode'),
  'a message with a boundary': inBody('Content-Type: multipart/mixed; boundary=a'),
  'flowed text': inBody('Content-Type: text/plain; format=flowed; delsp=yes'),
  'a delivery report': text =>
    readStatusNotification(
      Buffer.from(
        `Content-Type: multipart/report; report-type=delivery-status; boundary=B\r\n\r\n--B\r\nContent-Type: message/delivery-status\r\n\r\n${text}\r\n--B--`,
      ),
    ),
}
