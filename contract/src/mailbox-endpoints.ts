import { z } from 'zod'
import { longestAway, mostAway } from '@pendro/core/keeping'
import { weights, type Finding } from '@pendro/core/weights'
import { bytes, endpoint, everyone, writers } from './endpoint.ts'
import { findMailboxes, mailboxBrief } from './find-mailboxes.ts'
import {
  day,
  digestLanguage,
  folderName,
  id,
  idInPath,
  keptDays,
  limits,
  moment,
  placeInList,
} from './shapes.ts'

export { areLimits, readyAt, readyLimits, type ReadyLimits } from '@pendro/core/limits'

/** Which mailboxes a table shows; each but the first is a reason to look at them. */
export const mailboxTraits = [
  'all',
  'unlike',
  'away',
  'closed',
  'filtering-off',
  'digest-off',
  'kept-back',
  'released',
  'going',
  'unlooked',
] as const

/** By what a table of mailboxes is in order. */
export const mailboxOrders = ['name', 'kept', 'released', 'going'] as const

/** A row of the table. `released` and `kept` are of the last 30 days; `going`: what goes away within three days and is likely wanted. */
export const mailboxRow = mailboxBrief.omit({ nextListed: true, nextLeftOut: true }).extend({
  released: z.number().int(),
  going: z.number().int(),
  /** Waits for a decision, came at least two weeks ago, and nobody of the mailbox has looked since. */
  unlooked: z.number().int(),
  /** Own limits, days or digest times. */
  unlike: z.boolean(),
  filtering: z.boolean(),
  digests: z.boolean(),
  /** The day they are back; `null` for somebody who is there. */
  awayUntil: day.nullable(),
  closed: z.boolean(),
})

/** A checked {@link mailboxRow}. */
export type MailboxRow = z.infer<typeof mailboxRow>

/** Page by `next`. The departments are those there are, for the sentence above the table. */
export const listMailboxes = endpoint({
  method: 'get',
  path: '/api/mailboxes/table',
  summary: 'Mailboxes as a table, in an order, with what is unusual about each',
  roles: everyone,
  scope: {},
  query: z.object({
    kind: z.enum(['any', 'person', 'shared', 'list']).default('any'),
    department: z.string().max(100).default(''),
    trait: z.enum(mailboxTraits).default('all'),
    find: z.string().trim().max(200).default(''),
    order: z.enum(mailboxOrders).default('name'),
    after: placeInList,
    limit: z.coerce.number().int().min(1).max(200).default(60),
  }),
  response: z.object({
    rows: z.array(mailboxRow),
    total: z.number().int(),
    departments: z.array(z.string()),
    next: z.string().nullable(),
  }),
  problems: ['BAD_CURSOR'],
})

/** A time away by days of the mailbox’s own zone: away from the beginning of `from`, back at the beginning of `back`. */
export const awayPeriod = z.object({
  from: day,
  back: day,
  note: z.string().trim().max(200).default(''),
  /** The mailbox that gets the digests meanwhile; `null`: they wait for the return. */
  digestsTo: id.nullable().default(null),
})

/** A checked {@link awayPeriod}. */
export type AwayPeriod = z.infer<typeof awayPeriod>

/** One language of an automatic reply; subject '' is "Auto: " and the subject it answers. */
export const replyText = z.object({
  language: digestLanguage,
  subject: z.string().trim().max(200).default(''),
  text: z.string().trim().min(1).max(5000),
})
/** A checked {@link replyText}. */
export type ReplyTextShape = z.infer<typeof replyText>

const replyTexts = z.array(replyText).max(4)

/** What a mailbox answers by itself: when, how often the same sender, and what to colleagues and to others. Kept while off. */
export const automaticReply = z.object({
  when: z.enum(['off', 'away', 'always']),
  /** RFC 5230 §4.1: at least a day; a week is usual. */
  days: z.number().int().min(1).max(30),
  inside: replyTexts,
  outside: replyTexts,
})
/** A checked {@link automaticReply}. */
export type AutomaticReplyShape = z.infer<typeof automaticReply>

/** When a colleague's own page shows what lies in their junk folder. */
export const junkShown = z.enum(['always', 'new', 'never'])
/** A checked {@link junkShown}. */
export type JunkShown = z.infer<typeof junkShown>

/** How a mailbox is told of likely wanted mail that is about to go and that nobody has looked at; once a week at most. */
export const reminders = z.enum(['digest', 'message', 'off'])
/** A checked {@link reminders}. */
export type Reminders = z.infer<typeof reminders>

/** Folders that the mail program of a mailbox does not fetch. */
const unfetched = z.array(folderName).max(100)

const ownDays = keptDays.nullable()
const ownLimits = limits.nullable()
const awayList = z.array(awayPeriod).max(mostAway)

/**
 * One change of a mailbox. `was`: what it is on the screen of whoever changes it; when somebody else has changed it
 * meanwhile, nothing is done. `null` is "as the organisation".
 */
export const mailboxChange = z.discriminatedUnion('what', [
  z.object({ what: z.literal('limits'), was: ownLimits, to: ownLimits }),
  z.object({ what: z.literal('keeping'), was: ownDays, to: ownDays }),
  z.object({ what: z.literal('filtering'), was: z.boolean(), to: z.boolean() }),
  z.object({ what: z.literal('set-aside'), was: z.boolean(), to: z.boolean() }),
  z.object({ what: z.literal('junk-shown'), was: junkShown, to: junkShown }),
  z.object({ what: z.literal('reminders'), was: reminders, to: reminders }),
  z.object({ what: z.literal('unfetched'), was: unfetched, to: unfetched }),
  z.object({ what: z.literal('away'), was: awayList, to: awayList }),
  z.object({ what: z.literal('reply'), was: automaticReply, to: automaticReply }),
])

/** A checked {@link mailboxChange}. */
export type MailboxChange = z.infer<typeof mailboxChange>

/** Numbers of deliveries by what they were taken for. */
const split = z.object({
  wanted: z.number().int(),
  doubtful: z.number().int(),
  harmful: z.number().int(),
})

/** What a change comes to, before it is made. */
export const changeEffect = z.object({
  /** Limits and filtering: the last 30 days decided again. */
  replay: z
    .object({
      days: z.number().int(),
      looked: z.number().int(),
      keptBack: split,
      letThrough: split,
      elsewhere: z.number().int(),
      /** Of the organisation's mail an answer has a part: so many of so many decided again; `next` asks for more. */
      part: z.object({ decided: z.number().int(), of: z.number().int(), next: id.nullable() }).nullable(),
      /** Some of them, those that matter most first. */
      examples: z.array(
        z.object({
          deliveryId: id,
          from: z.string(),
          subject: z.string(),
          score: z.number(),
          receivedAt: moment,
          /** It would be kept back and was not, the other way round, or be kept back elsewhere. */
          would: z.enum(['be-kept-back', 'come-through', 'move']),
          called: z.enum(['wanted', 'junk']).nullable(),
        }),
      ),
    })
    .nullable(),
  /** Days and times away: how many deliveries go away sooner, later, or in the very next look. */
  ends: z
    .object({
      sooner: z.number().int(),
      later: z.number().int(),
      /** Of those that go sooner: what would be gone at once. */
      atOnce: z.number().int(),
      /** Of these likely wanted. */
      wanted: z.number().int(),
      /** When the first of those that go sooner would go. */
      first: moment.nullable(),
    })
    .nullable(),
})

/** A checked {@link changeEffect}. */
export type ChangeEffect = z.infer<typeof changeEffect>

/** Everything about one colleague’s mailbox. `days`: the last 30, oldest first. */
export const mailboxSheet = z.object({
  mailbox: z.object({
    id,
    name: z.string(),
    address: z.string(),
    aliases: z.array(z.string()),
    department: z.string(),
    kind: z.enum(['person', 'shared', 'list']),
    timeZone: z.string(),
    language: z.string(),
    minders: z.array(z.object({ id, name: z.string() })),
    /** Since when it is closed, and whose mail it is now; `null` for nobody’s. */
    closed: z.object({ at: moment, to: z.object({ id, name: z.string() }).nullable() }).nullable(),
  }),
  limits: ownLimits,
  keeping: ownDays,
  filtering: z.boolean(),
  setAside: z.boolean(),
  away: z.array(awayPeriod.extend({ digestsToName: z.string() })),
  reply: automaticReply,
  /** Who was answered by itself lately, newest first. */
  answered: z.array(z.object({ address: z.string(), at: moment })),
  organisation: z.object({ limits, keep: keptDays }),
  /** `next`: when the next digest goes; `null` for none. */
  digests: z.object({
    times: z.array(z.string()),
    weekdays: z.array(z.number().int()),
    usual: z.boolean(),
    next: moment.nullable(),
  }),
  days: z.array(
    z.object({
      day,
      keptBack: z.number().int(),
      released: z.number().int(),
      missed: z.number().int(),
    }),
  ),
  /** Deliveries that wait for a decision now. */
  kept: z.number().int(),
  /** Of all that is kept: what goes away within three days, and how much of that is likely wanted. */
  going: z.object({ all: z.number().int(), wanted: z.number().int() }),
  /** Who looks at what is kept back: when last, what came since, and what of it goes away soon and is likely wanted. */
  looks: z.object({
    kept: moment.nullable(),
    junk: moment.nullable(),
    unlooked: z.number().int(),
    lastChance: z.number().int(),
    /** What the junk folder at the mail store has; `null` where nobody looks into it. */
    junkFolder: z.object({ total: z.number().int(), unread: z.number().int() }).nullable(),
  }),
  junkShown,
  reminders,
  entries: z.object({ safe: z.number().int(), blocked: z.number().int() }),
  /** Addresses in its address book. */
  contacts: z.number().int(),
  rules: z.array(z.object({ id, name: z.string(), on: z.boolean() })),
  /** That mail went to in the last 30 days, that rules name, and that are not fetched. */
  folders: z.array(z.object({ folder: z.string(), deliveries: z.number().int(), fetched: z.boolean() })),
  openEnquiries: z.array(z.object({ id, words: z.string() })),
})

/** A checked {@link mailboxSheet}. */
export type MailboxSheet = z.infer<typeof mailboxSheet>

/** The screen of one colleague in one answer. */
export const readMailbox = endpoint({
  method: 'get',
  path: '/api/mailboxes/{id}',
  summary: 'Everything about one colleague’s mailbox',
  roles: everyone,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  response: mailboxSheet,
  problems: ['MAILBOX_NOT_FOUND'],
})

/** Changes nothing. Decides at most the last 30 days again. */
export const previewMailboxChange = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/effect',
  summary: 'What a change of a mailbox would come to',
  roles: everyone,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  body: z.object({ change: mailboxChange }),
  response: changeEffect,
  problems: ['MAILBOX_NOT_FOUND', 'BAD_LIMITS', 'BAD_AWAY', 'BAD_REPLY'],
})

/** One act with a line in the record. MAILBOX_CHANGED: somebody else was first; nothing is done. Times away may last up to 366 days. */
export const changeMailbox = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/changes',
  summary: 'Change one thing about a mailbox; the number is for its undo',
  roles: writers,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  body: z.object({
    change: mailboxChange,
    reason: z.string().trim().max(1000).default(''),
    token: z.uuid(),
  }),
  response: z.object({ change: id }),
  problems: ['MAILBOX_NOT_FOUND', 'MAILBOX_CHANGED', 'BAD_LIMITS', 'BAD_AWAY', 'BAD_REPLY', 'NOTHING_TO_DO'],
})

/** Refused with MAILBOX_CHANGED when something was built on it. */
export const undoMailboxChange = endpoint({
  method: 'post',
  path: '/api/mailbox-changes/{id}/undo',
  summary: 'Take a change of a mailbox back',
  roles: writers,
  scope: { 'params.id': 'mailbox-change' },
  params: z.object({ id: idInPath }),
  response: z.object({ mailboxId: id.nullable() }),
  problems: ['CHANGE_NOT_FOUND', 'MAILBOX_CHANGED', 'ALREADY_UNDONE', 'NEEDS_STEWARD'],
})

/** Sends nothing. */
export const previewReply = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/reply',
  summary: 'The very message an automatic reply would be, to a colleague or to somebody else',
  roles: everyone,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  body: z.object({
    reply: automaticReply,
    to: z.enum(['colleague', 'other']),
    /** Of the colleague who reads it; others get all there are. */
    language: digestLanguage.default('en'),
  }),
  /** `null`: they would get none. */
  response: z.object({
    message: z
      .object({
        subject: z.string(),
        text: z.string(),
        headers: z.array(z.object({ name: z.string(), value: z.string() })),
      })
      .nullable(),
  }),
  problems: ['MAILBOX_NOT_FOUND', 'BAD_REPLY'],
})

/** Days that the headers of mail stay when its content has gone; 93 is common practice. */
const headerDays = z.number().int().min(30).max(1095)

/** What counts for every mailbox without a setting of its own. */
export const organisationDefaults = z.object({ limits, keep: keptDays, headerDays })
/** A checked {@link organisationDefaults}. */
export type OrganisationDefaults = z.infer<typeof organisationDefaults>

const findings = Object.keys(weights) as Finding[]
/** Weights of the organisation that differ from the shipped ones; with `refit` they are fitted anew by themselves. */
export const weighting = z.object({
  own: z.partialRecord(z.enum(findings), z.number().min(-20).max(20)),
  refit: z.boolean(),
})
/** A checked {@link weighting}. */
export type Weighting = z.infer<typeof weighting>

const department = z.string().min(1).max(100)

/**
 * One change of them; `was` is what the screen of whoever changes it shows. A department has limits and watching of its own, or with
 * `null` the organisation's.
 */
export const defaultsChange = z.discriminatedUnion('what', [
  z.object({ what: z.literal('weights'), was: weighting, to: weighting }),
  z.object({ what: z.literal('watching'), was: z.boolean(), to: z.boolean() }),
  z.object({ what: z.literal('department-limits'), department, was: ownLimits, to: ownLimits }),
  z.object({
    what: z.literal('department-watching'),
    department,
    was: z.boolean().nullable(),
    to: z.boolean().nullable(),
  }),
  z.object({ what: z.literal('limits'), was: limits, to: limits }),
  z.object({ what: z.literal('keeping'), was: keptDays, to: keptDays }),
  z.object({ what: z.literal('header-days'), was: headerDays, to: headerDays }),
])
/** A checked {@link defaultsChange}. */
export type DefaultsChange = z.infer<typeof defaultsChange>

/** `unlike`: mailboxes with a setting of their own, which a change does not reach. */
export const readDefaults = endpoint({
  method: 'get',
  path: '/api/organisation/defaults',
  summary: 'Limits and days that count for every mailbox without its own',
  roles: everyone,
  scope: {},
  response: z.object({
    defaults: organisationDefaults,
    mailboxes: z.number().int(),
    /** Addresses in the address book of everybody. */
    contacts: z.number().int(),
    /** Everything is judged, and nothing but harm is held back. */
    watching: z.boolean(),
    /** By name; `null`: as the organisation. */
    departments: z.array(
      z.object({
        name: z.string(),
        mailboxes: z.number().int(),
        limits: ownLimits,
        watching: z.boolean().nullable(),
      }),
    ),
    unlike: z.object({ limits: z.number().int(), keeping: z.number().int() }),
  }),
})

/** A checked answer of {@link readDefaults}. */
export type ReadDefaultsAnswer = z.infer<typeof readDefaults.response>

/**
 * Changes nothing. Limits: the deliveries of the last 30 days between the old and the new ones are decided again, newest first,
 * a part an answer; only the first one (without `before`) says how many there are. Weights and watching: the newest 20,000.
 */
export const previewDefaults = endpoint({
  method: 'post',
  path: '/api/organisation/defaults/effect',
  summary: 'What a change of the organisation’s defaults, or of a department’s, would come to',
  roles: everyone,
  scope: { 'body.change.department': 'department' },
  body: z.object({ change: defaultsChange, before: id.nullable().default(null) }),
  response: changeEffect,
  problems: ['BAD_LIMITS', 'BAD_WEIGHTS', 'DEPARTMENT_NOT_FOUND'],
})

/** One act with a line in the record; its undo is that of mailboxes. Ends of mail follow mailbox by mailbox. */
export const changeDefaults = endpoint({
  method: 'post',
  path: '/api/organisation/defaults/changes',
  summary:
    'Change the organisation’s defaults, or what a department has in their place; the number is for its undo',
  roles: ['steward'],
  scope: { 'body.change.department': 'department' },
  body: z.object({
    change: defaultsChange,
    reason: z.string().trim().max(1000).default(''),
    token: z.uuid(),
  }),
  response: z.object({ change: id }),
  problems: ['BAD_LIMITS', 'BAD_WEIGHTS', 'DEPARTMENT_NOT_FOUND', 'MAILBOX_CHANGED', 'NOTHING_TO_DO'],
})

/**
 * Their mail is likelier wanted; they are no entries of sender lists. `look` changes nothing and says what `add` would do. Read in a thread with a
 * deadline; everybody's contacts are the stewards'. The number of the change is for its undo.
 */
export const bringInContacts = endpoint({
  method: 'post',
  path: '/api/contacts',
  summary: 'Bring in contacts of a mailbox, or of everybody: a vCard file or a list of addresses (its bytes)',
  roles: writers,
  scope: { 'query.mailbox': 'mailbox' },
  takes: 'application/octet-stream',
  body: bytes,
  query: z.object({
    name: z.string().trim().max(200),
    mailbox: z.union([z.literal('everybody'), z.coerce.number().int().positive()]),
    act: z.enum(['look', 'add']),
  }),
  response: z.object({
    added: z.number().int(),
    /** Those that were contacts already. */
    known: z.number().int(),
    left: z.array(z.object({ line: z.number().int(), typed: z.string(), why: z.string() })),
    leftLines: z.number().int(),
    change: id.nullable(),
  }),
  problems: ['BAD_CONTACTS', 'MAILBOX_NOT_FOUND', 'NEEDS_STEWARD', 'TOO_LARGE'],
})
/** What {@link bringInContacts} answers. */
export type ContactsAnswer = z.infer<typeof bringInContacts.response>

/** Of the directory they stay; those that were brought in go. The number of the change is for its undo. */
export const clearContacts = endpoint({
  method: 'post',
  path: '/api/contacts/clear',
  summary: 'Take out all contacts that were brought in, of a mailbox or of everybody',
  roles: writers,
  scope: { 'body.mailbox': 'mailbox' },
  body: z.object({ mailbox: z.union([z.literal('everybody'), id]) }),
  response: z.object({ removed: z.number().int(), change: id.nullable() }),
  problems: ['MAILBOX_NOT_FOUND', 'NEEDS_STEWARD'],
})

/** The longest time away in days; for forms. */
export const longestAwayDays = longestAway

/** Requests about mailboxes, by name. */
export const mailboxEndpoints = {
  findMailboxes,
  listMailboxes,
  readMailbox,
  previewMailboxChange,
  changeMailbox,
  undoMailboxChange,
  previewReply,
  readDefaults,
  previewDefaults,
  changeDefaults,
  bringInContacts,
  clearContacts,
}
