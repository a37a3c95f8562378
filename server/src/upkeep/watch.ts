import { execute, findRow, type Database } from '../db/database.ts'
import { update } from '../db/rows.ts'
import { UpkeepRuns } from '../db/models/upkeep.ts'
import { organisationNow } from '../db/organisation.ts'

/** What quiet lists are looked over anyway: mail goes on meanwhile. */
const atLeastEvery = 3_600_000
/** A process that died in the middle does not keep the others from it for longer. */
const claim = 15 * 60_000

/**
 * Looks over the lists when they have changed, or an hour has passed; 1 when it did. Only one process at a
 * time; `run` does the work, in a thread of its own.
 */
export async function workUpkeep(
  db: Database,
  { run, now }: { run: (now: Date) => Promise<unknown>; now: () => Date },
): Promise<number> {
  if (!(await organisationNow(db))) return 0
  const at = now()
  await execute(db, 'INSERT IGNORE INTO upkeep_runs (id, asked_at) VALUES (1, :at)', { at })
  const claimed = await execute(
    db,
    `UPDATE upkeep_runs SET taken_up = asked_at, claimed_until = :until WHERE id = 1
     AND (taken_up IS NULL OR taken_up < asked_at OR done_at < :stale) AND (claimed_until IS NULL OR claimed_until < :at)`,
    { at, until: new Date(at.getTime() + claim), stale: new Date(at.getTime() - atLeastEvery) },
  )
  if (claimed === 0) return 0
  try {
    await run(at)
  } catch (error) {
    // Kept where the screen can tell it; tried again after a while rather than at once.
    await update(
      db,
      UpkeepRuns,
      {
        problem: String((error as Error).message).slice(0, 500),
        taken_up: null,
        claimed_until: new Date(now().getTime() + 60_000),
      },
      { id: 1 },
    )
    throw error
  }
  return 1
}

export async function isLookingOver(db: Database, now: Date): Promise<boolean> {
  const row = await findRow<{ busy: number }>(
    db,
    'SELECT claimed_until > :now OR taken_up IS NULL OR taken_up < asked_at AS busy FROM upkeep_runs WHERE id = 1',
    { now },
  )
  return row?.busy === 1
}
