import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { session } from './organisation-endpoints.ts'
import { factorKind, id, idInPath, moment } from './shapes.ts'

/** A second factor of a staffer. */
export const factor = z.object({
  id,
  kind: factorKind,
  name: z.string(),
  madeAt: moment,
  usedAt: moment.nullable(),
})
/** A checked {@link factor}. */
export type Factor = z.infer<typeof factor>

const short = z.string().max(4000)
/** What the browser's WebAuthn API made, as JSON (WebAuthn Level 3 §5.1.8). Read by a library of its own; here only bounded. */
const credential = <R extends z.ZodRawShape>(response: R) =>
  z.object({
    id: z.string().min(1).max(1500),
    rawId: z.string().min(1).max(1500),
    type: z.literal('public-key'),
    authenticatorAttachment: z.string().max(40).optional(),
    clientExtensionResults: z.looseObject({}).default({}),
    response: z.object(response),
  })
/** A new passkey. */
export const newPasskey = credential({
  clientDataJSON: short,
  attestationObject: z.string().max(12_000),
  transports: z.array(z.string().max(40)).max(10).optional(),
  publicKeyAlgorithm: z.number().optional(),
  publicKey: short.optional(),
  authenticatorData: short.optional(),
})
/** A passkey that was used. */
export const usedPasskey = credential({
  clientDataJSON: short,
  authenticatorData: short,
  signature: short,
  userHandle: z.string().max(200).optional(),
})

/** What a browser is asked with; see {@link newPasskey} for what comes back. */
const options = z.looseObject({ challenge: z.string() })

/** By what somebody proves that it is them: six digits or a recovery code, or a passkey. */
const proof = z.union([
  z.object({ code: z.string().trim().min(6).max(40) }),
  z.object({ passkey: usedPasskey }),
])
/** A checked proof. */
export type Proof = z.infer<typeof proof>

/** For a sign-in, with a password before or with the passkey alone. The challenge ends after five minutes. */
export const beginPasskeySignIn = endpoint({
  method: 'post',
  path: '/api/session/passkey',
  summary: 'Ask for a passkey to sign in with',
  roles: 'anyone',
  body: z.object({}),
  response: z.object({ options }),
  problems: ['PASSKEYS_NEED_NAME', 'TOO_MANY_TRIES'],
})

/** The second step after a right password, or a passkey in its place. STEP_OVER: begin again. */
export const proveSignIn = endpoint({
  method: 'post',
  path: '/api/session/factor',
  summary: 'Sign in with a second factor, or with a passkey alone',
  roles: 'anyone',
  body: proof,
  response: session,
  problems: [
    'FACTOR_WRONG',
    'STEP_OVER',
    'SUSPENDED',
    'TOO_MANY_TRIES',
    'PASSKEYS_NEED_NAME',
    'COME_BY_PROVIDER',
  ],
})

/** `required`: the organisation asks for one. `mayPasskey`: false where Pendro is opened by a number and not by a name. */
export const readFactors = endpoint({
  method: 'get',
  path: '/api/session/factors',
  summary: 'The second factors of whoever is signed in',
  roles: everyone,
  scope: 'own',
  response: z.object({
    factors: z.array(factor),
    recoveryLeft: z.number().int(),
    required: z.boolean(),
    mayPasskey: z.boolean(),
  }),
})

/** `uri`: for an app to take in as a picture (otpauth). Nothing is kept until a code was right. */
export const beginCodes = endpoint({
  method: 'post',
  path: '/api/session/codes',
  summary: 'A secret for one-time codes of an app',
  roles: everyone,
  scope: 'own',
  fresh: true,
  body: z.object({}),
  response: z.object({ secret: z.string(), uri: z.string() }),
})

const added = z.object({
  factor,
  /** With the first factor: told once, each good for one sign-in. */
  recoveryCodes: z.array(z.string()).nullable(),
})

/** The first code of the app shows that it has the secret. */
export const addCodes = endpoint({
  method: 'post',
  path: '/api/session/codes/first',
  summary: 'Keep the secret whose first code this is',
  roles: everyone,
  scope: 'own',
  fresh: true,
  body: z.object({ code: z.string().trim().min(6).max(10), name: z.string().trim().max(100).default('') }),
  response: added,
  problems: ['FACTOR_WRONG', 'STEP_OVER', 'TOO_MANY_TRIES'],
})

/** What the browser is to make. */
export const beginPasskey = endpoint({
  method: 'post',
  path: '/api/session/passkeys/begin',
  summary: 'Ask for a new passkey',
  roles: everyone,
  scope: 'own',
  fresh: true,
  body: z.object({}),
  response: z.object({ options }),
  problems: ['PASSKEYS_NEED_NAME'],
})

/** Verified by the library before it is kept. */
export const addPasskey = endpoint({
  method: 'post',
  path: '/api/session/passkeys',
  summary: 'Keep a new passkey',
  roles: everyone,
  scope: 'own',
  fresh: true,
  body: z.object({ name: z.string().trim().max(100).default(''), passkey: newPasskey }),
  response: added,
  problems: ['FACTOR_WRONG', 'STEP_OVER', 'PASSKEYS_NEED_NAME'],
})

/** FACTOR_NEEDED: the organisation asks for one, and it is the last. */
export const removeFactor = endpoint({
  method: 'post',
  path: '/api/session/factors/{id}/remove',
  summary: 'Give up a second factor of one’s own',
  roles: everyone,
  scope: 'own',
  fresh: true,
  params: z.object({ id: idInPath }),
  body: z.object({}),
  response: z.object({}),
  problems: ['FACTOR_NOT_FOUND', 'FACTOR_NEEDED'],
})

/** The old ones end. */
export const renewRecovery = endpoint({
  method: 'post',
  path: '/api/session/recovery',
  summary: 'New recovery codes',
  roles: everyone,
  scope: 'own',
  fresh: true,
  body: z.object({}),
  response: z.object({ recoveryCodes: z.array(z.string()) }),
  problems: ['FACTOR_NOT_FOUND'],
})

/** Before what can't be undone, before exports and before a factor is changed: answered PROVE_AGAIN where the last proof is older than ten minutes. */
export const beginProof = endpoint({
  method: 'post',
  path: '/api/session/proof/begin',
  summary: 'By what one may prove again that it is oneself',
  roles: everyone,
  scope: 'own',
  body: z.object({}),
  /** Without a factor it is the password, or the identity provider for whoever proved one there. */
  response: z.object({
    kinds: z.array(z.enum(['code', 'passkey', 'password', 'identity'])),
    options: options.nullable(),
  }),
})

/** Good for ten minutes. */
export const proveAgain = endpoint({
  method: 'post',
  path: '/api/session/proof',
  summary: 'Prove again that it is oneself',
  roles: everyone,
  scope: 'own',
  body: z.union([proof, z.object({ password: z.string().min(1).max(500) })]),
  response: z.object({}),
  problems: ['FACTOR_WRONG', 'STEP_OVER', 'OLD_PASSWORD_WRONG', 'TOO_MANY_TRIES'],
})

/** Where somebody is signed in. `own`: the one that asks. `agent`: what the browser calls itself. */
export const device = z.object({
  id,
  openedAt: moment,
  usedAt: moment,
  agent: z.string(),
  own: z.boolean(),
})
/** A checked {@link device}. */
export type Device = z.infer<typeof device>

/** Newest use first. */
export const listDevices = endpoint({
  method: 'get',
  path: '/api/session/devices',
  summary: 'Where one is signed in',
  roles: everyone,
  scope: 'own',
  response: z.object({ devices: z.array(device) }),
})

/** Of one's own only. */
export const endDevice = endpoint({
  method: 'post',
  path: '/api/session/devices/{id}/end',
  summary: 'Sign out on one device',
  roles: everyone,
  scope: 'own',
  params: z.object({ id: idInPath }),
  body: z.object({}),
  response: z.object({}),
  problems: ['DEVICE_NOT_FOUND'],
})

/** For somebody who lost theirs: they sign in by password, and add another. Their sessions end. */
export const clearFactors = endpoint({
  method: 'post',
  path: '/api/staffers/{id}/factors/clear',
  summary: 'Take a staffer’s second factors away',
  roles: ['steward'],
  fresh: true,
  params: z.object({ id: idInPath }),
  body: z.object({ reason: z.string().trim().min(1).max(1000) }),
  response: z.object({ cleared: z.number().int() }),
  problems: ['STAFFER_NOT_FOUND', 'FACTOR_NOT_FOUND'],
})

/** Requests about second factors and devices, by name. */
export const factorEndpoints = {
  beginPasskeySignIn,
  proveSignIn,
  readFactors,
  beginCodes,
  addCodes,
  beginPasskey,
  addPasskey,
  removeFactor,
  renewRecovery,
  beginProof,
  proveAgain,
  listDevices,
  endDevice,
  clearFactors,
}
