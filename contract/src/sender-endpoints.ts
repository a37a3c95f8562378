import { z } from 'zod'
import { judgedStates } from '@pendro/core/delivery'
export { sendersIn } from '@pendro/core/pasted'
import { bytes, endpoint, everyone, writers, fileEndpoint } from './endpoint.ts'
import {
  entryBrief,
  entryDraft,
  entryRow,
  id,
  idInPath,
  moment,
  pathLine,
  placeInList,
  reachShape,
  registerChange,
  senderFilter,
  senderOrder,
  standing,
  width,
} from './shapes.ts'

const days = z.coerce.number().int().min(1).max(366).default(30)
const reason = z.string().trim().max(1000).default('')
/** Made by the client; the same act sent again with it is not done again. */
const token = z.uuid()

/** Rows of ended entries are there when the filter asks for them; moments in UTC. */
export const senderEntries = endpoint({
  method: 'get',
  path: '/api/senders',
  summary: 'Entries of all sender lists under a filter; page by the cursor in `next`',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: senderFilter.extend({
    order: senderOrder.default('matched'),
    after: placeInList,
    limit: z.coerce.number().int().min(1).max(500).default(100),
  }),
  response: z.object({ rows: z.array(entryRow), next: z.string().nullable() }),
  problems: ['BAD_CURSOR'],
})
/** Both numbers are of entries. */
export const senderCounts = endpoint({
  method: 'get',
  path: '/api/senders/counts',
  summary: 'How many entries the filter shows, and how many of them need a decision',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: senderFilter,
  response: z.object({
    total: z.number().int(),
    needDecision: z.number().int(),
  }),
})
/** What it did is counted by decisions it made, was overruled in, or was refused in. */
export const entrySheet = endpoint({
  method: 'get',
  path: '/api/senders/entries/{id}',
  summary: 'One entry: what it did in 30 days, who made and changed it and why, who else keeps the same',
  roles: everyone,
  scope: { 'params.id': 'entry' },
  params: z.object({ id: idInPath }),
  response: z.object({
    row: entryRow,
    /** Deliveries of the last 30 days by what the entry was in their path. */
    did: z.object({ decided: z.number().int(), overruled: z.number().int(), refused: z.number().int() }),
    deliveries: z.array(
      z.object({
        id,
        receivedAt: moment,
        fromAddress: z.string(),
        subject: z.string(),
        mailboxName: z.string(),
        state: z.string(),
        role: z.enum(['decided', 'overruled', 'refused']),
      }),
    ),
    others: z.array(entryBrief),
    /** The entry and those it came in place of or that came in its place, newest first. */
    versions: z.array(entryRow.omit({ days: true, others: true, finding: true, lastMatchedAt: true })),
    history: z.array(
      z.object({
        at: moment,
        what: z.enum(['added', 'ended']),
        entryId: id,
        by: z.string(),
        reason: z.string(),
        rulingId: id,
        undone: z.boolean(),
      }),
    ),
  }),
  problems: ['ENTRY_NOT_FOUND'],
})
/** The answer of {@link entrySheet}. */
export type EntrySheet = z.infer<typeof entrySheet.response>

/** A change of many entries is replayed as one. Numbers are deliveries but `colleagues`. */
export const previewChange = endpoint({
  method: 'post',
  path: '/api/senders/reach',
  summary: 'What a change of the lists would have done to the mail of the last days; nothing is changed',
  roles: everyone,
  scope: {
    'body.add.mailboxId': 'mailbox',
    'body.end': 'own-entry',
    'body.add.replaces': 'own-entry',
    'body.add.restores': 'own-entry',
  },
  body: registerChange.extend({ days }),
  response: reachShape,
  problems: ['BAD_PATTERN', 'UNTIL_PASSED', 'ENTRY_NOT_FOUND', 'ENTRY_CHANGED'],
})
/** The answer of an act that changes lists. */
export const applied = z.object({
  rulingId: id,
  at: moment,
  added: z.array(entryBrief),
  ended: z.array(entryBrief),
})
/** What was made and ended, and the ruling that undoes it. */
export type AppliedChange = z.infer<typeof applied>
/** What every change of lists can be refused with. */
export const changeProblems = [
  'NOTHING_TO_DO',
  'NEEDS_REASON',
  'NEEDS_STEWARD',
  'BLOCKS_OWN_DOMAIN',
  'ENTRY_NOT_FOUND',
  'ENTRY_CHANGED',
] as const
/** ENTRY_CHANGED: somebody changed an entry since it was shown; nothing is done then. */
export const applyChange = endpoint({
  method: 'post',
  path: '/api/senders/changes',
  summary: 'Add, change, end and restore entries as one act: all of it, or nothing. Undone as a ruling',
  roles: writers,
  scope: {
    'body.add.mailboxId': 'mailbox',
    'body.end': 'own-entry',
    'body.add.replaces': 'own-entry',
    'body.add.restores': 'own-entry',
  },
  body: registerChange.extend({ reason, token }),
  response: applied,
  problems: [...changeProblems, 'BAD_PATTERN', 'UNTIL_PASSED'],
})

/** `authenticated` says whether proof is assumed; the path names every entry that would have its say. */
export const wouldReach = endpoint({
  method: 'get',
  path: '/api/senders/question',
  summary: 'Would mail from a sender reach a colleague? Answered by the path it would take',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: z.object({
    from: z.string().trim().min(1).max(400),
    mailbox: z.coerce.number().int().positive(),
    /** Whether the message is taken to be authenticated for its From domain. */
    authenticated: z.enum(['yes', 'no']).default('yes'),
    list: z.string().trim().max(400).default(''),
  }),
  response: z.object({
    from: z.string(),
    state: z.enum(judgedStates),
    leftOut: z.boolean(),
    decidedBy: z.string(),
    path: z.array(pathLine),
    authenticated: z.boolean(),
    /** How often mail of this sender was authenticated in 30 days. */
    seen: z.object({ messages: z.number().int(), authenticated: z.number().int() }),
    /** The score that was taken for it, and what it rests on. */
    score: z.number(),
    scoreFrom: z.enum(['address', 'domain', 'nothing']),
    overruled: z.array(entryBrief),
  }),
  problems: ['BAD_PATTERN', 'MAILBOX_NOT_FOUND'],
})
/** The answer of {@link wouldReach}. */
export type ReachAnswer = z.infer<typeof wouldReach.response>

const request = z.object({
  id,
  pattern: z.string(),
  standing,
  mailboxId: id,
  mailboxName: z.string(),
  reason: z.string(),
  askedBy: z.string(),
  askedAt: moment,
  state: z.enum(['open', 'approved', 'declined']),
  answer: z.string(),
  answeredBy: z.string(),
  answeredAt: moment.nullable(),
  rulingId: id.nullable(),
})
/** A colleague's or staffer's wish to have an entry for everybody, with its answer. */
export type EntryRequest = z.infer<typeof request>
/** 200 open ones and 30 answers at most. */
export const readRequests = endpoint({
  method: 'get',
  path: '/api/senders/requests',
  summary: 'Requests to make an entry one for everybody: open ones, oldest first, then the latest answers',
  roles: everyone,
  scope: {},
  response: z.object({ requests: z.array(request) }),
})
/** ALREADY_ASKED: an open request for the same pattern exists. */
export const askForEveryone = endpoint({
  method: 'post',
  path: '/api/senders/requests',
  summary: 'Ask the stewards, for a colleague, to make an entry one for everybody',
  roles: writers,
  scope: { 'body.mailboxId': 'mailbox' },
  body: z.object({ pattern: entryDraft.shape.pattern, standing, mailboxId: id, reason }),
  response: z.object({ id }),
  problems: ['BAD_PATTERN', 'BLOCKS_OWN_DOMAIN', 'MAILBOX_NOT_FOUND', 'ALREADY_ASKED'],
})
/** Approving shows and ends the personal entries it makes needless. */
export const answerRequest = endpoint({
  method: 'post',
  path: '/api/senders/requests/{id}/answer',
  summary:
    'Approve a request (the entry is made, and equal personal entries end), or decline it with a reason',
  roles: ['steward'],
  params: z.object({ id: idInPath }),
  body: z.object({ approve: z.boolean(), answer: reason, token }),
  response: z.object({ applied: applied.nullable() }),
  problems: [...changeProblems, 'REQUEST_NOT_FOUND', 'ALREADY_ANSWERED'],
})

/** Forms a list goes out and comes in by: lines, RFC 4180, JSON, RFC 6350, RFC 5228. */
export const listFormat = z.enum(['text', 'csv', 'json', 'vcard', 'sieve'])
/** A checked {@link listFormat}. */
export type ListFormat = z.infer<typeof listFormat>
const importState = z.enum(['reading', 'ready', 'taking', 'taken', 'failed'])
const lineOutcome = z.enum(['added', 'there', 'covered', 'contradicts', 'refused'])
/** What becomes of one line of a list. */
export type LineOutcome = z.infer<typeof lineOutcome>
/** Something said by its code; the words are in the wording files. */
const said = z.object({ code: z.string(), facts: z.record(z.string(), z.union([z.string(), z.number()])) })
/** A sentence by its code and facts; its words are in the wording. */
export type Said = z.infer<typeof said>

const importStatus = z.object({
  id,
  name: z.string(),
  format: listFormat,
  state: importState,
  done: z.number().int(),
  total: z.number().int(),
  /** Why nothing of the file was read: a code of `listFile` in the wording, with its facts. */
  problem: said.nullable(),
  counts: z.record(lineOutcome, z.number().int()),
  /** `null` until it has been counted. */
  reach: reachShape.nullable(),
  rulingId: id.nullable(),
})
/** How far an import is; shares from 0 to 1. */
export type ImportStatus = z.infer<typeof importStatus>
/** Read in a thread with a deadline. TOO_LARGE tells the limit in bytes. */
export const beginImport = endpoint({
  method: 'post',
  path: '/api/senders/imports',
  summary: 'Read a list (its bytes) and say line by line what would be taken; nothing is taken yet',
  roles: writers,
  takes: 'application/octet-stream',
  body: bytes,
  query: z.object({
    name: z.string().trim().max(200),
    /** Without it the format is found out from name and content. */
    format: listFormat.optional(),
    /** For lines that do not say it themselves. */
    standing: standing.default('safe'),
    /** Whose list the entries are for: everybody's, or that of one mailbox. */
    list: z.union([z.literal('everybody'), z.coerce.number().int().positive()]),
    takeContradicting: z.enum(['yes', 'no']).default('no'),
  }),
  response: importStatus,
  problems: ['TOO_LARGE', 'NEEDS_STEWARD', 'MAILBOX_NOT_FOUND'],
})
/** Safe to ask as often as one likes; reading goes on by itself. */
export const importProgress = endpoint({
  method: 'get',
  path: '/api/senders/imports/{id}',
  summary: 'How far an import is, what would be taken and left, and its reach',
  roles: everyone,
  params: z.object({ id: idInPath }),
  response: importStatus,
  problems: ['IMPORT_NOT_FOUND'],
})
/** Page by `from`, so many lines into the list. */
export const importLines = endpoint({
  method: 'get',
  path: '/api/senders/imports/{id}/lines',
  summary: 'What becomes of each line, and why',
  roles: everyone,
  params: z.object({ id: idInPath }),
  query: z.object({
    outcome: lineOutcome.optional(),
    from: z.coerce.number().int().min(0).default(0),
    limit: z.coerce.number().int().min(1).max(500).default(200),
  }),
  response: z.object({
    lines: z.array(
      z.object({
        line: z.number().int(),
        part: z.number().int(),
        typed: z.string(),
        outcome: lineOutcome,
        pattern: z.string(),
        standing: standing.nullable(),
        /** Why, as a code of `listLine` or `pattern` in the wording, with its facts. */
        why: said.nullable(),
        entryId: id.nullable(),
      }),
    ),
  }),
  problems: ['IMPORT_NOT_FOUND'],
})
/** All of it or nothing. IMPORT_NOT_READY: it is still being read. */
export const takeImport = endpoint({
  method: 'post',
  path: '/api/senders/imports/{id}/take',
  summary: 'Take all lines marked as added, in one transaction: one record entry, one undo',
  roles: writers,
  params: z.object({ id: idInPath }),
  body: z.object({ reason }),
  response: importStatus,
  problems: ['IMPORT_NOT_FOUND', 'IMPORT_NOT_READY', 'NEEDS_STEWARD', 'NEEDS_REASON', 'NOTHING_TO_DO'],
})

/** With the filter of the table. In the record. */
export const exportSenders = fileEndpoint({
  path: '/api/senders/export',
  summary: 'The filtered sender lists as a file: text, CSV (RFC 4180), JSON or Sieve (RFC 5228)',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  fresh: true,
  query: senderFilter.extend({ format: listFormat.exclude(['vcard']) }),
  gives: ['text/plain', 'text/csv', 'application/json', 'application/sieve'],
})

/** Requests about sender lists, upkeep, requests and imports, by name. */
export const senderEndpoints = {
  exportSenders,
  senderEntries,
  senderCounts,
  entrySheet,
  previewChange,
  applyChange,
  wouldReach,
  readRequests,
  askForEveryone,
  answerRequest,
  beginImport,
  importProgress,
  importLines,
  takeImport,
}

/** Kinds of patterns, for filters. */
export const patternKinds = width.options
