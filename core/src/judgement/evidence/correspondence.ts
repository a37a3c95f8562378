import { displayDomain } from '../../address/index.ts'
import { isAuthenticated, type SenderFacts } from '../../senders/index.ts'
import type { Weighed } from './context.ts'
import { observe, growth, type Observed } from './evidence.ts'

/** Whether colleagues have written to the sender, and whether this answers one of them. */
export function weighCorrespondence({
  message,
  sender,
  context: { knowledge },
}: Weighed): readonly Observed[] {
  const found: Observed[] = []
  if (knowledge.answered !== null) {
    found.push(
      observe('answers-colleague', {
        facts: { subject: knowledge.answered },
        raw: message.answers.map(id => ['In-Reply-To', id] as const),
      }),
    )
  }
  if (knowledge.writtenToAddress > 0) {
    found.push(
      observe('correspondence-address', {
        facts: { count: knowledge.writtenToAddress },
        times: growth(knowledge.writtenToAddress),
      }),
    )
  } else if (knowledge.writtenToDomain > 0) {
    const domain = displayDomain(sender.from[0]?.domain ?? '')
    found.push(
      observe('correspondence-domain', {
        facts: { count: knowledge.writtenToDomain, domain },
        times: growth(knowledge.writtenToDomain),
      }),
    )
  }
  // Whom colleagues write to is known better than by a line in an address book.
  if (knowledge.isContact === true && knowledge.writtenToAddress === 0) found.push(contact(sender))
  return found
}

/** An address book is easily guessed at: without proof that it is the sender, half as much. */
function contact({ from: [first], authentication }: SenderFacts): Observed {
  const isProven = first !== undefined && isAuthenticated(first.domain, authentication)
  return observe('in-contacts', { times: isProven ? 1 : 0.5 })
}

/** What is known in one mailbox only. */
export interface Nearness {
  /** Messages its colleague sent to the sender. */
  readonly written: number
  /** The sender is in the contacts of the mailbox itself, and not in everybody's. */
  readonly isContact: boolean
}

/** What weighs in one mailbox only: this colleague has written to the sender, or keeps them as a contact. */
export function weighNearness({ written, isContact }: Nearness, sender: SenderFacts): readonly Observed[] {
  if (written === 0) return isContact ? [contact(sender)] : []
  return [
    observe('correspondence-mailbox', {
      facts: { count: written },
      times: growth(written),
    }),
  ]
}
