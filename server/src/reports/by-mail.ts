import {
  findClientIp,
  verifyAuthentication,
  type Connection,
  type Resolve,
} from '@pendro/core/authentication'
import { addressText, no, withoutTag, yes, type Parsed } from '@pendro/core/address'
import { isChecked, senderFacts } from '@pendro/core/judgement'
import { attachmentContents, type parseMessage } from '@pendro/core/message'
import { isAuthenticated } from '@pendro/core/senders'
import { findRow, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { learnReported } from './reports.ts'

interface Given {
  readonly raw: Buffer
  readonly parsed: Awaited<ReturnType<typeof parseMessage>>
  readonly envelopeFrom: string
  readonly connection: Connection
  readonly resolve: Resolve | undefined
  readonly now: Date
}

const mostReports = 20

/**
 * Messages attached to a mail for the report address are learned as junk, or as phishing where the subject
 * says so. Only from a colleague whose mail is proven; the problem is the text of the SMTP answer.
 */
export async function reportByMail(
  db: Database,
  { raw, parsed, envelopeFrom, connection, resolve, now }: Given,
): Promise<Parsed<number, string>> {
  if (!parsed.ok) return no('5.6.0 The report can not be read')
  const message = parsed.value
  const { policy } = await readOrganisation(db)
  const from = message.from[0]?.address
  const colleague =
    from &&
    (await findRow<{ id: number; name: string }>(
      db,
      'SELECT m.id, m.name FROM mailbox_addresses a JOIN mailboxes m ON m.id = a.mailbox_id WHERE a.address = :address',
      { address: addressText(withoutTag(from)) },
    ))
  if (!from || !colleague) return no('5.7.1 Reports are taken from colleagues only')
  let { authentication } = senderFacts(message, null, policy)
  if (!isChecked(authentication) && resolve) {
    const client = findClientIp(message.headers, new Set(policy.trustedHosts)) ?? connection
    authentication = await verifyAuthentication({
      raw,
      fromDomain: from.domain,
      envelopeFrom,
      connection: client,
      resolve,
      now: now.getTime(),
    })
  }
  if (!isAuthenticated(from.domain, authentication))
    return no('5.7.1 Nothing proves that this report comes from you')
  const attached = await attachmentContents(
    raw,
    ({ declaredType, name }) => declaredType === 'message/rfc822' || /\.eml$/i.test(name),
  )
  if (attached.length === 0)
    return no('5.6.0 Attach the message itself to the report; forwarding its text loses what is needed')
  const verdict = /phish/i.test(message.subject) ? 'phishing' : 'junk'
  for (const one of attached.slice(0, mostReports)) {
    await learnReported(db, {
      by: { kind: 'colleague', id: null, name: colleague.name },
      mailboxId: colleague.id,
      raw: Buffer.from(one),
      verdict,
      now,
    })
  }
  return yes(Math.min(attached.length, mostReports))
}
