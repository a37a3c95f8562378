import { z } from 'zod'
import { endpoint, fileEndpoint } from './endpoint.ts'
import { automaticReply, awayPeriod, junkShown, reminders } from './mailbox-endpoints.ts'
import { enquiryLetter, enquiryState } from './whereabouts-endpoints.ts'
import {
  day,
  deliveryState,
  digestLanguage,
  digestSchedule,
  id,
  idInPath,
  keptDays,
  moment,
  ownMay,
  placeInList,
  standing,
} from './shapes.ts'

const ownSession = z.object({
  name: z.string(),
  address: z.string(),
  language: z.string(),
  timeZone: z.string(),
  organisation: z.string(),
  csrf: z.string(),
  hasPassword: z.boolean(),
  /** A new password asks for the old one; not shortly after a one-time code. */
  asksOldPassword: z.boolean(),
  /** Shared and list mailboxes whose digests this colleague gets; acts on their mail count, too. */
  minds: z.array(z.object({ id, name: z.string() })),
  /** What the organisation lets colleagues do themselves. */
  may: ownMay,
})
/** A colleague on a device of their own, and which mailboxes they mind. */
export type OwnSession = z.infer<typeof ownSession>

const address = z.string().trim().toLowerCase().min(3).max(320)

/** The code goes to the mailbox itself and counts once; `minutes` says for how long. */
export const askCode = endpoint({
  method: 'post',
  path: '/api/own/code',
  summary: 'Send a one-time code to a mailbox; the answer is the same whether there is such a mailbox or not',
  roles: 'anyone',
  body: z.object({ address }),
  response: z.object({ minutes: z.number().int() }),
  problems: ['TOO_MANY_TRIES'],
})
/** TOO_MANY_TRIES counts by mailbox and by device, so that whoever guesses locks nobody out. */
export const enterOwn = endpoint({
  method: 'post',
  path: '/api/own/session',
  summary: 'A colleague signs in on a device, by password or one-time code; sets the cookie',
  roles: 'anyone',
  body: z.union([
    z.object({ address, password: z.string().min(1).max(500) }),
    z.object({ address, code: z.string().trim().min(1).max(20) }),
  ]),
  response: ownSession,
  problems: ['OWN_SIGN_IN_FAILED', 'TOO_MANY_TRIES', 'PASSWORDS_OFF'],
})
/** Answers 401 when none is. */
export const readOwnSession = endpoint({
  method: 'get',
  path: '/api/own/session',
  summary: 'Which colleague is signed in on this device',
  roles: 'colleague',
  response: ownSession,
})
/** Only this device; {@link revokeOwn} signs out all others. */
export const leaveOwn = endpoint({
  method: 'delete',
  path: '/api/own/session',
  summary: 'Sign out on this device',
  roles: 'colleague',
  response: z.object({}),
})

/** Safe to be fetched by a scanner: what the link names is done by a later request that a person sends. */
export const digestLink = endpoint({
  method: 'get',
  path: '/api/own/links/{token}',
  summary: 'What a link of a digest leads to; reading it changes nothing',
  roles: 'anyone',
  params: z.object({ token: z.string().max(200) }),
  response: z.object({
    state: z.enum(['good', 'expired', 'revoked', 'no-link']),
    /** Whose it is, and their language; '' for what is no link of ours. */
    address: z.string(),
    language: z.string(),
    /** Only for the colleague it belongs to. */
    deliveryId: id.nullable(),
  }),
})

/** A kept-back delivery as the colleague's own page lists it. */
export const ownRow = z.object({
  id,
  state: deliveryState,
  receivedAt: moment,
  expiresAt: moment,
  fromName: z.string(),
  fromAddress: z.string(),
  subject: z.string(),
  attachments: z.number().int(),
  /** Near-certain junk: counted in digests, and not listed. */
  leftOut: z.boolean(),
  /** The finding whose sentence is `held.<finding>` of the wording. */
  reason: z.string(),
  /** '' for the colleague's own mailbox. */
  mailbox: z.string(),
})
/** A checked {@link ownRow}. */
export type OwnRow = z.infer<typeof ownRow>

/** Of the colleague's mailbox and of those they mind; sealed messages are listed and can't be sent. */
export const ownMail = endpoint({
  method: 'get',
  path: '/api/own/mail',
  summary: "A colleague's own kept-back mail, newest first",
  roles: 'colleague',
  query: z.object({
    show: z.enum(['kept', 'near-certain', 'sent', 'refused']).default('kept'),
    /** Whether mail in the junk folder is among what is kept; 'chosen': as the colleague's settings say. */
    junk: z.enum(['chosen', 'shown', 'hidden']).default('chosen'),
    find: z.string().trim().max(200).default(''),
    after: placeInList,
    limit: z.coerce.number().int().min(1).max(200).default(60),
  }),
  response: z.object({
    rows: z.array(ownRow),
    next: z.string().nullable(),
    counts: z.object({ kept: z.number().int(), nearCertain: z.number().int() }),
    /** Whether the junk folder was among it, and how much is in there. */
    junk: z.object({ shown: z.boolean(), count: z.number().int() }),
  }),
  problems: ['BAD_CURSOR'],
})
/** The answer of {@link ownMail}. */
export type OwnPage = z.infer<typeof ownMail.response>
/** Pictures stay out: fetching one tells the sender. */
export const ownView = fileEndpoint({
  path: '/api/own/mail/{id}/view',
  summary: 'The safe view of one of them, a page for a sandboxed frame',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  query: z.object({ as: z.enum(['html', 'text']).default('html') }),
  gives: ['text/html'],
  problems: ['DELIVERY_NOT_FOUND', 'SOURCE_GONE'],
})
/** The reason is a sentence in the colleague's language; no evidence, score or other colleague is named. */
export const ownSheet = endpoint({
  method: 'get',
  path: '/api/own/mail/{id}',
  summary: 'One of them, with what trusting its sender would come to',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  response: z.object({
    row: ownRow,
    /** Why it was kept back, weightiest first: sentences `held.<finding>`. */
    reasons: z.array(z.string()),
    attachments: z.array(z.object({ name: z.string(), danger: z.string().nullable() })),
    /** The message itself has gone away; only its headers are kept. */
    gone: z.boolean(),
    outlook: z.object({
      /** Whether the same mail would arrive once the sender is trusted. */
      arrives: z.boolean(),
      why: z.enum(['', 'organisation', 'not-proven', 'harm', 'no-sender']),
      /** The organisation's entry that stands above; '' for none. */
      pattern: z.string(),
    }),
    /** Who ruled on it last and how; `null` when nobody has. */
    ruled: z.object({ by: z.string(), at: moment, rulingId: id, own: z.boolean() }).nullable(),
  }),
  problems: ['DELIVERY_NOT_FOUND'],
})
/** The answer of {@link ownSheet}. */
export type OwnSheet = z.infer<typeof ownSheet.response>

/** What a colleague can ask for: the message; the message and its sender's from now on; neither, from now on. */
export const ownAct = z.enum(['send', 'send-trust', 'refuse'])
/** A checked {@link ownAct}. */
export type OwnAct = z.infer<typeof ownAct>
/** All of the messages, or none. Entries are the colleague's own and never weaken what the organisation has bound. */
export const actOwn = endpoint({
  method: 'post',
  path: '/api/own/acts',
  summary: 'Send messages to oneself, with or without trusting their senders, or refuse the senders',
  roles: 'colleague',
  own: 'partly',
  body: z.object({
    deliveries: z.array(id).min(1).max(200),
    act: ownAct,
    /** Made by the client; the same act sent again with it is not done again. */
    token: z.uuid(),
  }),
  response: z.object({
    rulingId: id,
    deliveries: z.array(z.object({ id, state: deliveryState })),
    /** Patterns that were made safe or blocked. */
    patterns: z.array(z.string()),
  }),
  problems: [
    'NOT_ON_OWN_PAGE',
    'DELIVERY_NOT_FOUND',
    'SEALED',
    'ALREADY_RULED',
    'WRONG_STATE',
    'NO_SENDER',
    'BLOCKS_OWN_DOMAIN',
  ],
})
/** Only an act of one's own; LATER_RULING names who has ruled since. */
export const undoOwn = endpoint({
  method: 'post',
  path: '/api/own/acts/{id}/undo',
  summary: 'Undo an act of one’s own; what has arrived stays, and is counted',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  response: z.object({ stayedReleased: z.number().int() }),
  problems: ['RULING_NOT_FOUND', 'ALREADY_UNDONE', 'LATER_RULING'],
})

const ownEntry = z.object({
  id,
  pattern: z.string(),
  standing,
  until: moment.nullable(),
  createdAt: moment,
  lastMatchedAt: moment.nullable(),
  reason: z.string(),
  mailbox: z.string(),
  /** The organisation's binding entry that stands above it; '' for none. */
  overruledBy: z.string(),
})
/** One entry of the colleague's lists, and whether the organisation's overrules it. */
export type OwnEntry = z.infer<typeof ownEntry>
/** Only what was discarded before. Nobody takes it back. */
export const eraseOwn = endpoint({
  method: 'post',
  path: '/api/own/erase',
  summary: 'Discard a message of one’s own for good, once it was discarded',
  roles: 'colleague',
  body: z.object({ delivery: id }),
  response: z.object({}),
  problems: ['DELIVERY_NOT_FOUND', 'WRONG_STATE'],
})

/** With what an earlier digest named and nobody has decided on since. DIGEST_JUST_SENT: at most one in ten minutes. */
export const askOwnDigest = endpoint({
  method: 'post',
  path: '/api/own/digest',
  summary: 'Send a digest of all that is kept back for oneself now',
  roles: 'colleague',
  response: z.object({ listed: z.number().int() }),
  problems: ['NOTHING_TO_SEND', 'DIGEST_JUST_SENT', 'DIGEST_RUNNING'],
})

/** Of one's own mailbox, not of those one minds. */
export const ownSenders = endpoint({
  method: 'get',
  path: '/api/own/senders',
  summary: "A colleague's own safe and blocked senders",
  roles: 'colleague',
  response: z.object({ entries: z.array(ownEntry) }),
})
/** One act with one undo. ENTRY_CHANGED: somebody changed an entry since it was shown. */
export const changeOwnSenders = endpoint({
  method: 'post',
  path: '/api/own/senders',
  summary: 'Add entries to one’s own lists, or end some',
  roles: 'colleague',
  own: 'senders',
  body: z.object({
    add: z
      .array(
        z.object({
          pattern: z.string().trim().min(1).max(400),
          standing,
          until: day.nullable().default(null),
        }),
      )
      .max(50)
      .default([]),
    end: z.array(id).max(500).default([]),
    token: z.uuid(),
  }),
  response: z.object({ rulingId: id }),
  problems: [
    'NOT_ON_OWN_PAGE',
    'BAD_PATTERN',
    'NOTHING_TO_DO',
    'NEEDS_STEWARD',
    'BLOCKS_OWN_DOMAIN',
    'ENTRY_NOT_FOUND',
    'ENTRY_CHANGED',
  ],
})

/** Opens an enquiry; the help desk answers by mail. */
export const askWhere = endpoint({
  method: 'post',
  path: '/api/own/enquiries',
  summary: 'Ask the help desk where a message is',
  roles: 'colleague',
  body: z.object({
    from: z.string().trim().min(1).max(400),
    about: z.string().trim().max(400).default(''),
    when: z.string().trim().max(200).default(''),
  }),
  response: z.object({ id }),
})

/** A question of the colleague's to the help desk, with all that was written about it. */
export const ownQuestion = z.object({
  id,
  openedAt: moment,
  changedAt: moment,
  words: z.string(),
  state: enquiryState,
  letters: z.array(
    enquiryLetter.pick({ id: true, at: true, by: true, name: true, words: true, readAt: true }),
  ),
  /** Answers they have not opened here yet. */
  unread: z.number().int(),
})
/** A checked {@link ownQuestion}. */
export type OwnQuestion = z.infer<typeof ownQuestion>
/** Reading changes nothing; {@link readOwnQuestion} says that it was read. */
export const ownQuestions = endpoint({
  method: 'get',
  path: '/api/own/enquiries',
  summary: 'What the colleague has asked the help desk, newest first, with the answers',
  roles: 'colleague',
  response: z.object({ questions: z.array(ownQuestion) }),
})
/** The help desk sees that its answer was read. */
export const readOwnQuestion = endpoint({
  method: 'post',
  path: '/api/own/enquiries/{id}/read',
  summary: 'The colleague has read the answers to a question of theirs',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  response: z.object({}),
})
/** An answered question is open again. */
export const writeOwnQuestion = endpoint({
  method: 'post',
  path: '/api/own/enquiries/{id}/letters',
  summary: 'Write to the help desk about a question of one’s own',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  body: z.object({ words: z.string().trim().min(1).max(4000) }),
  response: z.object({}),
  problems: ['ENQUIRY_NOT_FOUND'],
})

const ownSettings = z.object({
  language: digestLanguage,
  schedule: digestSchedule.nullable(),
  /** Whether mail in the junk folder is listed in digests, too, and near-certain junk. */
  listsJunk: z.boolean(),
  listsNearCertain: z.boolean(),
})
/** Times are local, 'HH:MM'. */
export const readOwnSettings = endpoint({
  method: 'get',
  path: '/api/own/settings',
  summary: 'Digest times, language and what is listed',
  roles: 'colleague',
  response: ownSettings.extend({
    /** What counts now, their own or the organisation's. */
    inForce: digestSchedule,
    next: moment.nullable(),
  }),
})
/** Counts from the next digest on. */
export const setOwnSettings = endpoint({
  method: 'post',
  path: '/api/own/settings',
  summary: 'Set them; a `null` schedule is the organisation’s',
  roles: 'colleague',
  own: 'partly',
  body: ownSettings,
  response: z.object({ next: moment.nullable() }),
  problems: ['NOT_ON_OWN_PAGE'],
})
/** Times away as a colleague enters them: who gets the digests meanwhile is named by an address, '' for nobody: they wait. */
const ownAway = awayPeriod.pick({ from: true, back: true }).extend({ digestsTo: z.string().trim().max(320) })

/** A checked time away of a colleague. */
export type OwnAway = z.infer<typeof ownAway>

/** Days are those of the mailbox’s own zone. `keep`: how long each kind of kept mail stays. */
export const readOwnAway = endpoint({
  method: 'get',
  path: '/api/own/away',
  summary: 'When the colleague is away, and how long mail is kept',
  roles: 'colleague',
  response: z.object({ away: z.array(ownAway), keep: keptDays }),
})
/** All of them at once; `was` is what the screen showed, so that nothing that was entered meanwhile is lost. */
export const setOwnAway = endpoint({
  method: 'post',
  path: '/api/own/away',
  summary: 'Set when one is away',
  roles: 'colleague',
  own: 'away',
  body: z.object({ was: z.array(ownAway).max(40), to: z.array(ownAway).max(40), token: z.uuid() }),
  response: z.object({}),
  problems: ['NOT_ON_OWN_PAGE', 'BAD_AWAY', 'MAILBOX_CHANGED', 'NOTHING_TO_DO'],
})
/** `language`: the one the colleague writes and reads in. */
export const readOwnReply = endpoint({
  method: 'get',
  path: '/api/own/reply',
  summary: 'What the colleague’s mailbox answers by itself',
  roles: 'colleague',
  response: z.object({ reply: automaticReply, language: digestLanguage }),
})
/** `was` is what the screen showed, so that nothing that was changed meanwhile is lost. */
export const setOwnReply = endpoint({
  method: 'post',
  path: '/api/own/reply',
  summary: 'Set what one’s mailbox answers by itself',
  roles: 'colleague',
  own: 'away',
  body: z.object({ was: automaticReply, to: automaticReply, token: z.uuid() }),
  response: z.object({}),
  problems: ['NOT_ON_OWN_PAGE', 'BAD_REPLY', 'MAILBOX_CHANGED', 'NOTHING_TO_DO'],
})
/** When the page shows what lies in the junk folder, and how likely wanted mail that is about to go is told of. */
export const readOwnJunk = endpoint({
  method: 'get',
  path: '/api/own/junk',
  summary: 'When one’s page shows the junk folder, and how one is reminded of it',
  roles: 'colleague',
  response: z.object({ shown: junkShown, reminders }),
})
/** `was` is what the screen showed. The number is for the undo. */
export const setOwnJunk = endpoint({
  method: 'post',
  path: '/api/own/junk',
  summary: 'Set when one’s page shows the junk folder, or how one is reminded of it',
  roles: 'colleague',
  body: z.object({
    change: z.discriminatedUnion('what', [
      z.object({ what: z.literal('junk-shown'), was: junkShown, to: junkShown }),
      z.object({ what: z.literal('reminders'), was: reminders, to: reminders }),
    ]),
    token: z.uuid(),
  }),
  response: z.object({ change: id }),
  problems: ['MAILBOX_CHANGED', 'NOTHING_TO_DO'],
})
/** The old one is asked where there is one. EASY_PASSWORD says why in its facts. */
export const chooseOwnPassword = endpoint({
  method: 'post',
  path: '/api/own/password',
  summary: 'Choose a password of one’s own',
  roles: 'colleague',
  body: z.object({ old: z.string().max(500).default(''), password: z.string().min(10).max(500) }),
  response: z.object({}),
  problems: ['OLD_PASSWORD_WRONG', 'EASY_PASSWORD', 'TOO_MANY_TRIES', 'PASSWORDS_OFF'],
})
/** For a device that was lost, or a digest that was passed on. */
export const revokeOwn = endpoint({
  method: 'post',
  path: '/api/own/revoke',
  summary: 'Make all links of earlier digests useless and sign out every other device',
  roles: 'colleague',
  response: z.object({}),
})

/** Requests of colleagues about their own mail, by name. */
export const ownEndpoints = {
  ownView,
  askCode,
  enterOwn,
  readOwnSession,
  leaveOwn,
  digestLink,
  ownMail,
  readOwnAway,
  setOwnAway,
  readOwnReply,
  setOwnReply,
  readOwnJunk,
  setOwnJunk,
  ownSheet,
  eraseOwn,
  askOwnDigest,
  actOwn,
  undoOwn,
  ownSenders,
  changeOwnSenders,
  askWhere,
  ownQuestions,
  readOwnQuestion,
  writeOwnQuestion,
  readOwnSettings,
  setOwnSettings,
  chooseOwnPassword,
  revokeOwn,
}
