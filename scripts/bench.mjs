// `npm run bench`: ratios measured in one run, printed and written to docs/benchmarks.md.
import { spawnSync } from 'node:child_process'
import { ensurePackages, ensurePrograms, ensureWeb, root } from './prepare.mjs'

ensurePackages()
ensurePrograms(['mariadb', 'chromium', 'slapd', 'openssl', 'imap', 'lmtp', 'managesieve'])
ensureWeb()
const done = spawnSync(
  process.execPath,
  ['--expose-gc', '--import', 'tsx', 'bench/run.ts', ...process.argv.slice(2)],
  { cwd: root, stdio: 'inherit' },
)
process.exit(done.status ?? 1)
