import type { RulingSentence } from '@pendro/contract'
import { findRefusal, isBindingByDefault, type ProposedEntry } from '@pendro/core/rulings'
import { displayPattern, patternAtWidth, patternText, type SenderPattern } from '@pendro/core/senders'
import { select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Messages } from '../db/models/messages.ts'
import type { Deliveries } from '../db/models/deliveries.ts'
import type { Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import type { Ask } from '../lists/ask.ts'
import { endOfDay, readPattern } from '../lists/drafts.ts'

/** A delivery as a ruling needs it. */
export type RuledDelivery = Pick<
  RowOf<typeof Deliveries>,
  | 'id'
  | 'message_id'
  | 'mailbox_id'
  | 'state'
  | 'came_from'
  | 'from_address'
  | 'subject'
  | 'cluster_key'
  | 'points'
> &
  Pick<RowOf<typeof Messages>, 'sender_facts'>

/** Loads the deliveries of a ruling in the order of their ids; one that is missing fails the whole. */
export async function ruledDeliveries(
  db: Database,
  ids: readonly number[],
  { tx, lock = false }: { tx?: Tx; lock?: boolean } = {},
): Promise<readonly RuledDelivery[]> {
  const wanted = [...new Set(ids)]
  const rows = await select<RuledDelivery>(
    db,
    `SELECT d.id, d.message_id, d.mailbox_id, d.state, d.came_from, d.from_address, d.subject, d.cluster_key, d.points, m.sender_facts
     FROM deliveries d JOIN messages m ON m.id = d.message_id WHERE d.id IN (:wanted) ORDER BY d.id ${lock ? 'FOR UPDATE' : ''}`,
    { wanted },
    tx,
  )
  if (rows.length < wanted.length) {
    const found = new Set(rows.map(({ id }) => id))
    throw new AppError('DELIVERY_NOT_FOUND', { missing: wanted.filter(id => !found.has(id)) })
  }
  return rows
}

/** The entries a sentence asks for: one a sender and list. Throws when the sentence can't be carried out. */
export function proposedEntries(
  sentence: RulingSentence,
  deliveries: readonly RuledDelivery[],
  { timeZone }: Pick<Organisation, 'timeZone'>,
  now: Date,
): readonly ProposedEntry[] {
  const { sender } = sentence
  if (sender === 'as-is') return []
  const until = sentence.until === undefined ? null : endOfDay(sentence.until, timeZone)
  if (until !== null && until <= now.getTime()) throw new AppError('UNTIL_PASSED')
  return deliveries.map((delivery): ProposedEntry => {
    const owner =
      sentence.for !== 'colleague'
        ? ({ kind: 'organisation' } as const)
        : ({ kind: 'mailbox', mailboxId: delivery.mailbox_id } as const)
    return {
      pattern: patternOf(sentence, delivery),
      standing: sender,
      owner,
      binding: isBindingByDefault(sender, owner),
      withoutAuthentication: sender === 'safe' && sentence.withoutAuthentication,
      until,
    }
  })
}

function patternOf(
  { pattern: typed, width }: RulingSentence,
  { id, sender_facts }: RuledDelivery,
): SenderPattern {
  if (typed !== undefined && typed.trim() !== '') {
    return readPattern(typed)
  }
  const found = patternAtWidth(width, { address: sender_facts.from[0] ?? null, listId: sender_facts.listId })
  if (!found) throw new AppError('NO_SENDER', { deliveryId: id, width })
  return found
}

/** So many different senders can be asked about at once; more is a list to be brought in. */
const mostAsked = 20

/** What the stewards are asked for: each sender once, for the colleague it was first seen with. */
export function asksOf(
  { for: whom, sender }: RulingSentence,
  deliveries: readonly RuledDelivery[],
  proposed: readonly ProposedEntry[],
  { policy }: Pick<Organisation, 'policy'>,
): readonly Ask[] {
  if (whom !== 'request' || sender === 'as-is') return []
  const asks = new Map<string, Ask>()
  proposed.forEach(({ pattern, standing }, i) => {
    if (findRefusal({ pattern, standing }, policy)) throw new AppError('BLOCKS_OWN_DOMAIN')
    const mailboxId = deliveries[i]?.mailbox_id
    const text = patternText(pattern)
    if (mailboxId !== undefined && !asks.has(text)) asks.set(text, { pattern, standing, mailboxId })
  })
  return [...asks.values()].slice(0, mostAsked)
}

const mostNamed = 5

/** The patterns of entries as the record names them, the first few. */
export const namePatterns = (entries: readonly Pick<ProposedEntry, 'pattern'>[]): string =>
  [...new Set(entries.map(({ pattern }) => displayPattern(pattern)))].slice(0, mostNamed).join(', ')
