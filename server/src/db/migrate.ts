import { SequelizeStorage, Umzug } from 'umzug'
import { execute, findRow, inTransaction, type Database, type Tx } from './database.ts'
import { statements as first } from './migrations/0001-first.ts'
import { statements as judgement } from './migrations/0002-judgement.ts'
import { statements as senders } from './migrations/0003-senders.ts'
import { statements as digests } from './migrations/0004-digests.ts'
import { statements as own } from './migrations/0005-own.ts'
import { statements as mailRules } from './migrations/0007-mail-rules.ts'
import { statements as hostile } from './migrations/0010-hostile.ts'
import { statements as proof } from './migrations/0011-proof.ts'
import { statements as doors } from './migrations/0012-doors.ts'
import { statements as sealed } from './migrations/0013-sealed.ts'
import { statements as versions } from './migrations/0014-versions.ts'
import { statements as points } from './migrations/0015-points.ts'
import { statements as letters } from './migrations/0016-letters.ts'
import { statements as looking } from './migrations/0017-looking.ts'
import { statements as selections } from './migrations/0018-selections.ts'
import { statements as keeping } from './migrations/0019-keeping.ts'
import { statements as rules } from './migrations/0020-rules.ts'
import { statements as replies } from './migrations/0021-replies.ts'
import { statements as looks } from './migrations/0022-looks.ts'
import { statements as judgementHolds } from './migrations/0023-judgement.ts'
import { statements as weightsOfOurOwn } from './migrations/0024-weights.ts'
import { statements as staffersThatCome } from './migrations/0025-staffers.ts'
import { statements as scopes } from './migrations/0026-scopes.ts'
import { statements as factors } from './migrations/0027-factors.ts'
import { statements as directory } from './migrations/0028-directory.ts'
import { statements as keys } from './migrations/0029-keys.ts'
import { statements as identities } from './migrations/0030-identities.ts'
import { statements as throttles } from './migrations/0031-throttles.ts'
import { statements as outgoing } from './migrations/0032-outgoing.ts'
import { statements as learning } from './migrations/0033-learning.ts'
import { statements as stores } from './migrations/0034-stores.ts'
import { statements as standby } from './migrations/0035-standby.ts'
import { statements as colleagueMoves } from './migrations/0036-colleague-moves.ts'
import { statements as outageNotices } from './migrations/0038-outage-notices.ts'
import { statements as folderChanges } from './migrations/0039-folder-changes.ts'
import { statements as movesBegun } from './migrations/0040-moves-begun.ts'
import { statements as folderNames } from './migrations/0041-folder-names.ts'
import { statements as storeScripts } from './migrations/0037-store-scripts.ts'
import { statements as saidByCode } from './migrations/0009-said-by-code.ts'
import { statements as exactList } from './migrations/0008-exact-list.ts'
import { statements as whereabouts } from './migrations/0006-whereabouts.ts'

/** In their order. */
export const migrations: Readonly<Record<string, readonly string[]>> = {
  '0001-first': first,
  '0002-judgement': judgement,
  '0003-senders': senders,
  '0004-digests': digests,
  '0005-own': own,
  '0006-whereabouts': whereabouts,
  '0007-mail-rules': mailRules,
  '0008-exact-list': exactList,
  '0009-said-by-code': saidByCode,
  '0010-hostile': hostile,
  '0011-proof': proof,
  '0012-doors': doors,
  '0013-sealed': sealed,
  '0014-versions': versions,
  '0015-points': points,
  '0016-letters': letters,
  '0017-looking': looking,
  '0018-selections': selections,
  '0019-keeping': keeping,
  '0020-rules': rules,
  '0021-replies': replies,
  '0022-looks': looks,
  '0023-judgement': judgementHolds,
  '0024-weights': weightsOfOurOwn,
  '0025-staffers': staffersThatCome,
  '0026-scopes': scopes,
  '0027-factors': factors,
  '0028-directory': directory,
  '0029-keys': keys,
  '0030-identities': identities,
  '0031-throttles': throttles,
  '0032-outgoing': outgoing,
  '0033-learning': learning,
  '0034-stores': stores,
  '0035-standby': standby,
  '0036-colleague-moves': colleagueMoves,
  '0037-store-scripts': storeScripts,
  '0038-outage-notices': outageNotices,
  '0039-folder-changes': folderChanges,
  '0040-moves-begun': movesBegun,
  '0041-folder-names': folderNames,
}

/** Done already, by the statement that was running when an upgrade was interrupted: it exists, or is gone. */
const doneAlready: ReadonlySet<number> = new Set([
  1050, // table exists
  1060, // column exists
  1061, // key exists
  1062, // row exists
  1091, // nothing to drop
  1359, // trigger exists
])

const isDefinition = (statement: string) => /^\s*(?:CREATE|ALTER|DROP)\b/i.test(statement)

/**
 * Brings the schema up to date, or up to the migration `to`; the names of what was done. Each statement is noted when it is
 * done, so that an upgrade that was interrupted goes on where it was. What defines the schema commits by itself and is
 * noted a moment later: of a run that ended in between, the first statement may be done already.
 */
export async function migrate(db: Database, { to }: { to?: string } = {}): Promise<readonly string[]> {
  await db.query(
    'CREATE TABLE IF NOT EXISTS migration_steps (name VARCHAR(60) NOT NULL PRIMARY KEY, done INT UNSIGNED NOT NULL)',
  )
  const umzug = new Umzug({
    migrations: Object.entries(migrations).map(([name, statements]) => ({
      name,
      up: () => runSteps(db, name, statements),
    })),
    storage: new SequelizeStorage({ sequelize: db, tableName: 'migrations' }),
    logger: undefined,
  })
  return (await umzug.up(to === undefined ? undefined : { to })).map(({ name }) => name)
}

async function runSteps(db: Database, name: string, statements: readonly string[]): Promise<void> {
  const row = await findRow<{ done: number }>(db, 'SELECT done FROM migration_steps WHERE name = :name', {
    name,
  })
  const first = row?.done ?? 0
  const note = (done: number, tx?: Tx) =>
    execute(
      db,
      'INSERT INTO migration_steps (name, done) VALUES (:name, :done) ON DUPLICATE KEY UPDATE done = :done',
      { name, done },
      tx,
    )
  for (let i = first; i < statements.length; i += 1) {
    const statement = statements[i] ?? ''
    if (isDefinition(statement)) {
      try {
        await db.query(statement)
      } catch (error) {
        const errno = (error as { parent?: { errno?: number } }).parent?.errno ?? 0
        if (i !== first || !doneAlready.has(errno)) throw error
      }
      await note(i + 1)
    } else
      await inTransaction(db, async tx => {
        await db.query(statement, { transaction: tx })
        await note(i + 1, tx)
      })
  }
}
