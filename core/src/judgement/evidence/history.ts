import { displayDomain } from '../../address/index.ts'
import type { Weighed } from './context.ts'
import { evidence, growth, type Evidence } from './evidence.ts'

/** Seen before, and what people ruled on its mail. */
export function weighHistory({ sender, context: { knowledge } }: Weighed): readonly Evidence[] {
  const domain = displayDomain(sender.from[0]?.domain ?? '')
  const found: Evidence[] = []
  if (knowledge.seenDomain === 0) found.push(evidence('first-from-domain', { facts: { domain } }))
  else if (knowledge.seenAddress === 0) {
    found.push(evidence('first-from-address', { facts: { domain, count: knowledge.seenDomain } }))
  } else if (knowledge.seenAddress >= 5) {
    found.push(evidence('seen-often', { facts: { count: knowledge.seenAddress } }))
  }
  const { ruledWanted, ruledJunk } = knowledge
  if (ruledWanted > 0)
    found.push(evidence('sender-ruled-wanted', { facts: { count: ruledWanted }, times: growth(ruledWanted) }))
  if (ruledJunk > 0)
    found.push(evidence('sender-ruled-junk', { facts: { count: ruledJunk }, times: growth(ruledJunk) }))
  return found
}
