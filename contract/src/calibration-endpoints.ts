import { z } from 'zod'
import { driftKinds } from '@pendro/core/calibration'
import { endpoint, everyone, writers } from './endpoint.ts'
import { weighting } from './mailbox-endpoints.ts'
import { id, limits, moment } from './shapes.ts'

export { cheapestLimits, type Costs, type ScoreCounts } from '@pendro/core/calibration'

/** Deliveries by whole score, 0 to 100. */
const byScore = z.array(z.number().int()).length(101)

/** Mean said and share that was junk are 0 to 1; `null` where there is nothing. */
export const reliabilityBand = z.object({
  from: z.number(),
  to: z.number(),
  count: z.number().int(),
  said: z.number().nullable(),
  was: z.number().nullable(),
  enough: z.boolean(),
})

/** Seven days that end with the day asked on; hours from arrival to release. */
export const calibrationWeek = z.object({
  /** First day, `2026-11-22`. */
  from: z.string(),
  rulings: z.number().int(),
  /** Wanted, and it had been kept back. */
  held: z.number().int(),
  /** Junk, and it had got through. */
  missed: z.number().int(),
  /** Rulings that were undone later. */
  undone: z.number().int(),
  median: z.number().nullable(),
  ninth: z.number().nullable(),
  brier: z.number().nullable(),
  logLoss: z.number().nullable(),
})

/** Days on which mail was only watched, the newest first; `called` is what people have said of what would have been held. */
export const readWatching = endpoint({
  method: 'get',
  path: '/api/watching',
  summary: 'What would have been held back, day by day, and how much of it people called wanted',
  roles: everyone,
  scope: {},
  response: z.object({
    watching: z.boolean(),
    days: z.array(
      z.object({
        day: z.string(),
        came: z.number().int(),
        would: z.number().int(),
        wanted: z.number().int(),
        junk: z.number().int(),
      }),
    ),
  }),
})
/** A checked answer of {@link readWatching}. */
export type WatchingDays = z.infer<typeof readWatching.response>

/** How often a finding was there in what people ruled on, and how often it was what decided. */
export const evidenceUse = z.object({
  finding: z.string(),
  /** As it weighs now. */
  weight: z.number(),
  wanted: z.number().int(),
  junk: z.number().int(),
  /** It leant to what people said. */
  right: z.number().int(),
  /** Without it the message would have been on the other side of the limit. */
  decisive: z.number().int(),
})

/** A finding in the table of weights. */
export const tableWeight = z.object({
  finding: z.string(),
  weight: z.number(),
  shipped: z.number(),
  /** Where it may be; `null`: it stays as it is. */
  from: z.number().nullable(),
  to: z.number().nullable(),
})

/** What a fit came to. Losses are mean log-losses of rulings it had not seen. */
export const weightFit = z.object({
  own: weighting.shape.own,
  lessons: z.number().int(),
  before: z.number(),
  after: z.number(),
  /** Better by more than chance. */
  better: z.boolean(),
  at: moment,
})

/** A message whose ruling would teach much. */
export const teachingMessage = z.object({
  id,
  from: z.string(),
  subject: z.string(),
  score: z.number(),
  receivedAt: moment,
  colleague: z.string(),
  copies: z.number().int(),
})

/** Where judgement is often wrong. `value`: a domain or address, a language (ISO 639-1), a kind of mail (`bulk`, `list`, `attachment`, `personal`). */
export const driftFinding = z.object({
  key: z.string(),
  kind: z.enum(driftKinds),
  value: z.string(),
  rulings: z.number().int(),
  wrong: z.number().int(),
  held: z.number().int(),
  missed: z.number().int(),
  examples: z.array(z.object({ id, from: z.string(), subject: z.string() })),
  /** An entry that would mend it; `null` where rulings and limits are the remedy. */
  remedy: z.object({ standing: z.enum(['safe', 'blocked']), pattern: z.string() }).nullable(),
  aside: z.object({ at: moment, by: z.string(), reason: z.string() }).nullable(),
})
/** A checked {@link driftFinding}. */
export type DriftFinding = z.infer<typeof driftFinding>

/** Which mail is looked at. */
const seen = z.object({
  days: z.enum(['30', '90']).default('30'),
  /** Only mail of its mailboxes; '' for everybody's. */
  department: z.string().max(100).default(''),
})

/** `wanted` and `junk`: what people called so; `unruled`: everything else of these days. */
export const readCalibration = endpoint({
  method: 'get',
  path: '/api/calibration',
  summary: 'What people decided against what the score said',
  roles: everyone,
  scope: {},
  query: seen,
  response: z.object({
    days: z.number().int(),
    wanted: byScore,
    junk: byScore,
    unruled: byScore,
    /** Of the organisation, or of the department asked for. */
    limits,
    /** The department asked for goes by the organisation's limits. */
    asOrganisation: z.boolean(),
    departments: z.array(z.object({ name: z.string(), mailboxes: z.number().int() })),
    watching: z.boolean(),
    /** What would have been kept back in these days, while mail was only watched. */
    watched: z.number().int(),
    /** Mailboxes in all, and those with limits of their own. */
    mailboxes: z.number().int(),
    unlike: z.number().int(),
    /** Of what people ruled on; `null` with one kind only. */
    area: z.number().nullable(),
    brier: z.number().nullable(),
    logLoss: z.number().nullable(),
    reliability: z.array(reliabilityBand),
    weeks: z.array(calibrationWeek),
    evidence: z.array(evidenceUse),
    weights: z.object({
      inUse: weighting,
      table: z.array(tableWeight),
      /** When and by whom they were last changed. */
      changed: z.object({ at: moment, by: z.string(), change: id, undone: z.boolean() }).nullable(),
      /** `null`: too few rulings yet, or fitted from others than those in use. */
      fit: weightFit.nullable(),
      /** Rulings that count, of these at least so many of each kind, from which on weights are fitted. */
      least: z.object({ all: z.number().int(), rarer: z.number().int() }),
    }),
    text: z.object({
      wanted: z.number().int(),
      junk: z.number().int(),
      /** How far a text may move the odds now. */
      bound: z.number(),
      /** Both models speak. */
      linear: z.boolean(),
      fittedAt: moment.nullable(),
    }),
    teach: z.array(teachingMessage),
    drift: z.array(driftFinding),
  }),
  problems: ['DEPARTMENT_NOT_FOUND'],
})

/** A checked answer of {@link readCalibration}. */
export type CalibrationShape = z.infer<typeof readCalibration.response>

/** The finding is found anew among the mail that is looked at. Kept until twice as much has gone wrong. `back` takes it back now. */
export const setDriftAside = endpoint({
  method: 'post',
  path: '/api/calibration/aside',
  summary: 'Leave a place where judgement is often wrong as it is, with a reason',
  roles: writers,
  body: z.object({
    key: z.string().min(1).max(330),
    ...seen.shape,
    reason: z.string().trim().max(1000).default(''),
    back: z.boolean().default(false),
  }),
  response: z.object({}),
  problems: ['FINDING_NOT_FOUND', 'NEEDS_REASON'],
})

/** Requests of Calibration, by name. */
export const calibrationEndpoints = { readWatching, readCalibration, setDriftAside }
