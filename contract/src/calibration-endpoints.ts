import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
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

/** How often a finding was there in what people ruled on, and how often it was what decided. */
export const evidenceUse = z.object({
  finding: z.string(),
  /** As it weighs in the table. */
  weight: z.number(),
  wanted: z.number().int(),
  junk: z.number().int(),
  /** It leant to what people said. */
  right: z.number().int(),
  /** Without it the message would have been on the other side of the limit. */
  decisive: z.number().int(),
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

/** `wanted` and `junk`: what people called so; `unruled`: everything else of these days. */
export const readCalibration = endpoint({
  method: 'get',
  path: '/api/calibration',
  summary: 'What people decided against what the score said',
  roles: everyone,
  query: z.object({ days: z.enum(['30', '90']).default('30') }),
  response: z.object({
    days: z.number().int(),
    wanted: byScore,
    junk: byScore,
    unruled: byScore,
    limits,
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
  }),
})

/** A checked answer of {@link readCalibration}. */
export type CalibrationShape = z.infer<typeof readCalibration.response>

/** Requests of Calibration, by name. */
export const calibrationEndpoints = { readCalibration }
