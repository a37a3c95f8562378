import { isOwner, specificity, type SenderEntry } from '../senders/index.ts'

/** The stage in which an entry is asked (domain.md §3, stages 2 to 4); the greater number is asked first. */
function stageRank({ owner, binding }: SenderEntry): number {
  if (owner.kind === 'mailbox') return 2
  return binding ? 3 : 1
}

/**
 * Greater than 0 when `a` decides before `b` for a message that both match and that both would count for.
 * Equal standing and rank gives 0.
 */
export function comparePrecedence(a: SenderEntry, b: SenderEntry): number {
  const rank = stageRank(a) - stageRank(b) || specificity(a.pattern) - specificity(b.pattern)
  if (rank !== 0 || a.standing === b.standing) return rank
  const winner = a.owner.kind === 'mailbox' ? 'safe' : 'blocked'
  return a.standing === winner ? 1 : -1
}

/** Whether there is a mailbox both speak for. */
export function meet(a: SenderEntry, b: SenderEntry): boolean {
  return a.owner.kind === 'organisation' || b.owner.kind === 'organisation' || isOwner(a.owner, b.owner)
}

/** Where mail goes that the entry decides: two entries with the same effect can stand in for each other. */
export function effect({ standing, owner }: SenderEntry): 'inbox' | 'junk' | 'quarantined' {
  if (standing === 'safe') return 'inbox'
  return owner.kind === 'mailbox' ? 'junk' : 'quarantined'
}

/** `a` counts for all mail, and at all times, for which `b` counts; patterns are not compared. */
export function countsWhenever(a: SenderEntry, b: SenderEntry): boolean {
  const longEnough = a.until === null || (b.until !== null && a.until >= b.until)
  const asLoose = a.standing === 'blocked' || a.withoutAuthentication || !b.withoutAuthentication
  return longEnough && asLoose
}
