import { isOwner, type SenderEntry } from '../senders/index.ts'
import { entriesOver, type ByText } from './covering.ts'
import { ending, finding, type RegisteredEntry, type UpkeepFinding } from './finding.ts'
import { comparePrecedence, meet } from './precedence.ts'

/**
 * Opposite entries that speak about the same mail for the same people, and who wins: for the same pattern,
 * or a narrower entry that a wider one overrules always. A narrow entry that wins over a wide one is an
 * exception somebody meant, and no contradiction.
 */
export function* findContradictions(
  live: readonly RegisteredEntry[],
  byText: ByText<RegisteredEntry>,
): Generator<UpkeepFinding> {
  const told = new Set<number>()
  for (const group of byText.values()) {
    for (const clash of clashesIn(group)) {
      for (const { id } of clash) told.add(id)
      yield contradiction(clash)
    }
  }
  for (const entry of live) {
    if (told.has(entry.id)) continue
    const over = entriesOver(entry, byText).find(other => alwaysOverrules(other, entry))
    if (over) yield contradiction([entry, over])
  }
}

/** Entries of one pattern: one clash with the organisation in it, or one for each mailbox of two minds. */
function clashesIn(group: readonly RegisteredEntry[]): readonly (readonly RegisteredEntry[])[] {
  const opposed = group.filter(entry =>
    group.some(other => other.standing !== entry.standing && meet(other, entry)),
  )
  if (opposed.length === 0) return []
  const own = opposed.filter(({ owner }) => owner.kind === 'organisation')
  if (own.length > 0) return [[...own, ...opposed.filter(({ owner }) => owner.kind === 'mailbox')]]
  return opposed
    .filter(({ standing }) => standing === 'safe')
    .map(safe => opposed.filter(({ owner }) => isOwner(owner, safe.owner)))
}

function alwaysOverrules(other: SenderEntry, entry: SenderEntry): boolean {
  return (
    other.standing !== entry.standing &&
    comparePrecedence(other, entry) > 0 &&
    // A safe entry that asks for proof leaves unproven mail to the block behind it.
    (other.standing === 'blocked' || other.withoutAuthentication) &&
    (other.until === null || (entry.until !== null && other.until >= entry.until))
  )
}

function contradiction(clash: readonly RegisteredEntry[]): UpkeepFinding {
  const winner = clash.reduce((best, entry) => (comparePrecedence(entry, best) > 0 ? entry : best))
  const of = (standing: 'safe' | 'blocked') => clash.filter(entry => entry.standing === standing)
  const keepSafe = { name: 'keep-safe', change: ending(...of('blocked')) } as const
  const keepBlocked = { name: 'keep-blocked', change: ending(...of('safe')) } as const
  const personal = clash.filter(({ owner }) => owner.kind === 'mailbox').length
  return finding(
    'contradicts',
    clash,
    winner.standing === 'safe' ? [keepSafe, keepBlocked] : [keepBlocked, keepSafe],
    { winner: winner.standing, winnerId: winner.id, personal, entries: clash.length },
  )
}
