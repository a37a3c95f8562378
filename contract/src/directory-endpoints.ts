import { z } from 'zod'
import { bytes, endpoint } from './endpoint.ts'
import { id, idInPath } from './shapes.ts'

const count = z.number().int()
const field = z.enum(['name', 'kind', 'department', 'timeZone', 'language', 'aliases', 'minders', 'store'])
/** What of a mailbox a line says; see {@link changeMailboxes}. */
export type DirectoryFieldName = z.infer<typeof field>

/** What was wrong with a line; a wording has a sentence for each code. */
const problem = z.object({
  code: z.enum([
    'no-address',
    'not-ours',
    'of-pendro',
    'postmaster',
    'no-kind',
    'no-zone',
    'no-language',
    'too-long',
    'twice',
    'taken',
    'no-minder',
  ]),
  text: z.string(),
  /** The line that has the address already. */
  line: count.optional(),
  /** The mailbox that has it. */
  by: z.string().optional(),
})
/** A checked problem. */
export type DirectoryProblemShape = z.infer<typeof problem>

const answer = z.object({
  line: count,
  address: z.string(),
  fate: z.enum(['add', 'change', 'reopen', 'same', 'wrong']),
  fields: z.array(field),
  problem: problem.nullable(),
})
/** What becomes of one line. */
export type DirectoryAnswer = z.infer<typeof answer>

/** What some lines come to. `answers`: what is wrong first, then what changes; `of`: how many there are of all. `change`: the number of the act, where it was one. */
export const directoryOutcome = z.object({
  add: count,
  change: count,
  reopen: count,
  same: count,
  wrong: count,
  close: count,
  /** Some that would be closed, by name. */
  closing: z.array(z.string()),
  of: count,
  answers: z.array(answer),
  /** Headings of columns that nothing is known about. */
  unknown: z.array(z.string()),
  /** Parts of the directory that other servers hold, and that were not read. */
  elsewhere: count,
  act: id.nullable(),
})
/** A checked {@link directoryOutcome}. */
export type DirectoryOutcome = z.infer<typeof directoryOutcome>

const text = z.string().max(20_000)
/** A mailbox as it is to be. What is left out stays, or is the usual. With `id` its address may change. */
const line = z.object({
  id: id.optional(),
  address: z.string().trim().min(1).max(320),
  fields: z.object({
    name: text.optional(),
    kind: text.optional(),
    department: text.optional(),
    timeZone: text.optional(),
    language: text.optional(),
    /** Addresses, parted by spaces. */
    aliases: text.optional(),
    minders: text.optional(),
  }),
})
const reason = z.string().trim().max(1000).default('')
const token = z.uuid()

/** Nothing is changed. */
export const previewMailboxes = endpoint({
  method: 'post',
  path: '/api/directory/effect',
  summary: 'What some mailboxes would come to: added, changed, opened again',
  roles: ['steward'],
  body: z.object({ lines: z.array(line).min(1).max(500) }),
  response: directoryOutcome,
})

/** Lines that are wrong are left out and told. One act with one undo (`undoMailboxChange`). */
export const changeMailboxes = endpoint({
  method: 'post',
  path: '/api/directory/changes',
  summary: 'Add mailboxes, change what they are, open closed ones again',
  roles: ['steward'],
  body: z.object({ lines: z.array(line).min(1).max(500), reason, token }),
  response: directoryOutcome,
  problems: ['NOTHING_TO_DO'],
})

/** `missing`: whether open mailboxes that the table does not name are closed. BAD_TABLE: nothing of it can be read. */
export const bringInMailboxes = endpoint({
  method: 'post',
  path: '/api/directory/table',
  summary: 'Bring in a table of mailboxes (CSV), or see what it would come to',
  roles: ['steward'],
  takes: 'text/csv',
  query: z.object({
    act: z.enum(['look', 'take']),
    missing: z.enum(['stay', 'close']).default('stay'),
    name: z.string().trim().max(200).default(''),
    token: token.optional(),
  }),
  body: bytes,
  response: directoryOutcome,
  problems: ['BAD_TABLE', 'NOTHING_TO_DO'],
})

/** `to`: the mailbox that gets its mail from now on; `null`: mail to it is refused. Digests end, and so does its own page. Undone by `undoMailboxChange`. */
export const closeMailbox = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/close',
  summary: 'Close a mailbox: mail to it is refused, or goes to somebody who minds it',
  roles: ['steward'],
  params: z.object({ id: idInPath }),
  body: z.object({ to: id.nullable(), reason, token }),
  response: z.object({ act: id }),
  problems: ['MAILBOX_NOT_FOUND', 'NOTHING_TO_DO', 'BAD_MINDER'],
})

/** Its mail comes in again, with all that was its own. */
export const reopenMailbox = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/reopen',
  summary: 'Open a closed mailbox again',
  roles: ['steward'],
  params: z.object({ id: idInPath }),
  body: z.object({ reason, token }),
  response: z.object({ act: id }),
  problems: ['MAILBOX_NOT_FOUND', 'NOTHING_TO_DO'],
})

/** `look`: nothing is changed. TOO_MANY_CLOSE: more would be closed than the setting allows; a steward says so with `closes`. */
export const syncDirectory = endpoint({
  method: 'post',
  path: '/api/directory/sync',
  summary: 'Ask the directory (LDAP) who there is, and take it over or see what it would come to',
  roles: ['steward'],
  body: z.object({
    act: z.enum(['look', 'take']),
    /** So many may be closed: what was shown to whoever says it. */
    closes: count.min(0).default(0),
    token: token.optional(),
  }),
  response: directoryOutcome,
  problems: ['NO_DIRECTORY', 'DIRECTORY_FAILED', 'TOO_MANY_CLOSE', 'NOTHING_TO_DO'],
})

/** Requests about who has a mailbox, by name. */
export const directoryEndpoints = {
  previewMailboxes,
  changeMailboxes,
  bringInMailboxes,
  closeMailbox,
  reopenMailbox,
  syncDirectory,
}
