// A process that hands over what waits, to be killed at any moment: server/tests/hand-over-killed.test.ts.
import { openDatabase } from '../src/db/database.ts'
import { organisationNow } from '../src/db/organisation.ts'
import { createLog } from '../src/log.ts'
import { createSecrets } from '../src/outbox/secrets.ts'
import { createOutbox } from '../src/outbox/outbox.ts'
import { createWays } from '../src/outbox/ways.ts'
import { createInStore } from '../src/stores/deliver.ts'
import { createStores } from '../src/stores/stores.ts'

const [, , url = '', password = '', ahead = '0'] = process.argv
const db = openDatabase(url)
/** A claim of a process that was killed runs out by itself; here each process comes later than that. */
const now = () => new Date(Date.now() + Number(ahead))
const secrets = createSecrets({ passwordOf: async () => password }, { passwords: '', authorities: '' })
const send = createWays({
  organisation: () => organisationNow(db),
  store: { host: '127.0.0.1', port: 9 },
  secrets,
  now,
})
const stores = createStores(db, secrets)
const outbox = createOutbox({
  db,
  send,
  log: createLog('silent'),
  now,
  letter: async () => null,
  inStore: createInStore(db, stores, now),
})
// Whoever started it may be ended before it.
process.on('disconnect', () => process.exit())
process.send?.('ready')
for (;;) {
  const found = await outbox.work().catch(() => 0)
  if (found === 0) await new Promise(done => setTimeout(done, 30))
}
