import { displayDomain, isSameOrganisation } from '../../address/index.ts'
import { findHeader, type Message } from '../../message/index.ts'
import type { Weighed } from './context.ts'
import { observe, type Observed, type RawFact } from './evidence.ts'

const day = 86_400_000
/** More addresses than this in To and Cc: nobody writes to so many by hand. */
const crowd = 100

function rawHeader(message: Message, name: string): RawFact {
  const value = findHeader(message.headers, name)
  return value === null ? [name, '', 'absent'] : [name, value]
}

/** Names, answers, dates and the shape of the header itself. */
export function weighHeaders({
  message,
  sender,
  context: { knowledge, receivedAt },
}: Weighed): readonly Observed[] {
  const found: Observed[] = []
  const domain = sender.from[0]?.domain
  if (domain === undefined) found.push(observe('no-from', { raw: [rawHeader(message, 'From')] }))
  if (message.from.length > 1)
    found.push(
      observe('several-senders', {
        facts: { count: message.from.length },
        raw: [rawHeader(message, 'From')],
      }),
    )
  if (knowledge.imitates !== null) {
    found.push(
      observe('imitates-colleague', {
        facts: { name: knowledge.imitates },
        raw: [rawHeader(message, 'From')],
      }),
    )
  }
  const replyTo = message.replyTo[0]?.address?.domain
  if (domain !== undefined && replyTo !== undefined && !isSameOrganisation(domain, replyTo)) {
    found.push(
      observe('reply-to-elsewhere', {
        facts: { domain: displayDomain(replyTo) },
        raw: [rawHeader(message, 'Reply-To'), rawHeader(message, 'From')],
      }),
    )
  }
  if (message.messageId === null) found.push(observe('no-message-id'))
  const off = message.date === null ? 0 : Math.abs(message.date - receivedAt) / day
  if (off > 2) {
    found.push(
      observe('date-far-off', {
        facts: { days: Math.round(off) },
        raw: [rawHeader(message, 'Date'), ['', new Date(receivedAt).toISOString(), 'came-in']],
      }),
    )
  }
  const named = message.to.length + message.cc.length
  if (named > crowd) found.push(observe('crowded-to', { facts: { count: named } }))
  const odd = oddities(message)
  if (odd.length > 0)
    found.push(observe('odd-headers', { facts: { what: odd.map(([name]) => name).join(', ') }, raw: odd }))
  return found
}

/** What RFC 5322 §3.6 forbids, and fields no program writes by itself. */
function oddities({ defects, headers }: Message): readonly RawFact[] {
  const long = headers.find(({ longerThan }) => longerThan !== undefined)
  return [
    ...(defects.includes('several-from-fields') ? [['From', '', 'repeated'] as const] : []),
    ...(defects.includes('several-subject-fields') ? [['Subject', '', 'repeated'] as const] : []),
    ...(defects.includes('no-date') ? [['Date', '', 'absent'] as const] : []),
    ...(long ? [[long.name, String(long.longerThan), 'long'] as const] : []),
  ]
}
