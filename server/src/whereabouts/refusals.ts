import type { Database } from '../db/database.ts'
import { Refusals } from '../db/models/messages.ts'
import { insert } from '../db/rows.ts'
import { within, type Scope } from '../db/scope.ts'
import type { Log } from '../log.ts'

export interface Refusal {
  readonly at: Date
  readonly ip: string
  readonly helo: string
  readonly envelopeFrom: string
  readonly recipients: readonly string[]
  readonly code: number
  readonly reason: string
}

/**
 * Keeps what the door turned away, so that "she says it bounced" can be answered. A refusal that can't be
 * kept is refused all the same.
 */
export async function noteRefusal(db: Database, log: Log, refusal: Refusal): Promise<void> {
  log.refused(refusal.code, refusal.reason)
  try {
    await insert(
      db,
      Refusals,
      (refusal.recipients.length > 0 ? refusal.recipients : ['']).slice(0, 100).map(recipient => ({
        at: refusal.at,
        ip: refusal.ip.slice(0, 45),
        helo: refusal.helo.slice(0, 255),
        envelope_from: refusal.envelopeFrom.slice(0, 320),
        recipient: recipient.slice(0, 320),
        code: refusal.code,
        reason: refusal.reason.slice(0, 300),
      })),
    )
  } catch (error) {
    log.databaseAway('smtp refusal', error)
  }
}

/** The condition on refusals that were meant for somebody of a scope: an address that nobody has is nobody's department. */
export const refusedTo = (scope: Scope): string =>
  scope === null
    ? 'TRUE'
    : `LOWER(recipient) IN (SELECT address FROM mailbox_addresses WHERE ${within(scope, 'mailbox_id')})`
