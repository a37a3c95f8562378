/** Feedback types of RFC 5965 §7.3 that Pendro uses: 'abuse' for junk, 'fraud' for phishing. */
export type FeedbackType = 'abuse' | 'fraud'

interface FeedbackReport {
  readonly type: FeedbackType
  /** One line each, for people: in ASCII the subject, and what the report says. */
  readonly subject: string
  readonly words: string
  readonly raw: Uint8Array
  /** Addresses: who reports, and to whom. */
  readonly from: string
  readonly to: string
  readonly originalFrom: string
  readonly originalTo: readonly string[]
  /** Epoch ms when the message came in. */
  readonly arrivedAt: number
  readonly reportedDomains: readonly string[]
  /** Not in the message itself. */
  readonly boundary: string
  readonly messageId: string
  readonly now: number
}

const oneLine = (text: string) => text.replace(/[\r\n]+/g, ' ').trim()
const date = (time: number) => new Date(time).toUTCString().replace('GMT', '+0000')

/**
 * A feedback report (ARF, RFC 5965 §2): words for people, fields for machines, the message as it came.
 * Throws when `boundary` stands in the message.
 */
export function writeArf(report: FeedbackReport): Buffer {
  const { type, raw, boundary, messageId: ownId } = report
  const message = Buffer.from(raw.buffer, raw.byteOffset, raw.byteLength)
  if (message.includes(`--${boundary}`)) throw new RangeError('writeArf: the boundary stands in the message')
  const head = [
    `From: ${oneLine(report.from)}`,
    `To: ${oneLine(report.to)}`,
    `Date: ${date(report.now)}`,
    `Message-ID: ${ownId}`,
    `Subject: ${oneLine(report.subject)}`,
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=feedback-report; boundary="${boundary}"`,
    '',
    `--${boundary}`,
    'Content-Type: text/plain; charset=utf-8',
    '',
    oneLine(report.words),
    '',
    `--${boundary}`,
    'Content-Type: message/feedback-report',
    '',
    `Feedback-Type: ${type}`,
    'User-Agent: Pendro/0.1',
    'Version: 1',
    ...(report.originalFrom === '' ? [] : [`Original-Mail-From: <${oneLine(report.originalFrom)}>`]),
    ...report.originalTo.map(to => `Original-Rcpt-To: <${oneLine(to)}>`),
    `Arrival-Date: ${date(report.arrivedAt)}`,
    ...report.reportedDomains.map(domain => `Reported-Domain: ${oneLine(domain)}`),
    '',
    `--${boundary}`,
    'Content-Type: message/rfc822',
    'Content-Disposition: inline',
    '',
    '',
  ].join('\r\n')
  return Buffer.concat([Buffer.from(head), message, Buffer.from(`\r\n--${boundary}--\r\n`)])
}
