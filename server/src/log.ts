import { pino, type Logger } from 'pino'

export type Log = ReturnType<typeof createLog>

/** Every log line of the server, by name, in one place. Message contents and passwords are never logged. */
export function createLog(level: string) {
  const sink: Logger = pino({ level, base: null })
  return {
    sink,
    listening: (what: string, port: number) => sink.info({ what, port }, 'listening'),
    stopping: (signal: string) => sink.info({ signal }, 'stopping'),
    stopped: () => sink.info('stopped'),
    requestFailed: (method: string, path: string, error: unknown) =>
      sink.error({ method, path, err: error }, 'request failed'),
    databaseAway: (where: string, error: unknown) =>
      sink.warn({ where, problem: textOf(error) }, 'database does not answer'),
    tookIn: (messageId: number, deliveries: number, size: number) =>
      sink.info({ messageId, deliveries, size }, 'message taken in'),
    refused: (code: number, text: string) => sink.info({ code, text }, 'message refused'),
    intakeFailed: (error: unknown) => sink.error({ err: error }, 'message not taken in; asked to come again'),
    landed: (kind: string, id: number) => sink.info({ kind, id }, 'taken by the mail store'),
    waits: (kind: string, id: number, attempts: number, problem: string) =>
      sink.warn({ kind, id, attempts, problem }, 'mail store did not take it; will try again'),
    bounced: (kind: string, id: number, problem: string) =>
      sink.warn({ kind, id, problem }, 'mail store refused it'),
    labAway: (messageId: number, problem: string) =>
      sink.warn({ messageId, problem }, 'attachment lab did not answer; will try again'),
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

const textOf = (error: unknown) => (error instanceof Error ? error.message : String(error))
