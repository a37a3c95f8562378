import type { TFunction } from 'i18next'

/** Pendro's own reasons not to hand a message on; anything else is what the mail store said, word for word. */
const own: ReadonlySet<string> = new Set([
  'message-gone',
  'digest-gone',
  'letter-gone',
  'mailbox-gone',
  'store-not-asked',
])

export const problemWords = (problem: string, t: TFunction): string =>
  own.has(problem) ? t(`handOver.${problem}`) : problem
