import type { Message } from '../../message/index.ts'
import type { SenderFacts } from '../../senders/index.ts'
import type { TextKnowledge } from '../text/index.ts'
import type { OrganisationPolicy } from '../organisation.ts'
import type { Weights } from '../../weights/index.ts'

/** What the organisation knows about a sender when the message comes in. */
export interface SenderKnowledge {
  /** Messages colleagues sent to this address, and to its domain. */
  readonly writtenToAddress: number
  readonly writtenToDomain: number
  /** Subject of the colleague's message that this one answers; `null` when it answers none. */
  readonly answered: string | null
  /** Messages seen before from this address, and from its domain. */
  readonly seenAddress: number
  readonly seenDomain: number
  readonly ruledWanted: number
  readonly ruledJunk: number
  /** The sender is in the organisation's contacts or directory. */
  readonly isContact?: boolean
  /** Of the mailing list, where the list itself is proven: what people called its mail. */
  readonly list?: { readonly wanted: number; readonly junk: number } | null
  /** The colleague whose name the display name is, though the address is not theirs; else `null`. */
  readonly imitates: string | null
}

/** Everything that weighing looks at beside the message itself. */
export interface WeighContext {
  readonly policy: OrganisationPolicy
  readonly knowledge: SenderKnowledge
  readonly text: TextKnowledge
  /** Our own domains and those we write to often, as A-labels: what an impostor would resemble. */
  readonly knownDomains: readonly string[]
  /** Mailboxes the message came in for. */
  readonly recipients: number
  /** Epoch ms when it came in. */
  readonly receivedAt: number
  /** The organisation's own; without them the shipped ones. */
  readonly weights?: Weights
}

/** A message with all that weighing needs. */
export interface Weighed {
  readonly message: Message
  readonly sender: SenderFacts
  readonly context: WeighContext
}
