// `npm run record -- verify [HEAD]`: works out the whole chain of the record again and says what it finds.
import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { findDatabase, startDatabase } from './database.mjs'
import { dataFolder, ensurePackages, ensurePrograms, root } from './prepare.mjs'
import { words } from './wording.mjs'

const [, , command, head] = process.argv
if (command !== 'verify' || (head !== undefined && !/^[0-9a-f]{64}$/i.test(head))) {
  console.error(words.recordUsage)
  process.exit(2)
}
ensurePackages()
let started = null
const given = process.env.DATABASE_URL
const folder = join(dataFolder, 'db')
if (!given) ensurePrograms(['mariadb'])
// One that runs is asked; starting a second over the same files would end it.
let urlOf = given ? null : findDatabase(folder)
if (!given && !urlOf) {
  started = await startDatabase(folder)
  urlOf = started.url
}
const done = spawnSync(
  process.execPath,
  ['--import', 'tsx', 'scripts/record-main.ts', ...(head ? [head] : [])],
  {
    cwd: root,
    stdio: 'inherit',
    env: {
      ...process.env,
      DATABASE_URL: given ?? urlOf(process.env.PENDRO_DATABASE ?? 'pendro_demo'),
    },
  },
)
await started?.stop()
process.exit(done.status ?? 1)
