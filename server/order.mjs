/**
 * The folders of server/src, from the ones everybody stands on to the doors. A folder may import those before it and none
 * after it (eslint.config.js); so no two import each other, and each can be read without what comes later.
 */
export const order = [
  'db',
  'deliveries',
  'jobs',
  'reading',
  'record',
  'acts',
  'mailboxes',
  'sign-in',
  'live',
  'organisation',
  'first-set-up',
  'outbox',
  'lists',
  'mail-rules',
  'judging',
  'questions',
  'intake',
  'rulings',
  'senders',
  'upkeep',
  'list-jobs',
  'review',
  'digests',
  'whereabouts',
  'own',
  'reports',
  'shell',
  'doors',
]
