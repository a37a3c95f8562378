// `npm test`: everything that must hold, from a fresh clone. Ends with `N passed, N failed` for the whole.
// `npm run check`: of that, what needs nothing but the files; a minute, before each commit.
import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import {
  dataFolder,
  ensurePackages,
  ensureMailServer,
  ensurePrograms,
  ensureVectors,
  ensureWeb,
  root,
  say,
} from './prepare.mjs'

ensurePackages()

const results = join(dataFolder, 'results')
rmSync(results, { recursive: true, force: true })
mkdirSync(results, { recursive: true })

const total = { passed: 0, failed: 0, skipped: 0 }
const env = { ...process.env }

/** What tests need besides packages: Debian's programs, and what is told to the tests by the environment. */
function prepareTests() {
  ensurePrograms([
    'mariadb',
    'headless',
    'authres',
    'dkim',
    'spf',
    'sieve',
    'imap',
    'lmtp',
    'managesieve',
    'slapd',
    'openssl',
  ])
  const vectors = ensureVectors()
  if (vectors === '')
    say('The public suffix list’s test vectors could not be fetched; that check reports itself as skipped.')

  const mailServer = ensureMailServer()
  if (mailServer === '')
    say(
      'Debian’s mail server could not be unpacked, or this is not root; the tests with it report themselves as skipped.',
    )
  Object.assign(env, { PENDRO_TEST_PSL: vectors, PENDRO_TEST_MAIL_SERVER: mailServer })
}

/** Runs a program beside others. What it says is kept until it has ended, so that each is read for itself. */
function start(args, more = {}) {
  const began = Date.now()
  const child = spawn(process.execPath, args, {
    cwd: root,
    env: { ...env, ...more },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  const parts = []
  child.stdout.on('data', part => parts.push(part))
  child.stderr.on('data', part => parts.push(part))
  return new Promise(resolve =>
    child.once('close', code =>
      resolve({
        held: code === 0,
        said: Buffer.concat(parts).toString(),
        seconds: ((Date.now() - began) / 1000).toFixed(0),
      }),
    ),
  )
}

/** One check that either holds or does not. */
async function check(name, ...args) {
  const { held, said, seconds } = await start(args)
  process.stdout.write(said)
  total[held ? 'passed' : 'failed'] += 1
  say(`${held ? 'holds' : 'FAILS'}: ${name} (${seconds} s)`)
}

/** A runner that writes JSON; `count` reads it. A runner that ends badly without a count is one failure. */
async function suite(name, file, count, running) {
  const { held, said, seconds } = await running
  process.stdout.write(said)
  const counted = existsSync(file)
    ? count(JSON.parse(readFileSync(file, 'utf8')))
    : { passed: 0, failed: 0, skipped: 0 }
  if (!held && counted.failed === 0) counted.failed = 1
  if (held && counted.passed === 0) {
    say(`FAILS: ${name} ran no test`)
    counted.failed += 1
  }
  for (const key of Object.keys(total)) total[key] += counted[key]
  const again = counted.flaky > 0 ? `, ${counted.flaky} of them at the second try` : ''
  say(
    `${name}: ${counted.passed} passed${again}, ${counted.failed} failed, ${counted.skipped} skipped (${seconds} s)`,
  )
}

const tsc = 'node_modules/typescript7/bin/tsc'

/** What needs nothing but the files, the longest first; whichever lane is done with its own takes the next. */
const looks = [
  [
    'lint, and imports running downward only',
    'node_modules/oxlint/bin/oxlint',
    '-c',
    'oxlint.config.mjs',
    '--type-aware',
    '--report-unused-disable-directives',
    '--deny-warnings',
  ],
  ['format', 'node_modules/oxfmt/bin/oxfmt', '--check', '.'],
  ['nothing that nobody uses', 'node_modules/knip/bin/knip.js'],
  ['types', tsc, '--noEmit', '-p', 'tsconfig.json'],
  ['types of the web part', tsc, '--noEmit', '-p', 'web/tsconfig.json'],
  ['types of the browser tests', tsc, '--noEmit', '-p', 'e2e/tsconfig.json'],
]

async function look() {
  for (let next = looks.shift(); next; next = looks.shift()) await check(...next)
}

const vitest = () => {
  const file = join(results, 'vitest.json')
  return suite(
    'Vitest',
    file,
    r => ({
      passed: r.numPassedTests,
      failed: r.numFailedTests,
      skipped: r.numPendingTests + r.numTodoTests,
    }),
    start([
      'node_modules/vitest/vitest.mjs',
      'run',
      '--reporter=default',
      '--reporter=json',
      `--outputFile.json=${file}`,
    ]),
  )
}

const browser = () => {
  const file = join(results, 'browser.json')
  return suite(
    'Browser',
    file,
    r => ({
      passed: r.stats.expected + r.stats.flaky,
      flaky: r.stats.flaky,
      failed: r.stats.unexpected,
      skipped: r.stats.skipped,
    }),
    start(['node_modules/@playwright/test/cli.js', 'test', '--reporter=list,json'], {
      PLAYWRIGHT_JSON_OUTPUT_NAME: file,
    }),
  )
}

try {
  if (process.argv.includes('--looks')) await Promise.all([look(), look()])
  else {
    prepareTests()
    // Two lanes for two cores: a browser waits much of its time, and meanwhile the rest is looked at.
    const server = vitest()
    ensureWeb()
    await Promise.all([browser().then(look), server.then(look)])
  }
} catch (error) {
  say(error.message)
  total.failed += 1
}

say('')
say(`${total.passed} passed, ${total.failed} failed${total.skipped > 0 ? `, ${total.skipped} skipped` : ''}`)
process.exit(total.failed === 0 ? 0 : 1)
