import { covers, displayDomain, findLookalike } from '../../address/index.ts'
import type { Weighed } from './context.ts'
import { evidence, type Evidence } from './evidence.ts'

/** A sender's domain that is made to be taken for one of ours, or for one we write to. */
export function weighLookalikes({
  sender: { from },
  context: { policy, knownDomains },
}: Weighed): readonly Evidence[] {
  const domain = from[0]?.domain
  if (domain === undefined || policy.ownDomains.some(own => covers(own, domain))) return []
  const match = findLookalike(domain, knownDomains)
  if (!match) return []
  return [
    evidence(policy.ownDomains.includes(match.known) ? 'lookalike-own' : 'lookalike-known', {
      facts: { domain: displayDomain(domain), known: displayDomain(match.known) },
      raw: [
        ['domain', domain],
        ['resembles', match.known],
        ['by', match.by],
      ],
    }),
  ]
}
