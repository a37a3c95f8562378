// `npm run staffer -- list`, `npm run staffer -- reset NAME`: the way back in, for whoever has the machine.
import { withDatabase } from './with-database.mjs'
import { words } from './wording.mjs'

const [, , command, name, ...more] = process.argv
const isRight = command === 'list' ? name === undefined : command === 'reset' && name !== undefined
if (!isRight || more.length > 0) {
  console.error(words.stafferUsage)
  process.exit(2)
}
await withDatabase('scripts/staffer-main.ts', [command, ...(name === undefined ? [] : [name])])
