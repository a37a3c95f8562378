import { openDatabase } from '../src/db/database.ts'
import { createPurge } from '../src/keeping/purge.ts'

// A process that does nothing but purge, for tests that kill it.
const now = new Date(process.env.NOW ?? '')
const db = openDatabase(process.env.DATABASE_URL ?? '', { poolSize: 2 })
const part = createPurge(db, { now: () => now, atOnce: 50 })
process.send?.('begun')
while ((await part()) > 0);
process.send?.('done')
await db.close()
process.exit(0)
