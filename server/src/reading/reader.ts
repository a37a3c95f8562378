import { MessageChannel } from 'node:worker_threads'
import { Piscina } from 'piscina'
import { readContacts, type AddressBook, type ReadContacts } from '@pendro/core/lists'
import type { Parsed } from '@pendro/core/address'
import {
  planDirectory,
  readDirectoryCsv,
  type DirectoryPlan,
  type ReadDirectory,
  type TableProblem,
} from '@pendro/core/directory'
import { readRules } from '@pendro/core/mail-rules'
import type { StatusNotification } from '@pendro/core/message'
import { noAuthentication, type Authentication } from '@pendro/core/senders'
import type { Log } from '../log.ts'
import { threadFlags, threadProgram } from '../jobs/thread-options.ts'
import type { Authenticate, CheckGiven } from './authenticate.ts'
import {
  attachedMessages,
  contentsToInspect,
  matchRules,
  oneAttachment,
  readMessage,
  readPdfWords,
  renderView,
  statusNotification,
  unreadInTime,
  type Packed,
  type ReadMessage,
  type RuleTask,
  type View,
  type ViewGiven,
} from './reading.ts'

/**
 * Everything that is computed from bytes an outsider wrote. In the server each of it runs in a worker thread with a
 * deadline: one message can't hold up the others, whatever it is made of.
 */
export interface Reader {
  readonly read: (raw: Uint8Array) => Promise<ReadMessage>
  /** Own checks of SPF, DKIM and DMARC; absent when nothing is looked up. */
  readonly authenticate?: Authenticate
  readonly view: (given: ViewGiven) => Promise<View | 'too-slow'>
  readonly pdfWords: (raw: Uint8Array) => Promise<readonly (string | null)[]>
  readonly toInspect: (raw: Uint8Array) => Promise<readonly Uint8Array[]>
  readonly attachedMessages: (raw: Uint8Array) => Promise<readonly Uint8Array[]>
  /** The bytes of one attachment, by its place; `null` where there is none, or it took too long. */
  readonly attachment: (given: {
    readonly raw: Uint8Array
    readonly place: number
  }) => Promise<Uint8Array | null>
  /** A delivery status notification; `null` when it is none. */
  readonly statusNotification: (raw: Uint8Array) => Promise<StatusNotification | null>
  /** Asks mail rules about readings; `null` when it took too long. */
  readonly matchRules: (task: RuleTask) => Promise<ReturnType<typeof matchRules> | null>
  /** A Sieve script of somebody; `null` when it took too long. */
  readonly readScript: (script: string) => Promise<ReturnType<typeof readRules> | null>
  /** Addresses of an address book; `null` when it took too long. */
  readonly contacts: (book: AddressBook) => Promise<ReadContacts | null>
  /** Compares who is wanted with who there is; few are compared here. */
  readonly planDirectory: (...given: Parameters<typeof planDirectory>) => Promise<DirectoryPlan>
  /** A table of mailboxes; `null` where it took too long. */
  readonly directory: (table: Uint8Array) => Promise<Parsed<ReadDirectory, TableProblem> | null>
  readonly stop: () => Promise<void>
}

type ReadTable = Parsed<ReadDirectory, TableProblem>

/** So few mailboxes are compared at once, without being sent to another thread. */
const fewMailboxes = 2000
/** Comparing a hundred thousand takes seconds, and nobody waits for it. */
const longDeadline = 120_000

/** All of it in this thread, without a deadline: for tests, the demo's fill, and PENDRO_WORKERS=0. */
export const readHere: Reader = {
  read: readMessage,
  view: renderView,
  pdfWords: readPdfWords,
  toInspect: contentsToInspect,
  attachedMessages,
  attachment: oneAttachment,
  statusNotification,
  matchRules: task => Promise.resolve(matchRules(task)),
  readScript: script => Promise.resolve(readRules(script)),
  contacts: book => Promise.resolve(readContacts(book)),
  directory: table => Promise.resolve(readDirectoryCsv(table)),
  planDirectory: (...given) => Promise.resolve(planDirectory(...given)),
  stop: () => Promise.resolve(),
}

export type Task =
  | {
      readonly kind: 'read' | 'pdf-words' | 'to-inspect' | 'attached-messages' | 'status-notification'
      readonly raw: Uint8Array
    }
  | { readonly kind: 'view'; readonly given: ViewGiven }
  | { readonly kind: 'attachment'; readonly given: Parameters<typeof oneAttachment>[0] }
  | { readonly kind: 'rules'; readonly given: RuleTask }
  | { readonly kind: 'script'; readonly given: string }
  | { readonly kind: 'contacts'; readonly given: AddressBook }
  | { readonly kind: 'directory'; readonly given: Uint8Array }
  | { readonly kind: 'plan-directory'; readonly given: Parameters<typeof planDirectory> }
  | { readonly kind: 'check'; readonly given: CheckGiven }

interface ReaderSettings {
  readonly threads: number
  /** PENDRO_DNS: the workers look up for themselves. */
  readonly dns: string
  readonly log: Log
  /** Milliseconds of one task, from its beginning; look-ups wait for name servers and get more. */
  readonly deadline?: number
}

/** Long enough for 25 MB of honest mail on a busy machine, short enough for a person to wait. */
const usualDeadline = 8000
const lookUpDeadline = 30_000

class TooSlow extends Error {}

/** What comes out of a thread is plain bytes; stored are Buffers. */
const asBuffers = ({ source, reading }: Packed): Packed => ({
  source: asBuffer(source),
  reading: reading && asBuffer(reading),
})

const asBuffer = ({ buffer, byteOffset, byteLength }: Uint8Array): Buffer =>
  Buffer.from(buffer, byteOffset, byteLength)

interface PoolSettings extends Pick<ReaderSettings, 'dns' | 'log'> {
  readonly workers: number
  /** Tasks that share a thread. */
  readonly tasks: number
}

function createPool({ workers, tasks, dns, log }: PoolSettings): Piscina {
  const made = new Piscina({
    filename: threadProgram('reading-worker', import.meta.url),
    minThreads: Math.min(1, workers),
    maxThreads: workers,
    concurrentTasksPerWorker: tasks,
    idleTimeout: 60_000,
    execArgv: [...threadFlags],
    workerData: { dns },
    resourceLimits: { maxOldGenerationSizeMb: 1024 },
  })
  // A thread that dies fails its task; it must not take the process with it.
  made.on('error', error => log.threadFailed(error))
  return made
}

/** Runs a task in a thread; throws TooSlow when it does not come to its end in time. */
async function run<T>(on: Piscina, task: Task, limit: number): Promise<T> {
  const { port1, port2 } = new MessageChannel()
  const stop = new AbortController()
  let timer: NodeJS.Timeout | undefined
  // Waiting for a free thread is not the message's fault: time counts from when its turn has come.
  port1.on('message', () => (timer = setTimeout(() => stop.abort(), limit)))
  try {
    return (await on.run({ ...task, begun: port2 }, { transferList: [port2], signal: stop.signal })) as T
  } catch (error) {
    if (stop.signal.aborted) throw new TooSlow(task.kind)
    throw error
  } finally {
    clearTimeout(timer)
    port1.close()
  }
}

const unchecked: Authentication = {
  ...noAuthentication,
  by: 'pendro',
  dmarc: { result: 'temperror', domain: '' },
}

/** A pool of worker threads; a thread that does not finish in time is ended, and another takes its place. */
export function createReader({ threads, dns, log, deadline = usualDeadline }: ReaderSettings): Reader {
  const pool = (workers: number, tasks: number) => createPool({ workers, tasks, dns, log })
  const reading = pool(threads, 1)
  // Checks wait for name servers most of their time: many share a thread, and none of them parses.
  const checking = pool(1, 16)

  /** What did not come to an end in time, or died on the way, is said to be so. */
  async function orElse<T, E>(on: Piscina, task: Task, limit: number, otherwise: E): Promise<T | E> {
    try {
      return await run<T>(on, task, limit)
    } catch (error) {
      log.tooSlow(task.kind, error)
      return otherwise
    }
  }

  return {
    read: async raw => {
      const read = await orElse<ReadMessage, null>(reading, { kind: 'read', raw }, deadline, null)
      return read === null ? unreadInTime(raw) : { ...read, packed: asBuffers(read.packed) }
    },
    ...(dns === 'off'
      ? {}
      : {
          authenticate: (given: CheckGiven) =>
            orElse<Authentication, Authentication>(
              checking,
              { kind: 'check', given },
              lookUpDeadline,
              unchecked,
            ),
        }),
    view: given => orElse<View, 'too-slow'>(reading, { kind: 'view', given }, deadline, 'too-slow'),
    pdfWords: raw =>
      orElse<readonly (string | null)[], []>(reading, { kind: 'pdf-words', raw }, deadline, []),
    toInspect: raw => orElse<readonly Uint8Array[], []>(reading, { kind: 'to-inspect', raw }, deadline, []),
    attachedMessages: raw =>
      orElse<readonly Uint8Array[], []>(reading, { kind: 'attached-messages', raw }, deadline, []),
    attachment: given =>
      orElse<Uint8Array | null, null>(reading, { kind: 'attachment', given }, deadline, null),
    statusNotification: raw =>
      orElse<StatusNotification | null, null>(reading, { kind: 'status-notification', raw }, deadline, null),
    matchRules: given =>
      orElse<ReturnType<typeof matchRules>, null>(reading, { kind: 'rules', given }, deadline, null),
    readScript: given =>
      orElse<ReturnType<typeof readRules>, null>(reading, { kind: 'script', given }, deadline, null),
    contacts: given => orElse<ReadContacts, null>(reading, { kind: 'contacts', given }, deadline, null),
    planDirectory: (...given) => {
      const isFew = given[0].length + given[1].length < fewMailboxes
      if (isFew) return readHere.planDirectory(...given)
      // Half a plan is none: what takes too long is an error.
      return run<DirectoryPlan>(reading, { kind: 'plan-directory', given }, longDeadline)
    },
    directory: given => orElse<ReadTable, null>(reading, { kind: 'directory', given }, deadline, null),
    stop: async () => {
      await Promise.all([reading.destroy(), checking.destroy()])
    },
  }
}
