import { addressText, covers, withoutTag, type Address } from '../address/index.ts'
import { isAuthenticated } from './authentication.ts'
import { isExpired, type SenderEntry, type SenderFacts, type Standing } from './entry.ts'
import { specificity, type SenderPattern } from './pattern.ts'

/** 'anna+orders@x' matches an entry for 'anna@x'; an entry that names a tag matches that tag only (RFC 5233). */
export function matchesAddress(pattern: SenderPattern, address: Address): boolean {
  switch (pattern.kind) {
    case 'address':
      return (
        pattern.address.domain === address.domain &&
        pattern.address.local === address.local &&
        (pattern.address.tag === null || pattern.address.tag === address.tag)
      )
    case 'domain':
      return pattern.domain === address.domain
    case 'subtree':
      return covers(pattern.domain, address.domain)
    case 'list':
      return false
  }
}

function matchesList(pattern: SenderPattern, listId: string | null): boolean {
  return pattern.kind === 'list' && pattern.listId === listId
}

/** Blocks look at every address a message was sent under; one is enough. */
export function matchesBlocked(pattern: SenderPattern, facts: SenderFacts): boolean {
  if (matchesList(pattern, facts.listId)) return true
  return (
    facts.from.some(address => matchesAddress(pattern, address)) ||
    (facts.envelopeFrom !== null && matchesAddress(pattern, facts.envelopeFrom)) ||
    (facts.sender !== null && matchesAddress(pattern, facts.sender))
  )
}

/**
 * The texts (`patternText`) of every pattern that could match this message: what a database is asked
 * for. Everything `matchesBlocked` or a safe match accepts is among them.
 */
export function candidateTexts(facts: SenderFacts): readonly string[] {
  const texts = new Set<string>()
  if (facts.listId !== null) texts.add(`<${facts.listId}>`)
  for (const address of [...facts.from, facts.envelopeFrom, facts.sender]) {
    if (address === null) continue
    texts
      .add(addressText(address))
      .add(addressText(withoutTag(address)))
      .add(address.domain)
    const labels = address.domain.split('.')
    for (let i = 0; i < labels.length; i += 1) texts.add(`*.${labels.slice(i).join('.')}`)
  }
  return [...texts]
}

export interface RefusedEntry {
  readonly entry: SenderEntry
  readonly why: 'not-authenticated' | 'own-domain'
}

/** What one list says about one message. */
export interface ListVerdict {
  /** The entry that decides, or `null` when none does. */
  readonly decided: SenderEntry | null
  /** Matched, and lost to `decided`. */
  readonly overruled: readonly SenderEntry[]
  /** Safe entries that matched and were not honoured. */
  readonly refused: readonly RefusedEntry[]
}

const silent: ListVerdict = { decided: null, overruled: [], refused: [] }

/**
 * The most specific matching entry of one list (domain.md §3). Equally specific and opposite: `tie` wins.
 * A safe entry takes part only when the message is authenticated for each of its From domains, or the
 * entry asks for none and the domain is not one of the organisation's own.
 */
export function consultList(
  entries: readonly SenderEntry[],
  facts: SenderFacts,
  { tie, ownDomains, now }: { tie: Standing; ownDomains: readonly string[]; now: number },
): ListVerdict {
  // Most mail meets no entry at all.
  if (entries.length === 0) return silent
  const blocked: SenderEntry[] = []
  const safe: SenderEntry[] = []
  for (const entry of entries) {
    if (isExpired(entry, now)) continue
    if (entry.standing === 'safe') safe.push(entry)
    else if (matchesBlocked(entry.pattern, facts)) blocked.push(entry)
  }
  if (safe.length === 0 && blocked.length < 2)
    return blocked.length === 0 ? silent : { decided: blocked[0] ?? null, overruled: [], refused: [] }
  const { honoured, refused } = safeMatches(safe, facts, ownDomains)
  const ranked = [...blocked, ...honoured].sort(
    (a, b) =>
      specificity(b.pattern) - specificity(a.pattern) ||
      Number(b.standing === tie) - Number(a.standing === tie) ||
      a.id - b.id,
  )
  return { decided: ranked[0] ?? null, overruled: ranked.slice(1), refused }
}

function safeMatches(
  safe: readonly SenderEntry[],
  facts: SenderFacts,
  ownDomains: readonly string[],
): { honoured: readonly SenderEntry[]; refused: readonly RefusedEntry[] } {
  if (safe.length === 0) return { honoured: safe, refused: [] }
  const byList = facts.listId === null ? [] : safe.filter(e => matchesList(e.pattern, facts.listId))
  const perAddress = facts.from.map(address => safe.filter(e => matchesAddress(e.pattern, address)))
  // "Safe needs all safe": one From address without an entry, and the address entries say nothing.
  const allCovered = perAddress.length > 0 && perAddress.every(found => found.length > 0)
  const matched = [...new Set([...byList, ...(allCovered ? weakestAddress(perAddress) : [])])]
  const honoured: SenderEntry[] = []
  const refused: RefusedEntry[] = []
  for (const entry of matched) {
    const why = whyRefused(entry, facts, ownDomains)
    if (why === null) honoured.push(entry)
    else refused.push({ entry, why })
  }
  return { honoured, refused }
}

/**
 * With several From addresses the one that is covered least narrowly speaks for the message: a block
 * only has to be more specific than that.
 */
function weakestAddress(perAddress: readonly (readonly SenderEntry[])[]): readonly SenderEntry[] {
  const best = (found: readonly SenderEntry[]) => Math.max(...found.map(e => specificity(e.pattern)))
  return [...perAddress].sort((a, b) => best(a) - best(b))[0] ?? []
}

function whyRefused(
  entry: SenderEntry,
  { from, authentication }: SenderFacts,
  ownDomains: readonly string[],
): RefusedEntry['why'] | null {
  if (from.length > 0 && from.every(({ domain }) => isAuthenticated(domain, authentication))) return null
  if (from.some(({ domain }) => ownDomains.some(own => covers(own, domain)))) return 'own-domain'
  return entry.withoutAuthentication ? null : 'not-authenticated'
}
