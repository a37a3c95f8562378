import type { Router } from 'express'
import { Op } from 'sequelize'
import { readRecord, type RecordLine } from '@pendro/contract'
import { startOfDay } from '@pendro/core/calendar'
import type { Deps } from '../app.ts'
import { cursorText, readCursor } from '../db/cursor.ts'
import { select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { MailboxChanges } from '../db/models/organisation.ts'
import type { RecordEntries } from '../db/models/record.ts'
import { readOrganisation } from '../db/organisation.ts'
import { within } from '../db/scope.ts'
import { findAll } from '../db/rows.ts'
import { mount } from '../http.ts'
import type { RecordEntry } from './write.ts'

const actsOf: Readonly<Record<string, readonly RecordEntry['act'][]>> = {
  rulings: ['ruling', 'undo', 'landed', 'bounced'],
  lists: [
    'lists',
    'upkeep',
    'import',
    'approved',
    'declined',
    'asked-for-everyone',
    'set-aside',
    'aside-back',
    'took-out',
    'unsubscribed',
  ],
  reading: ['read'],
  digests: [
    'digest-sent',
    'reminder-sent',
    'digest-reply',
    'digest-schedule',
    'reply-looked-at',
    'digest-note',
    'digest-left-out',
  ],
  enquiries: [
    'enquiry-opened',
    'enquiry',
    'enquiry-answered',
    'enquiry-reply',
    'enquiry-came-in',
    'tried-again',
    'all-tried-again',
    'erased',
  ],
  mailboxes: [
    'auto-replied',
    'mail-moved',
    'mail-move-undone',
    'store-declared-away',
    'store-declared-back',
    'colleagues-told',
    'scripts-put',
    'scripts-undone',
    'secret-kept',
    'secret-dropped',
    'directory-changed',
    'directory-failed',
    'mailbox-closed',
    'mailbox-reopened',
    'organisation-header-days',
    'organisation-keeping',
    'contacts',
    'history-begun',
    'history-undone',
    'drift-aside',
    'drift-back',
    'organisation-limits',
    'organisation-setting',
    'organisation-watching',
    'organisation-weights',
    'department-limits',
    'department-watching',
    'mailbox-reply',
    'mailbox-limits',
    'mailbox-keeping',
    'mailbox-filtering',
    'mailbox-set-aside',
    'mailbox-junk-shown',
    'mailbox-reminders',
    'mailbox-unfetched',
    'mailbox-away',
    'mailbox-undone',
    'kept-until',
    'language',
  ],
  'mail-rules': [
    'mail-rule-added',
    'mail-rule-changed',
    'mail-rule-removed',
    'mail-rule-on',
    'mail-rule-off',
    'mail-rules-brought-in',
    'mail-rules-copied',
    'mail-rules-folded',
    'mail-rules-ordered',
    'mail-rules-undone',
  ],
  'signing-in': [
    'signed-in',
    'sign-in-failed',
    'factor-added',
    'factor-removed',
    'factors-cleared',
    'identity-connected',
    'identity-dropped',
    'staffer-reset',
    'throttle-cleared',
    'key-made',
    'key-ended',
    'recovery-renewed',
    'recovery-used',
    'device-ended',
    'links-revoked',
    'own-password',
    'staffer-password',
    'staffer-invited',
    'staffer-uninvited',
    'staffer-joined',
    'staffer-changed',
    'staffer-signed-out',
  ],
}

interface Row extends Pick<
  RowOf<typeof RecordEntries>,
  | 'id'
  | 'at'
  | 'act'
  | 'by_kind'
  | 'by_name'
  | 'mailbox_id'
  | 'delivery_id'
  | 'ruling_id'
  | 'reason'
  | 'facts'
> {
  readonly mailbox_name: string | null
  readonly undone: number
}

export function recordRoutes(router: Router, { db }: Deps): void {
  mount(router, readRecord, async ({ query, who }) => {
    // What is of no mailbox is the organisation's; what they did themselves they may read.
    const parts = [
      who.scope === null
        ? 'TRUE'
        : `(${within(who.scope, 'r.mailbox_id')} OR (r.mailbox_id IS NULL AND r.by_kind = 'staffer' AND r.by_id = :me))`,
    ]
    if (query.who === 'staffers') parts.push("r.by_kind = 'staffer'")
    if (query.who === 'pendro') parts.push("r.by_kind = 'pendro'")
    if (query.who === 'me') parts.push("r.by_kind = 'staffer' AND r.by_id = :me")
    if (query.what !== 'everything') parts.push('r.act IN (:acts)')
    if (query.mailbox !== undefined) parts.push('r.mailbox_id = :mailbox')
    const after = readCursor(query.after)
    if (after !== null) parts.push('r.id < :after')
    if (query.ruling !== undefined) parts.push('r.ruling_id = :ruling')
    if (query.since !== undefined) parts.push('r.at >= :since')
    const since =
      query.since === undefined
        ? null
        : new Date(startOfDay(query.since, (await readOrganisation(db)).timeZone))
    const rows = await select<Row>(
      db,
      `SELECT r.id, r.at, r.act, r.by_kind, r.by_name, r.mailbox_id, b.name AS mailbox_name, r.delivery_id, r.ruling_id, r.reason, r.facts,
         (u.undone_at IS NOT NULL) AS undone
       FROM record_entries r LEFT JOIN mailboxes b ON b.id = r.mailbox_id LEFT JOIN rulings u ON u.id = r.ruling_id
       WHERE ${parts.join(' AND ')} ORDER BY r.id DESC LIMIT :limit`,
      {
        me: who.staffer.id,
        acts: actsOf[query.what] ?? [],
        mailbox: query.mailbox,
        after: after?.id,
        ruling: query.ruling,
        since,
        limit: query.limit,
      },
    )
    const last = rows.at(-1)
    const undone = await undoneChanges(db, rows)
    return {
      lines: rows.map(row => toLine(row, undone)),
      next: rows.length === query.limit && last ? cursorText(last.at, last.id) : null,
    }
  })
}

const changeOf = ({ facts }: Pick<Row, 'facts'>): number | null => Number(facts.change ?? 0) || null

/** Which of the changes of mailboxes that some lines tell have been taken back. */
async function undoneChanges(db: Database, rows: readonly Row[]): Promise<ReadonlySet<number>> {
  const ids = rows.flatMap(row => changeOf(row) ?? [])
  if (ids.length === 0) return new Set()
  const changes = await findAll(
    db,
    MailboxChanges,
    { id: ids, undone_at: { [Op.ne]: null } },
    { columns: ['id'] },
  )
  return new Set(changes.map(({ id }) => id))
}

function toLine(row: Row, undoneChanges: ReadonlySet<number>): RecordLine {
  const changeId = row.act === 'mailbox-undone' || row.act === 'mail-rules-undone' ? null : changeOf(row)
  return {
    id: row.id,
    at: row.at.toISOString(),
    act: row.act,
    by: row.by_name,
    byKind: row.by_kind,
    mailboxId: row.mailbox_id,
    mailboxName: row.mailbox_name ?? '',
    deliveryId: row.delivery_id,
    rulingId: row.ruling_id,
    changeId,
    undone: row.undone === 1 || (changeId !== null && undoneChanges.has(changeId)),
    reason: row.reason,
    facts: row.facts,
  }
}
