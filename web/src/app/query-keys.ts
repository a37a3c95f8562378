import type { QueryClient } from '@tanstack/react-query'

/** What answers are kept under. The first part says what an answer is about; everything with it goes stale together. */
export type Subject =
  | 'digest'
  | 'enquiries'
  | 'find'
  | 'import'
  | 'mail-rule'
  | 'mailbox-name'
  | 'mailboxes'
  | 'own'
  | 'question'
  | 'reach'
  | 'record'
  | 'review'
  | 'review-cluster'
  | 'review-counts'
  | 'ruling-cluster'
  | 'senders'
  | 'set-up'
  | 'sheet'
  | 'where'

/** The key of an answer, or of all answers about something. */
export const queryKeyOf = (subject: Subject, ...more: readonly unknown[]): readonly unknown[] => [
  subject,
  ...more,
]

/** What an act makes stale beside what it has changed on the screen itself. */
const staleAfter = {
  /** Rows of the list stay where they are, marked as done. */
  ruling: ['review-counts', 'sheet', 'record', 'digest', 'reach'],
  'ruled-from-whereabouts': ['where', 'review'],
  'handed-in': ['record'],
  'digest-changed': ['digest'],
  'enquiry-changed': ['enquiries'],
  'request-declined': ['senders'],
  'list-changed': ['senders', 'record', 'reach', 'sheet', 'question'],
} as const satisfies Record<string, readonly Subject[]>

/** What an act of the web comes to, as the table names it. */
export type Happening = keyof typeof staleAfter

export async function makeStale(client: QueryClient, happening: Happening): Promise<void> {
  await Promise.all(
    staleAfter[happening].map(subject => client.invalidateQueries({ queryKey: queryKeyOf(subject) })),
  )
}
