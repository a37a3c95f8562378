import { displayDomain } from '../../address/index.ts'
import type { Weighed } from './context.ts'
import { evidence, growth, type Evidence } from './evidence.ts'

/** Whether colleagues have written to the sender, and whether this answers one of them. */
export function weighCorrespondence({
  message,
  sender,
  context: { knowledge },
}: Weighed): readonly Evidence[] {
  const found: Evidence[] = []
  if (knowledge.answered !== null) {
    found.push(
      evidence('answers-colleague', {
        facts: { subject: knowledge.answered },
        raw: message.answers.map(id => ['In-Reply-To', id] as const),
      }),
    )
  }
  if (knowledge.writtenToAddress > 0) {
    found.push(
      evidence('correspondence-address', {
        facts: { count: knowledge.writtenToAddress },
        times: growth(knowledge.writtenToAddress),
      }),
    )
  } else if (knowledge.writtenToDomain > 0) {
    const domain = displayDomain(sender.from[0]?.domain ?? '')
    found.push(
      evidence('correspondence-domain', {
        facts: { count: knowledge.writtenToDomain, domain },
        times: growth(knowledge.writtenToDomain),
      }),
    )
  }
  return found
}

/** What weighs in one mailbox only: this colleague has written to the sender. */
export function weighForMailbox(writtenByColleague: number): readonly Evidence[] {
  if (writtenByColleague === 0) return []
  return [
    evidence('correspondence-mailbox', {
      facts: { count: writtenByColleague },
      times: growth(writtenByColleague),
    }),
  ]
}
