import { Piscina } from 'piscina'
import type { Database } from '../db/database.ts'
import { claim, giveBack } from '../jobs/claim.ts'
import { fitOnLessons } from '../judging/fit-text.ts'
import { fitWeightsOnLessons } from '../judging/fit-weights.ts'
import { say } from '../senders/import-said.ts'
import { failImport, runImport } from '../senders/imports.ts'
import { runUpkeep } from '../upkeep/look-over.ts'
import { threadFlags, threadProgram } from '../jobs/thread-options.ts'

export type ListsJob =
  | { readonly kind: 'upkeep'; readonly at: Date }
  | { readonly kind: 'import'; readonly id: number; readonly at: Date }
  | { readonly kind: 'fit'; readonly at: Date }
  | { readonly kind: 'fit-weights'; readonly at: Date }

/** Long work: replaying a month, reading 50,000 lines of a list, fitting the text model and the weights. */
export function runListsJob(db: Database, job: ListsJob): Promise<unknown> {
  switch (job.kind) {
    case 'upkeep':
      return runUpkeep(db, job.at)
    case 'import':
      return runImport(db, job.id, job.at)
    case 'fit':
      return fitOnLessons(db, job.at)
    case 'fit-weights':
      return fitWeightsOnLessons(db, job.at)
  }
}

export interface ListsPool {
  readonly run: (job: ListsJob) => Promise<unknown>
  readonly stop: () => Promise<void>
}

/** Runs such work in a thread with a connection of its own; with `threads` 0 here. */
export function createListsPool(db: Database, { threads, url }: { threads: number; url: string }): ListsPool {
  if (threads === 0) return { run: job => runListsJob(db, job), stop: () => Promise.resolve() }
  const pool = new Piscina({
    filename: threadProgram('lists-worker', import.meta.url),
    minThreads: 0,
    maxThreads: 1,
    idleTimeout: 30_000,
    execArgv: [...threadFlags],
    resourceLimits: { maxOldGenerationSizeMb: 1024 },
  })
  return { run: job => pool.run({ job, url }), stop: () => pool.destroy() }
}

const holdFor = 10 * 60_000
const table = { table: 'list_imports', key: 'id' } as const

/** Reads or takes the next import that waits; 1 when there was one. */
export async function workImports(
  db: Database,
  { run, now }: { run: (job: ListsJob) => Promise<unknown>; now: () => Date },
): Promise<number> {
  const at = now()
  const [next] = await claim<{ id: number }>(
    db,
    { ...table, columns: 'id', due: "state IN ('reading', 'taking')", order: 'id' },
    { at, holdFor, limit: 1 },
  )
  if (!next) return 0
  try {
    await run({ kind: 'import', id: next.id, at })
    await giveBack(db, table, [next.id])
  } catch (error) {
    await failImport(db, next.id, say('went-wrong'))
    throw error
  }
  return 1
}
