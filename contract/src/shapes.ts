import { z } from 'zod'

export const id = z.number().int().positive()
export const idInPath = z.coerce.number().int().positive()
/** ISO 8601 in UTC. */
export const moment = z.iso.datetime()
/** 'YYYY-MM-DD' */
export const day = z.iso.date()

export const role = z.enum(['helpdesk', 'steward', 'observer'])

export const deliveryState = z.enum([
  'inspecting',
  'inbox',
  'aside',
  'junk',
  'quarantined',
  'sealed',
  'deferred',
  'bounced',
  'released',
  'discarded',
  'expired',
  'moved',
])
export type DeliveryState = z.infer<typeof deliveryState>

/** One weighed finding; its sentence is `evidence.<finding>` of the wording, filled with `facts`. */
export const evidence = z.object({
  finding: z.string(),
  weight: z.number(),
  facts: z.record(z.string(), z.union([z.string(), z.number()])),
  /** What it was read from, as pairs of name and text. */
  raw: z.array(z.tuple([z.string(), z.string()])).optional(),
})

export const standing = z.enum(['safe', 'blocked'])
export const width = z.enum(['address', 'domain', 'subtree', 'list'])

/** A sender entry as a path line or a preview names it. */
export const entryBrief = z.object({
  id: z.number().int(),
  pattern: z.string(),
  standing,
  /** `null`: kept by the organisation. */
  mailboxId: id.nullable(),
  keptBy: z.string(),
  binding: z.boolean(),
  until: moment.nullable(),
})
export type EntryBrief = z.infer<typeof entryBrief>

export const pathLine = z.object({
  stage: z.enum(['harm', 'binding', 'personal', 'organisation', 'switched-off', 'score']),
  outcome: z.enum(['clear', 'decided', 'silent', 'late']),
  facts: z.record(z.string(), z.union([z.string(), z.number()])),
  decided: entryBrief.nullable(),
  overruled: z.array(entryBrief),
  refused: z.array(z.object({ entry: entryBrief, why: z.enum(['not-authenticated', 'own-domain']) })),
})
export type PathLineShape = z.infer<typeof pathLine>

export const reviewRow = z.object({
  id,
  state: deliveryState,
  receivedAt: moment,
  expiresAt: moment,
  score: z.number(),
  fromName: z.string(),
  fromAddress: z.string(),
  subject: z.string(),
  mailboxId: id,
  mailboxName: z.string(),
  /** The two findings that weigh most towards junk, or the entry or harm that decided. */
  reasons: z.array(z.object({ finding: z.string(), facts: evidence.shape.facts })),
  attachments: z.number().int(),
  clusterKey: z.string(),
  /** Deliveries and colleagues of the cluster under the same filter; 1 and 1 for a single message. */
  clusterDeliveries: z.number().int(),
  clusterColleagues: z.number().int(),
  /** Somebody has asked for it to be released and the mail store has not taken it yet. */
  waiting: z.boolean(),
})
export type ReviewRow = z.infer<typeof reviewRow>

export const reviewOrder = z.enum(['wanted', 'newest', 'oldest', 'expiring'])
export const reviewStates = z.enum([
  'kept',
  'quarantined',
  'junk',
  'sealed',
  'waiting',
  'released',
  'discarded',
  'delivered',
  'inspecting',
])

/** The review's filter sentence; the same names stand in the URL of the screen. */
export const reviewFilter = z.object({
  states: reviewStates.default('kept'),
  /** Days counted back from today, today included, in the organisation's time zone. */
  days: z.coerce.number().int().min(1).max(366).default(14),
  mailbox: z.coerce.number().int().positive().optional(),
  from: z.coerce.number().min(0).max(100).default(0),
  to: z.coerce.number().min(0).max(100).default(100),
  find: z.string().trim().max(200).optional(),
})
export type ReviewFilter = z.infer<typeof reviewFilter>

export const limits = z.object({ junk: z.number(), quarantined: z.number(), nearCertain: z.number() })

export const rulingSentence = z.object({
  message: z.enum(['release', 'leave', 'discard', 'restore']),
  learn: z.enum(['nothing', 'wanted', 'junk', 'phishing']),
  sender: z.enum(['as-is', 'safe', 'blocked']),
  width: width.default('address'),
  /** A pattern typed by hand, in place of the width. */
  pattern: z.string().max(400).optional(),
  for: z.enum(['colleague', 'everyone']).default('colleague'),
  /** The last day it counts, in the organisation's time zone; without it, for good. */
  until: day.optional(),
  withoutAuthentication: z.boolean().default(false),
  reason: z.string().trim().max(1000).default(''),
})
export type RulingSentence = z.infer<typeof rulingSentence>

export const reachShape = z.object({
  /** Deliveries of the last `days` days that were decided again. */
  looked: z.number().int(),
  days: z.number().int(),
  /** More matched than were looked at; the numbers are then a lower bound. */
  cut: z.boolean(),
  letThrough: z.number().int(),
  keptBack: z.number().int(),
  colleagues: z.number().int(),
  harmful: z.number().int(),
  refused: z.number().int(),
  overruledBy: z.array(z.object({ entry: entryBrief, deliveries: z.number().int() })),
  /** Patterns the ruling would add, and entries that would end because of it. */
  adds: z.array(z.string()),
  ends: z.array(entryBrief),
  caution: z.enum(['shared-provider', 'own-domain']).nullable(),
})
export type ReachShape = z.infer<typeof reachShape>
