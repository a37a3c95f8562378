import type { ChangeEffect, MailboxChange } from '@pendro/contract'
import { arrives } from '@pendro/core/rulings'
import type { Limits, MailboxPolicy } from '@pendro/core/judgement'
import { expiryOf, type Keeping } from '@pendro/core/keeping'
import { policyReach, type PolicyReach } from '@pendro/core/mailboxes'
import { candidateTexts } from '@pendro/core/senders'
import type { DeliveryState } from '@pendro/core/delivery'
import { select, type Database } from '../db/database.ts'
import {
  findMailboxRow,
  readOrganisation,
  usualOf,
  type MailboxRow,
  type Organisation,
} from '../db/organisation.ts'
import { keepingsOf } from '../deliveries/expiry.ts'
import { endingSql } from '../deliveries/states-sql.ts'
import { AppError } from '../errors.ts'
import { entriesFor } from '../lists/entries.ts'
import { seenOf } from '../lists/seen.ts'
import { awayMoments, checkChange } from './settings.ts'

const day = 86_400_000
/** Days of mail that a change is tried on. */
export const lookedBack = 30
/** As many as a person will look at. */
const mostExamples = 12

/** What a change would come to; nothing is changed. */
export async function effectOf(
  db: Database,
  mailboxId: number,
  change: MailboxChange,
  now: Date,
): Promise<ChangeEffect> {
  const mailbox = await findMailboxRow(db, mailboxId)
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  await checkChange(db, mailbox, change, now)
  const organisation = await readOrganisation(db)
  const { limits: usual } = usualOf(mailbox.department, organisation)
  const after = policyAfter(change, usual)
  const moved = change.what === 'limits' ? (change.to ?? usual) : null
  return {
    replay: after && (await replay(db, organisation, mailbox, after, { moved, now })),
    ends: await endsAfter(db, organisation, mailbox, change, now),
  }
}

/** How the judge would see the mailbox; `null` where the change is none of its business. */
function policyAfter(
  change: MailboxChange,
  usual: Limits,
): ((before: MailboxPolicy) => MailboxPolicy) | null {
  switch (change.what) {
    case 'limits':
      return before => ({ ...before, limits: change.to ?? usual })
    case 'filtering':
      return before => ({ ...before, filtering: change.to })
    case 'set-aside':
      return before => ({ ...before, usesSetAside: change.to })
    case 'keeping':
    case 'away':
    case 'reply':
    case 'junk-shown':
    case 'reminders':
    case 'unfetched':
      return null
  }
}

async function replay(
  db: Database,
  organisation: Organisation,
  mailbox: MailboxRow,
  after: (before: MailboxPolicy) => MailboxPolicy,
  { moved, now }: { readonly moved: Limits | null; readonly now: Date },
): Promise<ChangeEffect['replay']> {
  const { seen, looked } = await seenOf(db, organisation, mailbox, {
    since: new Date(now.getTime() - lookedBack * day),
    moved,
  })
  const texts = new Set(seen.flatMap(({ facts }) => candidateTexts(facts.sender)))
  const register = await entriesFor(db, [...texts], [mailbox.id])
  const context = { policy: organisation.policy, now: now.getTime() }
  return shownReach(db, policyReach(seen, after, register, context), looked)
}

/** What another policy would have done, with some of the mail itself. */
export async function shownReach(
  db: Database,
  reach: PolicyReach,
  looked: number,
): Promise<NonNullable<ChangeEffect['replay']>> {
  const shown = reach.examples.slice(0, mostExamples)
  const rows = await select<{
    id: number
    from_name: string
    from_address: string
    subject: string
    score: number
    received_at: Date
  }>(
    db,
    'SELECT id, from_name, from_address, subject, score, received_at FROM deliveries WHERE id IN (:ids)',
    { ids: shown.map(({ id }) => id).concat(0) },
  )
  const byId = new Map(rows.map(row => [row.id, row]))
  return {
    days: lookedBack,
    looked,
    keptBack: reach.keptBack,
    letThrough: reach.letThrough,
    elsewhere: reach.elsewhere,
    part: null,
    examples: shown.flatMap(({ id, was, would, calledByPerson }) => {
      const row = byId.get(id)
      if (!row) return []
      return [
        {
          deliveryId: id,
          from: row.from_name || row.from_address,
          subject: row.subject,
          score: row.score,
          receivedAt: row.received_at.toISOString(),
          would:
            arrives(was) === arrives(would)
              ? ('move' as const)
              : arrives(would)
                ? ('come-through' as const)
                : ('be-kept-back' as const),
          called: calledByPerson,
        },
      ]
    }),
  }
}

interface EndingRow {
  readonly state: DeliveryState
  readonly received_at: Date
  readonly kept_until: Date | null
  readonly points: 'wanted' | 'doubt' | 'against'
}

async function endsAfter(
  db: Database,
  organisation: Organisation,
  mailbox: MailboxRow,
  change: MailboxChange,
  now: Date,
): Promise<ChangeEffect['ends']> {
  if (change.what !== 'keeping' && change.what !== 'away') return null
  const before = (await keepingsOf(db, organisation, [mailbox]))(mailbox)
  const after: Keeping =
    change.what === 'keeping'
      ? { ...before, days: change.to ?? organisation.keep }
      : { ...before, away: awayMoments(change.to, mailbox.time_zone) }
  const rows = await select<EndingRow>(
    db,
    `SELECT state, received_at, kept_until, points FROM deliveries WHERE mailbox_id = :id AND state IN ${endingSql}`,
    { id: mailbox.id },
  )
  const found = { sooner: 0, later: 0, atOnce: 0, wanted: 0, first: null as string | null }
  let first = Number.POSITIVE_INFINITY
  for (const { state, received_at, kept_until, points } of rows) {
    const one = { state, receivedAt: received_at.getTime(), keptUntil: kept_until?.getTime() ?? null }
    const [was, is] = [expiryOf(one, before), expiryOf(one, after)]
    if (is > was) found.later += 1
    if (is >= was) continue
    found.sooner += 1
    first = Math.min(first, Math.max(is, now.getTime()))
    if (is > now.getTime()) continue
    found.atOnce += 1
    if (points === 'wanted') found.wanted += 1
  }
  return { ...found, first: Number.isFinite(first) ? new Date(first).toISOString() : null }
}
