import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'

/** What a new installation needs, in the order in which it is of use. */
export const stepNames = [
  'domains',
  'people',
  'doors',
  'store',
  'outgoing',
  'learning',
  'staffers',
  'holding',
] as const
const stepName = z.enum(stepNames)
/** One of {@link stepNames}. */
export type StepName = z.infer<typeof stepName>

const step = z.object({
  name: stepName,
  /** By what there is, and never by a mark that somebody set; only skipping is one. */
  state: z.enum(['done', 'open', 'skipped']),
  /** How much there is of what it asks for. */
  count: z.number().int(),
})
/** One step of the first day, and how it stands. */
export type StepShape = z.infer<typeof step>

/** `closed`: a steward has put them away; they can be had back. */
export const readSteps = endpoint({
  method: 'get',
  path: '/api/steps',
  summary: 'What a new installation still needs',
  roles: everyone,
  scope: 'own',
  response: z.object({ steps: z.array(step), closed: z.boolean() }),
})

/** What is left out of the request stays as it is. */
export const changeSteps = endpoint({
  method: 'post',
  path: '/api/steps',
  summary: 'Leave a step out, come back to it, or put all of them away',
  roles: ['steward'],
  scope: 'whole',
  body: z.object({
    skip: stepName.optional(),
    comeBackTo: stepName.optional(),
    closed: z.boolean().optional(),
  }),
  response: z.object({ ok: z.literal(true) }),
})

/** Requests about the first steps, by name. */
export const stepEndpoints = { readSteps, changeSteps }
