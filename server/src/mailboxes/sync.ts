import type { DirectoryOutcome } from '@pendro/contract'
import { execute, inTransaction, select, type Database } from '../db/database.ts'
import { organisationNow, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { endChore, takeChore } from '../jobs/chores.ts'
import type { Log } from '../log.ts'
import { pendro, writeRecord, type Actor } from '../record/write.ts'
import { lookAtLines, ownToken, takeLines, type Planning } from './directory.ts'
import { LdapFailure, readLdap, type DirectoryPerson, type LdapAccess } from './ldap.ts'

interface Deps extends LdapAccess {
  readonly db: Database
  readonly plan: Planning
  readonly now: Date
}

async function read({ db, password, ca }: Deps): Promise<{
  readonly lines: readonly DirectoryPerson[]
  readonly missing: ReadonlySet<number>
  readonly share: number
  readonly elsewhere: number
}> {
  const { directory } = await readOrganisation(db)
  if (!directory || directory.url === '') throw new AppError('NO_DIRECTORY')
  const { people, elsewhere } = await readLdap(directory, { password, ca }).catch((error: unknown) => {
    throw error instanceof LdapFailure ? new AppError('DIRECTORY_FAILED', { context: error.problem }) : error
  })
  // By what the directory calls them, so that a new address is a new name and not somebody else.
  const rows = await select<{ id: number; directory_id: string }>(
    db,
    'SELECT id, directory_id FROM mailboxes WHERE directory_id IS NOT NULL',
  )
  const ids = new Map(rows.map(row => [row.directory_id, row.id]))
  return {
    lines: people.map(person => ({ ...person, id: ids.get(person.directoryId) })),
    // What came by hand or by a table is none of the directory's to close.
    missing: new Set(rows.map(({ id }) => id)),
    share: directory.share,
    elsewhere,
  }
}

/** What the directory would come to; nothing is changed. */
export async function lookAtDirectory(deps: Deps): Promise<DirectoryOutcome> {
  const { lines, missing, elsewhere } = await read(deps)
  return { ...(await lookAtLines(deps.db, { lines, missing, plan: deps.plan })), elsewhere }
}

interface Taking {
  readonly by: Actor
  readonly token: string
  /** So many may be closed, whatever the share; `null`: none is where the share is exceeded, and the rest is done. */
  readonly closes: number | null
}

/**
 * Takes the directory over as one act. TOO_MANY_CLOSE: more would be closed than the setting allows, or than somebody who saw them said.
 */
export async function takeDirectory(deps: Deps, { by, token, closes }: Taking): Promise<DirectoryOutcome> {
  const { db, now, plan } = deps
  const { lines, missing, share, elsewhere } = await read(deps)
  const changing = { by, reason: '', token, now }
  const take = (closing: ReadonlySet<number>) =>
    takeLines(db, { lines, missing: closing, plan }, changing, ({ close }) => {
      const most = Math.max(closes ?? 0, Math.floor((missing.size * share) / 100))
      if (close.length > most)
        throw new AppError('TOO_MANY_CLOSE', { close: close.length, of: missing.size, share })
    })
  const outcome = await take(missing).catch((error: unknown) => {
    if (closes !== null || !(error instanceof AppError) || error.code !== 'TOO_MANY_CLOSE') throw error
    return take(new Set())
  })
  await nameThem(db, lines)
  return { ...outcome, elsewhere }
}

/** Notes what the directory calls each mailbox by; those of lines that were wrong have none. */
async function nameThem(db: Database, lines: readonly DirectoryPerson[]): Promise<void> {
  for (let i = 0; i < lines.length; i += 500) {
    const part = lines.slice(i, i + 500)
    const known = await select<{ address: string; mailbox_id: number; directory_id: string | null }>(
      db,
      // By its own address: whoever has it as an alias is somebody else.
      'SELECT address, id AS mailbox_id, directory_id FROM mailboxes WHERE address IN (:addresses)',
      { addresses: ['', ...part.map(({ address }) => address.toLowerCase())] },
    )
    const byAddress = new Map(known.map(row => [row.address, row]))
    const named = part.flatMap(({ address, directoryId }) => {
      const row = byAddress.get(address.toLowerCase())
      return !row || row.directory_id === directoryId ? [] : [{ id: row.mailbox_id, name: directoryId }]
    })
    if (named.length > 0)
      await execute(
        db,
        `UPDATE mailboxes b JOIN JSON_TABLE(:named, '$[*]' COLUMNS (id INT UNSIGNED PATH '$.id', name VARCHAR(200) PATH '$.name')) x ON x.id = b.id
         SET b.directory_id = x.name`,
        { named: JSON.stringify(named) },
      )
  }
}

const hour = 3_600_000

/** Asks the directory every hour, where that is set. What it would close beyond the share waits for a steward; a failure is in the record. */
export async function workDirectory(
  deps: Omit<Deps, 'now'> & { readonly log: Log; readonly now: () => Date },
): Promise<number> {
  const { db, now } = deps
  const organisation = await organisationNow(db)
  if (!organisation?.directory?.hourly) return 0
  await execute(db, "INSERT IGNORE INTO chores (name, next_at) VALUES ('directory', :now)", { now: now() })
  if (!(await takeChore(db, 'directory', now()))) return 0
  try {
    await takeDirectory({ ...deps, now: now() }, { by: pendro, token: ownToken(), closes: null })
    return 1
  } catch (error) {
    if (error instanceof AppError && error.code === 'NOTHING_TO_DO') return 0
    const problem = error instanceof AppError ? String(error.facts.context ?? error.code) : 'unreachable'
    await inTransaction(db, tx =>
      writeRecord(db, tx, [{ act: 'directory-failed', at: now(), by: pendro, facts: { problem } }]),
    )
    return 0
  } finally {
    await endChore(db, 'directory', { nextAt: new Date(now().getTime() + hour) })
  }
}
