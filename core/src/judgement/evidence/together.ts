import { observe, type Observed } from './evidence.ts'
import type { SenderKnowledge } from './context.ts'
import type { Finding } from '../../weights/index.ts'

const unproven: ReadonlySet<Finding> = new Set([
  'authentication-none',
  'authentication-fail',
  'authentication-error',
])
/** Fewer messages than this, and nobody knows the sender yet. */
const known = 5
const trusted: ReadonlySet<Finding> = new Set([
  'answers-colleague',
  'correspondence-address',
  'correspondence-domain',
  'sender-ruled-wanted',
  'in-contacts',
  'known-list',
])

/** Odd by themselves, and not yet harm: what honest strangers seldom do and forgers often. */
const odd: ReadonlySet<Finding> = new Set([
  'link-differs',
  'link-numeric-host',
  'link-punycode',
  'link-file-host',
  'link-shortened',
  'reply-to-elsewhere',
  'no-message-id',
  'date-far-off',
  'hidden-text',
  'odd-headers',
  'several-senders',
  'no-from',
  'crowded-to',
  'many-recipients',
  'attachment-macro',
  'attachment-encrypted-archive',
  'attachment-archive',
  'attachment-unreadable-archive',
  'attachment-lies',
])

/**
 * Being new and proving nothing weigh little by themselves: most people who write for the first few times are wanted (common practice).
 * Beside something odd they weigh more than their sum.
 */
export function weighTogether(
  found: readonly Observed[],
  { seenAddress }: Pick<SenderKnowledge, 'seenAddress'>,
): readonly Observed[] {
  const has = (of: ReadonlySet<Finding>) => found.some(({ finding }) => of.has(finding))
  return seenAddress < known && has(unproven) && has(odd) && !has(trusted) ? [observe('new-and-odd')] : []
}
