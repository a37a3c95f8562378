import { randomUUID } from 'node:crypto'
import type { HistoryVerdict } from '@pendro/core/history'
import { findRow, inTransaction, select, type Database } from '../db/database.ts'
import type { NewRowOf } from '../db/models/columns.ts'
import { HistoryRuns } from '../db/models/history.ts'
import type { HistorySource } from '../db/models/shapes.ts'
import { findOne, insertOne, update } from '../db/rows.ts'
import { AppError, isDatabaseAway } from '../errors.ts'
import { claim } from '../jobs/claim.ts'
import type { Reader } from '../reading/reader.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { learnHistory, undoHistory } from './history.ts'
import { imapSource } from './imap-source.ts'
import { maildirSource, mboxSource, SourceError, within, type Source } from './sources.ts'

interface Deps {
  readonly db: Database
  readonly read: Reader['read']
  readonly now: () => Date
  /** Where files of older mail lie; '' for nowhere. */
  readonly folder: string
}

/** One run: whose mail, what it was to them, and where it is. */
export interface Wanted {
  readonly mailboxId: number
  readonly verdict: HistoryVerdict
  readonly source: HistorySource
  /** Of an IMAP account. */
  readonly password?: string
}

/** Learns from older mail in the background. */
export interface Learning {
  /** Looks whether there is anything to learn from, and begins; its number. Throws HISTORY_SOURCE with what stands in the way. */
  readonly begin: (wanted: Wanted, by: Actor) => Promise<number>
  /** Goes on where it was. */
  readonly resume: (id: number, password: string | undefined) => Promise<void>
  readonly stop: (id: number) => Promise<void>
  readonly undo: (id: number, by: Actor) => Promise<void>
  /** The work of a loop: one part of one run. */
  readonly work: () => Promise<number>
  readonly close: () => Promise<void>
}

const table = { table: 'history_runs', key: 'id' } as const
const holdFor = 120_000

interface Run {
  readonly id: number
  readonly state: 'learning' | 'undoing'
  readonly source: HistorySource
  readonly mailbox_id: number
  readonly verdict: HistoryVerdict
  readonly place: string
}

/** Sources that are open, and passwords of accounts: in the memory of this process, and nowhere else. */
function createOpened(folder: string) {
  const passwords = new Map<number, string>()
  const sources = new Map<number, Source>()
  const open = async (source: HistorySource, password = ''): Promise<Source> => {
    if (source.kind === 'imap') return imapSource(source, password)
    const path = await within(folder, source.path)
    return source.kind === 'mbox' ? mboxSource(path) : maildirSource(path)
  }
  const close = async (id: number) => {
    const source = sources.get(id)
    sources.delete(id)
    await source?.close()
  }
  return {
    /** Whether it can be read at all. */
    check: async (source: HistorySource, password?: string) => {
      const opened = await checked(open(source, password))
      await opened.close()
    },
    of: async ({ id, source }: Pick<Run, 'id' | 'source'>): Promise<Source> => {
      const known = sources.get(id) ?? (await open(source, passwords.get(id)))
      sources.set(id, known)
      return known
    },
    keep: (id: number, password: string | undefined) => {
      if (password !== undefined) passwords.set(id, password)
    },
    close,
    forget: async (id: number) => {
      passwords.delete(id)
      await close(id)
    },
    closeAll: async () => {
      for (const id of [...sources.keys()]) await close(id)
    },
  }
}

type Opened = ReturnType<typeof createOpened>

export function createLearning(deps: Deps): Learning {
  const { db, now, folder } = deps
  const owner = randomUUID()
  /** Seen to be at work by now, and free for the next part. */
  const justNow = () => new Date(now().getTime() - 1)
  const opened = createOpened(folder)
  return {
    begin: async (wanted, by) => {
      await opened.check(wanted.source, wanted.password)
      const id = await noteBegin(db, wanted, by, { owner, at: now(), claimed: justNow() })
      opened.keep(id, wanted.password)
      return id
    },
    resume: async (id, password) => {
      const run = await findOne(db, HistoryRuns, { id })
      if (!run?.source) throw new AppError('HISTORY_NOT_FOUND')
      const isImap = run.source.kind === 'imap'
      await opened.close(id)
      await opened.check(run.source, password)
      opened.keep(id, password)
      await change(db, id, ['stopped', 'failed', ...(isImap ? ['learning' as const] : [])], {
        state: 'learning',
        problem: '',
        owner: isImap ? owner : '',
        claimed_until: justNow(),
      })
    },
    stop: async id => {
      await change(db, id, ['learning'], { state: 'stopped' })
      await opened.close(id)
    },
    undo: async (id, by) => {
      const name = await change(db, id, ['learning', 'stopped', 'failed', 'done'], { state: 'undoing' })
      await opened.forget(id)
      const mailboxId = (await findOne(db, HistoryRuns, { id }))?.mailbox_id ?? null
      await inTransaction(db, tx =>
        writeRecord(db, tx, [{ act: 'history-undone', at: now(), by, mailboxId, facts: { from: name } }]),
      )
    },
    work: async () => {
      const [run] = await claim<Run>(
        db,
        {
          ...table,
          columns: 'id, state, source, mailbox_id, verdict, place',
          due: "source IS NOT NULL AND (state = 'undoing' OR (state = 'learning' AND owner IN ('', :owner)))",
          order: 'id',
        },
        { at: now(), holdFor, limit: 1, values: { owner } },
      )
      if (!run) return 0
      await (run.state === 'undoing' ? undoHistory(db, run.id) : learnPart(deps, opened, run))
      await update(db, HistoryRuns, { claimed_until: justNow() }, { id: run.id })
      return 1
    },
    close: opened.closeAll,
  }
}

/** Reads the next part of a run's source and learns from it. */
async function learnPart({ db, read }: Deps, opened: Opened, run: Run): Promise<void> {
  try {
    const source = await opened.of(run)
    const { messages, ...progress } = await source.next(run.place)
    const found = messages.map(raw => ({ raw, mailboxId: run.mailbox_id, verdict: run.verdict }))
    await learnHistory(db, run.id, found, read, progress)
    if (progress.isEnd) await opened.forget(run.id)
  } catch (error) {
    await opened.close(run.id)
    // Somebody has stopped it meanwhile.
    if (error instanceof AppError) return
    if (isDatabaseAway(error)) throw error
    await fail(db, run.id, error)
    if (!(error instanceof SourceError)) throw error
  }
}

function noteBegin(
  db: Database,
  { mailboxId, verdict, source }: Wanted,
  by: Actor,
  { owner, at, claimed }: { readonly owner: string; readonly at: Date; readonly claimed: Date },
): Promise<number> {
  const name = nameOf(source)
  return inTransaction(db, async tx => {
    const id = await insertOne(
      db,
      HistoryRuns,
      {
        at,
        name,
        by_name: by.name,
        state: 'learning',
        taken: 0,
        left_out: 0,
        source,
        mailbox_id: mailboxId,
        verdict,
        owner: source.kind === 'imap' ? owner : '',
        claimed_until: claimed,
      },
      tx,
    )
    await writeRecord(db, tx, [{ act: 'history-begun', at, by, mailboxId, facts: { from: name, verdict } }])
    return id
  })
}

/** What a run is called in lists and in the record. */
const nameOf = (source: HistorySource): string =>
  (source.kind === 'imap' ? `${source.user}@${source.host}: ${source.folder}` : source.path).slice(0, 200)

async function checked(opening: Promise<Source>): Promise<Source> {
  try {
    return await opening
  } catch (error) {
    if (error instanceof SourceError)
      throw new AppError('HISTORY_SOURCE', { problem: error.problem, detail: error.message })
    throw error
  }
}

async function fail(db: Database, id: number, error: unknown): Promise<void> {
  const problem = error instanceof SourceError ? error.problem : 'went-wrong'
  await update(db, HistoryRuns, { state: 'failed', problem }, { id, state: 'learning' })
}

/** Moves a run on, where that may be; what it is called. */
async function change(
  db: Database,
  id: number,
  from: readonly ('learning' | 'stopped' | 'failed' | 'done')[],
  to: Partial<Pick<NewRowOf<typeof HistoryRuns>, 'state' | 'problem' | 'owner' | 'claimed_until'>>,
): Promise<string> {
  return inTransaction(db, async tx => {
    const run = await findOne(db, HistoryRuns, { id }, { tx, lock: true })
    if (!run?.source) throw new AppError('HISTORY_NOT_FOUND')
    if (!(from as readonly string[]).includes(run.state)) throw new AppError('HISTORY_STATE')
    await update(db, HistoryRuns, { claimed_until: null, ...to }, { id }, tx)
    return run.name
  })
}

/** Runs, the newest first. */
export function listRuns(db: Database) {
  return select<{
    id: number
    at: Date
    name: string
    by_name: string
    state: 'learning' | 'stopped' | 'failed' | 'done' | 'undoing' | 'undone'
    taken: number
    left_out: number
    source: HistorySource
    mailbox_id: number
    verdict: HistoryVerdict
    done: number
    total: number
    problem: string
    owner: string
    claimed_until: Date | null
  }>(
    db,
    `SELECT id, at, name, by_name, state, taken, left_out, source, mailbox_id, verdict, done, total, problem, owner, claimed_until
     FROM history_runs WHERE source IS NOT NULL ORDER BY id DESC LIMIT 200`,
  )
}

/** How many messages have been learned from. */
export async function countLearned(db: Database): Promise<number> {
  const row = await findRow<{ n: number }>(
    db,
    "SELECT COALESCE(SUM(taken), 0) AS n FROM history_runs WHERE state <> 'undone'",
  )
  return Number(row?.n ?? 0)
}
