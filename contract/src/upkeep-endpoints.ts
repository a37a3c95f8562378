import { z } from 'zod'
import { endpoint, everyone, writers } from './endpoint.ts'
import { applied, changeProblems } from './sender-endpoints.ts'
import { day, entryBrief, evidence, findingKind, moment, reachShape, tidyKind } from './shapes.ts'

const reason = z.string().trim().max(1000).default('')
/** Made by the client; the same act sent again with it is not done again. */
const token = z.uuid()

/** What can be done about a finding, by name. */
export const remedyName = z.enum([
  'end',
  'keep-safe',
  'keep-blocked',
  'narrow',
  'for-everyone',
  'without-authentication',
  'correct',
])
const finding = z.object({
  key: z.string(),
  kind: findingKind,
  facts: evidence.shape.facts,
  /** The one it is about first; at most 20 of them. */
  entries: z.array(entryBrief),
  entryCount: z.number().int(),
  remedies: z.array(z.object({ name: remedyName, adds: z.array(z.string()), ends: z.number().int() })),
  aside: z.object({ reason: z.string(), by: z.string(), at: moment }).nullable(),
})
/** A finding with its evidence in numbers and its remedies. `basis` changes when what it rests on does. */
export type FindingShape = z.infer<typeof finding>

/** Computed in a thread of its own; `lookedAt` says when, `problem` why it could not be. */
export const readUpkeep = endpoint({
  method: 'get',
  path: '/api/senders/upkeep',
  summary: 'What would make the lists more accurate, by kind, and how accurate they were week by week',
  roles: everyone,
  response: z.object({
    groups: z.array(
      z.object({
        kind: findingKind,
        count: z.number().int(),
        aside: z.number().int(),
        first: finding.nullable(),
      }),
    ),
    /** `null` before the first look. */
    lookedAt: moment.nullable(),
    looking: z.boolean(),
    problem: z.string(),
    entries: z.number().int(),
    deliveries: z.number().int(),
    accuracy: z.array(z.object({ week: day, decided: z.number().int(), reversed: z.number().int() })),
    requests: z.number().int(),
  }),
})
/** The answer of {@link readUpkeep}. */
export type UpkeepShape = z.infer<typeof readUpkeep.response>
/** Page by `from`; findings set aside are listed when asked for. */
export const readFindings = endpoint({
  method: 'get',
  path: '/api/senders/upkeep/findings',
  summary: 'Findings of one kind with their remedies, most harmful first',
  roles: everyone,
  query: z.object({
    kind: findingKind,
    aside: z.enum(['no', 'yes']).default('no'),
    from: z.coerce.number().int().min(0).default(0),
    limit: z.coerce.number().int().min(1).max(100).default(50),
  }),
  response: z.object({ findings: z.array(finding), total: z.number().int() }),
})
const chosen = z.union([
  z.object({
    findings: z
      .array(z.object({ key: z.string().max(60), remedy: remedyName }))
      .min(1)
      .max(500),
  }),
  /** All findings of a kind that provably changes nothing. */
  z.object({ tidy: tidyKind }),
])
/** Made anew from the lists of now, and not from when the finding was found. */
export const previewRemedy = endpoint({
  method: 'post',
  path: '/api/senders/upkeep/reach',
  summary: 'The exact entries a remedy adds and ends, and the replay that proves what it would have done',
  roles: everyone,
  body: chosen,
  response: reachShape.extend({ findings: z.number().int() }),
  problems: ['FINDING_NOT_FOUND', 'ENTRY_NOT_FOUND', 'ENTRY_CHANGED'],
})
/** NOT_TIDY: a remedy that promised to change nothing would change something by now. */
export const applyRemedy = endpoint({
  method: 'post',
  path: '/api/senders/upkeep/remedies',
  summary:
    'Apply remedies as one act; tidying is refused when the replay shows that it would change something',
  roles: writers,
  body: z.intersection(chosen, z.object({ reason, token })),
  response: applied,
  problems: [...changeProblems, 'FINDING_NOT_FOUND', 'NOT_TIDY'],
})
/** Kept with the finding's basis, so that new facts bring it back. */
export const setAside = endpoint({
  method: 'post',
  path: '/api/senders/upkeep/aside',
  summary: 'Set a finding aside with a reason; it comes back when its facts change. `back` takes it back now',
  roles: writers,
  body: z.object({
    key: z.string().max(60),
    reason: z.string().trim().max(1000).default(''),
    back: z.boolean().default(false),
  }),
  response: z.object({}),
  problems: ['FINDING_NOT_FOUND', 'NEEDS_REASON'],
})

/** Requests about upkeep of the lists, by name. */
export const upkeepEndpoints = { readUpkeep, readFindings, previewRemedy, applyRemedy, setAside }
