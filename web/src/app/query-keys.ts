import type { QueryClient } from '@tanstack/react-query'

/** What answers are kept under. The first part says what an answer is about; everything with it goes stale together. */
export type Subject =
  | 'calibration'
  | 'digest'
  | 'doors'
  | 'enquiries'
  | 'find'
  | 'history'
  | 'import'
  | 'mail-rule'
  | 'mailbox'
  | 'mailbox-name'
  | 'mailbox-table'
  | 'mailboxes'
  | 'me'
  | 'own'
  | 'own-session'
  | 'question'
  | 'reach'
  | 'record'
  | 'review'
  | 'review-cluster'
  | 'review-counts'
  | 'ruling-cluster'
  | 'selection'
  | 'senders'
  | 'session'
  | 'set-up'
  | 'settings'
  | 'staffers'
  | 'steps'
  | 'stores'
  | 'in-store'
  | 'sheet'
  | 'watching'
  | 'ways-in'
  | 'where'

/** The key of an answer, or of all answers about something. */
export const queryKeyOf = (subject: Subject, ...more: readonly unknown[]): readonly unknown[] => [
  subject,
  ...more,
]

/** What an act makes stale beside what it has changed on the screen itself; `null` for everything. */
const staleAfter = {
  /** Rows of the list stay where they are, marked as done. */
  ruling: ['calibration', 'watching', 'review-counts', 'sheet', 'record', 'digest', 'reach'],
  'ruled-from-whereabouts': ['where', 'review', 'mail-rule', 'mailbox'],
  'handed-in': ['record'],
  kept: ['sheet', 'review', 'record', 'where', 'mailbox'],
  erased: ['review', 'review-counts', 'sheet', 'record', 'where'],
  'own-changed': ['own'],
  /** Choices and password are shown with who is signed in, too. */
  'own-choices': ['own', 'own-session'],
  'reading-allowed': ['sheet'],
  unsubscribed: ['sheet', 'record'],
  'rules-folded': ['mail-rule', 'mailbox', 'senders', 'record', 'reach'],
  'mail-rule-changed': ['mail-rule', 'mailbox', 'record'],
  'setting-changed': null,
  'staffers-changed': ['staffers', 'record'],
  'me-changed': ['me', 'record'],
  /** Who was kept out for want of one is not any more. */
  'factor-added': ['me', 'session', 'record'],
  'history-changed': ['history', 'steps', 'record'],
  'steps-changed': ['steps'],
  'stores-changed': ['stores', 'record'],
  'mail-moved': ['in-store', 'sheet', 'where', 'review', 'record'],
  'digest-changed': ['digest', 'mailbox'],
  'mailbox-changed': ['calibration', 'mailbox', 'mailbox-table', 'digest', 'record', 'sheet', 'review'],
  'enquiry-changed': ['enquiries'],
  /** Requests and findings, and not the lists themselves. */
  'senders-worked': ['senders'],
  /** An undo from where one can't see what it was about. */
  'undone-from-afar': null,
  'list-changed': ['senders', 'record', 'reach', 'sheet', 'question'],
} as const satisfies Record<string, readonly Subject[] | null>

/** What an act of the web comes to, as the table names it. */
export type Happening = keyof typeof staleAfter

export async function makeStale(client: QueryClient, happening: Happening): Promise<void> {
  const subjects: readonly Subject[] | null = staleAfter[happening]
  if (subjects === null) return client.invalidateQueries()
  await Promise.all(subjects.map(subject => client.invalidateQueries({ queryKey: queryKeyOf(subject) })))
}
