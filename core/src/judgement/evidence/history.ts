import { displayDomain } from '../../address/index.ts'
import type { Weighed } from './context.ts'
import { observe, growth, type Observed } from './evidence.ts'

/** Seen before, and what people ruled on its mail. */
export function weighHistory({ sender, context: { knowledge } }: Weighed): readonly Observed[] {
  const domain = displayDomain(sender.from[0]?.domain ?? '')
  const found: Observed[] = []
  if (knowledge.seenDomain === 0) found.push(observe('first-from-domain', { facts: { domain } }))
  else if (knowledge.seenAddress === 0) {
    found.push(observe('first-from-address', { facts: { domain, count: knowledge.seenDomain } }))
  } else if (knowledge.seenAddress >= 5) {
    found.push(observe('seen-often', { facts: { count: knowledge.seenAddress } }))
  }
  const { ruledWanted, ruledJunk } = knowledge
  if (ruledWanted > 0)
    found.push(observe('sender-ruled-wanted', { facts: { count: ruledWanted }, times: growth(ruledWanted) }))
  if (ruledJunk > 0)
    found.push(observe('sender-ruled-junk', { facts: { count: ruledJunk }, times: growth(ruledJunk) }))
  const { list } = knowledge
  // One ruling, told once: of the sender where it was theirs.
  if (list && list.wanted > list.junk && ruledWanted === 0)
    found.push(
      observe('known-list', {
        facts: { list: sender.listId ?? '', count: list.wanted },
        times: growth(list.wanted - list.junk),
      }),
    )
  return found
}
