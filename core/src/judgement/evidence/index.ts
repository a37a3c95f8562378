import { weighAttachments } from './attachments.ts'
import { weighAuthentication } from './authentication.ts'
import { weighBulk } from './bulk.ts'
import type { Weighed } from './context.ts'
import { weighCorrespondence } from './correspondence.ts'
import { evidence, type Evidence } from './evidence.ts'
import { weighHeaders } from './headers.ts'
import { weighHiddenText } from './hidden-text.ts'
import { weighHistory } from './history.ts'
import { weighLinks } from './links.ts'
import { weighLookalikes } from './lookalikes.ts'
import { weighText } from './text.ts'
import { weighTogether } from './together.ts'

export { isBulk } from './bulk.ts'
export type { SenderKnowledge, WeighContext, Weighed } from './context.ts'
export { weighForMailbox } from './correspondence.ts'
export { byWeight, evidence, junkScore, type Evidence, type RawFact } from './evidence.ts'
export { rangeOf, realShares, weights, type Finding } from './weights.ts'

const kinds: readonly ((weighed: Weighed) => readonly Evidence[])[] = [
  weighAuthentication,
  weighCorrespondence,
  weighHistory,
  weighText,
  weighLookalikes,
  weighLinks,
  weighHiddenText,
  weighHeaders,
  weighAttachments,
  weighBulk,
]

/** Everything that weighs on a message for all its mailboxes alike. */
export function weighMessage(weighed: Weighed): readonly Evidence[] {
  const found = kinds.flatMap(weigh => weigh(weighed))
  return [evidence('starting-point'), ...found, ...weighTogether(found, weighed.context.knowledge)]
}

/** The evidence of a message that could not be read. */
export function weighUnreadable(problem: string): readonly Evidence[] {
  return [evidence('starting-point'), evidence('could-not-be-read', { facts: { problem } })]
}
