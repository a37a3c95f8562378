import { isExpired, overlaps, patternText, widerPatterns, type SenderEntry } from '../senders/index.ts'
import { comparePrecedence, countsWhenever, effect, meet } from './precedence.ts'

/** The live entries of a register by the canonical text of their pattern. */
export type ByText<E extends SenderEntry> = ReadonlyMap<string, readonly E[]>

/** Entries that have not ended at `now`, by the text of their pattern. */
export function sortByText<E extends SenderEntry>(entries: readonly E[], now: number): ByText<E> {
  const byText = new Map<string, E[]>()
  for (const entry of entries) {
    if (isExpired(entry, now)) continue
    const text = patternText(entry.pattern)
    const known = byText.get(text)
    if (known) known.push(entry)
    else byText.set(text, [entry])
  }
  return byText
}

/** Live entries with the same or a wider pattern that speak for one of the same mailboxes. */
export function entriesOver<E extends SenderEntry>(entry: E, byText: ByText<E>): readonly E[] {
  return [entry.pattern, ...widerPatterns(entry.pattern)]
    .flatMap(pattern => byText.get(patternText(pattern)) ?? [])
    .filter(other => other.id !== entry.id && meet(other, entry))
}

/**
 * An entry that would decide just as `entry` does if that were gone, for any mail; `null` when there is
 * none. Nothing that sends mail elsewhere may come between the two: a colleague's own block counts as that
 * between two of the organisation's, since it sends to junk and not to quarantine.
 */
export function findCover<E extends SenderEntry>(
  entry: E,
  byText: ByText<E>,
  otherwise: (entry: E) => readonly E[],
): E | null {
  const over = entriesOver(entry, byText).filter(
    other =>
      other.standing === entry.standing &&
      speaksForAll(other, entry) &&
      countsWhenever(other, entry) &&
      // A wider entry that is asked first decides already, whatever its effect.
      (effect(other) === effect(entry) || comparePrecedence(other, entry) > 0),
  )
  if (over.length === 0) return null
  const between = otherwise(entry)
  return (
    over.find(cover =>
      between.every(other => !(comparePrecedence(other, cover) > 0 && comparePrecedence(other, entry) < 0)),
    ) ?? null
  )
}

/** A colleague's entry can't stand in for one of the organisation. */
function speaksForAll(cover: SenderEntry, entry: SenderEntry): boolean {
  return cover.owner.kind === 'organisation' || entry.owner.kind === 'mailbox'
}

/** Live entries that could meet the same mail for one of the same mailboxes, and send it elsewhere. */
export function sendingElsewhere<E extends SenderEntry>(live: readonly E[]): (entry: E) => readonly E[] {
  const lists = live.filter(({ pattern }) => pattern.kind === 'list')
  const byDomain = new Map<string, E[]>()
  for (const entry of live) {
    const key = rootOf(entry)
    if (key === null) continue
    const known = byDomain.get(key)
    if (known) known.push(entry)
    else byDomain.set(key, [entry])
  }
  return entry => {
    const key = rootOf(entry)
    const near = key === null ? live : [...(byDomain.get(key) ?? []), ...lists]
    return near.filter(
      other =>
        effect(other) !== effect(entry) && meet(other, entry) && overlaps(other.pattern, entry.pattern),
    )
  }
}

/** Overlapping patterns share their last two labels; `null` for lists, which may overlap with anything. */
function rootOf({ pattern }: SenderEntry): string | null {
  if (pattern.kind === 'list') return null
  const domain = pattern.kind === 'address' ? pattern.address.domain : pattern.domain
  return domain.split('.').slice(-2).join('.')
}
