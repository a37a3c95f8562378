import {
  findClientIp,
  verifyAuthentication,
  type Connection,
  type Resolve,
} from '@pendro/core/authentication'
import { addressText, withoutTag } from '@pendro/core/address'
import { isChecked, senderFacts } from '@pendro/core/judgement'
import type { Message } from '@pendro/core/message'
import { isAuthenticated } from '@pendro/core/senders'
import { findRow, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'

export interface HandedIn {
  readonly raw: Buffer
  readonly message: Message
  readonly envelopeFrom: string
  readonly connection: Connection
  readonly resolve: Resolve | undefined
  readonly now: Date
}

export interface ProvenColleague {
  readonly id: number
  readonly name: string
  readonly address: string
  readonly language: string
}

export type ColleagueProblem = 'nobody' | 'not-proven'

/** The colleague a mail to Pendro itself comes from; only when it is proven to come from them. */
export async function findProvenColleague(
  db: Database,
  { raw, message, envelopeFrom, connection, resolve, now }: HandedIn,
): Promise<ProvenColleague | ColleagueProblem> {
  const { policy } = await readOrganisation(db)
  // Several From addresses: somebody wants to be taken for one of them.
  const from = message.from.length === 1 ? message.from[0]?.address : undefined
  const colleague =
    from &&
    (await findRow<ProvenColleague>(
      db,
      `SELECT m.id, m.name, m.address, m.language FROM mailbox_addresses a JOIN mailboxes m ON m.id = a.mailbox_id
       WHERE a.address = :address`,
      { address: addressText(withoutTag(from)) },
    ))
  if (!from || !colleague) return 'nobody'
  let { authentication } = senderFacts(message, null, policy)
  if (!isChecked(authentication) && resolve) {
    authentication = await verifyAuthentication({
      raw,
      fromDomain: from.domain,
      envelopeFrom,
      connection: findClientIp(message.headers, new Set(policy.trustedHosts)) ?? connection,
      resolve,
      now: now.getTime(),
    })
  }
  return isAuthenticated(from.domain, authentication) ? colleague : 'not-proven'
}
