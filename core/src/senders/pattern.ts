import {
  addressText,
  covers,
  displayAddress,
  displayDomain,
  isPublicSuffix,
  no,
  parseAddress,
  parseDomain,
  withoutTag,
  yes,
  type Address,
  type AddressProblem,
  type Parsed,
} from '../address/index.ts'

/** What a sender entry matches. Domains and list ids are lower case; see domain.md §2. */
export type SenderPattern =
  | { readonly kind: 'address'; readonly address: Address }
  | { readonly kind: 'domain' | 'subtree'; readonly domain: string }
  | { readonly kind: 'list'; readonly listId: string }

/** What a pattern names. */
export type PatternKind = SenderPattern['kind']

/** Why a text is no pattern. */
export type PatternProblem =
  | AddressProblem
  | { readonly code: 'empty-pattern' }
  | { readonly code: 'public-suffix'; readonly domain: string }
  | { readonly code: 'bad-list-id'; readonly text: string }
  | { readonly code: 'star-inside'; readonly text: string }

/** `anna@x.example` · `x.example` or `@x.example` · `*.x.example` · `<list-id>` */
export function parsePattern(text: string): Parsed<SenderPattern, PatternProblem> {
  const source = text.trim()
  if (source === '' || source === '@' || source === '*.') return no({ code: 'empty-pattern' })
  if (source.startsWith('<')) return parseListPattern(source)
  if (source.startsWith('*.')) return parseDomainPattern('subtree', source.slice(2))
  if (source.includes('*')) return no({ code: 'star-inside', text: source })
  if (source.startsWith('@')) return parseDomainPattern('domain', source.slice(1))
  if (source.includes('@')) return parseAddressPattern(source)
  return parseDomainPattern('domain', source)
}

function parseAddressPattern(source: string): Parsed<SenderPattern, PatternProblem> {
  const address = parseAddress(source)
  return address.ok ? yes({ kind: 'address', address: address.value }) : address
}

function parseDomainPattern(
  kind: 'domain' | 'subtree',
  source: string,
): Parsed<SenderPattern, PatternProblem> {
  const domain = parseDomain(source)
  if (!domain.ok) return domain
  if (isPublicSuffix(domain.value)) return no({ code: 'public-suffix', domain: domain.value })
  return yes({ kind, domain: domain.value })
}

// RFC 2919 §2: a dot-atom text in angle brackets. '<anna@x.example>' is an address somebody pasted.
function parseListPattern(source: string): Parsed<SenderPattern, PatternProblem> {
  const inside = /^<([^<>]+)>$/.exec(source)?.[1]?.trim() ?? ''
  if (inside.includes('@')) return parseAddressPattern(inside)
  if (!/^[\w!#$%&'*+/=?^`{|}~-]+(\.[\w!#$%&'*+/=?^`{|}~-]+)+$/.test(inside)) {
    return no({ code: 'bad-list-id', text: source })
  }
  return yes({ kind: 'list', listId: inside.toLowerCase() })
}

/** The canonical text; two patterns match the same mail exactly when their texts are equal. */
export function patternText(pattern: SenderPattern): string {
  switch (pattern.kind) {
    case 'address':
      return addressText(pattern.address)
    case 'domain':
      return pattern.domain
    case 'subtree':
      return `*.${pattern.domain}`
    case 'list':
      return `<${pattern.listId}>`
  }
}

/** As people read it: domains in their own script. */
export function displayPattern(pattern: SenderPattern): string {
  switch (pattern.kind) {
    case 'address':
      return displayAddress(pattern.address)
    case 'domain':
      return displayDomain(pattern.domain)
    case 'subtree':
      return `*.${displayDomain(pattern.domain)}`
    case 'list':
      return `<${pattern.listId}>`
  }
}

/**
 * How narrow a pattern is; the greater number decides (domain.md §3): tagged address, address, mailing
 * list, exact domain, then wildcards, the nearest (most labels) first.
 */
export function specificity(pattern: SenderPattern): number {
  switch (pattern.kind) {
    case 'address':
      return pattern.address.tag === null ? 4 : 5
    case 'list':
      return 3
    case 'domain':
      return 2
    case 'subtree':
      // A domain has at most 127 labels (253 octets), so this stays below 'domain'.
      return 1 + pattern.domain.split('.').length / 128
  }
}

/** The four widths a ruling offers for one sender, narrowest first. */
export function patternAtWidth(
  kind: PatternKind,
  sender: { readonly address: Address | null; readonly listId: string | null },
): SenderPattern | null {
  if (kind === 'list') return sender.listId === null ? null : { kind, listId: sender.listId }
  if (sender.address === null) return null
  if (kind === 'address') return { kind, address: withoutTag(sender.address) }
  return isPublicSuffix(sender.address.domain) ? null : { kind, domain: sender.address.domain }
}

/**
 * Whether everything `narrower` matches is matched by `wider` too. Mailing lists cover only themselves:
 * which addresses a list sends from is not in its id.
 */
export function patternCovers(wider: SenderPattern, narrower: SenderPattern): boolean {
  if (patternText(wider) === patternText(narrower)) return true
  switch (wider.kind) {
    case 'address':
      return (
        narrower.kind === 'address' &&
        wider.address.tag === null &&
        wider.address.local === narrower.address.local &&
        wider.address.domain === narrower.address.domain
      )
    case 'domain':
      return narrower.kind === 'address' && narrower.address.domain === wider.domain
    case 'subtree':
      return narrower.kind !== 'list' && covers(wider.domain, domainOf(narrower))
    case 'list':
      return false
  }
}

/** Whether a message could match both. A list may send from anywhere, so it overlaps with everything. */
export function overlaps(a: SenderPattern, b: SenderPattern): boolean {
  return (a.kind === 'list') !== (b.kind === 'list') || patternCovers(a, b) || patternCovers(b, a)
}

const domainOf = (pattern: Exclude<SenderPattern, { kind: 'list' }>): string =>
  pattern.kind === 'address' ? pattern.address.domain : pattern.domain

/** Every other pattern that covers this one and is no public suffix, nearest first. */
export function widerPatterns(pattern: SenderPattern): readonly SenderPattern[] {
  if (pattern.kind === 'list') return []
  const found: SenderPattern[] = []
  if (pattern.kind === 'address') {
    if (pattern.address.tag !== null) found.push({ kind: 'address', address: withoutTag(pattern.address) })
    found.push({ kind: 'domain', domain: pattern.address.domain })
  }
  const labels = domainOf(pattern).split('.')
  for (let i = pattern.kind === 'subtree' ? 1 : 0; i < labels.length; i += 1)
    found.push({ kind: 'subtree', domain: labels.slice(i).join('.') })
  return found.filter(wider => !('domain' in wider) || !isPublicSuffix(wider.domain))
}
