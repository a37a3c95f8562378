import { openDatabase } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { readStaffers } from '../server/src/staffers/staffers.ts'
import { resetStaffer } from '../server/src/staffers/reset.ts'
import { words } from './wording.mjs'

const [, , command, name = ''] = process.argv
const db = openDatabase(process.env['DATABASE_URL'] ?? '', { poolSize: 2 })
await migrate(db)
if (command === 'list')
  for (const staffer of await readStaffers(db, new Date())) console.log(words.staffer(staffer))
else {
  const password = await resetStaffer(db, name, new Date())
  if (password === null) {
    console.error(words.stafferUnknown(name))
    process.exitCode = 1
  } else console.log(words.stafferReset({ name, password }))
}
await db.close()
