import { findHeader, type Message } from '../../message/index.ts'
import type { Weighed } from './context.ts'
import { observe, type Observed, type RawFact } from './evidence.ts'

/** Marks of bulk mail: RFC 2369 / 2919 list headers, Precedence (RFC 3834 §3.1.8). */
export function isBulk(message: Message): boolean {
  return (
    message.listId !== null ||
    findHeader(message.headers, 'List-Unsubscribe') !== null ||
    /^(bulk|list|junk)$/i.test(findHeader(message.headers, 'Precedence') ?? '')
  )
}

/** Evidence that a message went to many. */
export function weighBulk({ message, context: { recipients } }: Weighed): readonly Observed[] {
  const found: Observed[] = []
  if (isBulk(message)) {
    const raw = ['List-Id', 'List-Unsubscribe', 'Precedence'].flatMap((name): RawFact[] => {
      const value = findHeader(message.headers, name)
      return value === null ? [] : [[name, value]]
    })
    found.push(observe('bulk', { raw }))
  }
  if (recipients >= 8) found.push(observe('many-recipients', { facts: { count: recipients } }))
  return found
}
