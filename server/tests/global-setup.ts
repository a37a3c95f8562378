import { join } from 'node:path'
import type { TestProject } from 'vitest/node'
import { startDatabase } from '../../scripts/database.mjs'
import { dataFolder } from '../../scripts/prepare.mjs'

declare module 'vitest' {
  interface ProvidedContext {
    /** URL of the test server without a database name, closed by a slash. */
    databaseServer: string
  }
}

/** One MariaDB for the whole run; each test file makes its own database in it. */
export default async function setup(project: TestProject) {
  const database = await startDatabase(join(dataFolder, 'test-db'), {
    databases: ['test\\_%'],
    lasting: false,
  })
  // Filled by the first file that needs it; one of an earlier run may be of other code.
  database.sql('DROP DATABASE IF EXISTS test_demo')
  project.provide('databaseServer', database.url(''))
  return database.stop
}
