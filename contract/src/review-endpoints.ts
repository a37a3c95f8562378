import { z } from 'zod'
import { bytes, endpoint, everyone, writers, fileEndpoint } from './endpoint.ts'
import {
  day,
  deliveryState,
  entryBrief,
  evidence,
  id,
  idInPath,
  limits,
  moment,
  pathLine,
  placeInList,
  reachShape,
  reviewFilter,
  reviewOrder,
  reviewRow,
  rulingSentence,
} from './shapes.ts'

const page = z.object({ rows: z.array(reviewRow), next: z.string().nullable() })

/** One row stands for a cluster: deliveries with the same text. The cursor names the last row, so rows that come or go meanwhile shift nothing. */
export const reviewList = endpoint({
  method: 'get',
  path: '/api/review',
  summary: 'Kept-back mail in order, one row a cluster; page by the cursor in `next`',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: reviewFilter.extend({
    order: reviewOrder.default('wanted'),
    after: placeInList,
    limit: z.coerce.number().int().min(1).max(200).default(100),
  }),
  response: page,
  problems: ['BAD_CURSOR'],
})

/** Deliveries in bins of the score, 0 to 100. */
export const reviewCounts = endpoint({
  method: 'get',
  path: '/api/review/counts',
  summary: 'How many deliveries the filter shows, along the score; the band itself is not applied',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: reviewFilter,
  response: z.object({
    total: z.number().int(),
    inBand: z.number().int(),
    /** 50 bins of two points each. */
    bins: z.array(z.number().int()),
    limits,
  }),
})

/** Under the filter of the list, so that what is ruled on is what was seen. */
export const reviewCluster = endpoint({
  method: 'get',
  path: '/api/review/clusters/{key}',
  summary: 'The deliveries of one cluster under a filter',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  params: z.object({ key: z.string().regex(/^[0-9a-f]{32}$/) }),
  query: reviewFilter,
  response: z.object({ rows: z.array(reviewRow), cut: z.boolean() }),
})

/** Values that others have and this one has not: how many, and the most frequent. */
const otherValues = z.object({ count: z.number().int(), most: z.array(z.string()) })

/** The weights shown add up to the score shown. The message itself comes by /view, in a sandboxed frame. */
export const deliverySheet = endpoint({
  method: 'get',
  path: '/api/deliveries/{id}',
  summary: 'One delivery with what weighs on it and how it was decided',
  roles: everyone,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  response: z.object({
    row: reviewRow,
    /** What makes the evidence point where `row.points` says; a word of the wording. */
    pointsWhy: z.string(),
    addressUsed: z.string(),
    mailboxAddress: z.string(),
    mailboxTimeZone: z.string(),
    /** Somebody had it kept until the end of this day. */
    keptUntil: day.nullable(),
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
        /** Lines its text takes in a column of usual width. */
        lines: z.number().int(),
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
        /** Made to be taken for something else: by its declared type or by its name. */
        pretends: z.enum(['type', 'name']).nullable(),
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
    /** What was checked of the sender, by whom; results as in RFC 8601 §2.7. ARC names who sealed the message last. */
    checks: z.object({
      by: z.enum(['gateway', 'pendro', 'nobody']),
      lines: z.array(
        z.object({ method: z.enum(['dmarc', 'spf', 'dkim', 'arc']), result: z.string(), domain: z.string() }),
      ),
    }),
    /** Others with nearly the same text, and in what they differ; `null` where there are none. The newest few are looked at. */
    alike: z
      .object({
        messages: z.number().int(),
        lookedAt: z.number().int(),
        subject: otherValues,
        sender: otherValues,
        hosts: otherValues,
        attachments: otherValues,
      })
      .nullable(),
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

/** The answer of {@link deliverySheet}. */
export type DeliverySheet = z.infer<typeof deliverySheet.response>

/** Asked for messages that were delivered; without it they can't be opened. */
export const sayWhy = endpoint({
  method: 'post',
  path: '/api/deliveries/{id}/why',
  summary:
    'Say why a message in a colleague’s mailbox is opened; counts for half an hour, and the record keeps it',
  roles: everyone,
  scope: { 'params.id': 'delivery', 'body.enquiry': 'enquiry' },
  params: z.object({ id: idInPath }),
  body: z.object({ reason: z.string().trim().min(3).max(500), enquiry: id.optional() }),
  response: z.object({}),
  problems: ['DELIVERY_NOT_FOUND'],
})

/** Frozen: what comes in afterwards is not of it. Up to 200,000; it is kept for a day. */
export const selectShown = endpoint({
  method: 'post',
  path: '/api/selections',
  summary: 'Mark everything that a filter of the review list shows now, to rule on all of it as one',
  roles: writers,
  scope: { 'body.mailbox': 'mailbox' },
  body: reviewFilter,
  response: z.object({
    id,
    madeAt: moment,
    deliveries: z.number().int(),
    colleagues: z.number().int(),
    senders: z.number().int(),
    /** How many each act can be done to; the others would be left where they are. */
    can: z.object({ release: z.number().int(), discard: z.number().int(), restore: z.number().int() }),
    /** How many the evidence speaks against releasing. */
    against: z.number().int(),
  }),
  problems: ['NOTHING_SHOWN', 'TOO_MANY_SHOWN'],
})
/** What was marked, and what can be done with it. */
export type SelectionSummary = z.infer<typeof selectShown.response>
/** One's own only. `done` counts down again while it is undone. */
export const selectionProgress = endpoint({
  method: 'get',
  path: '/api/selections/{id}',
  summary: 'How far a ruling on everything that was shown has come',
  roles: everyone,
  scope: 'own',
  params: z.object({ id: idInPath }),
  response: z.object({
    id,
    state: z.enum(['open', 'ruling', 'ruled', 'undoing', 'undone']),
    rulingId: id.nullable(),
    total: z.number().int(),
    done: z.number().int(),
    /** Left where they are: somebody was first, or nobody may release them; when undone, what had arrived. */
    left: z.number().int(),
  }),
  problems: ['SELECTION_GONE'],
})
/** The answer of {@link selectionProgress}. */
export type SelectionProgress = z.infer<typeof selectionProgress.response>

/** Some deliveries by number, or everything of a selection. */
const ruledOn = z.union([z.object({ deliveries: z.array(id).min(1).max(2000) }), z.object({ selection: id })])

/** Decides the mail of 30 days twice, with the lists as they are and as they would be. Nothing is changed. */
export const previewRuling = endpoint({
  method: 'post',
  path: '/api/rulings/reach',
  summary: 'What a ruling about a sender would have changed in the mail of the last 30 days',
  roles: everyone,
  scope: { 'body.deliveries': 'delivery' },
  body: ruledOn.and(z.object({ sentence: rulingSentence })),
  response: reachShape.extend({
    /** Messages at hand that a block moves to the junk folder of their mailbox. */
    toJunk: z.number().int(),
  }),
  problems: [
    'BAD_PATTERN',
    'NO_SENDER',
    'DELIVERY_NOT_FOUND',
    'UNTIL_PASSED',
    'SELECTION_GONE',
    'TOO_MANY_ENTRIES',
  ],
})

const rulingResult = z.object({
  id,
  at: moment,
  deliveries: z.array(z.object({ id, state: deliveryState })),
  added: z.array(entryBrief),
  ended: z.array(entryBrief),
  /** Entries that were made and have no say, because another one decides the same mail. */
  overruled: z.array(z.object({ made: id, by: entryBrief })),
})
/** What a ruling did. */
export type RulingAnswer = z.infer<typeof rulingResult>

/** One transaction, one record entry a delivery, one undo. `token` makes it safe to send twice. */
export const applyRuling = endpoint({
  method: 'post',
  path: '/api/rulings',
  summary: 'Apply a ruling to deliveries and their senders: all of it, or nothing',
  roles: writers,
  scope: { 'body.deliveries': 'delivery' },
  body: ruledOn.and(
    z.object({
      sentence: rulingSentence,
      /** Made by the client; the same ruling sent again with it is not applied again. */
      token: z.uuid(),
    }),
  ),
  response: rulingResult,
  problems: [
    'TOO_MANY_RULES',
    'BAD_PATTERN',
    'NEEDS_REASON',
    'NOTHING_TO_DO',
    'NEEDS_REASON',
    'ALREADY_ASKED',
    'BLOCKS_OWN_DOMAIN',
    'NO_SENDER',
    'UNTIL_PASSED',
    'NEEDS_STEWARD',
    'DELIVERY_NOT_FOUND',
    'SEALED',
    'ALREADY_RULED',
    'WRONG_STATE',
    'SELECTION_GONE',
    'TOO_MANY_ENTRIES',
  ],
})

const form = z.enum(['html', 'text']).default('html')
/** Makes remote pictures part of the page, fetched by Pendro; without it they stay out. */
const pictures = z.enum(['yes', 'no']).default('no')

/** For a sandboxed frame: no scripts, no live links, no pictures from elsewhere. Opening is in the record. */
export const safeView = fileEndpoint({
  path: '/api/deliveries/{id}/view',
  summary: 'The safe view of a message, a page for a sandboxed frame',
  roles: everyone,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  query: z.object({ as: form, pictures }),
  gives: ['text/html'],
  problems: ['DELIVERY_NOT_FOUND', 'SOURCE_GONE', 'SAY_WHY'],
})
/** The bytes, to be saved. In the record like opening it. */
export const messageSource = fileEndpoint({
  path: '/api/deliveries/{id}/source',
  summary: 'A message as it came, as a file',
  roles: everyone,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  gives: ['message/rfc822'],
  problems: ['DELIVERY_NOT_FOUND', 'SOURCE_GONE', 'SAY_WHY'],
})
/** All of them, or none; only what was discarded before. Nobody takes it back, and the content is gone at once. */
export const eraseForGood = endpoint({
  method: 'post',
  path: '/api/deliveries/erase',
  summary: 'Discard for good what was discarded; it can’t be restored',
  roles: writers,
  scope: { 'body.deliveries': 'delivery' },
  fresh: true,
  body: z.object({ deliveries: z.array(id).min(1).max(500) }),
  response: z.object({}),
  problems: ['DELIVERY_NOT_FOUND', 'WRONG_STATE'],
})
/** Kept until the end of a day of the mailbox’s zone, at most two years ahead; `null`: as long as its kind is kept. */
export const keepUntil = endpoint({
  method: 'post',
  path: '/api/deliveries/{id}/keep',
  summary: 'Keep one message until a day, whatever its days',
  roles: writers,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  body: z.object({ until: day.nullable(), reason: z.string().trim().max(1000).default('') }),
  response: z.object({ goesAway: moment }),
  problems: ['DELIVERY_NOT_FOUND', 'WRONG_STATE', 'UNTIL_PASSED', 'TOO_FAR'],
})
/** To be sent on to whoever is responsible for the sender. */
export const feedbackReport = fileEndpoint({
  path: '/api/deliveries/{id}/feedback-report',
  summary: 'A feedback report about a message (ARF, RFC 5965), as a file',
  roles: everyone,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  gives: ['message/rfc822'],
  problems: ['DELIVERY_NOT_FOUND', 'SOURCE_GONE', 'SAY_WHY'],
})

/** At most the size the door takes. A message Pendro has never seen is kept for it. */
export const handIn = endpoint({
  method: 'post',
  path: '/api/reports',
  summary: 'Hand in a message that got through (its source), to be learned as junk or phishing',
  roles: writers,
  query: z.object({ verdict: z.enum(['junk', 'phishing']) }),
  takes: 'message/rfc822',
  body: bytes,
  response: z.object({
    rulingId: id,
    subject: z.string(),
    /** The delivery it is, when Pendro has seen it. */
    deliveryId: id.nullable(),
  }),
  problems: ['NO_MESSAGE', 'TOO_LARGE'],
})

/** What has arrived stays delivered and is counted in the answer. LATER_RULING: undo the later one first. */
export const undoRuling = endpoint({
  method: 'post',
  path: '/api/rulings/{id}/undo',
  summary: 'Undo a ruling: entries, learning and what has not left the house; released copies stay delivered',
  roles: writers,
  scope: { 'params.id': 'ruling' },
  params: z.object({ id: idInPath }),
  response: z.object({
    deliveries: z.array(z.object({ id, state: deliveryState })),
    stayedReleased: z.number().int(),
    /** The selection whose deliveries follow in parts; `null` when all is undone already. */
    running: id.nullable(),
  }),
  problems: ['RULING_NOT_FOUND', 'ALREADY_UNDONE', 'LATER_RULING', 'NEEDS_STEWARD', 'MAIL_RULE_CHANGED'],
})

/** Fetched by the server over HTTPS, never to an address of the inside, and without redirects. */
export const unsubscribe = endpoint({
  method: 'post',
  path: '/api/deliveries/{id}/unsubscribe',
  summary: 'Use the sender’s own one-click way out (RFC 8058); only for authenticated messages',
  roles: writers,
  scope: { 'params.id': 'delivery' },
  fresh: true,
  params: z.object({ id: idInPath }),
  body: z.object({ reason: z.string().trim().max(1000).default('') }),
  response: z.object({ host: z.string() }),
  problems: ['DELIVERY_NOT_FOUND', 'SOURCE_GONE', 'NO_UNSUBSCRIBE', 'UNSUBSCRIBE_FAILED'],
})

/** Requests about kept-back mail and rulings, by name. */
export const reviewEndpoints = {
  reviewList,
  reviewCounts,
  reviewCluster,
  deliverySheet,
  sayWhy,
  selectShown,
  selectionProgress,
  previewRuling,
  applyRuling,
  handIn,
  safeView,
  messageSource,
  feedbackReport,
  eraseForGood,
  keepUntil,
  undoRuling,
  unsubscribe,
}
