// `npm run record -- verify [HEAD]`: works out the whole chain of the record again and says what it finds.
import { withDatabase } from './with-database.mjs'
import { words } from './wording.mjs'

const [, , command, head] = process.argv
if (command !== 'verify' || (head !== undefined && !/^[0-9a-f]{64}$/i.test(head))) {
  console.error(words.recordUsage)
  process.exit(2)
}
await withDatabase('scripts/record-main.ts', head ? [head] : [])
