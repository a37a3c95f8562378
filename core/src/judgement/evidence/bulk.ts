import { findHeader, type Message } from '../../message/index.ts'
import type { Weighed } from './context.ts'
import { evidence, type Evidence, type RawFact } from './evidence.ts'

/** Marks of bulk mail: RFC 2369 / 2919 list headers, Precedence (RFC 3834 §3.1.8). */
export function isBulk(message: Message): boolean {
  return (
    message.listId !== null ||
    findHeader(message.headers, 'List-Unsubscribe') !== null ||
    /^(bulk|list|junk)$/i.test(findHeader(message.headers, 'Precedence') ?? '')
  )
}

/** Evidence that a message went to many. */
export function weighBulk({ message, context: { recipients } }: Weighed): readonly Evidence[] {
  const found: Evidence[] = []
  if (isBulk(message)) {
    const raw = ['List-Id', 'List-Unsubscribe', 'Precedence'].flatMap((name): RawFact[] => {
      const value = findHeader(message.headers, name)
      return value === null ? [] : [[name, value]]
    })
    found.push(evidence('bulk', { raw }))
  }
  if (recipients >= 8) found.push(evidence('many-recipients', { facts: { count: recipients } }))
  return found
}
