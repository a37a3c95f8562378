import { no, yes, type Parsed } from '@pendro/core/address'
import type { Database } from '../db/database.ts'
import { findProvenColleague, type HandedIn } from '../intake/proven-colleague.ts'
import { readHere, type Reader } from '../reading/reader.ts'
import type { SmtpRefusal } from '../intake/smtp-answers.ts'
import { learnReported } from './reports.ts'

const mostReports = 20

/**
 * Messages attached to a mail for the report address are learned as junk, or as phishing where the subject
 * says so. Only from a colleague whose mail is proven; the problem is the code of the SMTP answer.
 */
export async function reportByMail(
  db: Database,
  given: HandedIn,
  reader: Pick<Reader, 'read' | 'attachedMessages'> = readHere,
): Promise<Parsed<number, SmtpRefusal>> {
  const { raw, parsed, now } = given
  if (!parsed.ok) return no('unreadable-report')
  const message = parsed.value
  const colleague = await findProvenColleague(db, message, given)
  if (colleague === 'nobody') return no('report-not-colleague')
  if (colleague === 'not-proven') return no('report-unproven')
  const attached = await reader.attachedMessages(raw)
  if (attached.length === 0) return no('report-without-message')
  const verdict = /phish/i.test(message.subject) ? 'phishing' : 'junk'
  for (const one of attached.slice(0, mostReports)) {
    await learnReported(db, {
      by: { kind: 'colleague', id: null, name: colleague.name },
      mailboxId: colleague.id,
      raw: Buffer.from(one),
      read: reader.read,
      verdict,
      now,
    })
  }
  return yes(Math.min(attached.length, mostReports))
}
