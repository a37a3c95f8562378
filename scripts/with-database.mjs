import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { findDatabase, startDatabase } from './database.mjs'
import { dataFolder, ensurePackages, ensurePrograms, root } from './prepare.mjs'

/** Runs one of our programs with the database there is, or with our own, started for it. Ends as the program ends. */
export async function withDatabase(program, args) {
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
  const done = spawnSync(process.execPath, ['--import', 'tsx', program, ...args], {
    cwd: root,
    stdio: 'inherit',
    env: {
      ...process.env,
      DATABASE_URL: given ?? urlOf(process.env.PENDRO_DATABASE ?? 'pendro_demo'),
    },
  })
  await started?.stop()
  process.exit(done.status ?? 1)
}
