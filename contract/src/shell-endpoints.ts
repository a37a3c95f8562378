import { z } from 'zod'
import { endpoint, everyone, fileEndpoint } from './endpoint.ts'
import { id } from './shapes.ts'

/** What stands around every screen; apart from the areas, so that the first screen loads no more than that. */
export const openWork = endpoint({
  method: 'get',
  path: '/api/open-work',
  summary: 'The numbers beside the areas: what waits for somebody',
  roles: everyone,
  scope: {},
  response: z.object({
    /** Findings of any sender list that need a decision, and open requests. */
    senders: z.number().int(),
    enquiries: z.number().int(),
  }),
})

const found = z.object({
  kind: z.enum(['colleague', 'sender', 'entry', 'enquiry', 'message']),
  id,
  title: z.string(),
  more: z.string(),
})
/** What the find box found, by kind. */
export type Found = z.infer<typeof found>
/** A few of each kind, best first; messages by the words they are indexed under. */
export const findAnything = endpoint({
  method: 'get',
  path: '/api/find',
  summary: 'Colleagues, senders, entries, enquiries and messages that fit what is typed',
  roles: everyone,
  scope: {},
  query: z.object({ text: z.string().trim().min(1).max(200) }),
  response: z.object({ found: z.array(found) }),
})

/** Made from the same table that the server mounts. */
export const apiDescription = fileEndpoint({
  path: '/api/openapi.json',
  summary: 'This description (OpenAPI 3.0)',
  roles: 'anyone',
  gives: ['application/json'],
})

/** Requests of the frame around the areas, by name. */
export const shellEndpoints = { apiDescription, openWork, findAnything }
