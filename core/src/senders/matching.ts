import { addressText, covers, withoutTag, type Address } from '../address/index.ts'
import { isAuthenticated, isProvenDomain } from './authentication.ts'
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
    (facts.sender !== null && matchesAddress(pattern, facts.sender)) ||
    unreadDomains(facts).some(domain => matchesDomain(pattern, domain))
  )
}

/** Domains in From that no address could be read for: a block needs no more than the domain. */
function unreadDomains({ from, fromDomains }: SenderFacts): readonly string[] {
  if (fromDomains === undefined || fromDomains.length === 0) return fromDomains ?? []
  return fromDomains.filter(domain => !from.some(address => address.domain === domain))
}

function matchesDomain(pattern: SenderPattern, domain: string): boolean {
  return (
    (pattern.kind === 'domain' && pattern.domain === domain) ||
    (pattern.kind === 'subtree' && covers(pattern.domain, domain))
  )
}

/** The domain and every wildcard above it. */
function domainTexts(domain: string): readonly string[] {
  const labels = domain.split('.')
  return [domain, ...labels.map((_, i) => `*.${labels.slice(i).join('.')}`)]
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
    texts.add(addressText(address)).add(addressText(withoutTag(address)))
    for (const text of domainTexts(address.domain)) texts.add(text)
  }
  for (const domain of unreadDomains(facts).slice(0, 50))
    for (const text of domainTexts(domain).slice(0, 30)) texts.add(text)
  return [...texts]
}

/** A safe entry that matched and was not honoured, and why. */
export interface RefusedEntry {
  readonly entry: SenderEntry
  readonly why: 'not-authenticated' | 'own-domain' | 'unreadable-sender'
}

/** What one list says about one message. */
export interface ListVerdict {
  /** The entry that decides, or `null` when none does. */
  readonly decided: SenderEntry | null
  /** Matched, and lost to `decided`; or, where From has several addresses, did not speak for the message. */
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
  const { honoured, unasked, refused } = safeMatches(safe, facts, ownDomains)
  const ranked = [...blocked, ...honoured].sort(
    (a, b) =>
      specificity(b.pattern) - specificity(a.pattern) ||
      Number(b.standing === tie) - Number(a.standing === tie) ||
      a.id - b.id,
  )
  return { decided: ranked[0] ?? null, overruled: [...ranked.slice(1), ...unasked], refused }
}

/**
 * "Safe needs all safe": each From address needs an entry that is honoured by itself. A From that can't be read wholly
 * makes nothing safe.
 */
function safeMatches(
  safe: readonly SenderEntry[],
  facts: SenderFacts,
  ownDomains: readonly string[],
): {
  readonly honoured: readonly SenderEntry[]
  /** Honoured for an address that does not speak for the message. */
  readonly unasked: readonly SenderEntry[]
  readonly refused: readonly RefusedEntry[]
} {
  if (safe.length === 0) return { honoured: safe, unasked: safe, refused: [] }
  const byList = facts.listId === null ? [] : safe.filter(e => matchesList(e.pattern, facts.listId))
  const perAddress = facts.from.map(address => safe.filter(e => matchesAddress(e.pattern, address)))
  const allCovered = perAddress.length > 0 && perAddress.every(found => found.length > 0)
  const matched = [...new Set([...byList, ...(allCovered ? perAddress.flat() : [])])]
  if (matched.length === 0) return { honoured: matched, unasked: matched, refused: [] }
  const reasons = new Map(matched.map(entry => [entry, whyRefused(entry, facts, ownDomains)]))
  const counts = (entry: SenderEntry) => reasons.get(entry) === null
  const countingPerAddress = perAddress.map(found => found.filter(counts))
  const allCount = allCovered && countingPerAddress.every(found => found.length > 0)
  const honoured = [
    ...new Set([...byList.filter(counts), ...(allCount ? weakestAddress(countingPerAddress) : [])]),
  ]
  const unasked = matched.filter(entry => counts(entry) && !honoured.includes(entry))
  const refused = matched.flatMap(entry => {
    const why = reasons.get(entry) ?? null
    return why === null ? [] : [{ entry, why }]
  })
  return { honoured, unasked, refused }
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
  facts: SenderFacts,
  ownDomains: readonly string[],
): RefusedEntry['why'] | null {
  const { from, fromWhole = true, authentication } = facts
  if (!fromWhole) return 'unreadable-sender'
  const isProven = from.length > 0 && from.every(({ domain }) => isAuthenticated(domain, authentication))
  const claimsUs = from.some(({ domain }) => ownDomains.some(own => covers(own, domain)))
  if (claimsUs && !isProven) return 'own-domain'
  if (entry.withoutAuthentication) return null
  // Whoever proves a domain of their own could write any List-Id: the domain it is a name of (RFC 2919 §2) has to be proven itself.
  const counts =
    entry.pattern.kind === 'list' ? isProvenDomain(entry.pattern.listId, authentication) : isProven
  return counts ? null : 'not-authenticated'
}
