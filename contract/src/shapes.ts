import { z } from 'zod'

import { deliveryStates, directions, judgedStates } from '@pendro/core/delivery'
import { fewestDays, mostDays } from '@pendro/core/keeping'

export {
  endsByItself,
  hasArrived,
  isAgainstEvidence,
  isKeptBack,
  isUndecided,
  mayApplyByKey,
  personalActs,
  startingAct,
} from '@pendro/core/delivery'

/** The number of a row. */
export const id = z.number().int().positive()
/** Where a page begins: the `next` of the page before. Only as we gave it out; anything else is refused with BAD_CURSOR. */
export const placeInList = z.string().max(2000).optional()
/** The same where it comes as text in a path or query. */
export const idInPath = z.coerce.number().int().positive()
/** ISO 8601 in UTC. */
export const moment = z.iso.datetime()
/** 'YYYY-MM-DD' */
export const day = z.iso.date()

/** What a staffer may do; see {@link Role}. */
export const role = z.enum(['helpdesk', 'steward', 'observer'])

/** What somebody looks after: all departments there are and will be (`null`), or some by name. */
export const departments = z.array(z.string().min(1).max(100)).min(1).max(200).nullable()

/** What colleagues may do on their own pages: digest times, own lists, times away with replies, mail rules. */
export const ownMay = z.object({
  digests: z.boolean(),
  senders: z.boolean(),
  away: z.boolean(),
  rules: z.boolean(),
})
/** A checked {@link ownMay}. */
export type OwnMay = z.infer<typeof ownMay>

/** A one-time code of an app (RFC 6238), or a passkey (WebAuthn). */
export const factorKind = z.enum(['code', 'passkey'])
/** A checked {@link factorKind}. */
export type FactorKind = z.infer<typeof factorKind>

/** Where a delivery is (domain.md §1); what is legal in each is in core/delivery. */
export const deliveryState = z.enum(deliveryStates)
/** A checked {@link deliveryState}. */
export type DeliveryState = z.infer<typeof deliveryState>

/** One weighed finding; its sentence is `evidence.<finding>` of the wording, filled with `facts`. */
export const evidence = z.object({
  finding: z.string(),
  weight: z.number(),
  facts: z.record(z.string(), z.union([z.string(), z.number()])),
  /** What it was read from, as pairs of name and text. */
  /** What it was read from. With a `code` the words are `raw.label.code` or `raw.value.code`. */
  raw: z
    .array(
      z.object({
        name: z.string(),
        text: z.string(),
        code: z.string().optional(),
        facts: z.record(z.string(), z.union([z.string(), z.number()])).optional(),
      }),
    )
    .optional(),
})

/** Whether an entry lets mail in or keeps it back. */
export const standing = z.enum(['safe', 'blocked'])
/** How much of a sender a ruling is about, narrowest first. */
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
/** A checked {@link entryBrief}. */
export type EntryBrief = z.infer<typeof entryBrief>

/** What a mail rule that matched says. Rules of before placing was a question of its own said 'moved' and 'inbox' in stage `rules`. */
export const saidByRule = z.object({
  id: z.number().int(),
  name: z.string(),
  place: z.enum(['let-in', 'junk', 'discarded', 'moved', 'inbox', 'aside', 'important']),
  folder: z.string(),
  /** Present when it marks, too. */
  important: z.literal(true).optional(),
  /** Present for a rule of the organisation. */
  owner: z.literal('organisation').optional(),
})
/** A checked {@link saidByRule}. */
export type SaidByRule = z.infer<typeof saidByRule>

/** One stage of the decision path (domain.md §3), with the entries that had their say in it. */
export const pathLine = z.object({
  stage: z.enum([
    'harm',
    'binding',
    'personal',
    'organisation',
    'rules',
    'switched-off',
    'score',
    'watching',
    'placing',
  ]),
  outcome: z.enum(['clear', 'decided', 'silent', 'late']),
  facts: z.record(z.string(), z.union([z.string(), z.number()])),
  decided: entryBrief.nullable(),
  overruled: z.array(entryBrief),
  refused: z.array(
    z.object({ entry: entryBrief, why: z.enum(['not-authenticated', 'own-domain', 'unreadable-sender']) }),
  ),
  /** Mail rules that matched and speak to the stage; with 'decided' the first did. */
  rules: z.array(saidByRule).optional(),
})
/** A checked {@link pathLine}. */
export type PathLineShape = z.infer<typeof pathLine>

/** One row of the review list. `score` 0 to 100; moments in UTC. */
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
  /** Where the evidence points; releasing what it speaks against asks for a reason. */
  points: z.enum(directions),
  /** The address it was sent to, where that is another than the mailbox's own; else ''. */
  sentTo: z.string(),
  /** Bytes. */
  size: z.number().int(),
  clusterKey: z.string(),
  /** Deliveries and colleagues of the cluster under the same filter; 1 and 1 for a single message. */
  clusterDeliveries: z.number().int(),
  clusterColleagues: z.number().int(),
  /** Somebody has asked for it to be released and the mail store has not taken it yet. */
  waiting: z.boolean(),
  /** An open enquiry waits for it. */
  askedFor: z.boolean(),
  /** Its colleague moved it in a mail program, and so did this many mailboxes with messages like it. */
  moved: z.object({ as: z.enum(['junk', 'wanted']), colleagues: z.number().int() }).nullable(),
})
/** A checked {@link reviewRow}. */
export type ReviewRow = z.infer<typeof reviewRow>

/** How the review list is sorted; 'expiring': what goes away first. */
export const reviewOrder = z.enum(['wanted', 'newest', 'oldest', 'expiring'])
/** States the review list can show. */
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
  'watched',
  'moved',
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
/** A checked filter of the review list. */
export type ReviewFilter = z.infer<typeof reviewFilter>

/** Scores from which mail goes to junk, is quarantined, and is near-certain junk; 0 to 100, rising. */
export const limits = z.object({ junk: z.number(), quarantined: z.number(), nearCertain: z.number() })

const daysKept = z.number().int().min(fewestDays).max(mostDays)

/** Days that quarantined, junk-folder and discarded mail is kept. */
export const keptDays = z.object({ quarantined: daysKept, junk: daysKept, discarded: daysKept })

/** A ruling as its sentence says it: what becomes of the message, what is learned, and what of the sender. */
export const rulingSentence = z.object({
  message: z.enum(['release', 'leave', 'discard', 'restore']),
  learn: z.enum(['nothing', 'wanted', 'junk', 'phishing']),
  sender: z.enum(['as-is', 'safe', 'blocked']),
  width: width.default('address'),
  /** A pattern typed by hand, in place of the width. */
  pattern: z.string().max(400).optional(),
  /** 'request': no entry is made; the stewards are asked to make it one for everybody. */
  for: z.enum(['colleague', 'everyone', 'request']).default('colleague'),
  /** The last day it counts, in the organisation's time zone; without it, for good. */
  until: day.optional(),
  withoutAuthentication: z.boolean().default(false),
  /** A mail rule is made that puts mail of this list, or else of this sender, into the inbox from now on. */
  place: z.literal('inbox').optional(),
  reason: z.string().trim().max(1000).default(''),
})
/** A checked {@link rulingSentence}. */
export type RulingSentence = z.infer<typeof rulingSentence>

/** Deliveries by what they were taken for: by a person where one ruled, else by their score. */
export const split = z.object({
  wanted: z.number().int(),
  doubtful: z.number().int(),
  harmful: z.number().int(),
})
/** Deliveries by what they were taken for. */
export type SplitShape = z.infer<typeof split>

/** Where mail can be judged to go; near-certain junk is left out of digests. */
export const placeOfMail = z.enum([...judgedStates, 'left-out'])

/** What a change of the lists would have done to mail already seen. Deliveries, but for `colleagues`. */
export const reachNumbers = z.object({
  /** Matched by an entry that is added or ended. */
  looked: z.number().int(),
  letThrough: split,
  keptBack: split,
  /** In another place than before, but kept back, or arriving, both times. */
  elsewhere: z.number().int(),
  /** Those, by where they were and would have been, most often first; `left-out`: quarantined and named in no digest. */
  moves: z.array(z.object({ from: placeOfMail, to: placeOfMail, deliveries: z.number().int() })),
  colleagues: z.number().int(),
  /** Matched a new safe entry that does not count for want of authentication. */
  refused: z.number().int(),
  /** Harmful by content: stay sealed whatever any list says. */
  sealed: z.number().int(),
})
/** What a change would have done; numbers are deliveries but `colleagues`. */
export type ReachNumbers = z.infer<typeof reachNumbers>

/** Why an entry needs a steward and a reason. */
export const caution = z.enum(['shared-provider', 'own-domain', 'unreadable-sender'])

/** Reach with the examples and the patterns beside. */
export const reachShape = reachNumbers.extend({
  days: z.number().int(),
  overruledBy: z.array(z.object({ entry: entryBrief, deliveries: z.number().int() })),
  /** Patterns that would be added, and entries that would end because of it: the first 50 of each. */
  adds: z.array(z.string()),
  ends: z.array(entryBrief),
  caution: caution.nullable(),
  /** Why nobody can do this; `null` when it can be done. */
  refusal: z.enum(['blocks-own-domain']).nullable(),
  /** The same with narrower and wider patterns; empty when more than one pattern is proposed. */
  beside: z.array(
    z.object({
      pattern: z.string(),
      shown: z.string(),
      kind: width,
      reach: reachNumbers,
      caution: caution.nullable(),
    }),
  ),
  /** Of those, the narrowest that lets the same wanted mail, or that of the senders at hand, through with less harm. */
  narrower: z.object({ pattern: z.string(), frees: z.enum(['all', 'at-hand']) }).nullable(),
  /**
   * What a block by this pattern misses of the same sender's mail, and the pattern that misses least. `missed`: of the
   * mail of those the block is for; `addresses`: that the sender wrote from, to anybody.
   */
  gap: z
    .object({ missed: z.number().int(), addresses: z.number().int(), pattern: z.string(), kind: width })
    .nullable(),
})
/** A checked {@link reachShape}. */
export type ReachShape = z.infer<typeof reachShape>

/** A sender entry as somebody writes it. */
export const entryDraft = z.object({
  pattern: z.string().trim().min(1).max(400),
  standing,
  /** `null`: the organisation's. */
  mailboxId: id.nullable(),
  /** Organisation entries only; without it blocks bind and safe entries do not. */
  binding: z.boolean().optional(),
  withoutAuthentication: z.boolean().default(false),
  /** The last day it counts, in the organisation's time zone. */
  until: day.nullable().default(null),
})
/** An entry as somebody typed it. */
export type EntryDraft = z.infer<typeof entryDraft>

/** Drafts to add (in place of an entry, or of one that had ended), and entries to end. */
export const registerChange = z.object({
  add: z
    .array(entryDraft.extend({ replaces: id.optional(), restores: id.optional() }))
    .max(500)
    .default([]),
  end: z.array(id).max(5000).default([]),
})
/** A change of the lists as it is asked for: entries to add, change, end and restore. */
export type RegisterChangeShape = z.input<typeof registerChange>

/** What upkeep finds, most harmful first. */
export const findingKind = z.enum([
  'contradicts',
  'lets-in-too-much',
  'let-harm-in',
  'blocks-wanted',
  'for-everyone',
  'covered',
  'duplicate',
  'never-authenticated',
  'slip',
  'quiet',
  'expired',
])
/** A checked {@link findingKind}. */
export type FindingKind = z.infer<typeof findingKind>

/** Findings whose remedy changes nothing about any mail, and that can be tidied all at once. */
export const tidyKind = findingKind.extract(['covered', 'duplicate', 'expired'])
/** Kinds whose remedy changes nothing that mail would notice. */
export type TidyKind = z.infer<typeof tidyKind>

/** How an entry came to be. */
export const entryOrigin = z.enum([
  'by hand',
  'ruling',
  'digest',
  'import',
  'contacts',
  'mail rules',
  'request',
  'upkeep',
])

/** One row of the sender lists. */
export const entryRow = entryBrief.extend({
  kind: width,
  /** The canonical text, domains as A-labels. */
  patternText: z.string(),
  withoutAuthentication: z.boolean(),
  reason: z.string(),
  origin: entryOrigin,
  createdAt: moment,
  endedAt: moment.nullable(),
  lastMatchedAt: moment.nullable(),
  /** Deliveries that met it on each of the last 30 days, oldest first. */
  days: z.array(z.number().int()),
  /** Other live entries with the same pattern and standing. */
  others: z.number().int(),
  finding: z.object({ key: z.string(), kind: findingKind, facts: evidence.shape.facts }).nullable(),
})
/** A checked {@link entryRow}. */
export type EntryRowShape = z.infer<typeof entryRow>

/** The senders' filter sentence; the same names stand in the URL of the screen. */
export const senderFilter = z.object({
  standing: z.enum(['both', 'safe', 'blocked']).default('both'),
  owner: z.enum(['all', 'organisation', 'colleagues']).default('all'),
  mailbox: z.coerce.number().int().positive().optional(),
  kind: z.enum(['any', 'address', 'domain', 'subtree', 'list']).default('any'),
  state: z.enum(['live', 'expired', 'ended']).default('live'),
  finding: z.union([z.enum(['any', 'all']), findingKind]).default('all'),
  matched: z.enum(['any', 'month', 'not-lately', 'never']).default('any'),
  find: z.string().trim().max(200).optional(),
})
/** A checked filter of the sender lists. */
export type SenderFilter = z.infer<typeof senderFilter>
/** How the sender lists are sorted; 'worst': what let harmful mail in or kept wanted mail back. */
export const senderOrder = z.enum(['matched', 'newest', 'pattern', 'worst'])

/** Languages digests, and the colleagues' own pages, are written in. */
export const digestLanguage = z.enum(['en', 'nb', 'de', 'pl'])
/** Languages colleagues are written to in. */
export const digestLanguages = digestLanguage.options
/** Languages colleagues are written to in (BCP 47). */
export type DigestLanguage = z.infer<typeof digestLanguage>

/** When digests go: local times 'HH:MM', and weekdays 1 (Monday) to 7 (ISO 8601). */
export const digestSchedule = z.object({
  /** Local times of the mailbox's zone; none: no digests. */
  times: z.array(z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, { error: 'is a time such as 07:00' })).max(6),
  /** 1 for Monday to 7 for Sunday. */
  weekdays: z.array(z.number().int().min(1).max(7)).max(7),
})
/** A checked {@link digestSchedule}. */
export type DigestScheduleShape = z.infer<typeof digestSchedule>

/** A mail folder as the colleague sees it in their mail program; levels of folders are parted by '/'. */
export const folderName = z
  .string()
  .trim()
  .min(1)
  .max(120)
  .regex(/^\P{Cc}*$/u, 'is a name without control characters')
  .refine(name => name.split('/').every(part => part.trim() !== ''), {
    error: 'has a name between all slashes',
  })
