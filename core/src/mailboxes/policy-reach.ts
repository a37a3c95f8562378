import { decide, type Decision, type MailboxPolicy } from '../judgement/index.ts'
import type { SeenDeliveries } from '../rulings/index.ts'
import { arrives, takenFor, type TakenFor } from '../rulings/index.ts'
import { indexRegister, type SenderEntry } from '../senders/index.ts'

/** One delivery already seen, by its number, with all that deciding it again needs. */
export interface SeenOne extends SeenDeliveries {
  readonly deliveryId: number
}

/** What another policy of a mailbox would have done to mail already seen. */
export interface PolicyReach {
  readonly looked: number
  /** Would be kept back and was not, by what it was taken for. */
  readonly keptBack: Readonly<Record<TakenFor, number>>
  /** Would be let through and was not. */
  readonly letThrough: Readonly<Record<TakenFor, number>>
  /** Kept back before and after, in another place. */
  readonly elsewhere: number
  /** Deliveries that would have gone another way, those that matter most first: wanted mail kept back, harmful mail let through. */
  readonly examples: readonly ChangedOne[]
}

/** One delivery that would have gone another way. */
export interface ChangedOne {
  readonly id: number
  readonly was: Decision
  readonly would: Decision
  readonly calledByPerson: SeenDeliveries['calledByPerson']
}

const mostExamples = 60
const weightOf = (isHeld: boolean, taken: TakenFor): number =>
  (isHeld ? { wanted: 0, doubtful: 2, harmful: 4 } : { harmful: 1, doubtful: 3, wanted: 5 })[taken]

/**
 * Decides mail already seen twice, by the policy of before and by another (domain.md §3): what moving a limit, or switching
 * filtering off, would have come to. The lists are those of today.
 */
export function policyReach(
  seen: readonly SeenOne[],
  after: (before: MailboxPolicy) => MailboxPolicy,
  register: readonly SenderEntry[],
  {
    policy,
    now,
    scoreAfter,
  }: {
    readonly policy: { readonly ownDomains: readonly string[] }
    readonly now: number
    /** What other weights would say of it; without it the score stays. */
    readonly scoreAfter?: (one: SeenOne) => number
  },
): PolicyReach {
  const index = indexRegister(register)
  const context = { policy, now }
  const keptBack = { wanted: 0, doubtful: 0, harmful: 0 }
  const letThrough = { wanted: 0, doubtful: 0, harmful: 0 }
  let elsewhere = 0
  const found: (ChangedOne & { readonly weight: number })[] = []
  for (const one of seen) {
    const policyAfter = after(one.mailbox)
    const score = scoreAfter?.(one) ?? one.facts.score
    if (isNothingToIt(one, policyAfter, score)) continue
    const entries = index.lookUp(one.facts.sender, one.mailbox.mailboxId)
    const was = decide(one.facts, one.mailbox, entries, context)
    const would = decide({ ...one.facts, score }, policyAfter, entries, context)
    if (isSame(was, would)) continue
    const taken = takenFor(one)
    const isHeld = arrives(was) && !arrives(would)
    if (arrives(was) === arrives(would)) elsewhere += 1
    else (isHeld ? keptBack : letThrough)[taken] += 1
    found.push({
      id: one.deliveryId,
      was,
      would,
      calledByPerson: one.calledByPerson,
      weight: arrives(was) === arrives(would) ? 6 : weightOf(isHeld, taken),
    })
  }
  const examples = found.sort((a, b) => a.weight - b.weight || b.id - a.id)
  return { looked: seen.length, keptBack, letThrough, elsewhere, examples: examples.slice(0, mostExamples) }
}

/** Between the same limits, with all else as it was: the judge could only say the same again. Most mail of a month is of that kind. */
function isNothingToIt({ facts, mailbox }: SeenOne, after: MailboxPolicy, score: number): boolean {
  const alike =
    mailbox.filtering === after.filtering &&
    mailbox.usesSetAside === after.usesSetAside &&
    mailbox.watching === after.watching
  return alike && bandOf(facts.score, mailbox) === bandOf(score, after)
}

const bandOf = (score: number, { limits: { junk, quarantined, nearCertain } }: MailboxPolicy): number =>
  Number(score >= junk) + Number(score >= quarantined) * 2 + Number(score >= nearCertain) * 4

const isSame = (a: Decision, b: Decision): boolean => a.state === b.state && a.leftOut === b.leftOut
