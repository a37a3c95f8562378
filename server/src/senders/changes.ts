import { findToken } from '../acts/ruling-rows.ts'
import type { z } from 'zod'
import type { EntryBrief, registerChange, RulingSentence } from '@pendro/contract'
import { planChange, type ProposedEntry, type RegisterChange } from '@pendro/core/rulings'
import { displayPattern, patternText, type SenderEntry } from '@pendro/core/senders'
import { findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { findOne } from '../db/rows.ts'
import { Rulings } from '../db/models/rulings.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { translator } from '../wording.ts'
import type { ListFacts, RecordLine } from '../record/write.ts'
import { namePatterns } from '../rulings/proposals.ts'
import { writeRuling } from '../rulings/write.ts'
import { ruledBy, type Ruler } from '../sign-in/sessions.ts'
import { checkEntries, readDraft } from '../lists/drafts.ts'
import {
  briefs,
  entriesFor,
  entryColumns,
  lockLists,
  toEntry,
  type EntryOrigin,
  type EntryRow,
} from '../lists/entries.ts'
import { mailboxesOf } from '../lists/reach.ts'

type Wanted = z.output<typeof registerChange>

/** A change of the lists as it would be made. */
export interface PlannedChange {
  readonly change: RegisterChange
  /** The entry that each added one comes in place of, by canonical pattern and owner. */
  readonly replaces: ReadonlyMap<string, number>
  /** Same pattern and list as something that is added; among them entries whose time ran out. */
  readonly existing: readonly SenderEntry[]
}

const keyOf = ({ pattern, owner }: Pick<ProposedEntry, 'pattern' | 'owner'>) =>
  `${owner.kind === 'mailbox' ? owner.mailboxId : ''} ${patternText(pattern)}`

/** Works out what a wish comes to. Throws when an entry it is about is no longer as it was. */
export async function planWanted(
  db: Database,
  wanted: Wanted,
  organisation: Organisation,
  now: Date,
  { tx, lock = false }: { tx?: Tx; lock?: boolean } = {},
): Promise<PlannedChange> {
  const proposed = wanted.add.map(draft => readDraft(draft, organisation, now))
  const replaced = wanted.add.flatMap(({ replaces }) => replaces ?? [])
  if (tx && lock) await lockLists(db, tx, proposed)
  const ended = await liveEntries(db, [...new Set([...wanted.end, ...replaced])], { tx, lock })
  const texts = [...new Set(proposed.map(({ pattern }) => patternText(pattern)))]
  const existing = await entriesFor(
    db,
    texts,
    mailboxesOf({ add: proposed, end: [] }) ?? everyMailbox(proposed),
    {
      tx,
      lock,
    },
  )
  const planned = planChange(
    proposed,
    existing.filter(({ id }) => !ended.some(entry => entry.id === id)),
    now.getTime(),
  )
  const end = new Map([...ended, ...planned.end].map(entry => [entry.id, entry]))
  return {
    change: { add: planned.add, end: [...end.values()] },
    replaces: new Map(
      wanted.add.flatMap(({ replaces, restores }, i) => {
        const [entry, before] = [proposed[i], replaces ?? restores]
        return entry && before !== undefined ? [[keyOf(entry), before] as const] : []
      }),
    ),
    existing,
  }
}

const everyMailbox = (entries: readonly ProposedEntry[]) =>
  entries.flatMap(({ owner }) => (owner.kind === 'mailbox' ? [owner.mailboxId] : []))

/** Entries by id, which must all be live: somebody else may have changed one meanwhile. */
export async function liveEntries(
  db: Database,
  ids: readonly number[],
  { tx, lock = false }: { tx?: Tx; lock?: boolean } = {},
): Promise<readonly SenderEntry[]> {
  if (ids.length === 0) return []
  const rows = await select<EntryRow & { ended_at: Date | null }>(
    db,
    `SELECT ${entryColumns}, e.ended_at FROM sender_entries e WHERE e.id IN (:ids) ORDER BY e.id ${lock ? 'FOR UPDATE' : ''}`,
    { ids },
    tx,
  )
  if (rows.length < ids.length) throw new AppError('ENTRY_NOT_FOUND')
  const gone = rows.find(row => row.ended_at !== null)
  if (gone) throw await changedMeanwhile(db, gone, tx)
  return rows.map(toEntry)
}

/** 'x.example, safe, until 2026-12-24': enough to see what has changed. */
function sayEntry({ pattern, standing, binding, withoutAuthentication, until }: SenderEntry): string {
  const t = translator('en')
  return [
    displayPattern(pattern),
    t(`entrySaid.${standing}`),
    ...(binding ? [t('entrySaid.binding')] : []),
    ...(withoutAuthentication ? [t('entrySaid.unproven')] : []),
    // The stored moment is the end of the last day on which it applies.
    ...(until === null
      ? []
      : [t('entrySaid.until', { day: new Date(until - 1).toISOString().slice(0, 10) })]),
  ].join(', ')
}

/** Who was first, and what the entry is now. */
async function changedMeanwhile(db: Database, row: EntryRow, tx?: Tx): Promise<AppError> {
  const entry = toEntry(row)
  const [who, successor] = await Promise.all([
    findRow<{ name: string; at: Date }>(
      db,
      `SELECT COALESCE(s.name, 'Pendro') AS name, r.at FROM ruling_entries x JOIN rulings r ON r.id = x.ruling_id
       LEFT JOIN staffers s ON s.id = r.staffer_id
       WHERE x.entry_id = :id AND x.what = 'ended' AND r.undone_at IS NULL ORDER BY r.id DESC LIMIT 1`,
      { id: row.id },
      tx,
    ),
    findRow<EntryRow>(
      db,
      `SELECT ${entryColumns} FROM sender_entries e WHERE e.replaces_id = :id AND e.ended_at IS NULL ORDER BY e.id DESC LIMIT 1`,
      { id: row.id },
      tx,
    ),
  ])
  const now = successor && toEntry(successor)
  const shown = await briefs(db, [entry, ...(now ? [now] : [])], tx)
  const by = who?.name ?? 'Somebody'
  const pattern = displayPattern(entry.pattern)
  const facts = {
    pattern,
    entryId: row.id,
    by,
    at: who?.at.toISOString() ?? '',
    was: shown.get(row.id) ?? null,
    now: now ? { ...shown.get(now.id), withoutAuthentication: now.withoutAuthentication } : null,
  }
  return now
    ? new AppError('ENTRY_CHANGED', {
        ...facts,
        context: 'changed',
        meant: sayEntry(entry),
        became: sayEntry(now),
      })
    : new AppError('ENTRY_CHANGED', { ...facts, context: 'ended' })
}

export interface Applied {
  readonly rulingId: number
  readonly at: string
  readonly added: readonly EntryBrief[]
  readonly ended: readonly EntryBrief[]
}

interface Request {
  readonly who: Ruler
  readonly wanted: Wanted
  readonly reason: string
  readonly token: string
  readonly now: Date
}

/** Changes the lists as one ruling: all of it, or nothing. The same `token` again does nothing more. */
export async function applyWanted(
  db: Database,
  { who, wanted, reason, token, now }: Request,
): Promise<Applied> {
  if (wanted.add.length + wanted.end.length === 0) throw new AppError('NOTHING_TO_DO')
  const work = async (tx: Tx) => {
    const organisation = await readOrganisation(db, tx)
    const before = await findToken(db, tx, token)
    if (before) return describeChange(db, tx, before)
    const planned = await planWanted(db, wanted, organisation, now, { tx, lock: true })
    return writeChange(db, tx, {
      who,
      planned,
      reason,
      token,
      now,
      organisation,
      told: facts => ({ act: 'lists', facts }),
      origin: 'by hand',
    })
  }
  return inTransaction(db, work, { againOnDuplicate: true })
}

interface Written {
  readonly who: Ruler
  readonly planned: PlannedChange
  readonly reason: string
  readonly token: string
  readonly now: Date
  readonly organisation: Organisation
  /** The act as the record tells it. */
  readonly told: (facts: ListFacts) => RecordLine
  readonly origin: EntryOrigin['origin']
  /** The act does something beside, so that the lists need not change. */
  readonly mayBeEmpty?: boolean
}

/** Writes a planned change as a ruling that moves no mail, inside the caller's transaction. */
export async function writeChange(db: Database, tx: Tx, written: Written): Promise<Applied> {
  const { who, planned, reason, token, now, organisation, told, origin } = written
  const { change, replaces, existing } = planned
  checkEntries(who, change.add, change.end, reason, organisation)
  const first = change.add[0] ?? change.end[0]
  if (!first && !written.mayBeEmpty) throw new AppError('NOTHING_TO_DO', { context: 'lists' })
  const owners = mailboxesOf(change)
  const { id } = await writeRuling(db, tx, {
    token,
    by: ruledBy(who),
    at: now,
    sentence: listsOnly(reason),
    moves: [],
    lists: {
      add: change.add.map(entry => ({ ...entry, ...replacing(replaces.get(keyOf(entry))) })),
      end: change.end,
      existing,
      origin: { at: now, reason, origin },
    },
    lesson: null,
    record: {
      ...told({
        added: change.add.length,
        ended: change.end.length,
        standing: first?.standing ?? 'blocked',
        patterns: namePatterns([...change.add, ...change.end]),
      }),
      mailboxId: owners?.length === 1 ? (owners[0] ?? null) : null,
    },
  })
  return describeChange(db, tx, id)
}

const replacing = (id: number | undefined) => (id === undefined ? {} : { replacesId: id })

/** The sentence of a ruling that only changes lists. */
const listsOnly = (reason: string): RulingSentence => ({
  message: 'leave',
  learn: 'nothing',
  sender: 'as-is',
  width: 'address',
  for: 'colleague',
  withoutAuthentication: false,
  reason,
})

/** What a change did, read again from its ruling: a request sent twice gets the same answer twice. */
export async function describeChange(db: Database, tx: Tx, rulingId: number): Promise<Applied> {
  const ruling = await findOne(db, Rulings, { id: rulingId }, { columns: ['at'], tx })
  const rows = await select<EntryRow & { what: 'added' | 'ended' }>(
    db,
    `SELECT ${entryColumns}, x.what FROM ruling_entries x JOIN sender_entries e ON e.id = x.entry_id
     WHERE x.ruling_id = :rulingId ORDER BY e.id LIMIT 200`,
    { rulingId },
    tx,
  )
  const shown = await briefs(db, rows.map(toEntry), tx)
  const named = (what: string) =>
    rows.filter(row => row.what === what).flatMap(row => shown.get(row.id) ?? [])
  return { rulingId, at: ruling?.at.toISOString() ?? '', added: named('added'), ended: named('ended') }
}

/** Lists that are told are copies the client may keep. */
export function told<A extends { readonly added: readonly unknown[]; readonly ended: readonly unknown[] }>(
  applied: A,
) {
  return {
    ...applied,
    added: [...applied.added] as A['added'][number][],
    ended: [...applied.ended] as A['ended'][number][],
  }
}
