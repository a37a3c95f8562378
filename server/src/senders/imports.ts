import type { ProposedEntry } from '@pendro/core/rulings'
import type { ImportStatus, LineOutcome, ListFormat, Said } from '@pendro/contract'
import { isExpired, patternText, type Owner } from '@pendro/core/senders'
import { planImport, readList, type FatedLine, type ImportPlan } from '@pendro/core/lists'
import { execute, findRow, inTransaction, select, type Database } from '../db/database.ts'
import type { NewRowOf, RowOf } from '../db/models/columns.ts'
import type { ImportOptions } from '../db/models/shapes.ts'
import { ListImportLines, ListImports } from '../db/models/lists.ts'
import { findOne, insert, insertOne, remove, update } from '../db/rows.ts'
import { findMailboxRow, readOrganisation, type Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { scopeOf } from '../sign-in/scope.ts'
import type { SignedIn } from '../sign-in/sessions.ts'
import { writeChange } from './changes.ts'
import { endOfDay } from '../lists/drafts.ts'
import {
  allEntries,
  briefs,
  entryColumns,
  listVersion,
  lockLists,
  toEntry,
  type EntryRow,
} from '../lists/entries.ts'
import { say, sayFileProblem, sayWhy } from './import-said.ts'
import { reachOf } from '../lists/reach.ts'

/** Larger files are refused before they are read. */
const mostBytes = 10_000_000
const week = 7 * 86_400_000

interface Begun extends Omit<ImportOptions, 'format' | 'reason'> {
  readonly name: string
  readonly source: Buffer
  readonly format: ListFormat | undefined
}

/** Keeps the file; a job reads it (see `workImports`). */
export async function keepImport(
  db: Database,
  who: SignedIn,
  begun: Begun,
  now: Date,
): Promise<ImportStatus> {
  const { name, source, standing, mailboxId, takeContradicting, format } = begun
  if (source.length > mostBytes) throw new AppError('TOO_LARGE')
  if (mailboxId === null && who.staffer.role !== 'steward') throw new AppError('NEEDS_STEWARD')
  if (mailboxId !== null && !(await findMailboxRow(db, mailboxId))) throw new AppError('MAILBOX_NOT_FOUND')
  const options: ImportOptions = {
    standing,
    mailboxId,
    takeContradicting,
    format: format ?? null,
    reason: '',
  }
  const id = await inTransaction(db, async tx => {
    // Lists that somebody only looked at.
    const old = { before: new Date(now.getTime() - week) }
    await execute(
      db,
      `DELETE l FROM list_import_lines l JOIN list_imports i ON i.id = l.import_id WHERE i.state <> 'taken' AND i.at < :before`,
      old,
      tx,
    )
    await execute(db, "DELETE FROM list_imports WHERE state <> 'taken' AND at < :before", old, tx)
    const row: NewRowOf<typeof ListImports> = {
      staffer_id: who.staffer.id,
      at: now,
      name,
      format: format ?? 'text',
      options,
      source,
      state: 'reading',
    }
    return insertOne(db, ListImports, row, tx)
  })
  return importStatusOf(db, id)
}

type ImportRow = Pick<
  RowOf<typeof ListImports>,
  | 'id'
  | 'staffer_id'
  | 'name'
  | 'format'
  | 'options'
  | 'state'
  | 'done'
  | 'total'
  | 'problem'
  | 'reach'
  | 'ruling_id'
>

const columns = 'id, staffer_id, name, format, options, state, done, total, problem, reach, ruling_id'

async function importRow(db: Database, id: number): Promise<ImportRow> {
  const row = await findRow<ImportRow>(db, `SELECT ${columns} FROM list_imports WHERE id = :id`, { id })
  if (!row) throw new AppError('IMPORT_NOT_FOUND')
  return row
}

export async function importStatusOf(db: Database, id: number): Promise<ImportStatus> {
  const row = await importRow(db, id)
  const counts = await select<{ outcome: LineOutcome; n: number }>(
    db,
    'SELECT outcome, COUNT(*) AS n FROM list_import_lines WHERE import_id = :id GROUP BY outcome',
    { id },
  )
  const count = (outcome: LineOutcome) => counts.find(one => one.outcome === outcome)?.n ?? 0
  return {
    id,
    name: row.name,
    format: row.format,
    state: row.state,
    done: row.done,
    total: row.total,
    problem: row.problem,
    counts: {
      added: count('added'),
      there: count('there'),
      covered: count('covered'),
      contradicts: count('contradicts'),
      refused: count('refused'),
    },
    reach: row.reach,
    rulingId: row.ruling_id,
  }
}

/** Hands a looked-over import on to be taken. */
export async function askToTake(
  db: Database,
  who: SignedIn,
  id: number,
  reason: string,
): Promise<ImportStatus> {
  const row = await importRow(db, id)
  if (row.options.mailboxId === null && who.staffer.role !== 'steward') throw new AppError('NEEDS_STEWARD')
  const changed = await execute(
    db,
    `UPDATE list_imports SET state = 'taking', done = 0, staffer_id = :staffer, options = JSON_SET(options, '$.reason', :reason)
     WHERE id = :id AND state = 'ready'`,
    { id, staffer: who.staffer.id, reason },
  )
  if (changed === 0) throw new AppError('IMPORT_NOT_READY')
  return importStatusOf(db, id)
}

/** Reads or takes one waiting import, in whatever thread it is called; nothing of it is half done. */
export async function runImport(db: Database, id: number, now: Date): Promise<void> {
  const row = await importRow(db, id)
  const source = await findOne(db, ListImports, { id }, { columns: ['source'] })
  const read = readList(source?.source ?? Buffer.alloc(0), {
    name: row.name,
    format: row.options.format ?? undefined,
  })
  if (!read.ok) return failImport(db, id, sayFileProblem(read.problem))
  const organisation = await readOrganisation(db)
  const { format, lines } = read.value
  await update(db, ListImports, { format, total: lines.length, done: 0 }, { id })
  const owner = ownerOf(row.options)
  const planned = async () => {
    // Read before the list is: what changes in between is then noticed, not missed.
    const version = await listVersion(db, owner)
    const plan = planImport(lines, {
      owner,
      standing: row.options.standing,
      register: await allEntries(db),
      policy: organisation.policy,
      now: now.getTime(),
      takeContradicting: row.options.takeContradicting,
      endOfDay: day => endOfDay(day, organisation.timeZone),
    })
    return { version, plan }
  }
  if (row.state === 'reading') return keepPlan(db, id, (await planned()).plan, organisation, now)
  for (let attempt = 1; attempt <= mostAttempts; attempt += 1) {
    const { version, plan } = await planned()
    if (await take(db, row, { plan, version, owner }, organisation, now)) return
  }
  await failImport(db, id, say('busy'))
}

/** A list that changes under each of so many looks belongs to somebody who is at work on it. */
const mostAttempts = 8

const ownerOf = ({ mailboxId }: ImportOptions): Owner =>
  mailboxId === null ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId }

/** Ends an import without anything taken, with the reason as a code of `listFile`. */
export async function failImport(db: Database, id: number, problem: Said): Promise<void> {
  await update(db, ListImports, { state: 'failed', claimed_until: null, problem }, { id })
}

async function keepPlan(
  db: Database,
  id: number,
  plan: ImportPlan,
  organisation: Organisation,
  now: Date,
): Promise<void> {
  await remove(db, ListImportLines, { import_id: id })
  const describe = await createDescriber(db, plan)
  for (let i = 0; i < plan.lines.length; i += 2000) {
    await insert(
      db,
      ListImportLines,
      plan.lines.slice(i, i + 2000).map(one => lineRow(id, one, describe)),
    )
    await update(db, ListImports, { done: Math.min(i + 2000, plan.lines.length) }, { id })
  }
  const reach = await reachOf(db, plan.change, { organisation, now, scope: null })
  await update(db, ListImports, { state: 'ready', reach }, { id })
}

type Describe = (one: FatedLine) => Said | null

/** What is said of each line names the entry or the line it is seen against. */
async function createDescriber(db: Database, plan: ImportPlan): Promise<Describe> {
  const named = plan.lines.flatMap(({ fate }) =>
    fate.outcome === 'refused' || fate.outcome === 'added' || 'line' in fate.by ? [] : [fate.by],
  )
  const shown = await briefs(db, [...new Map(named.map(entry => [entry.id, entry])).values()])
  return one => sayWhy(one, shown)
}

function lineRow(id: number, one: FatedLine, describe: Describe) {
  const { line, fate } = one
  const listed = line.entry.ok ? line.entry.value : null
  return {
    import_id: id,
    line: line.line,
    part: line.part,
    typed: line.typed,
    outcome: fate.outcome,
    pattern: listed ? patternText(listed.pattern) : '',
    standing: fate.outcome === 'added' ? fate.entry.standing : (listed?.standing ?? null),
    why: describe(one),
    reason: (listed?.reason ?? '').slice(0, 1000),
    entry_id: 'by' in fate && 'id' in fate.by ? fate.by.id : null,
  }
}

interface Looked {
  readonly plan: ImportPlan
  readonly owner: Owner
  /** Of the list when the plan was made. */
  readonly version: number
}

/**
 * One transaction: all entries, one ruling, one record entry. False, with nothing done, when somebody changed the list
 * since the plan was made.
 */
async function take(
  db: Database,
  { id, staffer_id, name, format, options }: ImportRow,
  { plan, owner, version }: Looked,
  organisation: Organisation,
  now: Date,
): Promise<boolean> {
  const staffer = await findRow<SignedIn['staffer']>(
    db,
    'SELECT id, name, sign_in AS signIn, role, departments FROM staffers WHERE id = :staffer_id',
    { staffer_id },
  )
  if (!staffer) {
    await failImport(db, id, say('staffer-gone'))
    return true
  }
  const scope = await scopeOf(db, staffer.departments)
  const reasons = reasonsOf(plan)
  try {
    return await inTransaction(db, async tx => {
      await lockLists(db, tx, [{ owner }])
      if ((await listVersion(db, owner, tx)) !== version + 1) throw new ListChanged()
      const existing = await expiredLike(db, plan, options, now)
      const applied = await writeChange(db, tx, {
        who: { staffer, scope, csrf: '', timeZone: organisation.timeZone },
        planned: {
          change: {
            add: plan.change.add.map(entry => ({ ...entry, ...reasonOf(reasons.get(entry)) })),
            end: plan.change.end,
          },
          replaces: new Map(),
          existing,
        },
        reason: options.reason,
        token: `import-${id}`,
        now,
        organisation,
        told: facts => ({ act: 'import', facts: { ...facts, file: name, lines: plan.lines.length } }),
        origin: format === 'vcard' ? 'contacts' : 'import',
      })
      await execute(
        db,
        "UPDATE list_imports SET state = 'taken', ruling_id = :rulingId, done = total WHERE id = :id",
        { id, rulingId: applied.rulingId },
        tx,
      )
      return true
    })
  } catch (error) {
    if (error instanceof ListChanged) return false
    if (!(error instanceof AppError)) throw error
    await failImport(db, id, say('said', { text: error.text }))
    return true
  }
}

/** What each line says of its own entry, where it says anything. */
function reasonsOf(plan: ImportPlan): ReadonlyMap<ProposedEntry, string> {
  return new Map(
    plan.lines.flatMap(({ line, fate }) =>
      fate.outcome === 'added' && line.entry.ok && line.entry.value.reason !== ''
        ? [[fate.entry, line.entry.value.reason.slice(0, 1000)] as const]
        : [],
    ),
  )
}

/** Rolls back what was begun on a list that is no longer the one that was looked at. */
class ListChanged extends Error {}

const reasonOf = (reason: string | undefined) => (reason === undefined ? {} : { reason })

/** Entries of the list whose time ran out and that still stand where a new one would. */
async function expiredLike(
  db: Database,
  plan: ImportPlan,
  { mailboxId }: ImportOptions,
  now: Date,
): Promise<readonly ReturnType<typeof toEntry>[]> {
  const texts = new Set(plan.change.add.map(({ pattern }) => patternText(pattern)))
  const rows = await select<EntryRow>(
    db,
    `SELECT ${entryColumns} FROM sender_entries e WHERE e.ended_at IS NULL AND e.until <= :now
     AND e.mailbox_id ${mailboxId === null ? 'IS NULL' : '= :mailboxId'}`,
    { now, mailboxId },
  )
  return rows
    .map(toEntry)
    .filter(entry => texts.has(patternText(entry.pattern)) && isExpired(entry, now.getTime()))
}

/** Lines of an import in the order of the file. */
export async function importLinesOf(
  db: Database,
  id: number,
  { outcome, from, limit }: { outcome?: LineOutcome | undefined; from: number; limit: number },
) {
  await importRow(db, id)
  const rows = await select<{
    line: number
    part: number
    typed: string
    outcome: LineOutcome
    pattern: string
    standing: 'safe' | 'blocked' | null
    why: Said | null
    entry_id: number | null
  }>(
    db,
    `SELECT line, part, typed, outcome, pattern, standing, why, entry_id FROM list_import_lines
     WHERE import_id = :id ${outcome === undefined ? '' : 'AND outcome = :outcome'} ORDER BY line, part LIMIT :limit OFFSET :from`,
    { id, outcome, from, limit },
  )
  return rows.map(({ entry_id, ...row }) => ({ ...row, entryId: entry_id }))
}
