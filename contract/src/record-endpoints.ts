import { z } from 'zod'
import { endpoint, everyone, fileEndpoint } from './endpoint.ts'
import { day, deliveryState, evidence, id, moment, placeInList } from './shapes.ts'

/** One line of the record. `facts` fill the sentence of its act; `at` in UTC. */
export const recordLine = z.object({
  id,
  at: moment,
  act: z.string(),
  by: z.string(),
  byKind: z.enum(['staffer', 'colleague', 'pendro']),
  mailboxId: id.nullable(),
  mailboxName: z.string(),
  deliveryId: id.nullable(),
  rulingId: id.nullable(),
  /** The change of a mailbox that it tells, for its undo. */
  changeId: id.nullable(),
  undone: z.boolean(),
  reason: z.string(),
  facts: evidence.shape.facts,
})

/** A checked {@link recordLine}. */
export type RecordLine = z.infer<typeof recordLine>

/** Page by `after`, the number of the last line that was read. */
export const readRecord = endpoint({
  method: 'get',
  path: '/api/record',
  summary: 'Who did what, to what, for whom and why; newest first',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox', 'query.ruling': 'ruling' },
  query: z.object({
    who: z.enum(['everybody', 'staffers', 'pendro', 'me']).default('staffers'),
    what: z
      .enum([
        'everything',
        'rulings',
        'lists',
        'reading',
        'digests',
        'enquiries',
        'mail-rules',
        'mailboxes',
        'signing-in',
      ])
      .default('everything'),
    mailbox: z.coerce.number().int().positive().optional(),
    since: day.optional(),
    /** One ruling, its undo, and what followed from it. */
    ruling: z.coerce.number().int().positive().optional(),
    after: placeInList,
    limit: z.coerce.number().int().min(1).max(200).default(80),
  }),
  response: z.object({ lines: z.array(recordLine), next: z.string().nullable() }),
  problems: ['BAD_CURSOR'],
})

/** What the live stream sends (`GET /api/live`, server-sent events): deliveries that changed, or new ones. */
export const liveEvent = z.object({
  id,
  kind: z.enum(['came-in', 'changed', 'ruled', 'digest', 'senders', 'enquiry', 'mailbox']),
  deliveryId: id.nullable(),
  state: deliveryState.nullable(),
  by: z.string(),
})

/** Something that has just been committed, as the event stream tells it. */
export type LiveEvent = z.infer<typeof liveEvent>

/** A client that comes back with `Last-Event-ID`, or `after` in the address, gets what it missed. */
export const liveStream = fileEndpoint({
  path: '/api/live',
  summary: 'Server-sent events: each `data` is one happening that has just been committed',
  roles: everyone,
  scope: {},
  query: z.object({ after: z.coerce.number().int().nonnegative().catch(0) }),
  gives: ['text/event-stream'],
})

/** Requests about the record and what happens, by name. */
export const recordEndpoints = {
  liveStream,
  readRecord,
}
