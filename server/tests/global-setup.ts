import { execFileSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { TestProject } from 'vitest/node'
import { startDatabase } from '../../scripts/database.mjs'
import { dataFolder } from '../../scripts/prepare.mjs'
import { openDatabase } from '../src/db/database.ts'
import { migrate } from '../src/db/migrate.ts'

declare module 'vitest' {
  interface ProvidedContext {
    /** URL of the test server without a database name, closed by a slash. */
    databaseServer: string
    /** Where its root is let in, and a file of SQL that makes an empty database one that is migrated. */
    databaseSocket: string
    migratedSql: string
  }
}

/** One MariaDB for the whole run; each test file makes its own database in it. */
export default async function setup(project: TestProject) {
  const folder = join(dataFolder, 'test-db')
  const database = await startDatabase(folder, { databases: ['test\\_%'], lasting: false })
  // Filled by the first file that needs it; one of an earlier run may be of other code.
  database.sql('DROP DATABASE IF EXISTS test_demo')
  database.sql('DROP DATABASE IF EXISTS test_migrated; CREATE DATABASE test_migrated')
  const migrated = openDatabase(database.url('test_migrated'))
  await migrate(migrated)
  await migrated.close()
  // Some sixty files need one: what the migrations come to is made sooner than they are done again.
  const dump = join(folder, 'migrated.sql')
  const asRoot = ['--no-defaults', `--socket=${database.socket}`, '-uroot', '--skip-comments']
  writeFileSync(dump, execFileSync('mariadb-dump', [...asRoot, 'test_migrated'], { maxBuffer: 100e6 }))
  project.provide('databaseServer', database.url(''))
  project.provide('databaseSocket', database.socket)
  project.provide('migratedSql', dump)
  return database.stop
}
