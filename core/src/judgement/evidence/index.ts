import { weighAttachments } from './attachments.ts'
import { weighAuthentication } from './authentication.ts'
import { weighBulk } from './bulk.ts'
import type { Weighed } from './context.ts'
import { weighCorrespondence, weighNearness, type Nearness } from './correspondence.ts'
import { observe, weigh, type Evidence, type Observed } from './evidence.ts'
import type { SenderFacts } from '../../senders/index.ts'
import type { Weights } from '../../weights/index.ts'
import { weighHeaders } from './headers.ts'
import { weighHiddenText } from './hidden-text.ts'
import { weighHistory } from './history.ts'
import { weighLinks } from './links.ts'
import { weighLookalikes } from './lookalikes.ts'
import { weighText } from './text.ts'
import { weighTogether } from './together.ts'

export type { Nearness } from './correspondence.ts'
export { isBulk } from './bulk.ts'
export type { SenderKnowledge, WeighContext, Weighed } from './context.ts'
export { byWeight, evidence, junkScore, reweighed, timesOf, type Evidence, type RawFact } from './evidence.ts'
export {
  rangeOf,
  realShares,
  weightBounds,
  weights,
  weightsWith,
  type Finding,
  type Weights,
} from '../../weights/index.ts'

const kinds: readonly ((weighed: Weighed) => readonly Observed[])[] = [
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
  const found = kinds.flatMap(look => look(weighed))
  const all = [observe('starting-point'), ...found, ...weighTogether(found, weighed.context.knowledge)]
  return all.map(one => weigh(one, weighed.context.weights))
}

/** What weighs for one mailbox alone. */
export const weighForMailbox = (
  nearness: Nearness,
  sender: SenderFacts,
  table?: Weights,
): readonly Evidence[] => weighNearness(nearness, sender).map(one => weigh(one, table))

/** The evidence of a message that could not be read. */
export function weighUnreadable(problem: string, table?: Weights): readonly Evidence[] {
  return [observe('starting-point'), observe('could-not-be-read', { facts: { problem } })].map(one =>
    weigh(one, table),
  )
}
