// `npm test`: everything that must hold, from a fresh clone. Ends with `N passed, N failed` for the whole.
import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import {
  dataFolder,
  ensurePackages,
  ensurePrograms,
  ensureVectors,
  ensureWeb,
  root,
  say,
} from './prepare.mjs'

ensurePackages()
ensurePrograms(['mariadb', 'chromium', 'authres', 'dkim', 'spf', 'sieve'])
const vectors = ensureVectors()
if (vectors === '')
  say('The public suffix list’s test vectors could not be fetched; that check reports itself as skipped.')

const results = join(dataFolder, 'results')
rmSync(results, { recursive: true, force: true })
mkdirSync(results, { recursive: true })

const total = { passed: 0, failed: 0, skipped: 0 }
const node = (...args) =>
  spawnSync(process.execPath, args, {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, PENDRO_TEST_PSL: vectors },
  }).status === 0

/** One check that either holds or does not. */
function check(name, ...args) {
  const began = Date.now()
  const held = node(...args)
  total[held ? 'passed' : 'failed'] += 1
  say(`${held ? 'holds' : 'FAILS'}: ${name} (${((Date.now() - began) / 1000).toFixed(0)} s)`)
}

/** A runner that writes JSON; `count` reads it. A runner that ends badly without a count is one failure. */
function suite(name, file, count, ...args) {
  const ended = node(...args)
  const counted = existsSync(file)
    ? count(JSON.parse(readFileSync(file, 'utf8')))
    : { passed: 0, failed: 0, skipped: 0 }
  if (!ended && counted.failed === 0) counted.failed = 1
  if (ended && counted.passed === 0) {
    say(`FAILS: ${name} ran no test`)
    counted.failed += 1
  }
  for (const key of Object.keys(total)) total[key] += counted[key]
  say(`${name}: ${counted.passed} passed, ${counted.failed} failed, ${counted.skipped} skipped`)
}

const tsc = 'node_modules/typescript7/bin/tsc'
check('types', tsc, '--noEmit', '-p', 'tsconfig.json')
check('types of the web part', tsc, '--noEmit', '-p', 'web/tsconfig.json')
check('types of the browser tests', tsc, '--noEmit', '-p', 'e2e/tsconfig.json')
check('lint, and imports running downward only', 'node_modules/eslint/bin/eslint.js', '.', '--max-warnings=0')
check('nothing that nobody uses', 'node_modules/knip/bin/knip.js')
check('format', 'node_modules/prettier/bin/prettier.cjs', '--check', '--log-level=warn', '.')

const vitestFile = join(results, 'vitest.json')
suite(
  'Vitest',
  vitestFile,
  r => ({ passed: r.numPassedTests, failed: r.numFailedTests, skipped: r.numPendingTests + r.numTodoTests }),
  'node_modules/vitest/vitest.mjs',
  'run',
  '--reporter=default',
  '--reporter=json',
  `--outputFile.json=${vitestFile}`,
)

try {
  ensureWeb()
  const browserFile = join(results, 'browser.json')
  process.env.PLAYWRIGHT_JSON_OUTPUT_NAME = browserFile
  suite(
    'Browser',
    browserFile,
    r => ({ passed: r.stats.expected + r.stats.flaky, failed: r.stats.unexpected, skipped: r.stats.skipped }),
    'node_modules/@playwright/test/cli.js',
    'test',
    '--reporter=list,json',
  )
} catch (error) {
  say(error.message)
  total.failed += 1
}

say('')
say(`${total.passed} passed, ${total.failed} failed${total.skipped > 0 ? `, ${total.skipped} skipped` : ''}`)
process.exit(total.failed === 0 ? 0 : 1)
