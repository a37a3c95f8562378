import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { id, idInPath, moment } from './shapes.ts'

const verdict = z.enum(['wanted', 'junk', 'sent'])
/** What older mail was to whoever has it: kept, called junk, or sent by them. */
export type HistoryVerdictShape = z.infer<typeof verdict>

const port = z.number().int().min(1).max(65_535)
const file = z.object({ kind: z.enum(['mbox', 'maildir']), path: z.string().min(1).max(400) })
const imap = z.object({
  kind: z.literal('imap'),
  host: z.string().trim().min(1).max(253),
  port,
  tls: z.enum(['implicit', 'starttls', 'off']),
  user: z.string().trim().min(1).max(200),
  folder: z.string().trim().min(1).max(200),
})
const source = z.discriminatedUnion('kind', [file, imap])
/** Where older mail is. */
export type HistorySourceShape = z.infer<typeof source>

const run = z.object({
  id,
  at: moment,
  by: z.string(),
  name: z.string(),
  mailbox: id,
  verdict,
  kind: z.enum(['mbox', 'maildir', 'imap']),
  /** `interrupted`: its process is gone, and the password with it. */
  state: z.enum(['learning', 'interrupted', 'stopped', 'failed', 'done', 'undoing', 'undone']),
  /** Messages learned from; left out: known already, not to be read, or an automatic reply. */
  taken: z.number().int(),
  leftOut: z.number().int(),
  /** 0 to 1. */
  share: z.number(),
  /** Why it has failed; '' for nothing. */
  problem: z.string(),
})
/** Learning from one folder, and how far it is. */
export type HistoryRunShape = z.infer<typeof run>

/**
 * `ready`: a folder of the machine is set (PENDRO_HISTORY_DIR); `found`: mail folders in it, with the mailbox and what they are where their path says so
 * (`anna@x.example/sent`), and the run that has learned from it.
 */
export const readHistory = endpoint({
  method: 'get',
  path: '/api/history',
  summary: 'Older mail that can be learned from, and what has been',
  roles: everyone,
  scope: 'whole',
  response: z.object({
    ready: z.boolean(),
    learned: z.number().int(),
    found: z.array(
      z.object({
        path: z.string(),
        kind: z.enum(['mbox', 'maildir']),
        bytes: z.number().int(),
        mailbox: id.nullable(),
        verdict: verdict.nullable(),
        run: id.nullable(),
      }),
    ),
    runs: z.array(run),
  }),
})

const account = z.string().max(500).default('')

/** Nothing is delivered, and no original is kept. The password stays in memory, and nowhere else. */
export const beginHistory = endpoint({
  method: 'post',
  path: '/api/history/runs',
  summary: 'Learn from older mail: correspondents, senders, words',
  roles: ['steward'],
  scope: 'whole',
  body: z.object({ mailbox: id, verdict, source, password: account }),
  response: z.object({ run: id }),
  problems: ['MAILBOX_NOT_FOUND', 'HISTORY_SOURCE'],
})

/** Those whose path says whose they are, and that nobody has learned from yet. */
export const beginAllHistory = endpoint({
  method: 'post',
  path: '/api/history/runs/all',
  summary: 'Learn from all mail folders whose path says whose they are',
  roles: ['steward'],
  scope: 'whole',
  response: z.object({ runs: z.number().int() }),
  problems: ['HISTORY_SOURCE'],
})

/** Goes on where it was. */
export const resumeHistory = endpoint({
  method: 'post',
  path: '/api/history/runs/{id}/resume',
  summary: 'Go on learning where it stopped',
  roles: ['steward'],
  scope: 'whole',
  params: z.object({ id: idInPath }),
  body: z.object({ password: account }),
  response: z.object({ ok: z.literal(true) }),
  problems: ['HISTORY_NOT_FOUND', 'HISTORY_STATE', 'HISTORY_SOURCE'],
})

/** What was learned stays. */
export const stopHistory = endpoint({
  method: 'post',
  path: '/api/history/runs/{id}/stop',
  summary: 'Stop learning from a folder',
  roles: ['steward'],
  scope: 'whole',
  params: z.object({ id: idInPath }),
  response: z.object({ ok: z.literal(true) }),
  problems: ['HISTORY_NOT_FOUND', 'HISTORY_STATE'],
})

/** All of it, as if it had never been. */
export const undoHistory = endpoint({
  method: 'post',
  path: '/api/history/runs/{id}/undo',
  summary: 'Take back what a folder taught',
  roles: ['steward'],
  scope: 'whole',
  params: z.object({ id: idInPath }),
  response: z.object({ ok: z.literal(true) }),
  problems: ['HISTORY_NOT_FOUND', 'HISTORY_STATE'],
})

/** Requests about older mail, by name. */
export const historyEndpoints = {
  readHistory,
  beginHistory,
  beginAllHistory,
  resumeHistory,
  stopHistory,
  undoHistory,
}
