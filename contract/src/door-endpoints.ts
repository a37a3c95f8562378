import { z } from 'zod'
import { advices } from '@pendro/core/doors'
import { endpoint, everyone } from './endpoint.ts'
import { deliveryState, id, moment } from './shapes.ts'

const traffic = {
  /** Of today, by the organisation's clock. */
  taken: z.number().int(),
  refused: z.number().int(),
  later: z.number().int(),
  takenAt: moment.nullable(),
  problemAt: moment.nullable(),
  /** What was said or heard last when something was not taken; '' for nothing yet. */
  problem: z.string(),
  advice: z.enum(advices).nullable(),
}

const doorName = z.enum(['incoming', 'incoming-tls', 'submission', 'submission-tls'])
/** A door that mail comes in by. */
export type DoorName = z.infer<typeof doorName>

const door = z.object({
  name: doorName,
  /** `null`: it is shut. */
  port: z.number().int().nullable(),
  /** A setting of the machine opens it; it stays shut while it needs a certificate and there is none. */
  wanted: z.boolean(),
  connected: z.number().int(),
  ...traffic,
})
/** A door and what went through it. */
export type DoorShape = z.infer<typeof door>

const way = z.object({
  /** host:port. */
  host: z.string(),
  /** Whom it is for: everybody outside, the domains that are named, our own that no other names, or mailboxes that a directory names. */
  purpose: z.enum(['smart-host', 'store', 'store-of-rest', 'store-named']),
  /** Of the mail store; '' for none. */
  name: z.string(),
  domains: z.array(z.string()),
  protocol: z.enum(['smtp', 'lmtp']),
  tls: z.enum(['off', 'starttls', 'implicit']),
  /** When the one certificate that is believed ends; `null` where none is named. */
  certificateUntil: moment.nullable(),
  ...traffic,
})
/** A server that mail goes on to. */
export type WayShape = z.infer<typeof way>

const visit = z.object({
  id: z.string(),
  door: doorName,
  at: moment,
  ip: z.string(),
  /** What it calls itself. */
  helo: z.string(),
  /** The protocol; '' without TLS. */
  tls: z.string(),
  /** Still connected. */
  open: z.boolean(),
  taken: z.number().int(),
  /** What it was told last that was no yes; '' for nothing. */
  answer: z.string(),
  /** It may hand mail over, as the setting has it. */
  listed: z.boolean(),
})
/** Somebody who connected. */
export type VisitShape = z.infer<typeof visit>

const certificateProblem = z.enum([
  'no-certificate',
  'no-key',
  'certificate-unreadable',
  'key-unreadable',
  'key-does-not-fit',
  'not-yet',
  'over',
])

/** Each process counts, and all of them are added; a second or two old. */
export const readDoors = endpoint({
  method: 'get',
  path: '/api/doors',
  summary:
    'Where mail comes in and goes on to: what is connected, what went through today, and what is wrong',
  roles: everyone,
  scope: 'own',
  response: z.object({
    doors: z.array(door),
    ways: z.array(way),
    /** The last ten, newest first. */
    visits: z.array(visit),
    certificate: z.object({
      state: z.enum(['off', 'good', 'bad']),
      problem: certificateProblem.nullable(),
      detail: z.string(),
      until: moment.nullable(),
    }),
    /** Messages that wait for a server. */
    waiting: z.number().int(),
  }),
})

const says = z.object({
  domain: z.string(),
  mx: z.object({ state: z.enum(['found', 'none', 'null-mx', 'unknown']), hosts: z.array(z.string()) }),
  spf: z.object({
    state: z.enum(['strict', 'soft', 'neutral', 'open', 'elsewhere', 'several', 'broken', 'none', 'unknown']),
    text: z.string(),
  }),
  dmarc: z.object({
    state: z.enum(['reject', 'quarantine', 'watching', 'several', 'broken', 'none', 'unknown']),
    text: z.string(),
    share: z.number().int(),
  }),
  keys: z.array(
    z.object({
      selector: z.string(),
      state: z.enum(['found', 'revoked', 'testing', 'broken', 'none', 'unknown']),
    }),
  ),
})
/** What one of our own domains says of its mail in DNS. */
export type DomainSaysShape = z.infer<typeof says>

/** `lookedUp`: false where a setting of the machine has nothing looked up. */
export const readDomains = endpoint({
  method: 'get',
  path: '/api/doors/domains',
  summary: 'What DNS says of the own domains: where their mail goes, and who may send for them',
  roles: everyone,
  scope: 'own',
  response: z.object({ lookedUp: z.boolean(), domains: z.array(says) }),
})

const trialId = z.uuid()

/** It comes in by the door as everybody's mail does. `answer`: what the door said last. */
export const sendTrial = endpoint({
  method: 'post',
  path: '/api/doors/trials',
  summary: 'Send a message through the door to a mailbox, to watch where it goes',
  roles: ['steward'],
  scope: 'whole',
  body: z.object({ mailbox: id, token: trialId }),
  response: z.object({
    taken: z.boolean(),
    answer: z.string(),
    advice: z.enum(advices).nullable(),
    steps: z.array(z.object({ step: z.enum(['connected', 'answered']), at: moment })),
  }),
  problems: ['MAILBOX_NOT_FOUND'],
})

/** How far it has come. */
export const watchTrial = endpoint({
  method: 'get',
  path: '/api/doors/trials/{token}',
  summary: 'Where a message that was sent through to watch it has got to',
  roles: ['steward'],
  scope: 'whole',
  params: z.object({ token: trialId }),
  response: z.object({
    stored: z
      .object({
        at: moment,
        delivery: id,
        state: deliveryState,
        score: z.number(),
        landedAt: moment.nullable(),
        /** Why it waits or was not taken; '' for nothing. */
        problem: z.string(),
        advice: z.enum(advices).nullable(),
      })
      .nullable(),
  }),
})

/** Requests about doors, by name. */
export const doorEndpoints = { readDoors, readDomains, sendTrial, watchTrial }
