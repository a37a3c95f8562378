import { pino, type Logger } from 'pino'

export type Log = ReturnType<typeof createLog>

/** Every log line of the server, by name, in one place. Message contents and passwords are never logged. */
export function createLog(level: string) {
  const sink: Logger = pino({
    level,
    base: null,
    // Whoever reads logs must not be able to sign in with them, or read mail in them.
    redact: {
      paths: [
        'req.headers.cookie',
        'req.headers.authorization',
        'req.headers["x-pendro-token"]',
        'res.headers["set-cookie"]',
        'err.sql',
        'err.parameters',
        'err.parent.sql',
        'err.parent.parameters',
        'err.original.sql',
        'err.original.parameters',
        'err.config',
      ],
      censor: '[left out]',
    },
    serializers: { err: plainError },
  })
  const outage = onceAMinute(sink)
  return {
    sink,
    listening: (what: string, port: number) => sink.info({ what, port }, 'listening'),
    certificate: (state: 'off' | 'good') => sink.info({ state }, 'certificate'),
    certificateBad: (problem: string, detail: string) =>
      sink.error({ problem, detail }, 'certificate not usable: no TLS until it is'),
    stopping: (signal: string) => sink.info({ signal }, 'stopping'),
    // Written once a day at the level of warnings: a log that keeps only errors has nothing to prove the record by.
    recordHead: ({ seq, hash }: { seq: number; hash: string }) =>
      sink.warn({ seq, hash }, 'head of the record'),
    stopped: () => sink.info('stopped'),
    requestFailed: (method: string, path: string, error: unknown) =>
      sink.error({ method, path, err: error }, 'request failed'),
    databaseAway: (where: string, error: unknown) =>
      outage('database', { where, problem: textOf(error) }, 'database does not answer'),
    tookIn: (messageId: number, deliveries: number, size: number) =>
      sink.info({ messageId, deliveries, size }, 'message taken in'),
    refused: (code: number, text: string) => sink.info({ code, text }, 'message refused'),
    intakeFailed: (error: unknown) => sink.error({ err: error }, 'message not taken in; asked to come again'),
    landed: (kind: string, id: number) => sink.info({ kind, id }, 'taken by the mail store'),
    waits: (kind: string, id: number, attempts: number, problem: string) =>
      outage('store', { kind, id, attempts, problem }, 'mail store did not take it; will try again'),
    bounced: (kind: string, id: number, problem: string) =>
      sink.warn({ kind, id, problem }, 'mail store refused it'),
    labAway: (messageId: number, problem: string) =>
      outage('lab', { messageId, problem }, 'attachment lab did not answer; will try again'),
    reported: (messages: number) => sink.info({ messages }, 'report by mail taken'),
    tooSlow: (task: string, error: unknown) =>
      sink.warn({ task, problem: textOf(error) }, 'a message was too slow to read, or a thread died over it'),
    serviceRefused: (service: string, error: unknown) =>
      sink.info(
        { service, problem: textOf(error) },
        'its copy for an address of ours was refused; colleagues got theirs',
      ),
    threadFailed: (error: unknown) => sink.error({ err: error }, 'a worker thread failed'),
    digestReply: (kind: string) => sink.info({ kind }, 'reply to a digest taken'),
    inspected: (messageId: number, verdict: string) =>
      sink.info({ messageId, verdict }, 'attachments inspected'),
    jobFailed: (job: string, error: unknown) => sink.error({ job, err: error }, 'job failed; it runs again'),
    ruled: (rulingId: number, by: number, deliveries: number) =>
      sink.info({ rulingId, by, deliveries }, 'ruling applied'),
    undone: (rulingId: number, by: number) => sink.info({ rulingId, by }, 'ruling undone'),
  }
}

/**
 * Lines about something that is away, one a minute of each kind: an outage says the same thousands of times. The next
 * line says how many were left out.
 */
function onceAMinute(sink: Logger) {
  const kinds = new Map<string, { at: number; leftOut: number }>()
  return (kind: string, facts: object, text: string) => {
    const last = kinds.get(kind)
    const now = performance.now()
    if (last && now - last.at < 60_000) {
      last.leftOut += 1
      return
    }
    kinds.set(kind, { at: now, leftOut: 0 })
    sink.warn(last && last.leftOut > 0 ? { ...facts, leftOut: last.leftOut } : facts, text)
  }
}

/** An error as far as it helps to find its cause: no statement, and none of the values in one. */
function plainError(error: unknown): object {
  if (!(error instanceof Error)) return { message: String(error).slice(0, 500) }
  const { errno, code } = (error as { parent?: { errno?: number; code?: string } }).parent ?? {}
  return {
    type: error.name,
    // The driver repeats the whole statement in its message, values and all.
    message: error.message
      .split('\n')[0]
      ?.replace(/sql: .*$/s, '')
      .slice(0, 300),
    ...(errno === undefined ? {} : { errno, code }),
    stack: (error.stack ?? '')
      .split('\n')
      .filter(line => /^\s+at /.test(line))
      .slice(0, 12)
      .join('\n'),
  }
}

const textOf = (error: unknown) =>
  (error instanceof Error ? error.message : String(error)).replace(/\s*sql: [\s\S]*$/, '').slice(0, 300)
