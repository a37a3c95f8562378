import { Piscina } from 'piscina'
import { execute, findRow, type Database } from '../db/database.ts'
import { say } from './import-said.ts'
import { failImport, runImport } from './imports.ts'
import { runUpkeep } from './upkeep.ts'
import { threadFlags } from '../jobs/thread-options.ts'

export type ListsJob =
  | { readonly kind: 'upkeep'; readonly at: Date }
  | { readonly kind: 'import'; readonly id: number; readonly at: Date }

/** Long work on the sender lists: replaying a month, reading 50,000 lines. */
export function runListsJob(db: Database, job: ListsJob): Promise<unknown> {
  return job.kind === 'upkeep' ? runUpkeep(db, job.at) : runImport(db, job.id, job.at)
}

export interface ListsPool {
  readonly run: (job: ListsJob) => Promise<unknown>
  readonly stop: () => Promise<void>
}

/** Runs such work in a thread with a connection of its own; with `threads` 0 here. */
export function createListsPool(db: Database, { threads, url }: { threads: number; url: string }): ListsPool {
  if (threads === 0) return { run: job => runListsJob(db, job), stop: () => Promise.resolve() }
  const pool = new Piscina({
    filename: new URL('./lists-worker.ts', import.meta.url).href,
    minThreads: 0,
    maxThreads: 1,
    idleTimeout: 30_000,
    execArgv: [...threadFlags],
    resourceLimits: { maxOldGenerationSizeMb: 1024 },
  })
  return { run: job => pool.run({ job, url }), stop: () => pool.destroy() }
}

const claim = 10 * 60_000

/** Reads or takes the next import that waits; 1 when there was one. */
export async function workImports(
  db: Database,
  { run, now }: { run: (job: ListsJob) => Promise<unknown>; now: () => Date },
): Promise<number> {
  const at = now()
  const next = await findRow<{ id: number }>(
    db,
    `SELECT id FROM list_imports WHERE state IN ('reading', 'taking') AND (claimed_until IS NULL OR claimed_until < :at) ORDER BY id LIMIT 1`,
    { at },
  )
  if (!next) return 0
  const claimed = await execute(
    db,
    `UPDATE list_imports SET claimed_until = :until WHERE id = :id AND state IN ('reading', 'taking')
     AND (claimed_until IS NULL OR claimed_until < :at)`,
    { id: next.id, at, until: new Date(at.getTime() + claim) },
  )
  if (claimed === 0) return 0
  try {
    await run({ kind: 'import', id: next.id, at })
    await execute(db, 'UPDATE list_imports SET claimed_until = NULL WHERE id = :id', { id: next.id })
  } catch (error) {
    await failImport(db, next.id, say('went-wrong'))
    throw error
  }
  return 1
}
