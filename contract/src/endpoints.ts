import { z } from 'zod'
import { endpoint, everyone, writers } from './endpoint.ts'
import {
  day,
  deliveryState,
  digestLanguage,
  digestSchedule,
  entryBrief,
  evidence,
  id,
  idInPath,
  limits,
  moment,
  pathLine,
  reachShape,
  reviewFilter,
  reviewOrder,
  reviewRow,
  role,
  rulingSentence,
} from './shapes.ts'

const staffer = z.object({ id, name: z.string(), signIn: z.string(), role })

export const session = z.object({
  staffer,
  csrf: z.string(),
  organisation: z.object({ name: z.string(), timeZone: z.string(), limits, keepDays: z.number() }),
})
export type Session = z.infer<typeof session>

export const signIn = endpoint({
  method: 'post',
  path: '/api/session',
  summary: 'Sign in; sets the session cookie',
  roles: 'anyone',
  body: z.object({ signIn: z.string().trim().min(1).max(200), password: z.string().min(1).max(500) }),
  response: session,
  problems: ['SIGN_IN_FAILED', 'TOO_MANY_TRIES'],
})
export const readSession = endpoint({
  method: 'get',
  path: '/api/session',
  summary: 'Who is signed in',
  roles: everyone,
  response: session,
})
export const signOut = endpoint({
  method: 'delete',
  path: '/api/session',
  summary: 'Sign out',
  roles: everyone,
  response: z.object({}),
})

export const setUpNeeded = endpoint({
  method: 'get',
  path: '/api/set-up',
  summary: 'Whether this installation is still empty',
  roles: 'anyone',
  response: z.object({ needed: z.boolean() }),
})
const timeZone = z.string().refine(
  zone => {
    try {
      return Boolean(new Intl.DateTimeFormat('en', { timeZone: zone }))
    } catch {
      return false
    }
  },
  { error: 'is a time zone such as Europe/Oslo' },
)
export const beginSetUp = endpoint({
  method: 'post',
  path: '/api/set-up',
  summary: 'Set up an empty installation: the organisation, its mailboxes and the first steward. Works once.',
  roles: 'anyone',
  body: z.object({
    organisation: z.string().trim().min(1).max(200),
    timeZone,
    /** One a line: domains that are ours. */
    ownDomains: z.string().trim().min(1).max(10_000),
    /** One a line: hosts whose Authentication-Results are believed. May be empty. */
    trustedHosts: z.string().max(10_000).default(''),
    /** One a line: address, then a comma and the name. */
    mailboxes: z.string().trim().min(1).max(250_000),
    name: z.string().trim().min(1).max(200),
    signIn: z.string().trim().min(1).max(200),
    password: z.string().min(12, { error: 'has at least 12 characters' }).max(500),
  }),
  response: z.object({ mailboxes: z.number().int() }),
  problems: ['BAD_SET_UP', 'ALREADY_SET_UP'],
})

const dangers = z.enum([
  'executable',
  'script',
  'macro',
  'encrypted-archive',
  'unreadable-archive',
  'program-in-archive',
  'bomb',
  'disguised',
])
export const readForbidden = endpoint({
  method: 'get',
  path: '/api/organisation/forbidden',
  summary: 'Kinds of attachments that seal a message, whatever any list says',
  roles: everyone,
  response: z.object({ forbidden: z.array(dangers), possible: z.array(dangers) }),
})
export const setForbidden = endpoint({
  method: 'post',
  path: '/api/organisation/forbidden',
  summary: 'Set these kinds; counts for mail that comes in from now on',
  roles: ['steward'],
  body: z.object({ forbidden: z.array(dangers) }),
  response: z.object({ forbidden: z.array(dangers) }),
})

export const mailboxBrief = z.object({
  id,
  name: z.string(),
  address: z.string(),
  department: z.string(),
  kind: z.enum(['person', 'shared', 'list']),
  kept: z.number().int(),
  /** Of these in no digest yet: listed in the next one, and left out of it. */
  nextListed: z.number().int(),
  nextLeftOut: z.number().int(),
})
export type MailboxBrief = z.infer<typeof mailboxBrief>

export const findMailboxes = endpoint({
  method: 'get',
  path: '/api/mailboxes',
  summary: 'Mailboxes whose name, address or alias contains the text, most kept-back mail first',
  roles: everyone,
  query: z.object({
    find: z.string().trim().max(200).default(''),
    /** Most kept back first, or fullest next digest. */
    order: z.enum(['kept', 'digest']).default('kept'),
    limit: z.coerce.number().int().min(1).max(500).default(20),
  }),
  response: z.object({ mailboxes: z.array(mailboxBrief), total: z.number().int() }),
})

const page = z.object({ rows: z.array(reviewRow), next: z.string().nullable() })

export const reviewList = endpoint({
  method: 'get',
  path: '/api/review',
  summary: 'Kept-back mail in order, one row a cluster; page by the cursor in `next`',
  roles: everyone,
  query: reviewFilter.extend({
    order: reviewOrder.default('wanted'),
    after: z.string().max(200).optional(),
    limit: z.coerce.number().int().min(1).max(200).default(100),
  }),
  response: page,
})
export const reviewCounts = endpoint({
  method: 'get',
  path: '/api/review/counts',
  summary: 'How many deliveries the filter shows, along the score; the band itself is not applied',
  roles: everyone,
  query: reviewFilter,
  response: z.object({
    total: z.number().int(),
    inBand: z.number().int(),
    /** 50 bins of two points each. */
    bins: z.array(z.number().int()),
    limits,
  }),
})
export const reviewCluster = endpoint({
  method: 'get',
  path: '/api/review/clusters/{key}',
  summary: 'The deliveries of one cluster under a filter',
  roles: everyone,
  params: z.object({ key: z.string().regex(/^[0-9a-f]{32}$/) }),
  query: reviewFilter,
  response: z.object({ rows: z.array(reviewRow), cut: z.boolean() }),
})

export const deliverySheet = endpoint({
  method: 'get',
  path: '/api/deliveries/{id}',
  summary: 'One delivery with what weighs on it and how it was decided',
  roles: everyone,
  params: z.object({ id: idInPath }),
  response: z.object({
    row: reviewRow,
    addressUsed: z.string(),
    mailboxAddress: z.string(),
    mailboxTimeZone: z.string(),
    to: z.array(z.string()),
    replyTo: z.string(),
    envelopeFrom: z.string(),
    listId: z.string(),
    fromDomain: z.string(),
    size: z.number().int(),
    evidence: z.array(evidence),
    path: z.array(pathLine),
    /** `null` when the message could not be read or has gone away. */
    body: z
      .object({
        hasHtml: z.boolean(),
        linksDisarmed: z.number(),
        picturesLeftOut: z.number(),
        /** Of these, the ones that can be fetched from their hosts. */
        remotePictures: z.number().int(),
        hiddenText: z.string(),
      })
      .nullable(),
    unreadable: z.boolean(),
    /** It is in the colleague's own mailbox: whoever opens it says why. */
    asksWhy: z.boolean(),
    attachments: z.array(
      z.object({
        name: z.string(),
        declaredType: z.string(),
        trueType: z.string(),
        size: z.number().int(),
        danger: z.string().nullable(),
        /** What was found inside, in a few words. */
        note: z.string(),
        /** The words of a PDF; '' for all else. */
        words: z.string(),
      }),
    ),
    /** Who really handed the message in; its sentence is `provenance.<kind>` of the wording. */
    provenance: z.object({ kind: z.string(), facts: z.record(z.string(), z.string()) }),
    /** The sender's own way out: none, one to be followed by hand (and why), or one click (RFC 8058). */
    unsubscribe: z.object({
      kind: z.enum(['none', 'by-hand', 'one-click']),
      why: z.string(),
      to: z.string(),
    }),
    inspection: z.object({ done: z.boolean(), verdict: z.string(), problem: z.string() }).nullable(),
    headers: z.array(z.object({ name: z.string(), value: z.string() })),
    /** What has happened to it since, oldest first. */
    history: z.array(
      z.object({
        at: moment,
        act: z.string(),
        by: z.string(),
        reason: z.string(),
        rulingId: id.nullable(),
        facts: evidence.shape.facts,
      }),
    ),
    waiting: z.object({ attempts: z.number().int(), nextAt: moment, problem: z.string() }).nullable(),
  }),
  problems: ['DELIVERY_NOT_FOUND'],
})
export type DeliverySheet = z.infer<typeof deliverySheet.response>

export const sayWhy = endpoint({
  method: 'post',
  path: '/api/deliveries/{id}/why',
  summary:
    'Say why a message in a colleague’s mailbox is opened; counts for half an hour, and the record keeps it',
  roles: everyone,
  params: z.object({ id: idInPath }),
  body: z.object({ reason: z.string().trim().min(3).max(500), enquiry: id.optional() }),
  response: z.object({}),
  problems: ['DELIVERY_NOT_FOUND'],
})
export const previewRuling = endpoint({
  method: 'post',
  path: '/api/rulings/reach',
  summary: 'What a ruling about a sender would have changed in the mail of the last 30 days',
  roles: everyone,
  body: z.object({ deliveries: z.array(id).min(1).max(2000), sentence: rulingSentence }),
  response: reachShape,
  problems: ['BAD_PATTERN', 'NO_SENDER', 'DELIVERY_NOT_FOUND', 'UNTIL_PASSED'],
})
const rulingResult = z.object({
  id,
  at: moment,
  deliveries: z.array(z.object({ id, state: deliveryState })),
  added: z.array(entryBrief),
  ended: z.array(entryBrief),
})
export const applyRuling = endpoint({
  method: 'post',
  path: '/api/rulings',
  summary: 'Apply a ruling to deliveries and their senders: all of it, or nothing',
  roles: writers,
  body: z.object({
    deliveries: z.array(id).min(1).max(2000),
    sentence: rulingSentence,
    /** Made by the client; the same ruling sent again with it is not applied again. */
    token: z.uuid(),
  }),
  response: rulingResult,
  problems: [
    'BAD_PATTERN',
    'NEEDS_REASON',
    'NOTHING_TO_DO',
    'NO_SENDER',
    'UNTIL_PASSED',
    'NEEDS_STEWARD',
    'DELIVERY_NOT_FOUND',
    'SEALED',
    'ALREADY_RULED',
    'WRONG_STATE',
  ],
})
export const handIn = endpoint({
  method: 'post',
  path: '/api/reports',
  summary: 'Hand in a message that got through (its source, base64), to be learned as junk or phishing',
  roles: writers,
  body: z.object({ source: z.base64().min(20).max(14_000_000), verdict: z.enum(['junk', 'phishing']) }),
  response: z.object({
    rulingId: id,
    subject: z.string(),
    /** The delivery it is, when Pendro has seen it. */
    deliveryId: id.nullable(),
  }),
  problems: ['NO_MESSAGE'],
})
export const undoRuling = endpoint({
  method: 'post',
  path: '/api/rulings/{id}/undo',
  summary: 'Undo a ruling: entries, learning and what has not left the house; released copies stay delivered',
  roles: writers,
  params: z.object({ id: idInPath }),
  response: z.object({
    deliveries: z.array(z.object({ id, state: deliveryState })),
    stayedReleased: z.number().int(),
  }),
  problems: ['RULING_NOT_FOUND', 'ALREADY_UNDONE', 'LATER_RULING', 'NEEDS_STEWARD'],
})

/** A digest as it would go: headers in short, and its two bodies. */
const composedDigest = z.object({
  from: z.string(),
  to: z.string(),
  subject: z.string(),
  text: z.string(),
  html: z.string(),
})
export type ComposedDigest = z.infer<typeof composedDigest>

export const setDigestSchedule = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/digest-schedule',
  summary: 'When a mailbox gets its digests; `null`: as the organisation has it',
  roles: writers,
  params: z.object({ id: idInPath }),
  body: z.object({ schedule: digestSchedule.nullable() }),
  response: z.object({ next: moment.nullable() }),
  problems: ['MAILBOX_NOT_FOUND'],
})
export const noteDigestLine = endpoint({
  method: 'post',
  path: '/api/deliveries/{id}/digest-note',
  summary: 'Leave a line out of the coming digest, or add a word for the colleague; the record shows it',
  roles: writers,
  params: z.object({ id: idInPath }),
  body: z.object({ leaveOut: z.boolean(), note: z.string().trim().max(500).default('') }),
  response: z.object({}),
  problems: ['DELIVERY_NOT_FOUND', 'DIGEST_GONE'],
})
export const digestDay = endpoint({
  method: 'get',
  path: '/api/digests/day',
  summary: 'When digests went in the last 24 hours and when they go in the next, with how many colleagues',
  roles: everyone,
  response: z.object({
    now: moment,
    timeZone: z.string(),
    moments: z.array(
      z.object({
        at: moment,
        past: z.boolean(),
        mailboxes: z.number().int(),
        /** Of past ones: refused by the mail store. */
        bounced: z.number().int(),
      }),
    ),
    repliesToLookAt: z.number().int(),
  }),
})
export type DigestDay = z.infer<typeof digestDay.response>
export const digestReplies = endpoint({
  method: 'get',
  path: '/api/digests/replies',
  summary: 'Replies of colleagues, those that need a look first',
  roles: everyone,
  response: z.object({
    replies: z.array(
      z.object({
        id,
        at: moment,
        mailboxId: id,
        mailboxName: z.string(),
        subject: z.string(),
        outcome: z.enum(['asked', 'nothing-left', 'automatic']),
        needsLook: z.boolean(),
        fates: z.array(z.object({ reference: z.string(), fate: z.string(), subject: z.string() })),
        slips: z.array(z.object({ typed: z.string(), meant: z.string() })),
        /** What the colleague wrote, as text. */
        text: z.string(),
      }),
    ),
  }),
})
export type DigestReply = z.infer<typeof digestReplies.response>['replies'][number]
export const lookedAtReply = endpoint({
  method: 'post',
  path: '/api/digests/replies/{id}/looked-at',
  summary: 'Somebody has looked at a reply and dealt with it',
  roles: writers,
  params: z.object({ id: idInPath }),
  response: z.object({}),
})
export const sentDigest = endpoint({
  method: 'get',
  path: '/api/digests/{id}',
  summary: 'A past digest as it was sent',
  roles: everyone,
  params: z.object({ id: idInPath }),
  response: z.object({ at: moment, mailboxId: id, message: composedDigest }),
  problems: ['DIGEST_NOT_FOUND'],
})
export const previewDigest = endpoint({
  method: 'get',
  path: '/api/mailboxes/{id}/digest',
  summary: "What a mailbox's digest would say now: everything kept back since the last one",
  roles: everyone,
  params: z.object({ id: idInPath }),
  query: z.object({
    /** Another than the mailbox's own, to see how it reads. */
    language: digestLanguage.optional(),
  }),
  response: z.object({
    mailbox: mailboxBrief,
    language: z.string(),
    timeZone: z.string(),
    since: moment.nullable(),
    /** When the next one goes by itself; `null` for never. */
    next: moment.nullable(),
    schedule: digestSchedule.extend({ usual: z.boolean() }),
    listed: z.number().int(),
    leftOut: z.number().int(),
    /** Lines a staffer may leave out or say something about, likeliest-wanted first. */
    lines: z.array(
      z.object({
        deliveryId: id,
        from: z.string(),
        subject: z.string(),
        leaveOut: z.boolean(),
        note: z.string(),
      }),
    ),
    /** What was ruled on since the last digest, newest first. */
    changed: z.array(
      z.object({
        deliveryId: id,
        from: z.string(),
        subject: z.string(),
        state: deliveryState,
        /** It was in an earlier digest; else it will be in none. */
        wasListed: z.boolean(),
        /** The staffer's name; '' for the colleague. */
        by: z.string(),
      }),
    ),
    /** `null` when there is nothing to say. */
    message: composedDigest.nullable(),
    sent: z.array(
      z.object({
        id,
        at: moment,
        listed: z.number().int(),
        leftOut: z.number().int(),
        state: z.string(),
        problem: z.string(),
      }),
    ),
  }),
  problems: ['MAILBOX_NOT_FOUND'],
})
export type DigestPreview = z.infer<typeof previewDigest.response>
export const sendDigest = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/digest',
  summary: 'Send the digest now, as a real message',
  roles: writers,
  params: z.object({ id: idInPath }),
  response: z.object({ digestId: id, listed: z.number().int(), leftOut: z.number().int() }),
  problems: ['MAILBOX_NOT_FOUND', 'NOTHING_TO_SEND', 'DIGEST_RUNNING'],
})

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
  undone: z.boolean(),
  reason: z.string(),
  facts: evidence.shape.facts,
})
export type RecordLine = z.infer<typeof recordLine>

export const readRecord = endpoint({
  method: 'get',
  path: '/api/record',
  summary: 'Who did what, to what, for whom and why; newest first',
  roles: everyone,
  query: z.object({
    who: z.enum(['everybody', 'staffers', 'pendro', 'me']).default('staffers'),
    what: z
      .enum(['everything', 'rulings', 'lists', 'reading', 'digests', 'enquiries', 'signing-in'])
      .default('everything'),
    mailbox: z.coerce.number().int().positive().optional(),
    since: day.optional(),
    /** One ruling, its undo, and what followed from it. */
    ruling: z.coerce.number().int().positive().optional(),
    after: z.coerce.number().int().positive().optional(),
    limit: z.coerce.number().int().min(1).max(200).default(80),
  }),
  response: z.object({ lines: z.array(recordLine), next: id.nullable() }),
})

export const health = endpoint({
  method: 'get',
  path: '/api/health',
  summary: 'Whether the server and its database answer',
  roles: 'anyone',
  response: z.object({ ok: z.literal(true) }),
  problems: ['DATABASE_AWAY'],
})

/** What the live stream sends (`GET /api/live`, server-sent events): deliveries that changed, or new ones. */
export const liveEvent = z.object({
  id,
  kind: z.enum(['came-in', 'changed', 'ruled', 'digest', 'senders', 'enquiry']),
  deliveryId: id.nullable(),
  state: deliveryState.nullable(),
  by: z.string(),
})
export type LiveEvent = z.infer<typeof liveEvent>
