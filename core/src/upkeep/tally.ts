import { decide, type Decision, type OrganisationPolicy } from '../judgement/index.ts'
import { takenFor, type SeenDeliveries } from '../rulings/index.ts'
import { indexRegister, type RegisterIndex, type SenderEntry } from '../senders/index.ts'
import { addressText, withoutTag } from '../address/index.ts'

/** What an entry met in the days looked at. Counts are deliveries. */
export interface Tally {
  matched: number
  /** It decided. */
  decided: number
  /** Matched, safe, and not honoured for want of authentication. */
  refused: number
  /** Decided, and a person called the message wanted. */
  wanted: number
  /** Decided, and called junk or phishing by a person, or near-certain junk by score. */
  harmful: number
  /** Decided, and called junk or phishing by a person. */
  calledJunk: number
  /** Deliveries that would have gone another way without it. */
  mattered: number
  /** What it let in or stopped, by From address: at most `mostSenders`. */
  readonly senders: Map<string, SenderTally>
  readonly domains: Set<string>
}

/** What was seen of one sender. */
export interface SenderTally {
  deliveries: number
  harmful: number
  wanted: number
}

/** Enough to replace a wide entry by the addresses it was for; beyond it, it is for more than a few. */
const mostSenders = 200

const emptyTally = (): Tally => ({
  matched: 0,
  decided: 0,
  refused: 0,
  wanted: 0,
  harmful: 0,
  calledJunk: 0,
  mattered: 0,
  senders: new Map(),
  domains: new Set(),
})

/** What was seen, by sender. */
export interface Tallies {
  readonly see: (seen: SeenDeliveries) => void
  /** `null` for an entry that met nothing. */
  readonly of: (entry: SenderEntry) => Tally | null
}

/**
 * Counts what entries do to mail already seen. `proveFor` names the entries for which each decision is made
 * a second time without them: whether they mattered.
 */
export function createTallies(
  entries: readonly SenderEntry[],
  { policy, now }: { policy: Pick<OrganisationPolicy, 'ownDomains'>; now: number },
  proveFor: ReadonlySet<number>,
): Tallies {
  const index = indexRegister(entries)
  const tallies = new Map<number, Tally>()
  const tallyOf = ({ id }: SenderEntry): Tally => {
    const known = tallies.get(id)
    if (known) return known
    const made = emptyTally()
    tallies.set(id, made)
    return made
  }
  const context = { policy, now }

  const see = (seen: SeenDeliveries) => {
    const { facts, mailbox, count } = seen
    const register = index.lookUp(facts.sender, mailbox.mailboxId)
    if (register.organisation.length + register.mailbox.length === 0) return
    const decision = decide(facts, mailbox, register, context)
    for (const line of decision.path) {
      if (!('overruled' in line)) continue
      for (const entry of line.overruled) tallyOf(entry).matched += count
      for (const { entry, why } of line.refused) {
        const tally = tallyOf(entry)
        tally.matched += count
        if (why === 'not-authenticated') tally.refused += count
      }
      if (line.decided === null) continue
      const tally = tallyOf(line.decided)
      noteDecided(tally, seen)
      if (proveFor.has(line.decided.id) && !isSameWithout(line.decided, seen, decision, index, context))
        tally.mattered += count
    }
  }
  return { see, of: ({ id }) => tallies.get(id) ?? null }
}

function noteDecided(tally: Tally, seen: SeenDeliveries): void {
  const { count, facts, calledByPerson } = seen
  const as = takenFor(seen)
  tally.matched += count
  tally.decided += count
  if (calledByPerson === 'wanted') tally.wanted += count
  if (calledByPerson === 'junk') tally.calledJunk += count
  if (as === 'harmful') tally.harmful += count
  const from = facts.sender.from[0]
  if (!from) return
  tally.domains.add(from.domain)
  const text = addressText(withoutTag(from))
  const sender = tally.senders.get(text) ?? { deliveries: 0, harmful: 0, wanted: 0 }
  if (!tally.senders.has(text) && tally.senders.size >= mostSenders) return
  sender.deliveries += count
  if (as === 'harmful') sender.harmful += count
  if (calledByPerson === 'wanted') sender.wanted += count
  tally.senders.set(text, sender)
}

function isSameWithout(
  { id }: SenderEntry,
  { facts, mailbox }: SeenDeliveries,
  { state, leftOut }: Decision,
  index: RegisterIndex,
  context: { policy: Pick<OrganisationPolicy, 'ownDomains'>; now: number },
): boolean {
  const register = index.lookUp(facts.sender, mailbox.mailboxId)
  const others = {
    organisation: register.organisation.filter(entry => entry.id !== id),
    mailbox: register.mailbox.filter(entry => entry.id !== id),
  }
  const without = decide(facts, mailbox, others, context)
  return without.state === state && without.leftOut === leftOut
}
