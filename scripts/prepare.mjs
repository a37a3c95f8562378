// Installs what is missing: npm packages, and Debian's MariaDB and Chromium. Nothing but Node in it.
import { spawnSync } from 'node:child_process'
import { createHash, randomBytes } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { words } from './wording.mjs'

export const root = resolve(dirname(fileURLToPath(import.meta.url)), '..')
/** Everything that is made while running: data, caches. Removing it starts afresh. */
export const dataFolder = resolve(process.env.PENDRO_DATA ?? join(root, '.pendro'))

/** The file with the key that passwords are sealed with; made when it is first asked for. */
export function secretsKey(folder) {
  const file = join(folder, 'secrets.key')
  mkdirSync(folder, { recursive: true })
  if (!existsSync(file)) writeFileSync(file, `${randomBytes(32).toString('base64')}\n`, { mode: 0o600 })
  return file
}

export function say(text) {
  console.log(text)
}

export function run(command, args, options = {}) {
  const done = spawnSync(command, args, { stdio: 'inherit', cwd: root, ...options })
  if (done.status !== 0)
    throw new Error(`${command} ${args.join(' ')} ended with ${done.status ?? done.signal}`)
}

const has = program => (process.env.PATH ?? '').split(':').some(folder => existsSync(join(folder, program)))

const isThere = ({ program, file }) => (file ? existsSync(file) : has(program))

/** npm packages as the lock file has them; a mark tells whether they still fit it. */
export function ensurePackages() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex')
  const mark = join(root, 'node_modules', '.pendro-lock')
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return
  say(words.installing('npm packages'))
  run('npm', ['ci', '--prefer-offline', '--no-audit', '--no-fund', '--loglevel=error'])
  writeFileSync(mark, lock)
}

const debian = {
  mariadb: { program: 'mariadbd', packages: ['mariadb-server', 'mariadb-client'] },
  chromium: { program: 'chromium', packages: ['chromium'] },
  headless: { program: 'chromium-headless-shell', packages: ['chromium-headless-shell'] },
  // Second opinions for tests: other people's readers of the same standards.
  authres: { file: '/usr/lib/python3/dist-packages/authres', packages: ['python3-authres'] },
  dkim: { file: '/usr/lib/python3/dist-packages/dkim', packages: ['python3-dkim'] },
  spf: { file: '/usr/lib/python3/dist-packages/spf.py', packages: ['python3-spf'] },
  sieve: { program: 'sievec', packages: ['dovecot-sieve'] },
  imap: { file: '/usr/lib/dovecot/imap', packages: ['dovecot-imapd'] },
  lmtp: { file: '/usr/lib/dovecot/lmtp', packages: ['dovecot-lmtpd'] },
  managesieve: { file: '/usr/lib/dovecot/managesieve', packages: ['dovecot-managesieved'] },
  slapd: { program: 'slapd', packages: ['slapd'] },
  openssl: { program: 'openssl', packages: ['openssl'] },
}

/** Debian packages, by the program or file each one brings. */
export function ensurePrograms(names) {
  // mariadbd lives in sbin, which an ordinary account may not have in its PATH
  process.env.PATH = `${process.env.PATH}:/usr/sbin:/sbin`
  const missing = names.filter(name => !isThere(debian[name])).flatMap(name => debian[name].packages)
  if (missing.length === 0) return
  if (!has('apt-get')) throw new Error(words.missing(missing.join(', ')))
  say(words.installing(missing.join(', ')))
  const asRoot = process.getuid?.() === 0 ? [] : ['sudo']
  const apt = (...args) => {
    const [command, ...rest] = [...asRoot, 'apt-get', ...args]
    run(command, rest, {
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
  }
  apt('update', '-qq')
  apt('install', '-y', '-qq', '--no-install-recommends', ...missing)
}

/** Debian packages that tests read from or run in place: unpacked, not installed. Where they are; '' where that fails. */
function ensureUnpacked(name, packages, file) {
  const folder = join(dataFolder, name)
  if (existsSync(join(folder, file))) return folder
  mkdirSync(folder, { recursive: true })
  const download = `apt-get download ${packages.join(' ')}`
  spawnSync(
    'sh',
    [
      '-c',
      `(${download} || (apt-get update -qq && ${download})) && for one in *.deb; do dpkg -x "$one" .; done`,
    ],
    { cwd: folder, stdio: 'ignore' },
  )
  return existsSync(join(folder, file)) ? folder : ''
}

/** Published test vectors of the public suffix list. */
export function ensureVectors() {
  const file = 'usr/share/doc/publicsuffix/examples/test_psl.txt'
  const folder = ensureUnpacked('checks', ['publicsuffix'], file)
  return folder === '' ? '' : join(folder, file)
}

/** A mail server and a mail client that others wrote; the server's processes change accounts, which only root may. */
export const ensureMailServer = () =>
  process.getuid?.() === 0 ? ensureUnpacked('mail-server', ['postfix', 'swaks'], 'usr/bin/swaks') : ''

function newest(folder) {
  let time = 0
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist') continue
    const path = join(folder, entry.name)
    time = Math.max(time, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs)
  }
  return time
}

/** The server as JavaScript; its file. Built again only when something it is made of has changed. */
export function ensureServer() {
  const built = join(root, 'server', 'dist', 'main.js')
  const sources = Math.max(...['server', 'contract', 'core'].map(part => newest(join(root, part))))
  if (!existsSync(built) || statSync(built).mtimeMs < sources) {
    say(words.buildingServer)
    run(process.execPath, [join(root, 'scripts/build-server.mjs')])
  }
  return built
}

/** Builds the web part when one of its sources is newer than the last build. */
export function ensureWeb() {
  const dist = join(root, 'web', 'dist')
  const built = join(dist, 'index.html')
  const sources = Math.max(...['web', 'contract', 'core'].map(part => newest(join(root, part))))
  if (!existsSync(built) || statSync(built).mtimeMs < sources) {
    say(words.building)
    run(process.execPath, [join(root, 'node_modules/vite/bin/vite.js'), 'build', '--logLevel', 'warn'], {
      cwd: join(root, 'web'),
    })
  }
  return dist
}
