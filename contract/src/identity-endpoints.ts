import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { session } from './organisation-endpoints.ts'
import { factorKind, moment } from './shapes.ts'

/** A path of our own, with what stands behind it; an address elsewhere is none. */
const ownPath = z
  .string()
  .max(1000)
  .regex(/^\/(?![/\\])[^\\\s]*$/, { error: 'is a path of Pendro' })

/** Where the browser goes next: a page of the identity provider. */
const goTo = z.object({ url: z.string() })

/** Asked before anybody is signed in. `provider`: what the organisation calls its own sign-in; '' for none. */
export const readWaysIn = endpoint({
  method: 'get',
  path: '/api/sign-in/ways',
  summary: 'By what people sign in here',
  roles: 'anyone',
  response: z.object({
    provider: z.string(),
    /** Colleagues come to their own pages by it, too. */
    colleagues: z.boolean(),
    passwords: z.boolean(),
  }),
})

/** OpenID Connect Core 1.0 §3.1, with PKCE (RFC 7636). The way back is /sign-in/back. `from`: where to go when it is done. */
export const beginIdentity = endpoint({
  method: 'post',
  path: '/api/session/identity/begin',
  summary: 'Begin to sign in by the organisation’s identity provider',
  roles: 'anyone',
  body: z.object({
    as: z.enum(['staffer', 'colleague', 'invited']),
    from: ownPath.default('/'),
    /** Of an invitation that is taken up by it. */
    secret: z.string().min(20).max(100).optional(),
  }),
  response: goTo,
  problems: ['NO_PROVIDER', 'PROVIDER_FAILED', 'PROVIDER_NEEDS_ADDRESS', 'INVITATION_OVER', 'TOO_MANY_TRIES'],
})

/** `answer`: what the identity provider put behind the address of the way back. Each answer counts once, in the browser that began. */
export const finishIdentity = endpoint({
  method: 'post',
  path: '/api/session/identity/finish',
  summary: 'Take the answer of the identity provider',
  roles: 'anyone',
  body: z.object({ answer: z.string().min(1).max(8000) }),
  response: z.discriminatedUnion('as', [
    z.object({ as: z.literal('staffer'), from: z.string(), session }),
    z.object({ as: z.literal('second-step'), from: z.string(), factors: z.array(factorKind).min(1) }),
    z.object({ as: z.literal('colleague'), from: z.string() }),
    /** Whoever was signed in already has connected it, or proved again that it is them. */
    z.object({ as: z.enum(['connected', 'proven']), from: z.string() }),
  ]),
  problems: [
    'STEP_OVER',
    'NO_PROVIDER',
    'PROVIDER_FAILED',
    'PROVIDER_NEEDS_ADDRESS',
    'NOT_KNOWN_HERE',
    'IDENTITY_TAKEN',
    'SIGN_IN_TAKEN',
    'INVITATION_OVER',
    'LAST_STEWARD',
    'SUSPENDED',
    'TOO_MANY_TRIES',
  ],
})

/** `provider`: '' where the organisation has none. `byGroups`: role and departments come from there at each sign-in. */
export const readIdentity = endpoint({
  method: 'get',
  path: '/api/session/identity',
  summary: 'Whether whoever is signed in comes by the identity provider',
  roles: everyone,
  scope: 'own',
  response: z.object({
    provider: z.string(),
    connectedAt: moment.nullable(),
    byGroups: z.boolean(),
    hasPassword: z.boolean(),
    /** Whether passwords count at all. */
    passwords: z.boolean(),
  }),
})

/** Goes to the identity provider; {@link finishIdentity} keeps who came back. */
export const connectIdentity = endpoint({
  method: 'post',
  path: '/api/session/identity',
  summary: 'Connect one’s account at the identity provider, to sign in by it from now on',
  roles: everyone,
  scope: 'own',
  fresh: true,
  body: z.object({ from: ownPath.default('/me') }),
  response: goTo,
  problems: ['NO_PROVIDER', 'PROVIDER_FAILED', 'PROVIDER_NEEDS_ADDRESS'],
})

/** Only who has another way in. */
export const dropIdentity = endpoint({
  method: 'delete',
  path: '/api/session/identity',
  summary: 'Sign in by the identity provider no more',
  roles: everyone,
  scope: 'own',
  fresh: true,
  response: z.object({}),
  problems: ['IDENTITY_NEEDED', 'NOT_CONNECTED'],
})

/** For whoever proved a second factor there and has none here; see {@link finishIdentity}. */
export const proveByIdentity = endpoint({
  method: 'post',
  path: '/api/session/proof/identity',
  summary: 'Prove at the identity provider again that it is you',
  roles: everyone,
  scope: 'own',
  body: z.object({ from: ownPath.default('/') }),
  response: goTo,
  problems: ['NO_PROVIDER', 'PROVIDER_FAILED', 'PROVIDER_NEEDS_ADDRESS', 'NOT_CONNECTED'],
})

/** Requests about the identity provider, by name. */
export const identityEndpoints = {
  readWaysIn,
  beginIdentity,
  finishIdentity,
  readIdentity,
  connectIdentity,
  dropIdentity,
  proveByIdentity,
}
