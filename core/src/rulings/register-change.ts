import { covers } from '../address/index.ts'
import {
  isExpired,
  isOwner,
  patternText,
  type SenderEntry,
  type SenderPattern,
  type Standing,
} from '../senders/index.ts'
import { isSharedProvider, type OrganisationPolicy } from '../judgement/index.ts'

/** A sender entry that is not in the register yet. */
export type ProposedEntry = Omit<SenderEntry, 'id'>

/** What a ruling does to the sender lists: entries to add, entries that end because of them. */
export interface RegisterChange {
  readonly add: readonly ProposedEntry[]
  readonly end: readonly SenderEntry[]
}

/** A change that changes nothing. */
export const noChange: RegisterChange = { add: [], end: [] }

/**
 * Adds entries so that nothing is left contradicting itself (domain.md §5): in the same list the opposite
 * entry for the same pattern ends, and an equal entry is not added twice. An equal entry with other
 * conditions is replaced. `existing` may hold entries of any list.
 */
export function planChange(
  proposed: readonly ProposedEntry[],
  existing: readonly SenderEntry[],
  now: number,
): RegisterChange {
  const live = existing.filter(entry => !isExpired(entry, now))
  const add: ProposedEntry[] = []
  const end = new Set<SenderEntry>()
  for (const entry of withoutRepeats(proposed)) {
    const same = live.filter(
      other => isOwner(other.owner, entry.owner) && isSamePattern(other.pattern, entry.pattern),
    )
    const equal = same.find(other => other.standing === entry.standing && hasSameConditions(other, entry))
    if (!equal) add.push(entry)
    for (const other of same) if (other !== equal) end.add(other)
  }
  return { add, end: [...end] }
}

function withoutRepeats(proposed: readonly ProposedEntry[]): readonly ProposedEntry[] {
  const key = (e: ProposedEntry) =>
    `${e.owner.kind === 'mailbox' ? e.owner.mailboxId : 'organisation'} ${patternText(e.pattern)}`
  return [...new Map(proposed.map(entry => [key(entry), entry])).values()]
}

function isSamePattern(a: SenderPattern, b: SenderPattern): boolean {
  return patternText(a) === patternText(b)
}

function hasSameConditions(a: ProposedEntry, b: ProposedEntry): boolean {
  return a.until === b.until && a.binding === b.binding && a.withoutAuthentication === b.withoutAuthentication
}

/** Organisation blocks bind by default; organisation safe entries only when somebody says so. */
export function isBindingByDefault(standing: Standing, owner: SenderEntry['owner']): boolean {
  return owner.kind === 'organisation' && standing === 'blocked'
}

/** Why an entry needs a steward and a reason. */
export type Caution = 'shared-provider' | 'own-domain'

/** Why a proposed entry needs a steward and a reason (domain.md §2); `null` when it needs neither. */
export function findCaution(
  { pattern, standing }: Pick<ProposedEntry, 'pattern' | 'standing'>,
  policy: Pick<OrganisationPolicy, 'sharedProviders' | 'ownDomains'>,
): Caution | null {
  if (standing !== 'safe' || (pattern.kind !== 'domain' && pattern.kind !== 'subtree')) return null
  const { domain } = pattern
  if (isSharedProvider(domain, policy)) return 'shared-provider'
  if (policy.ownDomains.some(own => covers(own, domain) || covers(domain, own))) return 'own-domain'
  return null
}

/**
 * Why a proposed entry is not made by anybody: it would block the organisation's own domain, or all that
 * lies around it. A single address of ours may be blocked.
 */
export function findRefusal(
  { pattern, standing }: Pick<ProposedEntry, 'pattern' | 'standing'>,
  { ownDomains }: Pick<OrganisationPolicy, 'ownDomains'>,
): 'blocks-own-domain' | null {
  if (standing !== 'blocked' || !('domain' in pattern)) return null
  const { kind, domain } = pattern
  const blocks = (own: string) => covers(own, domain) || (kind === 'subtree' && covers(domain, own))
  return ownDomains.some(blocks) ? 'blocks-own-domain' : null
}
