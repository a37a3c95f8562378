import { SequelizeStorage, Umzug } from 'umzug'
import type { Database } from './database.ts'
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
import { statements as saidByCode } from './migrations/0009-said-by-code.ts'
import { statements as exactList } from './migrations/0008-exact-list.ts'
import { statements as whereabouts } from './migrations/0006-whereabouts.ts'

const migrations: Readonly<Record<string, readonly string[]>> = {
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
}

/**
 * Brings the schema up to date, or up to the migration `to`; the names of what was done. MariaDB commits each DDL
 * statement by itself.
 */
export async function migrate(db: Database, { to }: { to?: string } = {}): Promise<readonly string[]> {
  const umzug = new Umzug({
    migrations: Object.entries(migrations).map(([name, statements]) => ({
      name,
      up: async () => {
        for (const statement of statements) await db.query(statement)
      },
    })),
    storage: new SequelizeStorage({ sequelize: db, tableName: 'migrations' }),
    logger: undefined,
  })
  return (await umzug.up(to === undefined ? undefined : { to })).map(({ name }) => name)
}
