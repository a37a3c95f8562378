import { allHeaders, type Message } from '../message/index.ts'
import { readAuthentication, type Authentication, type SenderFacts } from '../senders/index.ts'
import type { OrganisationPolicy } from './organisation.ts'

/**
 * The facts sender lists look at; `envelopeFrom` as the SMTP client gave it. `own`: what we found out
 * ourselves, for messages that no trusted host had checked.
 */
export function senderFacts(
  message: Message,
  envelopeFrom: SenderFacts['envelopeFrom'],
  policy: Pick<OrganisationPolicy, 'trustedHosts'>,
  own: Authentication | null = null,
): SenderFacts {
  const read = readAuthentication(
    allHeaders(message.headers, 'Authentication-Results'),
    new Set(policy.trustedHosts.map(host => host.toLowerCase())),
  )
  return {
    from: message.from.flatMap(({ address }) => (address === null ? [] : [address])),
    envelopeFrom,
    sender: message.sender?.address ?? null,
    listId: message.listId,
    authentication: isChecked(read) || own === null ? read : own,
  }
}

/** Whether a trusted host has said anything. */
export const isChecked = ({ notes = [] }: Authentication): boolean => notes.length > 0
