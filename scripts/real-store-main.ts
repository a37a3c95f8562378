// A real mail store for the demo (`PENDRO_STORE=real`): Debian's Dovecot with IMAP, LMTP and ManageSieve on loopback. Its ports and the password of
// Pendro's account are set as a steward would set them, and the mail of the last days is handed over once, so that there is something to see.
import { randomBytes } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { gunzip } from 'node:zlib'
import { createTransport } from 'nodemailer'
import { plainStore, type MailStoreShape } from '@pendro/contract'
import { filingScript } from '@pendro/core/mail-rules'
import { startRealStore } from '@pendro/stand-ins/real-store'
import { execute, openDatabase, select, type Database } from '../server/src/db/database.ts'
import { signingKey } from '../server/src/db/signing-keys.ts'
import { createVault, readKey } from '../server/src/outbox/secrets.ts'
import { deliveryMark, onwardFields, withoutOwnFields } from '../server/src/outbox/trace.ts'

const { DATABASE_URL: url, PENDRO_STORE_FOLDER: folder, PENDRO_SECRETS_KEY_FILE: keyFile } = process.env
if (!url || !folder || !keyFile)
  throw new Error(
    'real-store-main: DATABASE_URL, PENDRO_STORE_FOLDER and PENDRO_SECRETS_KEY_FILE have to be set',
  )
const db = openDatabase(url)
const account = 'pendro'
const [junk, aside] = ['Junk', 'Set aside']

const master = join(folder, 'account')
const isNew = !existsSync(master)
if (isNew) writeFileSync(master, randomBytes(18).toString('base64url'), { mode: 0o600 })
const password = readFileSync(master, 'utf8')
const mailboxes = await select<{ address: string }>(db, 'SELECT address FROM mailboxes')
const store = await startRealStore({
  folder,
  // Colleagues' own mail programs sign in with this one; it is a demo.
  accounts: Object.fromEntries(mailboxes.map(({ address }) => [address, 'harbour-demo'])),
  master: { user: account, password },
  // Its folders are in the Maildir layout, which has a dot between a folder and one within it.
  before: filingScript({ junk, aside, separator: '.' }),
})
await setStore(db)
if (isNew) await handOver(db)
await db.close()

const stop = () => void store.close().then(() => process.exit(0))
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, stop)
process.send?.({ ready: true, ...store.ports })

/** As Organisation, Mail stores would set it. */
async function setStore(database: Database): Promise<void> {
  const at = (port: number) => ({ host: '127.0.0.1', port, tls: 'off' as const, certificate: '' })
  const { imap, lmtp, sieve } = store.ports
  const setting: MailStoreShape = {
    ...plainStore,
    name: 'harbour store',
    hosts: [{ ...at(lmtp), protocol: 'lmtp', user: '' }],
    identity: { kind: 'proxy', user: account, tokenUrl: '', scope: '' },
    imap: at(imap),
    sieve: at(sieve),
    junkFolder: junk,
    asideFolder: aside,
    releases: 'append',
  }
  await execute(
    database,
    "UPDATE organisation SET settings = JSON_SET(settings, '$.routes.stores', JSON_COMPACT(:stores))",
    { stores: JSON.stringify([setting]) },
  )
  const vault = createVault(database, await readKey('', keyFile ?? ''))
  for (const port of [imap, sieve]) await vault.keep({ user: account, host: '127.0.0.1', port }, password)
}

interface Delivered {
  readonly id: number
  readonly state: string
  readonly address: string
  readonly envelope_from: string
  readonly folder: string | null
  readonly important: number
  readonly received_at: Date
  readonly gzip: Buffer
}

/** Puts what arrived within the last days where it arrived. */
async function handOver(database: Database): Promise<void> {
  const rows = await select<Delivered>(
    database,
    `SELECT d.id, d.state, b.address, m.envelope_from, d.folder, d.important, d.received_at, s.gzip FROM deliveries d
     JOIN messages m ON m.id = d.message_id JOIN message_sources s ON s.message_id = m.id JOIN mailboxes b ON b.id = d.mailbox_id
     WHERE d.state IN ('inbox', 'aside', 'moved', 'junk', 'released') AND d.received_at > NOW() - INTERVAL 3 DAY ORDER BY d.received_at`,
  )
  const key = await signingKey(database, 'deliveries')
  const transport = createTransport({
    host: '127.0.0.1',
    port: store.ports.lmtp,
    lmtp: true,
    ignoreTLS: true,
    pool: true,
    maxConnections: 8,
  })
  await Promise.all(
    rows.map(async ({ id, state, address, envelope_from, folder: named, important, received_at, gzip }) => {
      const fields = onwardFields({
        mark: deliveryMark(key, id, state),
        place: state,
        folder: named,
        important: important === 1,
        received: { ip: '', helo: '', by: 'pendro', at: received_at },
      })
      const source = await promisify(gunzip)(gzip)
      await transport.sendMail({
        envelope: { from: envelope_from, to: [address] },
        raw: Buffer.concat([fields, withoutOwnFields(source)]),
      })
    }),
  )
  transport.close()
}
