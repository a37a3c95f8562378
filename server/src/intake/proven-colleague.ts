import type { Connection } from '@pendro/core/authentication'
import { addressText, withoutTag } from '@pendro/core/address'
import type { Message } from '@pendro/core/message'
import { isAuthenticated } from '@pendro/core/senders'
import { findRow, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { findAuthentication, type Authenticate } from '../reading/authenticate.ts'
import type { ReadMessage } from '../reading/reading.ts'

/** Mail to an address of Pendro's own, as it came through the door. */
export interface HandedIn {
  readonly raw: Buffer
  readonly parsed: ReadMessage['parsed']
  readonly envelopeFrom: string
  readonly connection: Connection
  readonly authenticate: Authenticate | undefined
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
  message: Message,
  { raw, envelopeFrom, connection, authenticate, now }: HandedIn,
): Promise<ProvenColleague | ColleagueProblem> {
  const { policy } = await readOrganisation(db)
  // Several From addresses, or one that can't be read: somebody wants to be taken for another.
  const from = message.from.length === 1 && message.fromWhole ? message.from[0]?.address : undefined
  const colleague =
    from &&
    (await findRow<ProvenColleague>(
      db,
      `SELECT m.id, m.name, m.address, m.language FROM mailbox_addresses a JOIN mailboxes m ON m.id = a.mailbox_id
       WHERE a.address = :address AND m.closed_at IS NULL`,
      { address: addressText(withoutTag(from)) },
    ))
  if (!from || !colleague) return 'nobody'
  const authentication = await findAuthentication(
    { raw, message, envelopeFrom, connection, now },
    policy,
    authenticate,
  )
  return isAuthenticated(from.domain, authentication) ? colleague : 'not-proven'
}
