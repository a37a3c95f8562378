import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { readStatusNotification } from '@pendro/core/message'
import { readStatus, statusMeanings } from '@pendro/core/whereabouts'
import { enWhereabouts } from '../../web/src/wording/en-whereabouts.ts'

describe('enhanced status codes', () => {
  // RFC 3463 §2 and §3; the examples of §2 are 2.1.5-like, the lists of §3 have 8 subjects.
  test.each([
    ['550 5.1.1 No such mailbox', '5.1.1', 'for-good', '1.1'],
    ['452 4.2.2 Mailbox full', '4.2.2', 'for-now', '2.2'],
    ['250 2.1.5 Destination address valid', '2.1.5', 'success', '1.5'],
    ['554 5.7.1 <a@x.example>: no relay', '5.7.1', 'for-good', '7.1'],
    ['550-5.4.6 loop', '5.4.6', 'for-good', '4.6'],
    // RFC 7504 §4.1
    ['556 5.1.10 Null MX', '5.1.10', 'for-good', '1.10'],
    // A detail that is not defined leaves its subject.
    ['550 5.2.99 odd', '5.2.99', 'for-good', '2'],
    ['550 5.9.1 odd', '5.9.1', 'for-good', '0'],
  ])('%s', (reply, code, kind, meaning) => expect(readStatus(reply)).toEqual({ code, kind, meaning }))

  test.each([
    '550 No such mailbox',
    '421 Try later',
    'connect 192.0.2.1 refused',
    '1.2.3.4',
    'version 5.1',
    '',
  ])('%j names none', reply => expect(readStatus(reply)).toBeNull())

  test('each meaning, and each subject alone, is said in plain words', () => {
    const said = Object.keys(enWhereabouts.status)
    expect([...statusMeanings].filter(meaning => !said.includes(meaning))).toEqual([])
    expect(['0', '1', '2', '3', '4', '5', '6', '7'].filter(subject => !said.includes(subject))).toEqual([])
  })
})

const report = (status: string, more: readonly string[] = [], type = 'delivery-status') =>
  Buffer.from(
    [
      'From: Mail Delivery Subsystem <MAILER-DAEMON@store.example>',
      'To: <digest@harbour.example>',
      'Subject: Returned mail',
      'MIME-Version: 1.0',
      `Content-Type: multipart/report; report-type=${type}; boundary="b"`,
      '',
      '--b',
      '',
      'The message could not be delivered.',
      '',
      '--b',
      'content-type: message/delivery-status',
      '',
      status,
      '',
      ...more,
      '--b--',
      '',
    ].join('\r\n'),
  )

describe('delivery status notifications', () => {
  // The form of RFC 3464 appendix E.1, from memory, with names of example domains.
  test('after repeated attempts (E.1)', async () => {
    const read = await readStatusNotification(
      report(
        [
          'Reporting-MTA: dns; store.example',
          '',
          'Original-Recipient: rfc822;louis@slip.example',
          'Final-Recipient: rfc822;louis@slip.example',
          'Action: failed',
          'Status: 4.0.0',
          'Diagnostic-Code: smtp; 426 connection timed out',
          'Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400',
        ].join('\r\n'),
        [
          '--b',
          'content-type: message/rfc822',
          '',
          'Pendro-Delivery: 17.inbox',
          'Subject: Hello',
          '',
          'Text',
          '',
        ],
      ),
    )
    expect(read).toMatchObject({
      reportingHost: 'store.example',
      recipients: [
        {
          recipient: 'louis@slip.example',
          action: 'failed',
          status: '4.0.0',
          diagnostic: '426 connection timed out',
        },
      ],
    })
    expect(read?.returned.get('pendro-delivery')).toBe('17.inbox')
  })

  // E.2: several recipients, each with an action of its own; headers alone came back.
  test('several recipients (E.2), with folded fields and comments', async () => {
    const read = await readStatusNotification(
      report(
        [
          'Reporting-MTA: dns; store.example',
          '',
          'Final-Recipient: rfc822;arathib@vnet.example',
          'Action: failed (gave up)',
          'Status: 5.0.0 (permanent failure)',
          'Diagnostic-Code: smtp;',
          "  550 'arathib@vnet.example' is not a registered gateway user",
          '',
          'Final-Recipient: rfc822;johnh@hpnjld.example',
          'Action: delayed',
          'Status: 4.0.0 (hpnjld.example: host name lookup failure)',
          '',
          'Final-Recipient: rfc822;wsnell@sdcc13.example',
          'Action: Delivered',
          'Status: 2.1.5',
        ].join('\r\n'),
        ['--b', 'content-type: text/rfc822-headers', '', 'Message-ID: <1@x.example>', ''],
      ),
    )
    expect(read?.recipients).toMatchObject([
      {
        action: 'failed',
        status: '5.0.0',
        diagnostic: "550 'arathib@vnet.example' is not a registered gateway user",
      },
      { action: 'delayed', status: '4.0.0', diagnostic: '' },
      { action: 'delivered', status: '2.1.5' },
    ])
    expect(read?.returned.get('message-id')).toBe('<1@x.example>')
  })

  test.each([
    ['a read receipt', report('Reporting-UA: x', [], 'disposition-notification')],
    ['no recipient', report('Reporting-MTA: dns; store.example')],
    [
      'an action nobody defined',
      report('Reporting-MTA: dns; s.example\r\n\r\nFinal-Recipient: rfc822;a@x.example\r\nAction: lost'),
    ],
    ['ordinary mail', Buffer.from('Subject: Hello\r\n\r\nAction: failed')],
    ['nothing', Buffer.from('')],
  ])('%s is none', async (_, raw) => expect(await readStatusNotification(raw)).toBeNull())

  test('whatever stands in it, reading ends and throws nothing', async () => {
    await fc.assert(
      fc.asyncProperty(fc.string({ maxLength: 300 }), async text => {
        await readStatusNotification(report(text))
      }),
      { numRuns: 60 },
    )
  })
})
