import MimeNode from 'nodemailer/lib/mime-node'
import { harmlessLine } from '@pendro/core/text'
import { findRow, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { translator } from '../wording.ts'
import { ownDomain, ownSender } from './own-mail.ts'
import { headOf, mailDate, unpack } from './source.ts'

interface Returned {
  readonly envelope_from: string
  readonly recipient: string
  readonly problem: string
  readonly received_at: Date
  readonly gzip: Buffer
  /** Of the bytes when unpacked. */
  readonly size: number
  readonly language: string | null
}

/** Of the header that goes back; the sender has the rest. */
const mostHeader = 64 * 1024

/**
 * What tells a colleague that their mail came to nothing: a delivery status notification (RFC 3464) with the header of what they sent.
 * `null` where there is nobody to tell.
 */
export async function writeReturn(
  db: Database,
  relayId: number,
  at: Date,
): Promise<{ readonly to: string; readonly raw: Buffer } | null> {
  const row = await findRow<Returned>(
    db,
    `SELECT m.envelope_from, r.recipient, r.problem, m.received_at, m.size, s.gzip, b.language
     FROM relays r JOIN messages m ON m.id = r.message_id JOIN message_sources s ON s.message_id = m.id
     LEFT JOIN mailbox_addresses a ON a.address = m.envelope_from LEFT JOIN mailboxes b ON b.id = a.mailbox_id WHERE r.id = :id`,
    { id: relayId },
  )
  if (!row || row.envelope_from === '') return null
  const organisation = await readOrganisation(db)
  const language = row.language ?? organisation.letters?.language ?? 'en'
  const t = translator(language)
  const domain = ownDomain(organisation)
  const facts = { recipient: row.recipient, problem: harmlessLine(row.problem) }
  const report = new MimeNode('multipart/report; report-type=delivery-status')
  report.setHeader({
    from: ownSender(organisation, language),
    to: row.envelope_from,
    subject: t('returned.subject', facts),
    date: mailDate(at),
    'message-id': `<returned-${relayId}@${domain}>`,
    'auto-submitted': 'auto-replied',
  })
  report
    .createChild('text/plain; charset=utf-8')
    .setContent([t('returned.text', facts), t('returned.problem', facts), t('returned.what')].join('\n\n'))
  report.createChild('message/delivery-status').setContent(statusOf(row, domain, at))
  const header = headOf(await unpack(row), mostHeader)
  report.createChild('text/rfc822-headers').setContent(header.replace(/\r?\n/g, '\r\n') + '\r\n')
  return { to: row.envelope_from, raw: await report.build() }
}

/** RFC 3464 §2: of the message, then of the recipient. */
function statusOf({ recipient, problem, received_at }: Returned, domain: string, at: Date): string {
  const said = harmlessLine(problem)
  // The other server's own code where it gave one (RFC 3463); else that it was never reached in time.
  const status =
    /\b[45]\.\d{1,3}\.\d{1,3}\b/.exec(said)?.[0].replace(/^4/, '5') ??
    (/^5\d\d/.test(said) ? '5.0.0' : '5.4.7')
  const isReply = /^[45]\d\d\b/.test(said)
  return [
    `Reporting-MTA: dns; ${domain}`,
    `Arrival-Date: ${mailDate(received_at)}`,
    '',
    `Final-Recipient: rfc822; ${recipient}`,
    'Action: failed',
    `Status: ${status}`,
    ...(isReply ? [`Diagnostic-Code: smtp; ${said}`] : []),
    `Last-Attempt-Date: ${mailDate(at)}`,
    '',
  ].join('\r\n')
}
