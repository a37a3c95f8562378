import { z } from 'zod'
import { bytes, endpoint, everyone, fileEndpoint } from './endpoint.ts'
import { id, idInPath, moment } from './shapes.ts'

const key = z.string().regex(/^[dr]\d{1,15}$/)

const item = z.object({
  /** What it is asked for by. */
  key,
  at: moment,
  fromName: z.string(),
  fromAddress: z.string(),
  subject: z.string(),
  attachments: z.number().int(),
  opened: z.boolean(),
  answered: z.boolean(),
})
/** A message that waits for a mail store. */
export type StandbyItem = z.infer<typeof item>

const letter = z.object({
  id,
  to: z.array(z.string()),
  subject: z.string(),
  at: moment,
  /** It is in the Sent folder of the mail store. */
  filed: z.boolean(),
  problem: z.string(),
})
/** A letter that is being written or was sent. */
export type StandbyLetter = z.infer<typeof letter>

const page = z.object({
  /** `handing-back`: the mail store answers again, and not all is there yet. */
  state: z.enum(['open', 'handing-back', 'closed']),
  since: moment.nullable(),
  waiting: z.number().int(),
  /** Sent letters that are not in the Sent folder yet. */
  unfiled: z.number().int(),
  items: z.array(item),
  drafts: z.array(letter),
  sent: z.array(letter),
})
/** Mail while the mail store is away. */
export type StandbyPage = z.infer<typeof page>

const sheet = z.object({
  key,
  at: moment,
  subject: z.string(),
  fromName: z.string(),
  fromAddress: z.string(),
  to: z.array(z.string()),
  cc: z.array(z.string()),
  replyTo: z.array(z.string()),
  attachments: z.array(
    z.object({
      place: z.number().int(),
      name: z.string(),
      size: z.number().int(),
      danger: z.string().nullable(),
    }),
  ),
  /** Its words, to be quoted. */
  text: z.string(),
})
/** One message, opened. */
export type StandbySheet = z.infer<typeof sheet>

const addresses = z.array(z.string().trim().max(320)).max(100)
const typed = {
  to: addresses,
  cc: addresses,
  bcc: addresses,
  subject: z.string().max(1000),
  /** What the editor made; anything that could run or load is taken out. */
  html: z.string().max(200_000),
}
const draft = z.object({
  ...typed,
  id,
  version: z.number().int(),
  answers: z.string(),
  forwards: z.string(),
  files: z.array(z.object({ id, name: z.string(), size: z.number().int() })),
})
/** A letter that is being written. */
export type StandbyDraft = z.infer<typeof draft>

const closed = 'STANDBY_CLOSED'

/** Nothing is in it while the mail store answers. */
export const readStandby = endpoint({
  method: 'get',
  path: '/api/own/standby',
  summary: 'What waits for the mail store, what is being written, and how far handing back has come',
  roles: 'colleague',
  response: page,
})

/** Opening counts as reading: it is marked so at the mail store, too. */
export const readStandbyItem = endpoint({
  method: 'get',
  path: '/api/own/standby/items/{key}',
  summary: 'One message that waits, with what an answer needs',
  roles: 'colleague',
  params: z.object({ key }),
  response: sheet,
  problems: ['DELIVERY_NOT_FOUND', closed],
})

/** As everywhere nothing in it runs, loads or leads anywhere. */
export const standbyView = fileEndpoint({
  path: '/api/own/standby/items/{key}/view',
  summary: 'Its safe view, a page for a sandboxed frame',
  roles: 'colleague',
  params: z.object({ key }),
  gives: ['text/html'],
  problems: ['DELIVERY_NOT_FOUND', closed],
})

/** Only what was looked at and found harmless; as bytes, never to be shown by the browser. */
export const standbyAttachment = fileEndpoint({
  path: '/api/own/standby/items/{key}/attachments/{place}',
  summary: 'One of its attachments',
  roles: 'colleague',
  params: z.object({ key, place: z.coerce.number().int().min(0).max(1000) }),
  gives: ['application/octet-stream'],
  problems: ['DELIVERY_NOT_FOUND', 'ATTACHMENT_HARMFUL', 'SOURCE_GONE', closed],
})

/** Colleagues, and whom this mailbox has written to. */
export const suggestAddresses = endpoint({
  method: 'get',
  path: '/api/own/standby/addresses',
  summary: 'Addresses that fit what is typed',
  roles: 'colleague',
  query: z.object({ text: z.string().trim().min(1).max(100) }),
  response: z.object({ addresses: z.array(z.object({ address: z.string(), name: z.string() })) }),
  problems: [closed],
})

/** A draft with all of it. */
export const readStandbyDraft = endpoint({
  method: 'get',
  path: '/api/own/standby/letters/{id}',
  summary: 'A letter that is being written, to go on with',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  response: draft,
  problems: ['LETTER_GONE', 'LETTER_SENT', closed],
})

/** Saved every few seconds while somebody writes. DRAFT_CHANGED: another device has saved it meanwhile. */
export const saveStandbyDraft = endpoint({
  method: 'post',
  path: '/api/own/standby/letters',
  summary: 'Keep a letter as it is typed',
  roles: 'colleague',
  body: z.object({
    ...typed,
    /** `null` for a new one. */
    id: id.nullable(),
    version: z.number().int().min(0),
    token: z.uuid(),
    answers: key.or(z.literal('')),
    forwards: key.or(z.literal('')),
  }),
  response: z.object({ id, version: z.number().int() }),
  problems: ['LETTER_GONE', 'LETTER_SENT', 'DRAFT_CHANGED', 'TOO_MANY_DRAFTS', 'DELIVERY_NOT_FOUND', closed],
})

/** Its bytes are the body. */
export const attachToDraft = endpoint({
  method: 'post',
  path: '/api/own/standby/files',
  summary: 'Attach a file to a letter',
  roles: 'colleague',
  takes: 'application/octet-stream',
  query: z.object({ letter: z.coerce.number().int().positive(), name: z.string().min(1).max(300) }),
  body: bytes,
  response: z.object({ id }),
  problems: ['LETTER_GONE', 'LETTER_SENT', 'LETTER_TOO_LARGE', closed],
})

/** What it was attached to stays. */
export const detachFromDraft = endpoint({
  method: 'post',
  path: '/api/own/standby/letters/{id}/detach',
  summary: 'Take a file off a letter',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  body: z.object({ file: id }),
  response: z.object({}),
  problems: ['LETTER_GONE', 'LETTER_SENT', closed],
})

/** It can’t be brought back. */
export const dropStandbyDraft = endpoint({
  method: 'post',
  path: '/api/own/standby/letters/{id}/drop',
  summary: 'Throw a letter away that was not sent',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  response: z.object({}),
  problems: ['LETTER_GONE', 'LETTER_SENT', closed],
})

/** It goes once, however often it is asked for. */
export const sendStandbyDraft = endpoint({
  method: 'post',
  path: '/api/own/standby/letters/{id}/send',
  summary: 'Send a letter as it was saved last',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  body: z.object({ version: z.number().int() }),
  response: z.object({}),
  problems: [
    'LETTER_GONE',
    'LETTER_SENT',
    'DRAFT_CHANGED',
    'NO_RECIPIENTS',
    'BAD_RECIPIENTS',
    'TOO_MANY_RECIPIENTS',
    closed,
  ],
})

const outage = z.object({
  store: z.string(),
  /** `null`: it answers, and what waited is being handed over. */
  since: moment.nullable(),
  declaredBy: z.string(),
  detail: z.string(),
  /** Mail of colleagues that waits for it. */
  waiting: z.number().int(),
  oldest: moment.nullable(),
  colleagues: z.number().int(),
  /** Letters that were sent meanwhile and are not in the Sent folders yet. */
  unfiled: z.number().int(),
  /** Those with most waiting. */
  most: z.array(z.object({ mailboxId: id, name: z.string(), waiting: z.number().int() })),
  /** People whose mailboxes are there: whom a message about it would reach. */
  people: z.number().int(),
  /** How far telling them has come; `null`: nobody was told yet. `said`: what the address answered last where that was no yes. */
  told: z
    .object({ sent: z.number().int(), waiting: z.number().int(), failed: z.number().int(), said: z.string() })
    .nullable(),
})
/** A mail store that is away, or was just now. */
export type OutageShape = z.infer<typeof outage>

/** Of each mail store that is away, or whose mail is not all handed over yet. */
export const readOutages = endpoint({
  method: 'get',
  path: '/api/stores/outages',
  summary: 'Mail stores that are away: since when, what waits, for whom, and how far handing back has come',
  roles: everyone,
  response: z.object({
    outages: z.array(outage),
    stores: z.array(z.string()),
    /** An address is set that passes messages on. */
    canTell: z.boolean(),
  }),
})

/** Colleagues of that store can go on at once; taken back, it counts as what it is. */
export const declareOutage = endpoint({
  method: 'post',
  path: '/api/stores/outages',
  summary: 'Say that a mail store is away, or no longer',
  roles: ['steward'],
  scope: 'whole',
  body: z.object({ store: z.string().max(60), away: z.boolean() }),
  response: z.object({}),
  problems: ['STORE_NOT_FOUND'],
})

/** Each is told once an outage, in their language, with a way in that works once. Who could not be told is told again. */
export const tellColleagues = endpoint({
  method: 'post',
  path: '/api/stores/outages/tell',
  summary:
    'Tell colleagues whose mail store is away where they can go on, by the address that passes messages on',
  roles: ['steward'],
  scope: 'whole',
  body: z.object({ store: z.string().max(60) }),
  response: z.object({ colleagues: z.number().int() }),
  problems: ['STORE_NOT_FOUND', 'NO_WEBHOOK', 'NOTHING_TO_DO'],
})

/** Requests about mail while a mail store is away, by name. */
export const standbyEndpoints = {
  readStandby,
  readStandbyItem,
  standbyView,
  standbyAttachment,
  suggestAddresses,
  readStandbyDraft,
  saveStandbyDraft,
  attachToDraft,
  detachFromDraft,
  dropStandbyDraft,
  sendStandbyDraft,
  readOutages,
  declareOutage,
  tellColleagues,
}
