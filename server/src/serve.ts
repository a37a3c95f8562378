import { lookup } from 'node:dns/promises'
import type { Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { createApp } from './app.ts'
import { findRow, openDatabase, type Database } from './db/database.ts'
import { migrate } from './db/migrate.ts'
import { organisationNow } from './db/organisation.ts'
import { isDatabaseAway } from './errors.ts'
import { writeReply } from './replying/reply.ts'
import { learnFromMoves } from './reports/moved.ts'
import { lettersOf } from './own/letters.ts'
import { createLearning, type Learning } from './history/learning.ts'
import { createLiveStream } from './live/stream.ts'
import { createLog, type Log } from './log.ts'
import { checkWith } from './reading/authenticate.ts'
import { openDoors, type Doors } from './doors/doors.ts'
import { createWays } from './outbox/ways.ts'
import { writeReturn } from './outbox/returned.ts'
import { createTraffic, type Traffic } from './traffic/traffic.ts'
import { createLab } from './intake/lab.ts'
import { createReader, readHere, type Reader } from './reading/reader.ts'
import { createResolver } from './reading/resolver.ts'
import { headOf, sealRecord } from './record/seal.ts'
import { refitWeights } from './calibration/refit.ts'
import { recalibrate } from './judging/fit-text.ts'
import type { Settings } from './settings.ts'
import { workReminders } from './digests/reminders.ts'
import { workDigests } from './digests/sending.ts'
import { indexOldSenders } from './intake/index-messages.ts'
import { workEnquiries } from './whereabouts/enquiry-watch.ts'
import { workEnds } from './keeping/ends-anew.ts'
import { createPurge } from './keeping/purge.ts'
import { createPace, type Pace } from './jobs/pace.ts'
import { workDirectory } from './mailboxes/sync.ts'
import { startLoop, type Loop } from './jobs/loop.ts'
import type { Slots } from './jobs/slots.ts'
import { createInspections } from './intake/inspections.ts'
import { workSelections } from './rulings/rule-all.ts'
import { createListsPool, workImports } from './list-jobs/lists.ts'
import { createOutbox } from './outbox/outbox.ts'
import { createSecrets, createVault, readKey } from './outbox/secrets.ts'
import type { Send } from './outbox/smtp-out.ts'
import { copyMarks, fileSent } from './standby/hand-back.ts'
import { createNotices } from './standby/notices.ts'
import { watchStores } from './stores/outages.ts'
import { createInStore } from './stores/deliver.ts'
import { workScripts } from './mail-rules/in-store.ts'
import { workMoves } from './stores/move.ts'
import { createIdle, type Idle } from './stores/idle.ts'
import type { StoreView } from './stores/routes.ts'
import { createStores } from './stores/stores.ts'
import { enrol, workLooks } from './stores/watch.ts'
import { workUpkeep } from './upkeep/watch.ts'

export interface Running {
  readonly db: Database
  readonly httpPort: number
  readonly smtpPort: number
  /** Of the door that speaks TLS from the first byte; `null` while it is shut. */
  readonly smtpsPort: () => number | null
  /** Stops taking new work, finishes what is under way, closes everything. */
  readonly stop: () => Promise<void>
}

/** The mail store's network address; a name that does not resolve gives none, and its notifications are not read. */
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

interface Process {
  readonly settings: Settings
  readonly db: Database
  readonly log: Log
  readonly now: () => Date
  readonly traffic: Traffic
  readonly storeView: StoreView
}

/** What reads messages: worker threads, or this thread where there are none. */
function readerOf({ settings, log, now }: Process): Reader {
  if (settings.PENDRO_WORKERS > 0)
    return createReader({ threads: settings.PENDRO_WORKERS, dns: settings.PENDRO_DNS, log })
  const resolve = createResolver(settings.PENDRO_DNS, now)
  return { ...readHere, ...(resolve ? { authenticate: checkWith(resolve) } : {}) }
}

interface Jobs {
  /** Something was queued that need not wait for the next look. */
  readonly queued: () => void
  readonly outboxQueued: () => void
  readonly hasLab: boolean
  /** Ends the loops, then what they have under way. */
  readonly stop: () => Promise<void>
}

/** Mail stores, and what is kept of them that is not for everybody to see. */
async function storeViewOf(
  db: Database,
  settings: Settings,
  { log, now }: Pick<Process, 'log' | 'now'>,
): Promise<StoreView & { readonly idle: Idle }> {
  const { PENDRO_SECRETS_KEY: text, PENDRO_SECRETS_KEY_FILE: file } = settings
  const vault = createVault(db, await readKey(text, file))
  const { PENDRO_ROUTE_PASSWORDS: passwords, PENDRO_ROUTE_CA: authorities } = settings
  const secrets = createSecrets(vault, { passwords, authorities })
  const stores = createStores(db, secrets)
  return { vault, secrets, stores, idle: createIdle({ db, stores, log, now }) }
}

/** Where everything goes that no store has. */
const processStore = ({ PENDRO_STORE_HOST: host, PENDRO_STORE_PORT: port }: Settings) => ({ host, port })

/** What hands mail on, by the routes that are set. */
function sendingOf(
  { settings, db, log, now, traffic, storeView }: Process,
  reader: Reader,
): Slots & { readonly send: Send } {
  const send = createWays({
    organisation: () => organisationNow(db).catch(() => null),
    store: processStore(settings),
    secrets: storeView.secrets,
    now,
    tried: (host, result) =>
      traffic.count(host, result.status, result.status === 'taken' ? '' : result.problem),
  })
  const { work, stop } = createOutbox({
    db,
    send,
    log,
    now,
    inStore: createInStore(db, storeView.stores, now),
    letter: lettersOf({ db, publicUrl: settings.PENDRO_PUBLIC_URL, now }),
    reply: id => writeReply({ db, read: reader.read, now: now() }, id),
    returned: id => writeReturn(db, id, now()),
  })
  return {
    send,
    work,
    stop: async () => {
      await stop()
      send.close()
    },
  }
}

/** What goes on by itself with mail stores: looking in, whether they answer, and handing back. */
function storeJobs(
  { settings, db, log, now, storeView: { stores, secrets } }: Process,
  send: Send,
  reader: Reader,
): Loop[] {
  const handing = { db, stores, send, log, now }
  const watching = { db, secrets, store: processStore(settings), now }
  const telling = { db, secrets, log, publicUrl: settings.PENDRO_PUBLIC_URL, now }
  const scripts = { db, secrets, readScript: reader.readScript, log, now }
  return [
    startLoop('looks', 1000, () => workLooks({ db, stores, log, now }), log),
    startLoop('enrolling', 30_000, () => enrol(db, now()), log),
    startLoop('scripts', 1000, () => workScripts(scripts), log),
    startLoop('notices', 2000, createNotices(telling), log),
    startLoop('outages', 2000, () => watchStores(watching), log),
    startLoop('sent', 2000, async () => (await fileSent(handing)) + (await copyMarks(handing)), log),
  ]
}

/** Everything that goes on by itself. Each job lives with its capability; here they are started and ended. */
function startJobs(own: Process, reader: Reader, pace: Pace, learning: Learning): Jobs {
  const { settings, db, log, now, traffic } = own
  const { stores } = own.storeView
  const { PENDRO_PUBLIC_URL: publicUrl } = settings
  const sending = sendingOf(own, reader)
  const lists = createListsPool(db, { threads: settings.PENDRO_WORKERS, url: settings.DATABASE_URL })
  const directory = {
    plan: reader.planDirectory,
    password: settings.PENDRO_DIRECTORY_PASSWORD,
    ca: settings.PENDRO_DIRECTORY_CA,
  }
  const lab = settings.PENDRO_LAB_URL === '' ? null : createLab(settings.PENDRO_LAB_URL)
  const inspecting = lab && createInspections({ db, lab, log, now, contents: reader.toInspect })
  const start = (name: string, every: number, work: () => Promise<number>) =>
    startLoop(name, every, work, log)

  const outbox = start('outbox', 500, sending.work)
  const imports = start('imports', 1000, () => workImports(db, { run: lists.run, now }))
  const moves = start('moves', 2000, () => workMoves(db, stores, now))
  const lookOver = (at: Date) => lists.run({ kind: 'upkeep', at })
  const loops = [
    outbox,
    imports,
    moves,
    ...storeJobs(own, sending.send, reader),
    start('upkeep', 2000, () => workUpkeep(db, { run: lookOver, now })),
    start('digests', 5000, async () => {
      const worked = await workDigests(db, { now, publicUrl })
      if (worked > 0) outbox.nudge()
      return worked
    }),
    start('reminders', 60_000, () => workReminders(db, { now, publicUrl })),
    start('enquiries', 1500, async () => (await indexOldSenders(db)) + (await workEnquiries(db, now()))),
    start('selections', 1000, () => workSelections(db, { now: now(), read: reader.read })),
    start('traffic', 1000, traffic.write),
    start('record', 5000, sealingWork({ db, log, now })),
    start('history', 1000, learning.work),
    start('purge', 5000, createPurge(db, { now, pace })),
    start('ends', 2000, () => workEnds(db, now())),
    start('moved', 60_000, () => learnFromMoves(db, { read: reader.read, now })),
    start('calibration', 5000, () => recalibrate(db, now(), at => lists.run({ kind: 'fit', at }))),
    start('directory', 60_000, () => workDirectory({ ...directory, db, log, now })),
    start('weights', 30_000, () => refitWeights(db, now(), at => lists.run({ kind: 'fit-weights', at }))),
    ...(inspecting ? [start('inspections', 1000, inspecting.work)] : []),
  ]
  return {
    queued: () => {
      outbox.nudge()
      imports.nudge()
      moves.nudge()
    },
    outboxQueued: outbox.nudge,
    hasLab: lab !== null,
    stop: async () => {
      await Promise.all(loops.map(loop => loop.stop()))
      await Promise.all([lists.stop(), sending.stop(), inspecting?.stop()])
    },
  }
}

const portOf = (server: { address(): AddressInfo | string | null }) => (server.address() as AddressInfo).port

const closed = (http: Server) =>
  new Promise<void>(resolve => {
    http.close(() => resolve())
    http.closeIdleConnections()
    // Whoever holds a request open this long is not coming back.
    setTimeout(() => http.closeAllConnections(), 3000).unref()
  })

/** What the doors hand their messages to. */
async function intakeOf({ settings, db, log, now, traffic }: Process, reader: Reader, jobs: Jobs) {
  return {
    intake: { ...reader, lab: jobs.hasLab },
    db,
    log,
    now,
    maxBytes: settings.PENDRO_MAX_MESSAGE_BYTES,
    storeAddress: await storeAddress(settings.PENDRO_STORE_HOST),
    takenIn: jobs.outboxQueued,
    traffic,
    publicUrl: settings.PENDRO_PUBLIC_URL,
  }
}

/** Where this process reaches its own doors: one that listens everywhere is reached on loopback. */
function reachableHost({ PENDRO_SMTP_HOST, PENDRO_HOST }: Settings): string {
  const host = PENDRO_SMTP_HOST || PENDRO_HOST
  return ['0.0.0.0', '::'].includes(host) ? '127.0.0.1' : host
}

/** Starts one server process: HTTP, SMTP intake, outbox and live stream. Port 0 means any free one. */
export async function serve(settings: Settings, now: () => Date = () => new Date()): Promise<Running> {
  const log = createLog(settings.PENDRO_LOG_LEVEL)
  await prepareDatabase(settings.DATABASE_URL, log)
  const db = openDatabase(settings.DATABASE_URL, { patience: statementPatience })
  const traffic = createTraffic(db, now)
  const storeView = await storeViewOf(db, settings, { log, now })
  const own: Process = { settings, db, log, now, traffic, storeView }
  const live = createLiveStream({ db, log, now })
  const reader = readerOf(own)
  const pace = createPace()
  const folder = settings.PENDRO_HISTORY_DIR
  const learning = createLearning({ db, read: reader.read, now, folder })
  const jobs = startJobs(own, reader, pace, learning)
  let opened: Doors | null = null
  const app = createApp({
    db,
    log,
    now,
    settings,
    queued: jobs.queued,
    live,
    reader,
    answered: pace.answered,
    history: { learning, folder },
    storeView,
    doorView: {
      doors: () => opened,
      host: reachableHost(settings),
      store: { host: settings.PENDRO_STORE_HOST, port: settings.PENDRO_STORE_PORT },
      resolve: createResolver(settings.PENDRO_DNS, now),
    },
  })
  const http = await new Promise<Server>((resolve, reject) => {
    const server = app.listen(settings.PENDRO_PORT, settings.PENDRO_HOST, error =>
      error ? reject(error) : resolve(server),
    )
  })
  const doors = await openDoors(await intakeOf(own, reader, jobs), settings)
  opened = doors
  const certificate = startLoop('certificate', 30_000, async () => ((await doors.look()) ? 1 : 0), log)
  log.listening('http', portOf(http))

  const stop = async () => {
    await live.stop()
    await certificate.stop()
    pace.stop()
    await Promise.all([closed(http), doors.close(), jobs.stop(), storeView.idle.stop()])
    await learning.close()
    await reader.stop()
    await db.close()
    log.stopped()
  }
  return { db, httpPort: portOf(http), smtpPort: doors.smtpPort, smtpsPort: doors.smtpsPort, stop }
}
