import { isSameOrganisation } from '../address/index.ts'

/** Results of RFC 8601 §2.7 that Pendro tells apart; anything else reads as 'none'. */
export type AuthResult = 'pass' | 'fail' | 'softfail' | 'neutral' | 'none' | 'temperror' | 'permerror'

/** What a trusted host found out about one message. Domains are A-labels; '' where none was given. */
export interface Authentication {
  readonly dmarc: { readonly result: AuthResult; readonly domain: string }
  readonly spf: { readonly result: AuthResult; readonly domain: string }
  readonly dkim: readonly { readonly result: AuthResult; readonly domain: string }[]
  /** A trusted gateway, or Pendro itself; absent when nobody has looked. */
  readonly by?: 'gateway' | 'pendro'
  /** An ARC chain (RFC 8617) and who sealed it last. For showing; where it counts, `dmarc` says so. */
  readonly arc?: { readonly result: AuthResult; readonly sealer: string }
  /** What it was read from: header fields, DNS records. For showing only. */
  readonly notes?: readonly string[]
}

/** Nobody has looked, or nothing was found. */
export const noAuthentication: Authentication = {
  dmarc: { result: 'none', domain: '' },
  spf: { result: 'none', domain: '' },
  dkim: [],
}

/**
 * Whether the message is proven to come from `fromDomain`: DMARC pass for it, or SPF or DKIM pass in relaxed alignment
 * with it (RFC 7489 §3.1). A temporary error proves nothing, and an explicit failure of DMARC outranks all.
 */
export function isAuthenticated(fromDomain: string, { dmarc, spf, dkim }: Authentication): boolean {
  if (dmarc.result === 'fail') return false
  const proves = ({ result, domain }: { result: AuthResult; domain: string }) =>
    result === 'pass' && domain !== '' && isSameOrganisation(domain, fromDomain)
  // A pass that does not say for whom is for nobody.
  const byDmarc = dmarc.result === 'pass' && dmarc.domain !== '' && dmarc.domain === fromDomain
  return byDmarc || proves(spf) || dkim.some(proves)
}

/**
 * The mailing list a message came by, where the list itself is proven: its List-Id is a name under a domain (RFC 2919 §3) that SPF, DKIM or
 * DMARC pass for. Anybody can write a List-Id. `null` for none.
 */
export const provenList = (listId: string | null, authentication: Authentication): string | null =>
  listId !== null && isProvenDomain(listId, authentication) ? listId : null

/** Whether a domain itself is proven, whatever From says: of a mailing list, say. */
export function isProvenDomain(domain: string, { dmarc, spf, dkim }: Authentication): boolean {
  const proves = ({ result, domain: of }: { result: AuthResult; domain: string }) =>
    result === 'pass' && of !== '' && isSameOrganisation(of, domain)
  return proves(dmarc) || proves(spf) || dkim.some(proves)
}
