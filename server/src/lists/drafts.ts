import type { EntryDraft } from '@pendro/contract'
import { daysBefore, startOfDay } from '@pendro/core/calendar'
import { findCaution, findRefusal, isBindingByDefault, type ProposedEntry } from '@pendro/core/rulings'
import { parsePattern, type SenderPattern } from '@pendro/core/senders'
import type { Organisation } from '../db/organisation.ts'
import { isWithin } from '../db/scope.ts'
import { AppError } from '../errors.ts'
import { isSteward, type Ruler } from '../sign-in/sessions.ts'

export function readPattern(typed: string): SenderPattern {
  const parsed = parsePattern(typed)
  if (parsed.ok) return parsed.value
  const { code, ...facts } = parsed.problem
  throw new AppError('BAD_PATTERN', { typed, problem: code, ...facts })
}

/** Reads what somebody wrote; throws when it can't be an entry. */
export function readDraft(
  draft: EntryDraft,
  { timeZone }: Pick<Organisation, 'timeZone'>,
  now: Date,
): ProposedEntry {
  const { standing, mailboxId } = draft
  const owner =
    mailboxId === null ? ({ kind: 'organisation' } as const) : ({ kind: 'mailbox', mailboxId } as const)
  const until = draft.until === null ? null : endOfDay(draft.until, timeZone)
  if (until !== null && until <= now.getTime()) throw new AppError('UNTIL_PASSED')
  return {
    pattern: readPattern(draft.pattern),
    standing,
    owner,
    binding: mailboxId === null && (draft.binding ?? isBindingByDefault(standing, owner)),
    withoutAuthentication: standing === 'safe' && draft.withoutAuthentication,
    until,
  }
}

/** The named day counts in full. */
export function endOfDay(day: string, timeZone: string): number {
  return startOfDay(daysBefore(day, -1), timeZone)
}

const ownerOf = (owner: ProposedEntry['owner']) => (owner.kind === 'mailbox' ? owner.mailboxId : null)

/**
 * Whether `who` may make these entries, with this reason. `touched`: owners of entries that end because of
 * them, too. Throws the first thing in the way.
 */
export function checkEntries(
  who: Ruler,
  entries: readonly ProposedEntry[],
  touched: readonly Pick<ProposedEntry, 'owner'>[],
  reason: string,
  { policy }: Organisation,
): void {
  if (entries.some(entry => findRefusal(entry, policy) !== null)) throw new AppError('BLOCKS_OWN_DOMAIN')
  if ('colleague' in who) {
    const { mailboxIds } = who.colleague
    const isOwn = ({ owner }: Pick<ProposedEntry, 'owner'>) =>
      owner.kind === 'mailbox' && mailboxIds.includes(owner.mailboxId)
    if (![...entries, ...touched].every(isOwn)) throw new AppError('ENTRY_NOT_FOUND')
  }
  if ('staffer' in who && ![...entries, ...touched].every(({ owner }) => isWithin(who.scope, ownerOf(owner))))
    throw new AppError('OUT_OF_SCOPE', { context: 'whole' })
  if (isSteward(who)) {
    if (reason === '' && entries.some(entry => findCaution(entry, policy) !== null))
      throw new AppError('NEEDS_REASON')
    return
  }
  if ([...entries, ...touched].some(({ owner }) => owner.kind === 'organisation'))
    throw new AppError('NEEDS_STEWARD')
  if (entries.some(entry => findCaution(entry, policy) !== null))
    throw new AppError('NEEDS_STEWARD', { context: 'lets-in' })
}
