import { getDomain, getPublicSuffix } from 'tldts'
import { toASCII, toUnicode } from 'tr46'
import { no, yes, type Parsed } from './parsed.ts'

/** Why a text is no domain. */
export type DomainProblem =
  | { readonly code: 'empty-domain' }
  | { readonly code: 'ip-literal'; readonly text: string }
  | { readonly code: 'bad-domain'; readonly text: string }

const idna = {
  checkBidi: true,
  checkHyphens: false, // 'r3---x.example' exists in the wild; RFC 5891 forbids it only for new U-labels
  checkJoiners: true,
  useSTD3ASCIIRules: true,
  verifyDNSLength: true,
} as const

const plainDomain = /^(?!-)[a-z0-9-]{1,63}(?<!-)(\.(?!-)[a-z0-9-]{1,63}(?<!-))*$/
const ipv4 = /^\d{1,3}(\.\d{1,3}){3}$/

/**
 * A domain as IDNA A-labels in lower case without a trailing dot (UTS #46, RFC 5890).
 * `parseDomain('Bücher.example.')` gives 'xn--bcher-kva.example'; '[192.0.2.1]' is a problem, not a domain.
 */
export function parseDomain(text: string): Parsed<string, DomainProblem> {
  // RFC 1035 §2.3.4 allows 255 octets; written in other scripts a name may take a few more characters.
  if (text.length > 1000) return no({ code: 'bad-domain', text: text.slice(0, 100) })
  const source = text.trim().replace(/\.$/, '')
  if (source === '') return no({ code: 'empty-domain' })
  if (source.startsWith('[') || ipv4.test(source)) return no({ code: 'ip-literal', text: source })
  const lower = source.toLowerCase()
  // The plain form needs no table look-up; mail is judged by the thousand and nearly all domains are plain.
  if (plainDomain.test(lower) && lower.length <= 253 && !lower.includes('xn--')) return yes(lower)
  const ascii = toASCII(source, idna)
  // The pattern is asked again: with checkHyphens off tr46 lets a leading hyphen through.
  return ascii !== null && plainDomain.test(ascii) ? yes(ascii) : no({ code: 'bad-domain', text: source })
}

/** The domain as people write it. Labels that do not decode stay A-labels. */
export function displayDomain(domain: string): string {
  if (!domain.includes('xn--')) return domain
  const { domain: unicode, error } = toUnicode(domain, idna)
  return error ? domain : unicode
}

/**
 * Whether `host` is `domain` or lies below it. Both lower-case A-labels.
 * covers('example.com', 'badexample.com') is false: no label boundary.
 */
export function covers(domain: string, host: string): boolean {
  return host === domain || host.endsWith('.' + domain)
}

// Both sections of the public suffix list count: below a private suffix ("pages.host.example") live
// unrelated people, and an entry for all of them would be as wrong as one for "co.uk".
const suffixOptions = { allowPrivateDomains: true, extractHostname: false, validateHostname: false } as const

/**
 * The organisational domain of RFC 7489 §3.2: one label more than the public suffix.
 * `null` for a public suffix itself.
 */
export function findOrganisationalDomain(domain: string): string | null {
  return getDomain(domain, suffixOptions)
}

/** Whether the domain is a public suffix ('co.uk', 'com'): nobody's own, so no entry may name it. */
export function isPublicSuffix(domain: string): boolean {
  return getPublicSuffix(domain, suffixOptions) === domain
}

/** Two domains of one organisation, as relaxed alignment asks (RFC 7489 §3.1.1). */
export function isSameOrganisation(a: string, b: string): boolean {
  if (a === b) return true
  const organisation = findOrganisationalDomain(a)
  return organisation !== null && organisation === findOrganisationalDomain(b)
}
