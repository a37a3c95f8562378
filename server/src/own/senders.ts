import type { OwnEntry } from '@pendro/contract'
import {
  displayPattern,
  patternCovers,
  patternText,
  widerPatterns,
  type SenderEntry,
} from '@pendro/core/senders'
import { select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { findAll } from '../db/rows.ts'
import { SenderEntries } from '../db/models/lists.ts'
import { AppError } from '../errors.ts'
import { applyWanted } from '../senders/changes.ts'
import { entriesFor, entryColumns, toEntry, type EntryRow } from '../lists/entries.ts'
import type { SignedInColleague } from './access.ts'

interface OwnEntryRow
  extends EntryRow, Pick<RowOf<typeof SenderEntries>, 'reason' | 'created_at' | 'last_matched_at'> {
  readonly mailbox_name: string
}

/** A colleague's own safe and blocked senders, and where the organisation's list stands above one. */
export async function ownEntries(db: Database, who: SignedInColleague, now: Date): Promise<OwnEntry[]> {
  const rows = await select<OwnEntryRow>(
    db,
    `SELECT ${entryColumns}, e.reason, e.created_at, e.last_matched_at, b.name AS mailbox_name
     FROM sender_entries e JOIN mailboxes b ON b.id = e.mailbox_id
     WHERE e.mailbox_id IN (:mailboxIds) AND e.ended_at IS NULL AND (e.until IS NULL OR e.until > :now)
     ORDER BY e.standing, e.pattern LIMIT 5000`,
    { mailboxIds: who.mailboxIds, now },
  )
  const entries = rows.map(toEntry)
  const above = await bindingEntries(db, entries, now)
  return rows.map((row, i) => {
    const entry = entries[i] as SenderEntry
    const over = above.find(
      ({ standing, pattern }) => standing !== entry.standing && patternCovers(pattern, entry.pattern),
    )
    return {
      id: row.id,
      pattern: displayPattern(entry.pattern),
      standing: row.standing,
      until: row.until?.toISOString() ?? null,
      createdAt: row.created_at.toISOString(),
      lastMatchedAt: row.last_matched_at?.toISOString() ?? null,
      reason: row.reason,
      mailbox: row.mailbox_id === who.id ? '' : row.mailbox_name,
      overruledBy: over ? displayPattern(over.pattern) : '',
    }
  })
}

/** The organisation's binding entries about the same senders, or more of them. */
async function bindingEntries(
  db: Database,
  entries: readonly SenderEntry[],
  now: Date,
): Promise<readonly SenderEntry[]> {
  const texts = entries.flatMap(({ pattern }) => [pattern, ...widerPatterns(pattern)].map(patternText))
  const found = await entriesFor(db, [...new Set(texts)], [])
  return found.filter(({ binding, until }) => binding && (until === null || until > now.getTime()))
}

interface Change {
  readonly add: readonly {
    readonly pattern: string
    readonly standing: 'safe' | 'blocked'
    readonly until: string | null
  }[]
  readonly end: readonly number[]
  readonly token: string
}

/** Changes a colleague's own lists. Somebody else's entry is told as little as that it exists. */
export async function changeOwn(
  db: Database,
  who: SignedInColleague,
  { add, end, token }: Change,
  now: Date,
): Promise<number> {
  if (end.length > 0) {
    const own = await findAll(
      db,
      SenderEntries,
      { id: [...end], mailbox_id: [...who.mailboxIds] },
      { columns: ['id'] },
    )
    if (own.length < new Set(end).size) throw new AppError('ENTRY_NOT_FOUND')
  }
  const { rulingId } = await applyWanted(db, {
    who: { colleague: who },
    wanted: {
      add: add.map(draft => ({ ...draft, mailboxId: who.id, withoutAuthentication: false })),
      end: [...end],
    },
    reason: '',
    token,
    now,
  })
  return rulingId
}
