import { z } from 'zod'
import { endpoint, everyone, writers } from './endpoint.ts'
import {
  day,
  deliveryState,
  digestLanguage,
  evidence,
  id,
  idInPath,
  moment,
  pathLine,
  placeInList,
} from './shapes.ts'

const blank = z.string().trim().max(10_000).default('')
/** The question with its blanks; the same names stand in the URL of the screen. */
export const whereQuestion = z.object({ from: blank, to: blank, about: blank, when: blank })
/** The question as it was typed; blanks are empty texts. */
export type WhereQuestion = z.infer<typeof whereQuestion>

const stop = z.object({
  /** Its text is `whereabouts.stop.<kind>` of the wording. */
  kind: z.string(),
  at: moment.nullable(),
  facts: evidence.shape.facts,
  by: z.string(),
  stage: z.enum(['done', 'here', 'coming']),
})
/** One stop on the way of a message; its sentence is in the wording. */
export type JourneyStop = z.infer<typeof stop>

const hit = z.object({
  kind: z.enum(['delivery', 'outbound', 'refused']),
  /** A delivery's, a message's or a refusal's. */
  id,
  likeness: z.number(),
  label: z.enum([
    'all-of-it',
    'close',
    'same-domain',
    'slip',
    'other-colleague',
    'other-time',
    'other-subject',
    'part',
  ]),
  subject: z.string(),
  fromName: z.string(),
  fromAddress: z.string(),
  /** Where it is or went to; for a refusal the address it was meant for. */
  to: z.string(),
  mailboxId: id.nullable(),
  mailboxLanguage: z.string(),
  at: moment,
  state: deliveryState.nullable(),
  journey: z.array(stop),
})
/** A message that may be meant, and in what way it does not fit. */
export type WhereHit = z.infer<typeof hit>

/** Says what it understood, so that a wrong reading can be set right. Likeness 0 to 1, best first. */
export const lookFor = endpoint({
  // Changes nothing; a question may be longer than an address can be.
  method: 'post',
  path: '/api/whereabouts',
  summary: 'Where is the message from …, to …, about …, sent around …? Every place is looked at',
  roles: everyone,
  scope: {},
  body: whereQuestion,
  response: z.object({
    /** What was looked at: deliveries of these days. */
    lookedAt: z.object({ deliveries: z.number().int(), since: moment, until: moment }),
    understood: z.object({
      from: z.enum(['address', 'domain', 'words', 'none']),
      /** Mailboxes that fit, best first; empty for a blank and for nobody. */
      to: z.array(z.object({ id, name: z.string() })),
      /** An address of ours that no mailbox has; '' else. */
      unknownAddress: z.string(),
      when: z.object({ from: moment, to: moment }).nullable(),
    }),
    /** A blank that can't be read, and why: `whereabouts.problem.<code>` of the wording. */
    problem: z.enum(['', 'not-understood', 'no-such-day', 'in-the-future', 'more-needed', 'only-idle-words']),
    hits: z.array(hit),
    /** Said only when nothing at all fits. */
    nothing: z
      .object({
        domain: z.string(),
        /** When the domain last wrote to anybody here; `null`: not since `since`. */
        lastAt: moment.nullable(),
        since: moment,
        similarDomains: z.array(z.string()),
      })
      .nullable(),
  }),
})
/** The answer of {@link lookFor}. */
export type WhereAnswer = z.infer<typeof lookFor.response>

/** A state; or `misjudged`: kept back, and wanted after all, or got through, and junk after all, by what people said. */
export const whereState = z.enum([...deliveryState.options, 'misjudged'])

/** Exact filters; the same names stand in the URL of the screen. */
export const whereFilter = z.object({
  direction: z.enum(['in', 'out']).default('in'),
  state: whereState.optional(),
  mailbox: z.coerce.number().int().positive().optional(),
  /** First and last day, in the organisation's time zone. */
  since: day.optional(),
  until: day.optional(),
  scoreFrom: z.coerce.number().min(0).max(100).default(0),
  scoreTo: z.coerce.number().min(0).max(100).default(100),
  /** Kilobytes. */
  sizeFrom: z.coerce.number().min(0).max(1_000_000).default(0),
  sizeTo: z.coerce.number().min(0).max(1_000_000).optional(),
  messageId: z.string().trim().max(998).default(''),
  /** Part of the sender's name or address; a whole address or domain is that one. */
  from: z.string().trim().max(320).default(''),
  /** Part of an address the mail was sent to. */
  to: z.string().trim().max(320).default(''),
  /** Part of the subject. */
  subject: z.string().trim().max(500).default(''),
  /** Senders that are not shown: parts of addresses with spaces between them. */
  without: z.string().trim().max(400).default(''),
})
/** Exact filters over all mail; parts that are left out do not narrow. */
export type WhereFilter = z.infer<typeof whereFilter>
/** Delivered mail is listed by its outside only; opening it asks for a reason. */
export const listMail = endpoint({
  method: 'get',
  path: '/api/whereabouts/list',
  summary: 'All mail that fits exact filters, newest first; page by the cursor in `next`',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: whereFilter.extend({
    after: placeInList,
    limit: z.coerce.number().int().min(1).max(200).default(60),
  }),
  response: z.object({
    rows: z.array(
      z.object({
        id,
        kind: z.enum(['delivery', 'outbound']),
        at: moment,
        state: deliveryState.nullable(),
        subject: z.string(),
        fromName: z.string(),
        fromAddress: z.string(),
        to: z.string(),
        score: z.number().nullable(),
        size: z.number().int(),
      }),
    ),
    next: z.string().nullable(),
  }),
})
/** One row of {@link listMail}. */
export type ListedMail = z.infer<typeof listMail.response>['rows'][number]

const explanations = z.record(digestLanguage, z.string())
/** What is to come has a time where one is known. */
export const readAccount = endpoint({
  method: 'get',
  path: '/api/whereabouts/{id}/account',
  summary: 'The whole way of one delivery, and what to tell the colleague, in each language',
  roles: everyone,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  response: z.object({
    hit,
    organisation: z.string(),
    explanations,
    /** As its header has it; '' when it has none or the message is no longer kept. */
    messageId: z.string(),
    score: z.number(),
    evidence: z.array(evidence),
    path: z.array(pathLine),
  }),
  problems: ['DELIVERY_NOT_FOUND'],
})
/** The answer of {@link readAccount}. */
export type MessageAccount = z.infer<typeof readAccount.response>
/** WRONG_STATE when nothing waits; what is being sent at the moment is left alone. */
export const tryAgain = endpoint({
  method: 'post',
  path: '/api/deliveries/{id}/try-again',
  summary: 'Send again now what waits for the mail store',
  roles: writers,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  response: z.object({}),
  problems: ['DELIVERY_NOT_FOUND', 'WRONG_STATE'],
})

/** Everything that waits is tried; what is being sent at the moment is left alone. */
export const tryAllAgain = endpoint({
  method: 'post',
  path: '/api/deliveries/try-again',
  summary: 'Send again now all that waits for the mail store',
  roles: writers,
  response: z.object({ tried: z.number().int() }),
})

const troubled = z.object({
  /** A delivery's, or a refusal's. */
  id,
  at: moment,
  subject: z.string(),
  from: z.string(),
  to: z.string(),
  attempts: z.number().int(),
  nextAt: moment.nullable(),
  problem: z.string(),
})
/** The worst or newest of each kind; "today" in the organisation's time zone. */
export const readTrouble = endpoint({
  method: 'get',
  path: '/api/whereabouts/trouble',
  summary: 'What reaches nobody at the moment: waiting for the mail store, or refused by it or by us today',
  roles: everyone,
  scope: {},
  response: z.object({
    /** Deliveries that wait for the mail store, tried or not. */
    waiting: z.number().int(),
    inspecting: z.number().int(),
    /** Of those that wait, the ones that were tried in vain. */
    stuck: z.array(troubled),
    bounced: z.object({ count: z.number().int(), rows: z.array(troubled) }),
    refused: z.object({ count: z.number().int(), rows: z.array(troubled) }),
  }),
})
/** The answer of {@link readTrouble}. */
export type MailTrouble = z.infer<typeof readTrouble.response>

/** How far an enquiry is. */
export const enquiryState = z.enum([
  'new',
  'being looked for',
  'waiting for sender',
  'found',
  'never sent to us',
])
/** A checked {@link enquiryState}. */
export type EnquiryState = z.infer<typeof enquiryState>
/** By which way the colleague asked. */
export const enquiryHow = z.enum(['phone', 'mail', 'page', 'in person'])

/** What was written about an enquiry, by a staffer or by the colleague. */
export const enquiryLetter = z.object({
  id,
  at: moment,
  by: z.enum(['staffer', 'colleague']),
  name: z.string(),
  how: z.enum(['mail', 'page']),
  words: z.string(),
  /** How far the mail with an answer has come; 'none' for what a colleague wrote. */
  mail: z.enum(['none', 'waiting', 'delivered', 'refused']),
  /** What the mail store said; '' while all is well. */
  problem: z.string(),
  /** When the colleague read an answer on their own page; `null` while they have not. */
  readAt: moment.nullable(),
})
/** A checked {@link enquiryLetter}. */
export type EnquiryLetter = z.infer<typeof enquiryLetter>

const enquiryBrief = z.object({
  id,
  openedAt: moment,
  changedAt: moment,
  mailboxId: id,
  mailboxName: z.string(),
  how: enquiryHow,
  words: z.string(),
  state: enquiryState,
  /** Who works on it; '' for nobody yet. */
  staffer: z.string(),
  /** Messages that fit and came in while it was open. */
  cameIn: z.number().int(),
  /** Who wrote last: a colleague's words wait for an answer. */
  lastLetter: z.enum(['none', 'staffer', 'colleague']),
})
/** An enquiry as the list names it. */
export type EnquiryBrief = z.infer<typeof enquiryBrief>

/** Open ones oldest first. */
export const listEnquiries = endpoint({
  method: 'get',
  path: '/api/enquiries',
  summary: 'Open enquiries, and the newest that are answered',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: z.object({ mailbox: z.coerce.number().int().positive().optional() }),
  response: z.object({ enquiries: z.array(enquiryBrief) }),
})
/** Takes the question as it was asked; messages are chosen later. */
export const openEnquiry = endpoint({
  method: 'post',
  path: '/api/enquiries',
  summary: 'Open an enquiry for a colleague',
  roles: writers,
  scope: { 'body.mailboxId': 'mailbox' },
  body: z.object({
    mailboxId: id,
    how: enquiryHow,
    words: z.string().trim().min(1).max(1000),
    question: whereQuestion,
  }),
  response: z.object({ id }),
  problems: ['MAILBOX_NOT_FOUND'],
})
/** Messages that came in since are offered. */
export const readEnquiry = endpoint({
  method: 'get',
  path: '/api/enquiries/{id}',
  summary: 'One enquiry with its question, the messages it is about and what was done',
  roles: everyone,
  scope: { 'params.id': 'enquiry' },
  params: z.object({ id: idInPath }),
  response: enquiryBrief.extend({
    question: whereQuestion,
    answer: z.string(),
    deliveries: z.array(
      z.object({
        id,
        how: z.enum(['chosen', 'came in']),
        subject: z.string(),
        from: z.string(),
        state: deliveryState,
        at: moment,
      }),
    ),
    /** Who else has it open at the moment. */
    alsoHere: z.array(z.string()),
    /** Answers and what came back, oldest first. */
    letters: z.array(enquiryLetter),
    /** The colleague's language, and what to say in each when no message is found. */
    language: digestLanguage,
    nothingCame: explanations,
    waitForSender: explanations,
  }),
  problems: ['ENQUIRY_NOT_FOUND'],
})
/** The answer of {@link readEnquiry}. */
export type EnquirySheet = z.infer<typeof readEnquiry.response>
/** Only what is given is changed; the record keeps who did it. */
export const changeEnquiry = endpoint({
  method: 'post',
  path: '/api/enquiries/{id}',
  summary: 'Change its state, its answer or its question, or choose a message it is about',
  roles: writers,
  scope: { 'params.id': 'enquiry', 'body.delivery': 'delivery' },
  params: z.object({ id: idInPath }),
  body: z.object({
    state: enquiryState.optional(),
    answer: z.string().trim().max(4000).optional(),
    question: whereQuestion.optional(),
    delivery: id.optional(),
  }),
  response: z.object({}),
  problems: ['ENQUIRY_NOT_FOUND', 'DELIVERY_NOT_FOUND'],
})

/** Goes out by mail, in the thread of what the colleague wrote, and stands on their own page. */
export const answerEnquiry = endpoint({
  method: 'post',
  path: '/api/enquiries/{id}/letters',
  summary: 'Answer the colleague by mail and on their own page, and say how far the enquiry is',
  roles: writers,
  scope: { 'params.id': 'enquiry' },
  params: z.object({ id: idInPath }),
  body: z.object({
    words: z.string().trim().min(1).max(4000),
    state: enquiryState.optional(),
    /** Made by the client; the same answer sent again with it goes out once. */
    token: z.uuid(),
  }),
  response: z.object({ letterId: id }),
  problems: ['ENQUIRY_NOT_FOUND'],
})

/** Requests about where mail is, and enquiries, by name. */
export const whereaboutsEndpoints = {
  lookFor,
  listMail,
  readAccount,
  tryAgain,
  tryAllAgain,
  readTrouble,
  listEnquiries,
  openEnquiry,
  readEnquiry,
  changeEnquiry,
  answerEnquiry,
}
