import { openDatabase } from '../server/src/db/database.ts'
import { verifyRecord } from '../server/src/record/seal.ts'
import { words } from './wording.mjs'

const head = process.argv[2]
const db = openDatabase(process.env['DATABASE_URL'] ?? '', { poolSize: 1 })
const found = await verifyRecord(db, head === undefined ? {} : { head })
await db.close()
console.log(words.recordRead(found))
if (found.fault) {
  console.error(words.recordFault(found.fault))
  process.exit(1)
}
console.log(head === undefined ? words.recordHolds : words.recordHoldsFrom(head))
