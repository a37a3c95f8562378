import { z } from 'zod'
import { endpoint, everyone, writers } from './endpoint.ts'
import { mailboxBrief } from './find-mailboxes.ts'
import { deliveryState, digestLanguage, digestSchedule, id, idInPath, moment } from './shapes.ts'

/** A digest as it would go: headers in short, and its two bodies. */
const composedDigest = z.object({
  from: z.string(),
  to: z.string(),
  subject: z.string(),
  text: z.string(),
  html: z.string(),
})

/** A digest as it would be or was sent: subject, and the same said as text and as HTML. */
export type ComposedDigest = z.infer<typeof composedDigest>

/** Counts from the next digest on; what is being sent is not called back. */
export const setDigestSchedule = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/digest-schedule',
  summary: 'When a mailbox gets its digests; `null`: as the organisation has it',
  roles: writers,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  body: z.object({ schedule: digestSchedule.nullable() }),
  response: z.object({ next: moment.nullable() }),
  problems: ['MAILBOX_NOT_FOUND'],
})

/** In which Pendro writes to a colleague: digests, answers, their own page. */
export const setLanguage = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/language',
  summary: 'The language of a mailbox’s digests and answers',
  roles: writers,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  body: z.object({ language: digestLanguage }),
  response: z.object({}),
  problems: ['MAILBOX_NOT_FOUND'],
})

/** Refused with DIGEST_GONE once the digest it was meant for has gone out: a word that nobody reads must not look said. */
export const noteDigestLine = endpoint({
  method: 'post',
  path: '/api/deliveries/{id}/digest-note',
  summary: 'Leave a line out of the coming digest, or add a word for the colleague; the record shows it',
  roles: writers,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  body: z.object({ leaveOut: z.boolean(), note: z.string().trim().max(500).default('') }),
  response: z.object({}),
  problems: ['DELIVERY_NOT_FOUND', 'DIGEST_GONE'],
})

/** Both halves of the day in the organisation's zone; moments in UTC. What went is read, what will go is computed from the schedules. */
export const digestDay = endpoint({
  method: 'get',
  path: '/api/digests/day',
  summary: 'When digests went in the last 24 hours and when they go in the next, with how many colleagues',
  roles: everyone,
  scope: {},
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

/** The answer of {@link digestDay}. */
export type DigestDay = z.infer<typeof digestDay.response>

/** A reply needs a look when it named a reference that is none, came from an unproven sender, or asked for what is sealed. */
export const digestReplies = endpoint({
  method: 'get',
  path: '/api/digests/replies',
  summary: 'Replies of colleagues, those that need a look first',
  roles: everyone,
  scope: {},
  response: z.object({
    replies: z.array(
      z.object({
        id,
        at: moment,
        mailboxId: id,
        mailboxName: z.string(),
        subject: z.string(),
        outcome: z.enum(['asked', 'nothing-left', 'automatic', 'fresh']),
        needsLook: z.boolean(),
        fates: z.array(z.object({ reference: z.string(), fate: z.string(), subject: z.string() })),
        slips: z.array(z.object({ typed: z.string(), meant: z.string() })),
        /** What the colleague wrote, as text. */
        text: z.string(),
      }),
    ),
  }),
})

/** One reply, with what it asked for and what was done. */
export type DigestReply = z.infer<typeof digestReplies.response>['replies'][number]

/** Taken off the list of those that need a look; said again it changes nothing. */
export const lookedAtReply = endpoint({
  method: 'post',
  path: '/api/digests/replies/{id}/looked-at',
  summary: 'Somebody has looked at a reply and dealt with it',
  roles: writers,
  scope: { 'params.id': 'digest-reply' },
  params: z.object({ id: idInPath }),
  response: z.object({}),
})

/** The bytes that went, not composed anew: what the colleague saw is what is shown. */
export const sentDigest = endpoint({
  method: 'get',
  path: '/api/digests/{id}',
  summary: 'A past digest as it was sent',
  roles: everyone,
  scope: { 'params.id': 'digest' },
  params: z.object({ id: idInPath }),
  response: z.object({ at: moment, mailboxId: id, message: composedDigest }),
  problems: ['DIGEST_NOT_FOUND'],
})

/** Composed by the same function that sends it. `null` bodies: there is nothing to say and no digest would go. */
export const previewDigest = endpoint({
  method: 'get',
  path: '/api/mailboxes/{id}/digest',
  summary: "What a mailbox's digest would say now: everything kept back since the last one",
  roles: everyone,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  query: z.object({
    /** Another than the mailbox's own, to see how it reads. */
    language: digestLanguage.optional(),
  }),
  response: z.object({
    mailbox: mailboxBrief,
    /** In which it is shown here. */
    language: z.string(),
    /** In which it is sent. */
    ownLanguage: digestLanguage,
    timeZone: z.string(),
    since: moment.nullable(),
    /** When the next one goes by itself; `null` for never. */
    next: moment.nullable(),
    schedule: digestSchedule.extend({ usual: z.boolean() }),
    listed: z.number().int(),
    leftOut: z.number().int(),
    /** While mail is only watched: what would have been kept back since the last digest, newest first. */
    watched: z.object({
      count: z.number().int(),
      lines: z.array(
        z.object({
          deliveryId: id,
          from: z.string(),
          subject: z.string(),
          would: z.enum(['junk', 'quarantined', 'discarded']),
        }),
      ),
    }),
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

/** The answer of {@link previewDigest}. */
export type DigestPreview = z.infer<typeof previewDigest.response>

/** Sent through the outbox like a scheduled one, which then starts counting from here. DIGEST_RUNNING: another process is at it. */
export const sendDigest = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/digest',
  summary: 'Send the digest now, as a real message',
  roles: writers,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  response: z.object({ digestId: id, listed: z.number().int(), leftOut: z.number().int() }),
  problems: ['MAILBOX_NOT_FOUND', 'NOTHING_TO_SEND', 'DIGEST_RUNNING'],
})

/** Requests about digests, by name. */
export const digestEndpoints = {
  setDigestSchedule,
  setLanguage,
  noteDigestLine,
  digestDay,
  digestReplies,
  lookedAtReply,
  sentDigest,
  previewDigest,
  sendDigest,
}
