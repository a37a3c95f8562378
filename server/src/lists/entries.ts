import type { z } from 'zod'
import type { EntryBrief, entryOrigin } from '@pendro/contract'
import { displayPattern, parsePattern, patternText, type SenderEntry } from '@pendro/core/senders'
import type { ProposedEntry } from '@pendro/core/rulings'
import { execute, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { ListVersions, SenderEntries } from '../db/models/lists.ts'
import { findAll, findOne, idAt, insert } from '../db/rows.ts'

export type EntryRow = Pick<
  RowOf<typeof SenderEntries>,
  'id' | 'mailbox_id' | 'pattern' | 'standing' | 'binding' | 'without_authentication' | 'until'
>

export const entryColumns =
  'e.id, e.mailbox_id, e.pattern, e.standing, e.binding, e.without_authentication, e.until'

export function toEntry(row: EntryRow): SenderEntry {
  const pattern = parsePattern(row.pattern)
  // Only canonical texts are stored; anything else is damage worth stopping for.
  if (!pattern.ok) throw new Error(`sender entry ${row.id} has an unreadable pattern`)
  return {
    id: row.id,
    pattern: pattern.value,
    standing: row.standing,
    owner:
      row.mailbox_id === null ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId: row.mailbox_id },
    binding: row.binding === 1,
    withoutAuthentication: row.without_authentication === 1,
    until: row.until?.getTime() ?? null,
  }
}

/**
 * Live entries that could match one of `texts` (see `candidateTexts`), of the organisation and of the
 * given mailboxes (`null`: of all). `lock` holds them until the transaction ends.
 */
export async function entriesFor(
  db: Database,
  texts: readonly string[],
  mailboxIds: readonly number[] | null,
  { tx, lock = false }: { tx?: Tx; lock?: boolean } = {},
): Promise<readonly SenderEntry[]> {
  if (texts.length === 0) return []
  const whose = mailboxIds === null ? '' : 'AND (e.mailbox_id IS NULL OR e.mailbox_id IN (:mailboxIds))'
  const rows = await select<EntryRow>(
    db,
    `SELECT ${entryColumns} FROM sender_entries e
     WHERE e.pattern IN (:texts) AND e.ended_at IS NULL ${whose}
     ${lock ? 'FOR UPDATE' : ''}`,
    { texts, mailboxIds: mailboxIds && mailboxIds.length > 0 ? mailboxIds : [0] },
    tx,
  )
  return rows.map(toEntry)
}

/**
 * Holds the lists these belong to until the transaction ends. Called before looking at what the lists have: two changes
 * at once would each see them without the other's entry, and leave both.
 */
export async function lockLists(
  db: Database,
  tx: Tx,
  owned: readonly Pick<SenderEntry, 'owner'>[],
): Promise<void> {
  const ids = [...new Set(owned.map(({ owner }) => listOf(owner)))]
  // In one order, so that two changes of the same lists wait for each other rather than lock each other out.
  for (const id of ids.sort((a, b) => a - b))
    await execute(
      db,
      'INSERT INTO list_versions (mailbox_id, version) VALUES (:id, 1) ON DUPLICATE KEY UPDATE version = version + 1',
      { id },
      tx,
    )
}

const listOf = (owner: SenderEntry['owner']) => (owner.kind === 'mailbox' ? owner.mailboxId : 0)

/** How often the list of this owner has been changed; holds nothing. */
export async function listVersion(db: Database, owner: SenderEntry['owner'], tx?: Tx): Promise<number> {
  const row = await findOne(db, ListVersions, { mailbox_id: listOf(owner) }, { columns: ['version'], tx })
  return Number(row?.version ?? 0)
}

/** Every live entry. */
export async function allEntries(db: Database, tx?: Tx): Promise<readonly SenderEntry[]> {
  const rows = await select<EntryRow>(
    db,
    `SELECT ${entryColumns} FROM sender_entries e WHERE e.ended_at IS NULL ORDER BY e.id`,
    {},
    tx,
  )
  return rows.map(toEntry)
}

export interface EntryOrigin {
  readonly at: Date
  readonly reason: string
  readonly origin: z.infer<typeof entryOrigin>
}

export async function insertEntries(
  db: Database,
  tx: Tx,
  entries: readonly (ProposedEntry & { readonly replacesId?: number; readonly reason?: string })[],
  { at, reason, origin }: EntryOrigin,
): Promise<readonly SenderEntry[]> {
  const ids = await insert(
    db,
    SenderEntries,
    entries.map(entry => ({
      mailbox_id: entry.owner.kind === 'mailbox' ? entry.owner.mailboxId : null,
      kind: entry.pattern.kind,
      pattern: patternText(entry.pattern),
      standing: entry.standing,
      binding: entry.binding,
      without_authentication: entry.withoutAuthentication,
      until: entry.until === null ? null : new Date(entry.until),
      reason: entry.reason ?? reason,
      origin,
      created_at: at,
      replaces_id: entry.replacesId ?? null,
    })),
    tx,
  )
  return entries.map((entry, i) => ({ ...entry, id: idAt(ids, i) }))
}

/** For showing: pattern in its own script, owner by name. */
export async function briefs(
  db: Database,
  entries: readonly SenderEntry[],
  tx?: Tx,
): Promise<ReadonlyMap<number, EntryBrief>> {
  const mailboxIds = entries.flatMap(({ owner }) => (owner.kind === 'mailbox' ? [owner.mailboxId] : []))
  const names = new Map<number, string>()
  if (mailboxIds.length > 0) {
    const rows = await findAll(db, Mailboxes, { id: [...mailboxIds] }, { columns: ['id', 'name'], tx })
    for (const { id, name } of rows) names.set(id, name)
  }
  return new Map(entries.map(entry => [entry.id, brief(entry, names)]))
}

function brief(
  { id, pattern, standing, owner, binding, until }: SenderEntry,
  names: ReadonlyMap<number, string>,
): EntryBrief {
  const mailboxId = owner.kind === 'mailbox' ? owner.mailboxId : null
  return {
    id,
    pattern: displayPattern(pattern),
    standing,
    mailboxId,
    keptBy: mailboxId === null ? '' : (names.get(mailboxId) ?? ''),
    binding,
    until: until === null ? null : new Date(until).toISOString(),
  }
}
