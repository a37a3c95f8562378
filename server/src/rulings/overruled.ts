import type { EntryBrief } from '@pendro/contract'
import { decide } from '@pendro/core/judgement'
import { findOverruling } from '@pendro/core/rulings'
import { candidateTexts, type SenderEntry } from '@pendro/core/senders'
import type { Database, Tx } from '../db/database.ts'
import { mailboxPolicy, mailboxRows, type Organisation } from '../db/organisation.ts'
import { registerOf } from '../judging/judge.ts'
import { briefs, entriesFor } from '../lists/entries.ts'
import type { RuledDelivery } from './proposals.ts'

/** An entry that was made and changes nothing, and the one that has the last word. */
export interface Overruled {
  /** Number of the entry that was made. */
  readonly made: number
  readonly by: EntryBrief
}

/** So many messages tell it; more of one ruling come from the same few senders. */
const mostAsked = 100

/** Which of the entries just made have no say, because another one decides the same mail. */
export async function overruledOf(
  db: Database,
  tx: Tx,
  made: readonly number[],
  deliveries: readonly RuledDelivery[],
  { organisation, now }: { readonly organisation: Organisation; readonly now: Date },
): Promise<readonly Overruled[]> {
  if (made.length === 0) return []
  const asked = deliveries.slice(0, mostAsked)
  const mailboxIds = [...new Set(asked.map(({ mailbox_id }) => mailbox_id))]
  const texts = [...new Set(asked.flatMap(({ sender_facts }) => candidateTexts(sender_facts)))]
  const entries = await entriesFor(db, texts, mailboxIds, { tx })
  const mailboxes = await mailboxRows(db, mailboxIds, tx)
  const isMade = ({ id }: SenderEntry) => made.includes(id)
  const over = new Map<number, SenderEntry>()
  for (const { sender_facts: sender, mailbox_id } of asked) {
    const mailbox = mailboxes.get(mailbox_id)
    if (!mailbox) continue
    // By its sender alone: that this message is harmful says nothing of the next.
    const decision = decide(
      { sender, harm: null, score: 0, bulk: false, unreadable: false, rules: [] },
      mailboxPolicy(mailbox, organisation),
      registerOf(entries, mailbox.id),
      { policy: organisation.policy, now: now.getTime() },
    )
    const winner = findOverruling(decision, isMade)
    const loser = decision.path
      .flatMap(line => ('overruled' in line ? line.overruled : []))
      .find(entry => isMade(entry))
    if (winner && loser && winner.standing !== loser.standing) over.set(loser.id, winner)
  }
  const shown = await briefs(db, [...over.values()], tx)
  return [...over].flatMap(([id, { id: winner }]) => {
    const by = shown.get(winner)
    return by ? [{ made: id, by }] : []
  })
}
