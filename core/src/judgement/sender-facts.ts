import type { Message } from '../message/index.ts'
import { noAuthentication, type Authentication, type SenderFacts } from '../senders/index.ts'

/** The facts sender lists look at; `envelopeFrom` as the SMTP client gave it, `authentication` as it was found out. */
export function senderFacts(
  message: Message,
  envelopeFrom: SenderFacts['envelopeFrom'],
  authentication: Authentication = noAuthentication,
): SenderFacts {
  const from = message.from.flatMap(({ address }) => (address === null ? [] : [address]))
  const unread = message.fromDomains.filter(domain => !from.some(address => address.domain === domain))
  return {
    from,
    // Only where it says more than `from`: the facts of like senders are kept once.
    ...(unread.length > 0 ? { fromDomains: message.fromDomains } : {}),
    ...(message.fromWhole ? {} : { fromWhole: false }),
    envelopeFrom,
    sender: message.sender?.address ?? null,
    listId: message.listId,
    authentication,
  }
}
