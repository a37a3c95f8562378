import type { ReachShape, RulingSentence } from '@pendro/contract'
import type { DeliveryFacts } from '@pendro/core/judgement'
import { planChange, reach, type ProposedEntry, type SeenDelivery } from '@pendro/core/rulings'
import {
  candidateTexts,
  displayPattern,
  patternText,
  type SenderFacts,
  type SenderPattern,
} from '@pendro/core/senders'
import { select, type Database, type Row } from '../db/database.ts'
import { mailboxPolicy, mailboxRows, readOrganisation, type Organisation } from '../db/organisation.ts'
import { registerOf } from '../mail/judge.ts'
import { domainKey } from '../mail/intake.ts'
import { briefs, entriesFor } from '../senders/entries.ts'
import { cautionOf, proposedEntries, ruledDeliveries } from './proposals.ts'

export const reachDays = 30
/** Deciding is quick, reading rows is not: beyond this many the numbers are a lower bound, and say so. */
const most = 5000

/** What a ruling's sentence would have changed in mail already seen. SQL narrows, core decides. */
export async function previewReach(
  db: Database,
  deliveryIds: readonly number[],
  sentence: RulingSentence,
  now: Date,
): Promise<ReachShape> {
  const organisation = await readOrganisation(db)
  const deliveries = await ruledDeliveries(db, deliveryIds)
  const proposed = proposedEntries(sentence, deliveries, organisation, now)
  const texts = [...new Set(proposed.map(({ pattern }) => patternText(pattern)))]
  const existing = await entriesFor(db, texts, mailboxesOf(proposed))
  const change = planChange(proposed, existing, now.getTime())
  const { history, cut } = await seenDeliveries(db, organisation, proposed, now)
  const found = reach(change, history, organisation.policy)
  const overruling = found.overruledBy.slice(0, 5)
  const shown = await briefs(db, [...change.end, ...overruling.map(({ entry }) => entry)])
  return {
    looked: found.looked,
    days: reachDays,
    cut,
    letThrough: found.letThrough,
    keptBack: found.keptBack,
    colleagues: found.colleagues,
    harmful: found.harmful,
    refused: found.refused,
    overruledBy: overruling.flatMap(({ entry, deliveries: n }) => {
      const brief = shown.get(entry.id)
      return brief ? [{ entry: brief, deliveries: n }] : []
    }),
    adds: [...new Set(change.add.map(({ pattern }) => displayPattern(pattern)))],
    ends: change.end.flatMap(entry => shown.get(entry.id) ?? []),
    caution: cautionOf(proposed, organisation),
  }
}

function mailboxesOf(entries: readonly ProposedEntry[]): readonly number[] {
  return [...new Set(entries.flatMap(({ owner }) => (owner.kind === 'mailbox' ? [owner.mailboxId] : [])))]
}

interface SeenRow {
  readonly id: number
  readonly mailbox_id: number
  readonly received_at: Date
  readonly score: number
  readonly sender_facts: SenderFacts
  readonly harm: DeliveryFacts['harm']
  readonly bulk: number
  readonly unreadable: string | null
  readonly ruled_junk: number
}

/** Deliveries of the last days that one of the entries could match, with all that deciding them needs. */
async function seenDeliveries(
  db: Database,
  organisation: Organisation,
  proposed: readonly ProposedEntry[],
  now: Date,
): Promise<{ history: readonly SeenDelivery[]; cut: boolean }> {
  if (proposed.length === 0) return { history: [], cut: false }
  const { where, values } = senderCondition(proposed.map(({ pattern }) => pattern))
  const everyone = proposed.some(({ owner }) => owner.kind === 'organisation')
  const rows = await select<SeenRow>(
    db,
    `SELECT d.id, d.mailbox_id, d.received_at, d.score, m.sender_facts, m.harm, m.bulk, m.unreadable,
       EXISTS (SELECT 1 FROM lessons l WHERE l.message_id = m.id AND l.verdict <> 'wanted') AS ruled_junk
     FROM (SELECT DISTINCT s.message_id FROM message_senders s WHERE ${where}) c
     JOIN messages m ON m.id = c.message_id AND m.received_at >= :since
     JOIN deliveries d ON d.message_id = m.id ${everyone ? '' : 'AND d.mailbox_id IN (:mailboxIds)'}
     ORDER BY d.id DESC LIMIT :limit`,
    {
      ...values,
      since: new Date(now.getTime() - reachDays * 86_400_000),
      mailboxIds: mailboxesOf(proposed),
      limit: most + 1,
    },
  )
  const seen = rows.slice(0, most)
  const mailboxIds = [...new Set(seen.map(row => row.mailbox_id))]
  const [mailboxes, entries] = await Promise.all([
    mailboxRows(db, mailboxIds),
    entriesFor(db, [...new Set(seen.flatMap(row => candidateTexts(row.sender_facts)))], mailboxIds),
  ])
  const history = seen.flatMap((row): SeenDelivery[] => {
    const mailbox = mailboxes.get(row.mailbox_id)
    if (!mailbox) return []
    return [
      {
        facts: {
          sender: row.sender_facts,
          harm: row.harm,
          score: row.score,
          bulk: row.bulk === 1,
          unreadable: row.unreadable !== null,
        },
        mailbox: mailboxPolicy(mailbox, organisation),
        register: registerOf(entries, row.mailbox_id),
        receivedAt: row.received_at.getTime(),
        ruledJunk: row.ruled_junk === 1,
      },
    ]
  })
  return { history, cut: rows.length > most }
}

/** Rows of message_senders that a pattern could match; never fewer than core's matching accepts. */
export function senderCondition(patterns: readonly SenderPattern[]): { where: string; values: Row } {
  const values: Row = {}
  const parts = patterns.map((pattern, i) => {
    switch (pattern.kind) {
      case 'address':
        values[`p${i}`] = patternText({ kind: 'address', address: { ...pattern.address, tag: null } })
        return `s.address = :p${i}`
      case 'domain':
        values[`p${i}`] = domainKey(pattern.domain)
        return `s.domain_key = :p${i}`
      case 'subtree':
        values[`p${i}`] = `${domainKey(pattern.domain).replace(/[\\%_]/g, '\\$&')}%`
        return `s.domain_key LIKE :p${i}`
      case 'list':
        values[`p${i}`] = patternText(pattern)
        return `s.address = :p${i}`
    }
  })
  return { where: [...new Set(parts)].join(' OR ') || 'FALSE', values }
}
