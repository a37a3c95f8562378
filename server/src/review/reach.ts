import type { ReachShape, RulingSentence } from '@pendro/contract'
import { planChange } from '@pendro/core/rulings'
import { patternText } from '@pendro/core/senders'
import type { Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { entriesFor } from '../lists/entries.ts'
import { mailboxesOf, reachOf } from '../lists/reach.ts'
import { AppError } from '../errors.ts'
import { readProgress, sendersOfSelection } from '../rulings/selections.ts'
import { takesOutOfSight } from '../rulings/write.ts'
import { countInFront } from '../stores/blocking.ts'
import type { SignedIn } from '../sign-in/sessions.ts'
import { proposedEntries, ruledDeliveries } from '../rulings/proposals.ts'

/** What a ruling's sentence would have changed in mail already seen. */
export async function previewReach(
  db: Database,
  about: { readonly deliveries: readonly number[] } | { readonly selection: number },
  sentence: RulingSentence,
  { who, now }: { readonly who: SignedIn; readonly now: Date },
): Promise<ReachShape & { toJunk: number }> {
  const organisation = await readOrganisation(db)
  if ('selection' in about) await readProgress(db, who, about.selection)
  const ids =
    'deliveries' in about ? about.deliveries : await sendersOfSelection(db, about.selection, sentence.for)
  if (ids.length === 0) throw new AppError('SELECTION_GONE')
  const deliveries = await ruledDeliveries(db, ids)
  const proposed = proposedEntries(sentence, deliveries, organisation, now)
  const texts = [...new Set(proposed.map(({ pattern }) => patternText(pattern)))]
  const existing = await entriesFor(db, texts, mailboxesOf({ add: proposed, end: [] }) ?? [])
  const reach = await reachOf(db, planChange(proposed, existing, now.getTime()), {
    organisation,
    now,
    scope: who.scope,
    about: deliveries.map(({ sender_facts }) => sender_facts),
  })
  return { ...reach, toJunk: takesOutOfSight(sentence) ? await countInFront(db, ids) : 0 }
}
