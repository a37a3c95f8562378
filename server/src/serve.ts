import { lookup } from 'node:dns/promises'
import type { Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { createApp } from './app.ts'
import { findRow, openDatabase, type Database } from './db/database.ts'
import { migrate } from './db/migrate.ts'
import { isDatabaseAway } from './errors.ts'
import { lettersOf } from './own/letters.ts'
import { createLiveStream } from './live/stream.ts'
import { createLog, type Log } from './log.ts'
import { checkWith } from './reading/authenticate.ts'
import { createSmtpIn } from './doors/smtp-in.ts'
import { createSender } from './outbox/smtp-out.ts'
import { createLab } from './intake/lab.ts'
import { createReader, readHere } from './reading/reader.ts'
import { createResolver } from './reading/resolver.ts'
import { headOf, sealRecord } from './record/seal.ts'
import { recalibrate } from './review/calibrate.ts'
import type { Settings } from './settings.ts'
import { workDigests } from './digests/sending.ts'
import { indexOldSenders } from './intake/index-messages.ts'
import { workEnquiries } from './whereabouts/enquiry-watch.ts'
import { startLoop } from './jobs/loop.ts'
import { createInspections } from './intake/inspections.ts'
import { createListsPool, workImports } from './senders/lists.ts'
import { createOutbox } from './outbox/outbox.ts'
import { workUpkeep } from './senders/upkeep-watch.ts'

export interface Running {
  readonly db: Database
  readonly httpPort: number
  readonly smtpPort: number
  /** Stops taking new work, finishes what is under way, closes everything. */
  readonly stop: () => Promise<void>
}

/** The mail store's network address; a name that does not resolve gives none, and its reports are not read. */
async function storeAddress(host: string): Promise<string | undefined> {
  try {
    return (await lookup(host)).address
  } catch {
    return undefined
  }
}

/**
 * Seals the record, and writes its head to the log at the start and once a day: whoever keeps the log can prove later
 * that nothing before it was changed (`npm run record -- verify HEAD`).
 */
function sealingWork({ db, log, now }: { db: Database; log: Log; now: () => Date }): () => Promise<number> {
  let told = ''
  return async () => {
    const sealed = await sealRecord(db)
    const day = now().toISOString().slice(0, 10)
    if (sealed === 0 && day !== told) {
      const head = await headOf(db)
      if (head) log.recordHead(head)
      told = day
    }
    return sealed
  }
}

/** Longest a statement may take while people wait for it. */
const statementPatience = 10_000
/** How long a start waits for a database that is slow to come. */
const startPatience = 120_000

/**
 * Waits for the database and brings its schema up to date: without a time limit, for large tables take long to change,
 * and one process at a time.
 */
export async function prepareDatabase(url: string, log: Log, patience = startPatience): Promise<void> {
  const db = openDatabase(url, { poolSize: 1 })
  const until = Date.now() + patience
  try {
    for (;;) {
      try {
        const lock = await findRow<{ held: number | null }>(
          db,
          "SELECT GET_LOCK('pendro_schema', 600) AS held",
        )
        if (lock?.held === 1) break
      } catch (error) {
        if (!isDatabaseAway(error) || Date.now() > until) throw error
        log.databaseAway('start', error)
        await new Promise(resolve => setTimeout(resolve, 500))
      }
    }
    await migrate(db)
  } finally {
    // The lock ends with its connection.
    await db.close()
  }
}

/** Starts one server process: HTTP, SMTP intake, outbox and live stream. Port 0 means any free one. */
export async function serve(settings: Settings, now: () => Date = () => new Date()): Promise<Running> {
  const log = createLog(settings.PENDRO_LOG_LEVEL)
  await prepareDatabase(settings.DATABASE_URL, log)
  const db = openDatabase(settings.DATABASE_URL, { patience: statementPatience })
  const publicUrl = settings.PENDRO_PUBLIC_URL
  const send = createSender(settings.PENDRO_STORE_HOST, settings.PENDRO_STORE_PORT)
  const sending = createOutbox({ db, send, log, now, letter: lettersOf({ db, publicUrl, now }) })
  const outbox = startLoop('outbox', 500, sending.work, log)
  const live = createLiveStream({ db, log, now })
  const lists = createListsPool(db, { threads: settings.PENDRO_WORKERS, url: settings.DATABASE_URL })
  const imports = startLoop('imports', 1000, () => workImports(db, { run: lists.run, now }), log)
  const upkeep = startLoop(
    'upkeep',
    2000,
    () => workUpkeep(db, { run: at => lists.run({ kind: 'upkeep', at }), now }),
    log,
  )
  const digests = startLoop(
    'digests',
    5000,
    async () => {
      const worked = await workDigests(db, { now, publicUrl })
      if (worked > 0) outbox.nudge()
      return worked
    },
    log,
  )
  const enquiries = startLoop(
    'enquiries',
    1500,
    async () => (await indexOldSenders(db)) + (await workEnquiries(db, now())),
    log,
  )
  const sealing = startLoop('record', 5000, sealingWork({ db, log, now }), log)
  const queued = () => {
    outbox.nudge()
    imports.nudge()
  }
  const resolve = createResolver(settings.PENDRO_DNS, now)
  const reader =
    settings.PENDRO_WORKERS > 0
      ? createReader({ threads: settings.PENDRO_WORKERS, dns: settings.PENDRO_DNS, log })
      : { ...readHere, ...(resolve ? { authenticate: checkWith(resolve) } : {}) }
  const app = createApp({ db, log, now, settings, queued, live, reader })
  const lab = settings.PENDRO_LAB_URL === '' ? null : createLab(settings.PENDRO_LAB_URL)
  const inspecting = lab && createInspections({ db, lab, log, now, contents: reader.toInspect })
  const inspections = inspecting && startLoop('inspections', 1000, inspecting.work, log)
  const calibration = startLoop('calibration', 5000, () => recalibrate(db, now()), log)
  const intake = {
    read: reader.read,
    attachedMessages: reader.attachedMessages,
    ...(reader.authenticate ? { authenticate: reader.authenticate } : {}),
    lab: lab !== null,
  }
  const smtp = createSmtpIn({
    intake,
    db,
    log,
    now,
    maxBytes: settings.PENDRO_MAX_MESSAGE_BYTES,
    storeAddress: await storeAddress(settings.PENDRO_STORE_HOST),
    takenIn: outbox.nudge,
  })

  const http = await new Promise<Server>((resolve, reject) => {
    const server = app.listen(settings.PENDRO_PORT, settings.PENDRO_HOST, error =>
      error ? reject(error) : resolve(server),
    )
  })
  const smtpServer = await new Promise<ReturnType<typeof smtp.listen>>((resolve, reject) => {
    smtp.on('error', reject)
    const server = smtp.listen(settings.PENDRO_SMTP_PORT, settings.PENDRO_HOST, () => resolve(server))
  })
  const portOf = (server: { address(): AddressInfo | string | null }) =>
    (server.address() as AddressInfo).port
  log.listening('http', portOf(http))
  log.listening('smtp', portOf(smtpServer))

  const stop = async () => {
    await live.stop()
    await Promise.all([
      new Promise<void>(resolve => {
        http.close(() => resolve())
        http.closeIdleConnections()
        // Whoever holds a request open this long is not coming back.
        setTimeout(() => http.closeAllConnections(), 3000).unref()
      }),
      new Promise<void>(resolve => smtp.close(() => resolve())),
      outbox.stop(),
      inspections?.stop(),
      calibration.stop(),
      imports.stop(),
      digests.stop(),
      sealing.stop(),
      enquiries.stop(),
      upkeep.stop(),
    ])
    await Promise.all([lists.stop(), reader.stop(), sending.stop(), inspecting?.stop()])
    await db.close()
    log.stopped()
  }
  return { db, httpPort: portOf(http), smtpPort: portOf(smtpServer), stop }
}
