import { covers, displayDomain, findLookalike, type Lookalike } from '../../address/index.ts'
import type { Weighed } from './context.ts'
import { observe, type Observed, type RawFact } from './evidence.ts'

/** Two domains and why they are alike, as raw evidence. */
export const rawLikeness = ({ known, by }: Lookalike): readonly RawFact[] => [
  ['', known, 'resembles'],
  ['', '', by],
]

/** A sender's domain that is made to be taken for one of ours, or for one we write to. */
export function weighLookalikes({
  sender: { from },
  context: { policy, knownDomains },
}: Weighed): readonly Observed[] {
  const domain = from[0]?.domain
  if (domain === undefined || policy.ownDomains.some(own => covers(own, domain))) return []
  const match = findLookalike(domain, knownDomains)
  if (!match) return []
  return [
    observe(policy.ownDomains.includes(match.known) ? 'lookalike-own' : 'lookalike-known', {
      facts: { domain: displayDomain(domain), known: displayDomain(match.known) },
      raw: [['', domain, 'domain'], ...rawLikeness(match)],
    }),
  ]
}
