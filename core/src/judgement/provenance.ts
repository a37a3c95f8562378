import { displayDomain, isSameOrganisation } from '../address/index.ts'
import type { SenderFacts } from '../senders/index.ts'

/** Who really handed the message in, against whom it names. Domains as people write them. */
export type Provenance =
  | { readonly kind: 'itself'; readonly domain: string }
  | { readonly kind: 'service-signed'; readonly domain: string; readonly service: string }
  | { readonly kind: 'service-allowed'; readonly domain: string; readonly service: string }
  | { readonly kind: 'service-unproven'; readonly domain: string; readonly service: string }
  | { readonly kind: 'unproven'; readonly domain: string }
  | { readonly kind: 'list'; readonly domain: string; readonly list: string }
  | { readonly kind: 'nobody' }

/** A short account for the sheet: "sent through a mailing service for fjordfuel.example, which signed it". */
export function provenance({ from, envelopeFrom, listId, authentication }: SenderFacts): Provenance {
  const domain = from[0]?.domain
  if (domain === undefined) return { kind: 'nobody' }
  const shown = displayDomain(domain)
  const signed = authentication.dkim.some(
    ({ result, domain: d }) => result === 'pass' && isSameOrganisation(d, domain),
  )
  const allowed =
    authentication.spf.result === 'pass' && isSameOrganisation(authentication.spf.domain, domain)
  const proven = signed || allowed || authentication.dmarc.result === 'pass'
  const envelope = envelopeFrom?.domain
  const throughOther = envelope !== undefined && !isSameOrganisation(envelope, domain)
  if (throughOther) {
    const service = displayDomain(envelope)
    if (listId !== null && !signed) return { kind: 'list', domain: shown, list: listId }
    if (signed) return { kind: 'service-signed', domain: shown, service }
    return { kind: proven ? 'service-allowed' : 'service-unproven', domain: shown, service }
  }
  return proven ? { kind: 'itself', domain: shown } : { kind: 'unproven', domain: shown }
}
