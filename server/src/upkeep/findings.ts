import { findToken } from '../acts/ruling-rows.ts'
import type { z } from 'zod'
import type { FindingShape, ReachShape, UpkeepShape, applyRemedy, previewRemedy } from '@pendro/contract'
import { findingKinds } from '@pendro/core/upkeep'
import { changesNothing, planChange, type ProposedEntry } from '@pendro/core/rulings'
import { displayPattern, parsePattern, patternText } from '@pendro/core/senders'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { findAll, findOne, remove } from '../db/rows.ts'
import { UpkeepAside, UpkeepFindings, UpkeepRuns } from '../db/models/upkeep.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { isLookingOver } from './watch.ts'
import {
  describeChange,
  liveEntries,
  writeChange,
  type Applied,
  type PlannedChange,
} from '../senders/changes.ts'
import { briefs, entriesFor, entryColumns, lockLists, toEntry, type EntryRow } from '../lists/entries.ts'
import { asideFindings, openFindings } from '../lists/findings-sql.ts'
import { reachOf } from '../lists/reach.ts'
import type { KeptRemedy } from '../db/models/shapes.ts'

interface FindingRow extends Pick<
  RowOf<typeof UpkeepFindings>,
  'finding_key' | 'kind' | 'basis' | 'facts' | 'remedies'
> {
  readonly aside_reason?: string
  readonly aside_by?: string
  readonly aside_at?: Date
}

/** The panel: how many of each kind, the worst of each, and how good the lists were. */
export async function readUpkeepPanel(db: Database, now: Date): Promise<UpkeepShape> {
  const [open, aside, run, accuracy, requests, looking] = await Promise.all([
    select<{ kind: FindingShape['kind']; n: number; first: number }>(
      db,
      `SELECT f.kind, COUNT(*) AS n, MIN(f.place) AS first FROM (${openFindings}) f GROUP BY f.kind`,
    ),
    select<{ kind: FindingShape['kind']; n: number }>(
      db,
      `SELECT f.kind, COUNT(*) AS n FROM (${asideFindings}) f GROUP BY f.kind`,
    ),
    findOne(db, UpkeepRuns, { id: 1 }, { columns: ['done_at', 'problem', 'entries', 'deliveries'] }),
    select<{ week: string; decided: number; reversed: number }>(
      db,
      `SELECT DATE_FORMAT(week, '%Y-%m-%d') AS week, decided, reversed FROM list_accuracy ORDER BY week DESC LIMIT 26`,
    ),
    findRow<{ n: number }>(db, "SELECT COUNT(*) AS n FROM entry_requests WHERE state = 'open'"),
    isLookingOver(db, now),
  ])
  const firsts = await toShapes(
    db,
    open.length === 0 ? [] : await findAll(db, UpkeepFindings, { place: open.map(({ first }) => first) }),
  )
  return {
    groups: findingKinds.flatMap(kind => {
      const count = open.find(one => one.kind === kind)?.n ?? 0
      const left = aside.find(one => one.kind === kind)?.n ?? 0
      const first = firsts.find(one => one.kind === kind) ?? null
      return count + left === 0 ? [] : [{ kind, count, aside: left, first }]
    }),
    lookedAt: run?.done_at?.toISOString() ?? null,
    looking,
    problem: run?.problem ?? '',
    entries: run?.entries ?? 0,
    deliveries: run?.deliveries ?? 0,
    accuracy: accuracy.reverse(),
    requests: requests?.n ?? 0,
  }
}

export async function readFindingPage(
  db: Database,
  { kind, aside, from, limit }: { kind: string; aside: 'yes' | 'no'; from: number; limit: number },
): Promise<{ findings: FindingShape[]; total: number }> {
  const source = aside === 'yes' ? asideFindings : openFindings
  const [rows, total] = await Promise.all([
    select<FindingRow>(
      db,
      `SELECT f.* FROM (${source}) f WHERE f.kind = :kind ORDER BY f.place LIMIT :limit OFFSET :from`,
      { kind, from, limit },
    ),
    findRow<{ n: number }>(db, `SELECT COUNT(*) AS n FROM (${source}) f WHERE f.kind = :kind`, { kind }),
  ])
  return { findings: await toShapes(db, rows), total: total?.n ?? 0 }
}

const mostEntries = 20

async function toShapes(db: Database, rows: readonly FindingRow[]): Promise<FindingShape[]> {
  if (rows.length === 0) return []
  const entries = await select<EntryRow & { finding_key: string; place: number }>(
    db,
    `SELECT x.finding_key, x.place, ${entryColumns} FROM upkeep_finding_entries x JOIN sender_entries e ON e.id = x.entry_id
     WHERE x.finding_key IN (:keys) ORDER BY x.finding_key, x.place`,
    { keys: rows.map(row => row.finding_key) },
  )
  const shown = await briefs(db, entries.map(toEntry))
  return rows.map(row => {
    const own = entries.filter(entry => entry.finding_key === row.finding_key)
    return {
      key: row.finding_key,
      kind: row.kind,
      facts: row.facts,
      entries: own.slice(0, mostEntries).flatMap(({ id }) => shown.get(id) ?? []),
      entryCount: own.length,
      remedies: row.remedies.map(({ name, add, end }) => ({
        name,
        adds: add.map(({ pattern }) => shownPattern(pattern)),
        ends: end.length,
      })),
      aside: row.aside_at
        ? { reason: row.aside_reason ?? '', by: row.aside_by ?? '', at: row.aside_at.toISOString() }
        : null,
    }
  })
}

function shownPattern(text: string): string {
  const parsed = parsePattern(text)
  return parsed.ok ? displayPattern(parsed.value) : text
}

type Chosen = z.output<typeof previewRemedy.body>

interface Gathered {
  readonly planned: PlannedChange
  readonly findings: number
}

/** The change that the chosen remedies come to together. */
async function gather(
  db: Database,
  chosen: Chosen,
  now: Date,
  { tx, lock = false }: { tx?: Tx; lock?: boolean } = {},
): Promise<Gathered> {
  const remedies =
    'tidy' in chosen ? await tidyRemedies(db, chosen.tidy, tx) : await chosenRemedies(db, chosen.findings, tx)
  const proposed = remedies.flatMap(({ add }) => add.map(toProposed))
  if (tx && lock) await lockLists(db, tx, proposed)
  const end = await liveEntries(db, [...new Set(remedies.flatMap(remedy => remedy.end))], { tx, lock })
  const mailboxIds = proposed.flatMap(({ owner }) => (owner.kind === 'mailbox' ? [owner.mailboxId] : []))
  const existing = await entriesFor(
    db,
    [...new Set(proposed.map(({ pattern }) => patternText(pattern)))],
    mailboxIds,
    {
      tx,
      lock,
    },
  )
  const ending = new Set(end.map(({ id }) => id))
  const change = planChange(
    proposed,
    existing.filter(({ id }) => !ending.has(id)),
    now.getTime(),
  )
  const replaces = new Map<string, number>()
  for (const { add, end: ids } of remedies)
    for (const entry of add)
      if (ids[0] !== undefined) replaces.set(`${entry.mailboxId ?? ''} ${entry.pattern}`, ids[0])
  return {
    planned: { change: { add: change.add, end: [...end, ...change.end] }, replaces, existing },
    findings: remedies.length,
  }
}

function toProposed({ pattern, mailboxId, ...rest }: KeptRemedy['add'][number]): ProposedEntry {
  const parsed = parsePattern(pattern)
  if (!parsed.ok) throw new Error(`a remedy holds an unreadable pattern: ${pattern}`)
  return {
    ...rest,
    pattern: parsed.value,
    owner: mailboxId === null ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId },
  }
}

async function chosenRemedies(
  db: Database,
  chosen: readonly { readonly key: string; readonly remedy: string }[],
  tx?: Tx,
): Promise<readonly KeptRemedy[]> {
  const rows = await findAll(db, UpkeepFindings, { finding_key: chosen.map(({ key }) => key) }, { tx })
  return chosen.map(({ key, remedy }) => {
    const found = rows.find(row => row.finding_key === key)?.remedies.find(({ name }) => name === remedy)
    if (!found) throw new AppError('FINDING_NOT_FOUND', { key })
    return found
  })
}

async function tidyRemedies(db: Database, kind: string, tx?: Tx): Promise<readonly KeptRemedy[]> {
  const rows = await select<FindingRow>(
    db,
    `SELECT f.* FROM (${openFindings}) f WHERE f.kind = :kind ORDER BY f.place LIMIT 5000`,
    { kind },
    tx,
  )
  const remedies = rows.flatMap(row => row.remedies.find(({ name }) => name === 'end') ?? [])
  if (remedies.length === 0) throw new AppError('FINDING_NOT_FOUND')
  return remedies
}

export async function previewRemedies(
  db: Database,
  chosen: Chosen,
  now: Date,
): Promise<ReachShape & { findings: number }> {
  const organisation = await readOrganisation(db)
  const { planned, findings } = await gather(db, chosen, now)
  return { ...(await reachOf(db, planned.change, { organisation, now, scope: null })), findings }
}

type ApplyBody = z.output<typeof applyRemedy.body>

export async function applyRemedies(
  db: Database,
  who: SignedIn,
  body: ApplyBody,
  now: Date,
): Promise<Applied> {
  return inTransaction(
    db,
    async tx => {
      const organisation = await readOrganisation(db, tx)
      const before = await findToken(db, tx, body.token)
      if (before !== null) return describeChange(db, tx, before)
      const { planned, findings } = await gather(db, body, now, { tx, lock: true })
      // What promises to change nothing has to prove it on the mail of this moment.
      if ('tidy' in body) {
        const reach = await reachOf(db, planned.change, { organisation, now, scope: null })
        if (!changesNothing({ ...reach, overruledBy: [] })) throw new AppError('NOT_TIDY')
      }
      const kind = 'tidy' in body ? body.tidy : (body.findings[0]?.key.split(' ')[0] ?? '')
      return writeChange(db, tx, {
        who,
        planned,
        reason: body.reason,
        token: body.token,
        now,
        organisation,
        told: facts => ({ act: 'upkeep', facts: { ...facts, findings, kind } }),
        origin: 'upkeep',
      })
    },
    { againOnDuplicate: true },
  )
}

/** Sets a finding aside as it is now, or takes it back. */
export async function setFindingAside(
  db: Database,
  who: SignedIn,
  { key, reason, back }: { key: string; reason: string; back: boolean },
  now: Date,
): Promise<void> {
  if (!back && reason === '') throw new AppError('NEEDS_REASON', { context: 'leave-finding' })
  await inTransaction(db, async tx => {
    const row = await findOne(db, UpkeepFindings, { finding_key: key }, { tx })
    if (!row) throw new AppError('FINDING_NOT_FOUND')
    if (back) await remove(db, UpkeepAside, { finding_key: key }, tx)
    else
      await execute(
        db,
        'REPLACE INTO upkeep_aside (finding_key, basis, reason, by_name, at) VALUES (:key, :basis, :reason, :by, :now)',
        { key, basis: row.basis, reason, by: who.staffer.name, now },
        tx,
      )
    const [shown] = await toShapes(db, [row])
    await writeRecord(db, tx, [
      {
        at: now,
        act: back ? 'aside-back' : 'set-aside',
        by: actor(who),
        mailboxId: shown?.entries[0]?.mailboxId ?? null,
        reason,
        facts: { kind: row.kind, pattern: shown?.entries[0]?.pattern ?? '' },
      },
    ])
    await announce(db, tx, now, [{ kind: 'senders', deliveryId: null, state: null, by: who.staffer.name }])
  })
}
