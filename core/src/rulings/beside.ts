import { findOrganisationalDomain } from '../address/index.ts'
import {
  matchesBlocked,
  patternCovers,
  patternText,
  specificity,
  widerPatterns,
  type SenderPattern,
} from '../senders/index.ts'
import { totalOf, type Reach, type SeenDeliveries } from './reach.ts'

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

/** How one of the patterns beside would do. */
export interface Beside {
  readonly pattern: SenderPattern
  readonly reach: Reach
}

/**
 * The narrowest pattern that lets the same mail through but for harmful mail (domain.md §5); `null` when
 * the proposal lets no harm through or nothing narrower keeps the rest. Covered patterns only: what they
 * let through is a part of what the proposal does, so equal numbers are the same deliveries.
 */
export function findNarrower(
  proposed: SenderPattern,
  { letThrough }: Reach,
  beside: readonly Beside[],
): Beside | null {
  if (letThrough.harmful === 0) return null
  const frees = totalOf(letThrough) - letThrough.harmful
  if (frees === 0) return null
  return (
    beside
      .filter(({ pattern }) => pattern.kind !== 'list' && patternCovers(proposed, pattern))
      .filter(
        ({ reach: { letThrough: other } }) =>
          totalOf(other) - other.harmful === frees && other.harmful < letThrough.harmful,
      )
      .sort(
        (a, b) =>
          a.reach.letThrough.harmful - b.reach.letThrough.harmful ||
          specificity(b.pattern) - specificity(a.pattern),
      )[0] ?? null
  )
}

/** Mail of one sender's organisation that a block by this pattern would have missed (common practice:
 *  bulk senders are hard to block by address). */
export interface BlockGap {
  readonly missed: number
  /** Different From addresses the organisation used. */
  readonly addresses: number
  /** The pattern beside that would have stopped most, the narrowest of equals. */
  readonly better: SenderPattern
}

/** `null` when the block would have stopped all there was, or nothing beside it stops more. */
export function findBlockGap(
  { keptBack }: Pick<Reach, 'keptBack'>,
  beside: readonly Beside[],
  history: readonly SeenDeliveries[],
): BlockGap | null {
  const stops = totalOf(keptBack)
  const best = [...beside].sort(
    (a, b) =>
      totalOf(b.reach.keptBack) - totalOf(a.reach.keptBack) ||
      specificity(b.pattern) - specificity(a.pattern),
  )[0]
  if (!best || totalOf(best.reach.keptBack) <= stops) return null
  const addresses = new Set(
    history
      .filter(({ facts }) => matchesBlocked(best.pattern, facts.sender))
      .flatMap(({ facts }) => facts.sender.from.map(({ local, domain }) => `${local}@${domain}`)),
  )
  return {
    missed: totalOf(best.reach.keptBack) - stops,
    addresses: addresses.size,
    better: best.pattern,
  }
}
