import {
  decide,
  type DeliveryFacts,
  type Decision,
  type MailboxPolicy,
  type OrganisationPolicy,
  type Register,
} from '../judgement/index.ts'
import { isOwner, type SenderEntry } from '../senders/index.ts'
import type { RegisterChange } from './register-change.ts'

/** One delivery already seen, with all that deciding it again needs. */
export interface SeenDelivery {
  readonly facts: DeliveryFacts
  readonly mailbox: MailboxPolicy
  readonly register: Register
  /** Epoch ms; entries are judged as of then. */
  readonly receivedAt: number
  /** A person called it junk or phishing. */
  readonly ruledJunk: boolean
}

/** What a change of the register would have done to mail already seen. All numbers are deliveries but `colleagues`. */
export interface Reach {
  readonly looked: number
  readonly letThrough: number
  readonly keptBack: number
  /** Mailboxes with at least one changed delivery. */
  readonly colleagues: number
  /** Of `letThrough`: near-certain junk by score, or called junk by a person. */
  readonly harmful: number
  /** Matched a new safe entry and would still not be let in, for want of authentication. */
  readonly refused: number
  /** Entries that overrule the new ones, most often first. */
  readonly overruledBy: readonly { readonly entry: SenderEntry; readonly deliveries: number }[]
}

const arrives = ({ state }: Decision) => state === 'inbox' || state === 'aside'

/** New entries have no id yet; in a replay they carry this one, below every real id. */
const proposedId = -1

/**
 * Decides every delivery of `history` twice, with the register as it is and as it would be
 * (domain.md §5: "reach over the last 30 days"). Linear in the deliveries.
 */
export function reach(
  change: RegisterChange,
  history: readonly SeenDelivery[],
  policy: Pick<OrganisationPolicy, 'ownDomains'>,
): Reach {
  const colleagues = new Set<number>()
  const overruledBy = new Map<number, { entry: SenderEntry; deliveries: number }>()
  let letThrough = 0
  let keptBack = 0
  let harmful = 0
  let refused = 0
  for (const seen of history) {
    const context = { policy, now: seen.receivedAt }
    const before = decide(seen.facts, seen.mailbox, seen.register, context)
    const after = decide(
      seen.facts,
      seen.mailbox,
      changed(seen.register, change, seen.mailbox.mailboxId),
      context,
    )
    if (isRefused(after)) refused += 1
    const winner = overruling(after)
    if (winner) {
      const count = overruledBy.get(winner.id) ?? { entry: winner, deliveries: 0 }
      overruledBy.set(winner.id, { ...count, deliveries: count.deliveries + 1 })
    }
    if (arrives(before) === arrives(after)) continue
    colleagues.add(seen.mailbox.mailboxId)
    if (!arrives(after)) keptBack += 1
    else {
      letThrough += 1
      if (seen.ruledJunk || seen.facts.score >= seen.mailbox.limits.nearCertain) harmful += 1
    }
  }
  return {
    looked: history.length,
    letThrough,
    keptBack,
    colleagues: colleagues.size,
    harmful,
    refused,
    overruledBy: [...overruledBy.values()].sort((a, b) => b.deliveries - a.deliveries),
  }
}

function changed(register: Register, { add, end }: RegisterChange, mailboxId: number): Register {
  const ended = new Set(end.map(({ id }) => id))
  const added = add.map(entry => ({ ...entry, id: proposedId }))
  return {
    organisation: [
      ...register.organisation.filter(({ id }) => !ended.has(id)),
      ...added.filter(({ owner }) => owner.kind === 'organisation'),
    ],
    mailbox: [
      ...register.mailbox.filter(({ id }) => !ended.has(id)),
      ...added.filter(({ owner }) => isOwner(owner, { kind: 'mailbox', mailboxId })),
    ],
  }
}

function isRefused({ path }: Decision): boolean {
  return path.some(line => 'refused' in line && line.refused.some(({ entry }) => entry.id === proposedId))
}

/** The entry that decided although a proposed one matched. */
function overruling({ path }: Decision): SenderEntry | null {
  const lines = path.flatMap(line => ('overruled' in line ? [line] : []))
  if (!lines.some(({ overruled }) => overruled.some(({ id }) => id === proposedId))) return null
  const decided = lines.find(({ decided }) => decided !== null)?.decided ?? null
  return decided?.id === proposedId ? null : decided
}
