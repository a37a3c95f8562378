import { findOrganisationalDomain } from '../address/index.ts'
import {
  matchesBlocked,
  patternCovers,
  patternText,
  specificity,
  widerPatterns,
  type SenderFacts,
  type SenderPattern,
} from '../senders/index.ts'
import type { Reach, SeenDeliveries, Split } from './reach.ts'

/** Patterns of one kind that are shown beside a proposal; more would not be read. */
const mostOfAKind = 4

/**
 * The patterns beside a proposed one: the wider ones up to the sender's organisation, and the narrower ones
 * and mailing lists that the mail it matched was really sent under, most mail first within each kind.
 */
export function patternsBeside(
  pattern: SenderPattern,
  history: readonly SeenDeliveries[],
): readonly SenderPattern[] {
  const seen = new Map<string, { pattern: SenderPattern; count: number }>()
  const add = (found: SenderPattern, count: number) => {
    const text = patternText(found)
    seen.set(text, { pattern: found, count: (seen.get(text)?.count ?? 0) + count })
  }
  for (const { facts, count } of history) {
    if (!matchesBlocked(pattern, facts.sender)) continue
    const { from, listId } = facts.sender
    if (listId !== null) add({ kind: 'list', listId }, count)
    for (const address of from) {
      add({ kind: 'address', address: { ...address, tag: null } }, count)
      add({ kind: 'domain', domain: address.domain }, count)
    }
  }
  const narrower = [...seen.values()]
    .filter(({ pattern: found }) => found.kind === 'list' || patternCovers(pattern, found))
    .sort((a, b) => b.count - a.count)
  const wider = widerPatterns(pattern).filter(isOfOneOrganisation)
  const own = patternText(pattern)
  const all = [
    ...(['address', 'list', 'domain'] as const).flatMap(kind =>
      narrower
        .map(({ pattern: found }) => found)
        .filter(found => found.kind === kind)
        .slice(0, mostOfAKind),
    ),
    ...wider,
  ]
  return [...new Map(all.map(found => [patternText(found), found])).values()]
    .filter(found => patternText(found) !== own)
    .sort((a, b) => specificity(b) - specificity(a))
}

/** '*.mail.x.example' is still x's own; nothing above its organisational domain is. */
function isOfOneOrganisation(pattern: SenderPattern): boolean {
  return !('domain' in pattern) || findOrganisationalDomain(pattern.domain) !== null
}

/**
 * Patterns narrower than a proposal that cover all of some senders, so that what is wanted of them is freed: found from
 * the first of them, since what covers all covers it, too. Unlike {@link patternsBeside} none is left out for being rare.
 */
export function narrowerPatterns(
  proposed: SenderPattern,
  senders: readonly SenderFacts[],
): readonly SenderPattern[] {
  const own = patternText(proposed)
  const around = (senders[0]?.from ?? []).flatMap(address => {
    const untagged: SenderPattern = { kind: 'address', address: { ...address, tag: null } }
    return [untagged, ...widerPatterns(untagged)]
  })
  return [...new Map(around.map(found => [patternText(found), found])).values()].filter(
    found =>
      patternText(found) !== own &&
      patternCovers(proposed, found) &&
      senders.every(facts => matchesBlocked(found, facts)),
  )
}

/** How one of the patterns beside would do. */
export interface Beside {
  readonly pattern: SenderPattern
  readonly reach: Reach
}

/** A narrower pattern to take in place of a proposal. */
export interface Narrower extends Beside {
  /** All that is wanted of what the proposal frees, or what is wanted of the senders at hand. */
  readonly frees: 'all' | 'at-hand'
}

/**
 * The narrowest pattern that frees the same wanted mail with less of the harmful (domain.md §5). Where none does, the
 * narrowest one for the senders at hand that lets in less harm. `null` when the proposal lets no harm through or there is
 * no such pattern. Wanted is what people called so, and where nobody called anything, all that is not harmful. Covered
 * patterns only: what they let through is a part of what the proposal does, so equal numbers are the same deliveries.
 * `about`: senders it must match.
 */
export function findNarrower(
  proposed: SenderPattern,
  { letThrough }: Reach,
  beside: readonly Beside[],
  about: readonly SenderFacts[] = [],
): Narrower | null {
  if (letThrough.harmful === 0) return null
  const freed = (split: Split) => (letThrough.wanted > 0 ? split.wanted : split.wanted + split.doubtful)
  const frees = freed(letThrough)
  const better = beside
    .filter(
      ({ pattern, reach: { letThrough: other } }) =>
        pattern.kind !== 'list' &&
        patternCovers(proposed, pattern) &&
        about.every(facts => matchesBlocked(pattern, facts)) &&
        other.harmful < letThrough.harmful,
    )
    .sort(
      (a, b) =>
        a.reach.letThrough.harmful - b.reach.letThrough.harmful ||
        specificity(b.pattern) - specificity(a.pattern),
    )
  const [all] = frees === 0 ? [] : better.filter(({ reach }) => freed(reach.letThrough) === frees)
  if (all) return { ...all, frees: 'all' }
  const [atHand] = about.length === 0 ? [] : better
  return atHand ? { ...atHand, frees: 'at-hand' } : null
}

/** Bulk mail of one sender's organisation that a block by this pattern would not have met. */
export interface BlockGap {
  readonly missed: number
  /** Different From addresses the bulk mail came from. */
  readonly addresses: number
  /** The pattern beside that meets most of it, the narrowest of equals. */
  readonly better: SenderPattern
}

/** So many addresses are a habit; two may be chance. */
const manyAddresses = 3

/**
 * Common practice: bulk senders are hard to block by address, because that changes. Only bulk mail counts:
 * that other people write from the same domain is no reason to block them too. `null` when the block meets
 * all there was, or the sender keeps to an address or two. What a sender does is seen in everybody's mail (`history`);
 * what would be missed is counted in the mail the block is about (`atHand`).
 */
export function findBlockGap(
  proposed: SenderPattern,
  beside: readonly SenderPattern[],
  history: readonly SeenDeliveries[],
  atHand: readonly SeenDeliveries[] = history,
): BlockGap | null {
  const met = (pattern: SenderPattern, among: readonly SeenDeliveries[]) =>
    among.filter(({ facts }) => facts.bulk && matchesBlocked(pattern, facts.sender))
  const countOf = (seen: readonly SeenDeliveries[]) => seen.reduce((sum, { count }) => sum + count, 0)
  const [best] = beside
    .map(pattern => ({ pattern, seen: met(pattern, history) }))
    .sort((a, b) => countOf(b.seen) - countOf(a.seen) || specificity(b.pattern) - specificity(a.pattern))
  if (!best || countOf(best.seen) <= countOf(met(proposed, history))) return null
  const addresses = new Set(
    best.seen.flatMap(({ facts }) => facts.sender.from.map(({ local, domain }) => `${local}@${domain}`)),
  )
  if (addresses.size < manyAddresses) return null
  const missed = countOf(met(best.pattern, atHand)) - countOf(met(proposed, atHand))
  return { missed, addresses: addresses.size, better: best.pattern }
}
