// `npm run fuzz [TIMES]`: the fuzz tests, so many times as long (20 if not said) and from a new seed each time.
import { spawnSync } from 'node:child_process'
import { root } from '../scripts/prepare.mjs'

const times = process.argv[2] ?? '20'
const done = spawnSync(
  process.execPath,
  ['node_modules/vitest/vitest.mjs', 'run', 'core/tests/fuzz.test.ts'],
  {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, PENDRO_FUZZ_TIMES: times },
  },
)
process.exit(done.status ?? 1)
