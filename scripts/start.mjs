// `npm start`: installs what is missing, starts a private MariaDB, fills the demo once, builds and serves.
// `npm start -- --empty` leaves the demo out. Ctrl-C stops everything that was started.
import { spawn } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import { createServer } from 'node:net'
import { join } from 'node:path'
import { freePort, startDatabase } from './database.mjs'
import { words } from './wording.mjs'
import {
  dataFolder,
  ensurePackages,
  ensurePrograms,
  ensureServer,
  ensureWeb,
  root,
  say,
  secretsKey,
} from './prepare.mjs'

const empty = process.argv.includes('--empty')
const unknown = process.argv.slice(2).filter(word => word !== '--empty')
if (unknown.length > 0) {
  console.error(words.unknownOption(unknown.join(' ')))
  process.exit(2)
}

const realStore = process.env.PENDRO_STORE === 'real'

const children = []
let database = null
let stopping = false
let started = false

async function stop(code) {
  if (stopping) return
  stopping = true
  // The terminal has sent Ctrl-C to the children too; a second signal does them no harm.
  for (const child of children.reverse())
    if (child.exitCode === null && child.signalCode === null) child.kill('SIGTERM')
  const hasEnded = child => child.exitCode !== null || child.signalCode !== null
  await Promise.all(
    children.map(child =>
      hasEnded(child) ? Promise.resolve() : new Promise(resolve => child.once('exit', resolve)),
    ),
  )
  await database?.stop()
  process.exit(code)
}
process.on('SIGINT', () => void stop(0))
process.on('SIGTERM', () => void stop(0))

/** Runs a program, from its source or built; resolves with what it says over the channel when it is ready, or when it ends. */
function program(file, env) {
  const loader = file.endsWith('.ts') ? ['--import', 'tsx'] : []
  const child = spawn(process.execPath, [...loader, join(root, file)], {
    cwd: root,
    env: { ...process.env, ...env },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  })
  children.push(child)
  return new Promise((resolve, reject) => {
    child.once('message', resolve)
    child.once('exit', code => {
      if (code === 0 || stopping) return resolve({})
      reject(new Error(`${file} ended with ${code ?? 'a signal'}`))
      // After it was ready nobody waits for the promise any more: without this the rest would run on without it.
      if (started) {
        console.error(words.ended(file, code))
        void stop(1)
      }
    })
  })
}

const isFree = port =>
  new Promise(resolve => {
    const probe = createServer()
    probe.once('error', () => resolve(false))
    probe.listen(port, '127.0.0.1', () => probe.close(() => resolve(true)))
  })

/** The wanted port; when something else has it already and nobody asked for it by name, any free one. */
async function choosePort(setting, usual) {
  const given = process.env[setting]
  if (given) return given
  return String((await isFree(usual)) ? usual : await freePort())
}

async function databaseUrl() {
  const given = process.env.DATABASE_URL
  if (given) return given
  ensurePrograms(['mariadb'])
  database = await startDatabase(join(dataFolder, 'db'))
  const name = empty ? 'pendro_empty' : realStore ? 'pendro_store' : 'pendro_demo'
  database.sql(`CREATE DATABASE IF NOT EXISTS ${name}`)
  return database.url(name)
}

try {
  const began = Date.now()
  ensurePackages()
  const web = ensureWeb()
  ensureServer()
  const DATABASE_URL = await databaseUrl()
  const PENDRO_STORE_PORT = await choosePort('PENDRO_STORE_PORT', 2526)
  const PENDRO_STORE_HTTP_PORT = await choosePort('PENDRO_STORE_HTTP_PORT', 8026)
  const PENDRO_PORT = await choosePort('PENDRO_PORT', 8025)
  const PENDRO_SMTP_PORT = await choosePort('PENDRO_SMTP_PORT', 2525)
  const PENDRO_SUBMISSION_PORT = await choosePort('PENDRO_SUBMISSION_PORT', 2587)
  const PENDRO_WORLD_PORT = await choosePort('PENDRO_WORLD_PORT', 2527)
  const env = {
    DATABASE_URL,
    PENDRO_SUBMISSION_PORT,
    PENDRO_WORLD_PORT,
    PENDRO_STORE_PORT,
    PENDRO_STORE_HTTP_PORT,
    PENDRO_PORT,
    PENDRO_SMTP_PORT,
    PENDRO_WEB_DIR: web,
    PENDRO_SECRETS_KEY_FILE: process.env.PENDRO_SECRETS_KEY_FILE ?? secretsKey(dataFolder),
    PENDRO_PUBLIC_URL: process.env.PENDRO_PUBLIC_URL ?? `http://localhost:${PENDRO_PORT}`,
    PENDRO_LOG_LEVEL: process.env.PENDRO_LOG_LEVEL ?? 'warn',
  }
  if (!empty) await program('scripts/fill-demo-main.ts', env)
  if (realStore) {
    ensurePrograms(['imap', 'lmtp', 'managesieve', 'sieve'])
    const folder = join(dataFolder, 'store')
    mkdirSync(folder, { recursive: true })
    const { imap } = await program('scripts/real-store-main.ts', { ...env, PENDRO_STORE_FOLDER: folder })
    say(words.realStore(imap))
  }
  const ownStore = process.env.PENDRO_STORE_HOST === undefined
  // With a mail store of one's own the surroundings are real, and so are names, lab and pictures.
  const around = ownStore ? await program('scripts/surroundings-main.ts', env) : {}
  const served = await program('server/dist/main.js', {
    ...env,
    PENDRO_DNS: process.env.PENDRO_DNS ?? around.dns ?? 'system',
    PENDRO_LAB_URL: process.env.PENDRO_LAB_URL ?? around.lab ?? '',
    PENDRO_PICTURES: process.env.PENDRO_PICTURES ?? around.pictures ?? 'on',
    PENDRO_UNSUBSCRIBE: process.env.PENDRO_UNSUBSCRIBE ?? around.unsubscribe ?? 'on',
  })
  say('')
  const url = `http://localhost:${served.httpPort}/`
  say(words.running({ url, smtpPort: served.smtpPort, seconds: ((Date.now() - began) / 1000).toFixed(1) }))
  if (ownStore) say(words.store(`http://127.0.0.1:${PENDRO_STORE_HTTP_PORT}/messages`))
  if (empty) say(words.empty)
  else {
    const { demoColleague, demoStaffers } = await import('./sign-ins.mjs')
    say(words.signIns)
    for (const staffer of demoStaffers) say(words.signIn(staffer))
    say(words.ownPage({ ...demoColleague, url: `${url}own` }))
    if (process.env.PENDRO_TRICKLE !== 'off') {
      await program('scripts/trickle-main.ts', env)
      say(words.trickle)
    }
  }
  say(words.stop)
  started = true
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  await stop(1)
}
