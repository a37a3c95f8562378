import { covers, displayDomain } from '../../address/index.ts'
import { isAuthenticated } from '../../senders/index.ts'
import type { Weighed } from './context.ts'
import { observe, type Observed, type RawFact } from './evidence.ts'

/** Whether the message proves where it comes from: DMARC, or SPF or DKIM aligned with From (RFC 7489). */
export function weighAuthentication({ sender, context: { policy } }: Weighed): readonly Observed[] {
  const { from, authentication } = sender
  const domain = from[0]?.domain
  if (domain === undefined) return []
  const given = {
    facts: { domain: displayDomain(domain) },
    raw: (authentication.notes ?? []).map((note): RawFact => ['', note]),
  }
  if (from.every(address => isAuthenticated(address.domain, authentication))) {
    return [observe(authentication.dmarc.result === 'pass' ? 'dmarc-pass' : 'aligned-pass', given)]
  }
  const { dmarc, spf, dkim } = authentication
  const results = [dmarc.result, spf.result, ...dkim.map(({ result }) => result)]
  // A name server that did not answer says nothing about the sender, not even when it is one of ours.
  const undecided = results.includes('temperror') && dmarc.result !== 'fail'
  if (policy.ownDomains.some(own => covers(own, domain)) && !undecided)
    return [observe('own-domain-fail', given)]
  if (dmarc.result === 'fail' || spf.result === 'fail') return [observe('authentication-fail', given)]
  if (undecided) return [observe('authentication-error', given)]
  return [observe('authentication-none', given)]
}
