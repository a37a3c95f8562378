import { decide, type Decision } from '../judgement/index.ts'
import type { SeenOne } from './policy-reach.ts'
import { indexRegister, type SenderEntry } from '../senders/index.ts'
import { settleRules, type RuleVerdict } from '../mail-rules/index.ts'
import { arrives, takenFor } from '../rulings/index.ts'

/** A delivery already seen, with what the rules of today and those of tomorrow say of it. */
export interface SeenByRules extends SeenOne {
  readonly before: readonly RuleVerdict[]
  readonly after: readonly RuleVerdict[]
}

/** Where a delivery is, with its folder. */
export interface RulePlace {
  readonly state: Decision['state']
  readonly folder: string
}

/** One delivery that a change of rules is about. */
export interface RuledOne {
  readonly id: number
  readonly was: RulePlace
  readonly would: RulePlace
  /** Something before the rules decided whether it is held: lists, harm, or a rule above. */
  readonly decidedBy: Decision['decidedBy']
}

/** What another set of rules would have done to mail already seen. All numbers are deliveries. */
export interface RulesReach {
  readonly looked: number
  /** Matched by a rule that the change is about. */
  readonly matched: number
  /** Would be in another place. */
  readonly changed: number
  /** Of these called wanted, or taken for it, and held from then on. */
  readonly wantedHeld: number
  /** Of these called junk, or near-certain, and let through from then on. */
  readonly harmfulLetIn: number
  /** From where to where, most often first. */
  readonly moves: readonly { readonly from: RulePlace; readonly to: RulePlace; readonly deliveries: number }[]
  /** Those that would be elsewhere first, then others that matched. */
  readonly examples: readonly RuledOne[]
}

const mostExamples = 40

interface Context {
  readonly policy: { readonly ownDomains: readonly string[] }
  /** Epoch ms. */
  readonly now: number
}

/** Decides mail already seen by the rules of before and of after a change (domain.md §3); `about` are the rules it changes. */
export function rulesReach(
  seen: readonly SeenByRules[],
  about: ReadonlySet<number>,
  register: readonly SenderEntry[],
  context: Context,
): RulesReach {
  const index = indexRegister(register)
  const counts = { matched: 0, changed: 0, wantedHeld: 0, harmfulLetIn: 0 }
  const moves = new Map<string, { from: RulePlace; to: RulePlace; deliveries: number }>()
  const moved: RuledOne[] = []
  const others: RuledOne[] = []
  for (const each of seen) {
    const { facts, mailbox, deliveryId, before, after } = each
    const isMatched = [...before, ...after].some(({ id }) => about.has(id))
    if (isMatched) counts.matched += 1
    if (!isMatched && isSaidAlike(before, after)) continue
    const entries = index.lookUp(facts.sender, mailbox.mailboxId)
    const was = decide({ ...facts, rules: before }, mailbox, entries, context)
    const would = decide({ ...facts, rules: after }, mailbox, entries, context)
    const one: RuledOne = {
      id: deliveryId,
      was: placeOf(was),
      would: placeOf(would),
      decidedBy: would.decidedBy,
    }
    if (isSamePlace(one.was, one.would)) {
      if (isMatched && others.length < mostExamples) others.push(one)
      continue
    }
    counts.changed += 1
    const taken = takenFor(each)
    if (arrives(was) && !arrives(would) && taken === 'wanted') counts.wantedHeld += 1
    if (!arrives(was) && arrives(would) && taken === 'harmful') counts.harmfulLetIn += 1
    const key = JSON.stringify([one.was, one.would])
    const known = moves.get(key)
    if (known) known.deliveries += 1
    else moves.set(key, { from: one.was, to: one.would, deliveries: 1 })
    if (moved.length < mostExamples) moved.push(one)
  }
  return {
    looked: seen.length,
    ...counts,
    moves: [...moves.values()].sort((a, b) => b.deliveries - a.deliveries),
    examples: [...moved, ...others].slice(0, mostExamples),
  }
}

const placeOf = ({ state, folder }: Decision): RulePlace => ({ state, folder })
const isSamePlace = (a: RulePlace, b: RulePlace): boolean => a.state === b.state && a.folder === b.folder

function isSaidAlike(a: readonly RuleVerdict[], b: readonly RuleVerdict[]): boolean {
  const [one, other] = [settleRules(a), settleRules(b)]
  return (
    one.hold?.hold === other.hold?.hold &&
    one.place?.place === other.place?.place &&
    one.place?.folder === other.place?.folder
  )
}
