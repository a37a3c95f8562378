import { z } from 'zod'
import { endpoint } from './endpoint.ts'
import { departments, id, idInPath, moment } from './shapes.ts'

/** What a key may do: read, rule and answer as the help desk does, or all that a steward may. */
export const keyReach = z.enum(['read', 'act', 'steward'])
/** A checked {@link keyReach}. */
export type KeyReach = z.infer<typeof keyReach>

/** A key of a program. `usedAt`: to the minute. */
export const apiKey = z.object({
  id,
  name: z.string(),
  reach: keyReach,
  departments,
  madeBy: z.string(),
  madeAt: moment,
  endsAt: moment,
  usedAt: moment.nullable(),
})
/** A checked {@link apiKey}. */
export type ApiKey = z.infer<typeof apiKey>

/** Those that count, newest first. */
export const listKeys = endpoint({
  method: 'get',
  path: '/api/keys',
  summary: 'Keys of programs',
  roles: ['steward'],
  response: z.object({ keys: z.array(apiKey), departments: z.array(z.string()) }),
})

/** `secret` is told once; only its hash is kept. Sent as `Authorization: Bearer …`, without cookie and token. */
export const makeKey = endpoint({
  method: 'post',
  path: '/api/keys',
  summary: 'Make a key for a program',
  roles: ['steward'],
  fresh: true,
  body: z.object({
    name: z.string().trim().min(1).max(100),
    reach: keyReach,
    departments: departments.default(null),
    /** It ends after so many days. */
    days: z.number().int().min(1).max(730),
  }),
  response: z.object({ key: apiKey, secret: z.string() }),
  problems: ['DEPARTMENT_NOT_FOUND'],
})

/** From now on it opens nothing. */
export const endKey = endpoint({
  method: 'post',
  path: '/api/keys/{id}/end',
  summary: 'End a key',
  roles: ['steward'],
  params: z.object({ id: idInPath }),
  body: z.object({}),
  response: z.object({}),
  problems: ['KEY_NOT_FOUND'],
})

/** Requests about keys, by name. */
export const keyEndpoints = { listKeys, makeKey, endKey }
