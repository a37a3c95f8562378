import type { ReachNumbers, ReachShape } from '@pendro/contract'
import { findOrganisationalDomain } from '@pendro/core/address'
import {
  countReach,
  findBlockGap,
  findCaution,
  findNarrower,
  findRefusal,
  narrowerPatterns,
  patternsBeside,
  planChange,
  type Beside,
  type ProposedEntry,
  type Reach,
  type RegisterChange,
  type SeenDeliveries,
} from '@pendro/core/rulings'
import {
  candidateTexts,
  displayPattern,
  patternText,
  specificity,
  type SenderEntry,
  type SenderFacts,
  type SenderPattern,
} from '@pendro/core/senders'
import type { Database } from '../db/database.ts'
import type { Organisation } from '../db/organisation.ts'
import { allEntries, briefs, entriesFor } from './entries.ts'
import type { Scope } from '../db/scope.ts'
import { allSeen, seenUnder, type Looked } from './seen.ts'

export const usualDays = 30
/** With more patterns than this, reading everything once is quicker than looking each up. */
const manyPatterns = 150
const day = 86_400_000

export interface ReachContext {
  readonly organisation: Organisation
  readonly now: Date
  readonly days?: number
  /** What is looked at of everybody's mail: that of the mailboxes somebody looks after. */
  readonly scope: Scope
  /** Senders of the messages at hand: a pattern that is offered matches them. */
  readonly about?: readonly SenderFacts[]
}

/** What a change of the lists would have done to the mail of the last days, and the same for patterns beside it. */
export async function reachOf(
  db: Database,
  change: RegisterChange,
  context: ReachContext,
): Promise<ReachShape> {
  const { organisation, now, days = usualDays } = context
  const looked: Looked = {
    since: new Date(now.getTime() - days * day),
    mailboxIds: mailboxesOf(change) ?? context.scope,
  }
  const patterns = patternsOf(change)
  const found =
    patterns.length > manyPatterns
      ? { reach: await replayAll(db, change, context, looked), beside: [], history: [], everybodys: [] }
      : await replayNear(db, change, patterns, context, looked)
  return shown(db, change, { ...found, organisation, days, about: context.about ?? [] })
}

interface Replayed {
  readonly reach: Reach
  readonly beside: readonly Beside[]
  readonly history: readonly SeenDeliveries[]
  /** The same senders' mail to anybody, where that is asked for. */
  readonly everybodys: readonly SeenDeliveries[]
}

async function replayNear(
  db: Database,
  change: RegisterChange,
  patterns: readonly SenderPattern[],
  { organisation, now, scope, about = [] }: ReachContext,
  looked: Looked,
): Promise<Replayed> {
  const only = change.add.length > 0 && patterns.length === 1 ? patterns[0] : undefined
  const groups = await seenUnder(db, organisation, only ? [organisationAround(only)] : patterns, looked)
  const texts = new Set(groups.senders.flatMap(candidateTexts))
  const register = await entriesFor(db, [...texts], looked.mailboxIds)
  const own = [...register, ...change.add, ...change.end].flatMap(({ owner }) =>
    owner.kind === 'mailbox' ? [owner.mailboxId] : [],
  )
  const history = groups.expand(new Set(own))
  const context = { policy: organisation.policy, now: now.getTime() }
  const counting = (given: RegisterChange) => {
    const count = countReach(given, register, context)
    for (const seen of history) count.see(seen)
    return count
  }
  const counted = counting(change)
  if (!only) return { reach: counted.result(), beside: [], history, everybodys: [] }
  const everybodys = await habitsOf(db, { organisation, scope, pattern: only }, change, looked, history)
  // What is wanted may be rare: the pattern that frees it has to be among those that are tried.
  const narrower = [counted.freed(), about].flatMap(senders => narrowerPatterns(only, senders))
  const found = new Map(
    [...patternsBeside(only, everybodys), ...narrower].map(pattern => [patternText(pattern), pattern]),
  )
  const beside = [...found.values()]
    .sort((a, b) => specificity(b) - specificity(a))
    .map((pattern): Beside => {
      const add = change.add.map(entry => ({ ...entry, pattern }))
      return { pattern, reach: counting(planChange(add, register, now.getTime())).result() }
    })
  return { reach: counted.result(), beside, history, everybodys }
}

/** A block for one colleague: how the sender goes about it is seen in everybody's mail, not in the few of one. */
async function habitsOf(
  db: Database,
  {
    organisation,
    scope,
    pattern,
  }: Pick<ReachContext, 'organisation' | 'scope'> & { readonly pattern: SenderPattern },
  { add }: RegisterChange,
  looked: Looked,
  history: readonly SeenDeliveries[],
): Promise<readonly SeenDeliveries[]> {
  if (looked.mailboxIds === null || add[0]?.standing !== 'blocked') return history
  const groups = await seenUnder(db, organisation, [organisationAround(pattern)], {
    ...looked,
    mailboxIds: scope,
  })
  return groups.expand(new Set())
}

/** For a whole import: one pass over everything. `told` hears the share that is done. */
export async function replayAll(
  db: Database,
  change: RegisterChange,
  { organisation, now }: ReachContext,
  looked: Looked,
  told: (share: number) => Promise<void> = () => Promise.resolve(),
): Promise<Reach> {
  const register = await allEntries(db)
  const counting = countReach(change, register, { policy: organisation.policy, now: now.getTime() })
  for await (const { seen, share } of allSeen(db, organisation, looked)) {
    for (const one of seen) counting.see(one)
    await told(share)
  }
  return counting.result()
}

/** `null`, everybody, as soon as one entry is the organisation's. */
export function mailboxesOf({ add, end }: RegisterChange): readonly number[] | null {
  const owners = [...add, ...end].map(({ owner }) => owner)
  if (owners.some(({ kind }) => kind === 'organisation')) return null
  return [...new Set(owners.flatMap(owner => (owner.kind === 'mailbox' ? [owner.mailboxId] : [])))]
}

function patternsOf({ add, end }: RegisterChange): readonly SenderPattern[] {
  return [...new Map([...add, ...end].map(({ pattern }) => [patternText(pattern), pattern])).values()]
}

/** The widest pattern beside, and with it all others: everything under the sender's organisational domain. */
function organisationAround(pattern: SenderPattern): SenderPattern {
  if (pattern.kind === 'list') return pattern
  const domain = findOrganisationalDomain(
    pattern.kind === 'address' ? pattern.address.domain : pattern.domain,
  )
  return domain === null ? pattern : { kind: 'subtree', domain }
}

const mostShown = 50

interface Shown {
  readonly organisation: Organisation
  readonly days: number
  readonly about: readonly SenderFacts[]
}

async function shown(
  db: Database,
  change: RegisterChange,
  { reach, beside, history, everybodys, organisation, days, about }: Replayed & Shown,
): Promise<ReachShape> {
  const { policy } = organisation
  const overruling = reach.overruledBy.slice(0, 5)
  const ends = change.end.slice(0, mostShown)
  const named = await briefs(db, [...ends, ...overruling.map(({ entry }) => entry)])
  const brief = (entry: SenderEntry) => named.get(entry.id) ?? []
  const [only] = change.add
  const gap =
    only?.standing === 'blocked'
      ? findBlockGap(
          only.pattern,
          beside.map(({ pattern }) => pattern),
          everybodys,
          history,
        )
      : null
  const narrower = only?.standing === 'safe' ? findNarrower(only.pattern, reach, beside, about) : null
  return {
    ...numbersOf(reach),
    days,
    overruledBy: overruling.flatMap(({ entry, deliveries }) => {
      const found = named.get(entry.id)
      return found ? [{ entry: found, deliveries }] : []
    }),
    adds: [...new Set(change.add.map(({ pattern }) => displayPattern(pattern)))].slice(0, mostShown),
    ends: ends.flatMap(brief),
    caution: firstOf(change.add, entry => findCaution(entry, policy)),
    refusal: firstOf(change.add, entry => findRefusal(entry, policy)),
    beside: beside.map(({ pattern, reach: other }) => ({
      pattern: patternText(pattern),
      shown: displayPattern(pattern),
      kind: pattern.kind,
      reach: numbersOf(other),
      caution: firstOf(change.add, entry => findCaution({ ...entry, pattern }, policy)),
    })),
    narrower: narrower && { pattern: patternText(narrower.pattern), frees: narrower.frees },
    gap: gap && {
      missed: gap.missed,
      addresses: gap.addresses,
      pattern: patternText(gap.better),
      kind: gap.better.kind,
    },
  }
}

export function firstOf<T>(
  entries: readonly ProposedEntry[],
  find: (entry: ProposedEntry) => T | null,
): T | null {
  for (const entry of entries) {
    const found = find(entry)
    if (found !== null) return found
  }
  return null
}

export function numbersOf({ overruledBy: _, moves, ...numbers }: Reach): ReachNumbers {
  return { ...numbers, moves: [...moves] }
}
