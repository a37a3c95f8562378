import {
  decide,
  type DeliveryFacts,
  type Decision,
  type MailboxPolicy,
  type OrganisationPolicy,
} from '../judgement/index.ts'
import { indexRegister, matchesBlocked, type SenderEntry, type SenderFacts } from '../senders/index.ts'
import type { RegisterChange } from './register-change.ts'

/** Deliveries already seen that are equal before the judge, with all that deciding them again needs. */
export interface SeenDeliveries {
  readonly facts: DeliveryFacts
  readonly mailbox: MailboxPolicy
  /** Mailboxes they went to, where these are alike before the judge; else `mailbox` alone. */
  readonly mailboxIds?: readonly number[]
  readonly count: number
  /** What a person called them; a release says "wanted". */
  readonly calledByPerson: 'wanted' | 'junk' | null
}

/** What deliveries were taken for: by a person where one ruled, else by their score. */
export type TakenFor = 'wanted' | 'doubtful' | 'harmful'

/** Harmful: called junk or phishing, or near-certain junk. Doubtful: a score that keeps it back. */
export function takenFor({ facts, mailbox, calledByPerson }: SeenDeliveries): TakenFor {
  if (calledByPerson !== null) return calledByPerson === 'wanted' ? 'wanted' : 'harmful'
  if (facts.score >= mailbox.limits.nearCertain) return 'harmful'
  return facts.score >= mailbox.limits.junk ? 'doubtful' : 'wanted'
}

/** Deliveries by what they were taken for. */
export type Split = Readonly<Record<TakenFor, number>>
const emptySplit: Split = { wanted: 0, doubtful: 0, harmful: 0 }

/** All deliveries of a split. */
export const totalOf = ({ wanted, doubtful, harmful }: Split): number => wanted + doubtful + harmful

/** What a change of the register would have done to mail already seen. All numbers are deliveries but `colleagues`. */
export interface Reach {
  /** Matched by an entry that the change adds or ends. */
  readonly looked: number
  readonly letThrough: Split
  readonly keptBack: Split
  /** Kept back, or arriving, before and after, but in another place: quarantined instead of junk, inbox instead of set aside. */
  readonly elsewhere: number
  /** Those, by where they were and where they would have been, most often first. */
  readonly moves: readonly { readonly from: Place; readonly to: Place; readonly deliveries: number }[]
  /** Mailboxes with at least one changed delivery. */
  readonly colleagues: number
  /** Matched a new safe entry and would still not be let in, for want of authentication. */
  readonly refused: number
  /** Matched, and harmful by what is in them: no entry lets them out. */
  readonly sealed: number
  /** Entries that overrule the new ones, most often first. */
  readonly overruledBy: readonly { readonly entry: SenderEntry; readonly deliveries: number }[]
}

/** Where a decision puts a delivery; near-certain junk is quarantined and named in no digest. */
export type Place = Decision['state'] | 'left-out'
const placeOf = ({ state, leftOut }: Decision): Place => (leftOut ? 'left-out' : state)

/** Nothing of what was seen would have gone another way: ending such entries is tidying. */
export function changesNothing({ letThrough, keptBack, elsewhere }: Reach): boolean {
  return totalOf(letThrough) + totalOf(keptBack) + elsewhere === 0
}

/** It is in the colleague's mailbox, where they see it. */
export const arrives = ({ state }: Pick<Decision, 'state'>): boolean =>
  state === 'inbox' || state === 'aside' || state === 'moved'

interface Context {
  readonly policy: Pick<OrganisationPolicy, 'ownDomains'>
  /** Epoch ms. Both registers are taken as of now: the question is what the lists of today do. */
  readonly now: number
}

/** Takes deliveries one group after the other; `result` at any time tells the reach so far. */
export interface ReachCount {
  readonly see: (seen: SeenDeliveries) => void
  readonly result: () => Reach
  /** Whose mail is let through that is not harmful: what was called wanted, and where nothing was, the doubtful. */
  readonly freed: () => readonly SenderFacts[]
}

/**
 * Decides mail already seen twice, with the register as it is and as it would be (domain.md §5). `register`
 * holds at least the entries that could match what will be seen. A group costs a few look-ups unless an
 * entry of the change matches it.
 */
export function countReach(
  change: RegisterChange,
  register: readonly SenderEntry[],
  { policy, now }: Context,
): ReachCount {
  // New entries have no id yet; here they carry numbers below every real one.
  const added = change.add.map((entry, i) => ({ ...entry, id: -1 - i }))
  const ended = new Set(change.end.map(({ id }) => id))
  const touched = indexRegister([...added, ...change.end])
  const before = indexRegister(register)
  const after = indexRegister([...register.filter(({ id }) => !ended.has(id)), ...added])
  const isNew = ({ id }: SenderEntry) => id < 0

  const colleagues = new Set<number>()
  const overruledBy = new Map<number, { entry: SenderEntry; deliveries: number }>()
  let looked = 0
  let letThrough = emptySplit
  let keptBack = emptySplit
  let elsewhere = 0
  const moves = new Map<string, { from: Place; to: Place; deliveries: number }>()
  let refused = 0
  let sealed = 0
  const freed: Record<TakenFor, Set<SenderFacts>> = {
    wanted: new Set(),
    doubtful: new Set(),
    harmful: new Set(),
  }

  const see = (seen: SeenDeliveries) => {
    const { facts, mailbox, count } = seen
    const { sender } = facts
    const near = touched.lookUp(sender, mailbox.mailboxId)
    if (!near.organisation.some(touches(sender)) && !near.mailbox.some(touches(sender))) return
    looked += count
    if (facts.harm) {
      sealed += count
      return
    }
    const context = { policy, now }
    const was = decide(facts, mailbox, before.lookUp(sender, mailbox.mailboxId), context)
    const is = decide(facts, mailbox, after.lookUp(sender, mailbox.mailboxId), context)
    if (isRefused(is, isNew)) refused += count
    const winner = findOverruling(is, isNew)
    if (winner) {
      const known = overruledBy.get(winner.id)?.deliveries ?? 0
      overruledBy.set(winner.id, { entry: winner, deliveries: known + count })
    }
    if (was.state === is.state && was.leftOut === is.leftOut) return
    for (const id of seen.mailboxIds ?? [mailbox.mailboxId]) colleagues.add(id)
    const as = takenFor(seen)
    if (arrives(is) === arrives(was)) {
      elsewhere += count
      const [from, to] = [placeOf(was), placeOf(is)]
      const known = moves.get(`${from} ${to}`)?.deliveries ?? 0
      moves.set(`${from} ${to}`, { from, to, deliveries: known + count })
    } else if (arrives(is)) {
      letThrough = { ...letThrough, [as]: letThrough[as] + count }
      freed[as].add(sender)
    } else keptBack = { ...keptBack, [as]: keptBack[as] + count }
  }
  const result = (): Reach => ({
    looked,
    letThrough,
    keptBack,
    elsewhere,
    moves: [...moves.values()].sort((a, b) => b.deliveries - a.deliveries),
    colleagues: colleagues.size,
    refused,
    sealed,
    overruledBy: [...overruledBy.values()].sort((a, b) => b.deliveries - a.deliveries),
  })
  return { see, result, freed: () => [...(freed.wanted.size > 0 ? freed.wanted : freed.doubtful)] }
}

/** The reach of a change over a history; see `countReach`. */
export function reach(
  change: RegisterChange,
  register: readonly SenderEntry[],
  history: Iterable<SeenDeliveries>,
  context: Context,
): Reach {
  const counting = countReach(change, register, context)
  for (const seen of history) counting.see(seen)
  return counting.result()
}

/** Whether an entry is about a message at all, honoured or not. */
const touches =
  (sender: SenderFacts) =>
  ({ pattern, standing }: SenderEntry): boolean =>
    standing === 'blocked'
      ? matchesBlocked(pattern, sender)
      : matchesBlocked(pattern, { ...sender, envelopeFrom: null, sender: null })

type IsNew = (entry: SenderEntry) => boolean

function isRefused({ path }: Decision, isNew: IsNew): boolean {
  return path.some(line => 'refused' in line && line.refused.some(({ entry }) => isNew(entry)))
}

/** The entry that decided although a new one matched; `null` when none did. */
export function findOverruling({ path }: Decision, isNew: IsNew): SenderEntry | null {
  const lines = path.flatMap(line => ('overruled' in line ? [line] : []))
  if (!lines.some(({ overruled }) => overruled.some(isNew))) return null
  const decided = lines.find(({ decided }) => decided !== null)?.decided ?? null
  return decided === null || isNew(decided) ? null : decided
}
