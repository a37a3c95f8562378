import type { Message } from '@pendro/core/message'

/** What lists show of a message, as columns; empty where it could not be read. */
export function shownFrom(message: Message | null): {
  from_name: string
  from_address: string
  subject: string
} {
  const from = message?.from[0]
  return {
    from_name: (from?.name ?? '').slice(0, 255),
    from_address: (from?.text ?? '').slice(0, 320),
    subject: (message?.subject ?? '').slice(0, 500),
  }
}
