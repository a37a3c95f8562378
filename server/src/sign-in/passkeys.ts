import { createHash } from 'node:crypto'
import { isIP } from 'node:net'
import type { Request } from 'express'
import {
  generateAuthenticationOptions,
  generateRegistrationOptions,
  verifyAuthenticationResponse,
  verifyRegistrationResponse,
  type AuthenticationResponseJSON,
  type AuthenticatorTransport,
  type RegistrationResponseJSON,
} from '@simplewebauthn/server'
import type { z } from 'zod'
import type { newPasskey, usedPasskey } from '@pendro/contract'
import { execute, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { StafferFactors } from '../db/models/people.ts'
import { findAll, findOne } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import type { Settings } from '../settings.ts'

type Key = RowOf<typeof StafferFactors>

/** Whom a passkey is made for (WebAuthn Level 3 §4: relying party): a name, and where it is asked. */
export interface Party {
  readonly id: string
  readonly origin: string
}

/**
 * The party a request speaks to: the public address, or this very machine by its name. What else a Host header says is not
 * believed; an address in numbers has no passkeys.
 */
export function partyOf(
  req: Request,
  { PENDRO_PUBLIC_URL }: Pick<Settings, 'PENDRO_PUBLIC_URL'>,
): Party | null {
  const host = req.headers.host ?? ''
  if (/^localhost(:\d{1,5})?$/.test(host)) return { id: 'localhost', origin: `http://${host}` }
  if (PENDRO_PUBLIC_URL === '') return null
  const { hostname, origin } = new URL(PENDRO_PUBLIC_URL)
  return isIP(hostname.replace(/^\[|\]$/g, '')) ? null : { id: hostname, origin }
}

/** The same, where there has to be one. */
export function needParty(req: Request, settings: Pick<Settings, 'PENDRO_PUBLIC_URL'>): Party {
  const party = partyOf(req, settings)
  if (!party) throw new AppError('PASSKEYS_NEED_NAME')
  return party
}

const hashOf = (credentialId: string) => createHash('sha256').update(credentialId).digest('hex')

const keysOf = (db: Database, stafferId: number): Promise<readonly Key[]> =>
  findAll(db, StafferFactors, { staffer_id: stafferId, kind: 'passkey' })

const named = (keys: readonly Key[]) =>
  keys.flatMap(({ credential_id, transports }) =>
    credential_id === null
      ? []
      : [{ id: credential_id, transports: [...(transports ?? [])] as AuthenticatorTransport[] }],
  )

/** What a browser is asked for a new passkey with; it stays on the device and knows its owner (discoverable). */
export async function optionsForNew(
  db: Database,
  party: Party,
  { id, name, signIn }: { readonly id: number; readonly name: string; readonly signIn: string },
) {
  return generateRegistrationOptions({
    rpName: 'Pendro',
    rpID: party.id,
    userName: signIn,
    userDisplayName: name,
    userID: new TextEncoder().encode(`staffer-${id}`),
    attestationType: 'none',
    excludeCredentials: named(await keysOf(db, id)),
    authenticatorSelection: { residentKey: 'required', userVerification: 'required' },
  })
}

/** What is kept of a new passkey; throws FACTOR_WRONG where it does not belong to the challenge, the party or its own key. */
export async function readNewPasskey(
  party: Party,
  challenge: string,
  response: z.output<typeof newPasskey>,
): Promise<Pick<Key, 'credential_id' | 'credential_hash' | 'public_key' | 'sign_count' | 'transports'>> {
  const verified = await verifyRegistrationResponse({
    response: response as RegistrationResponseJSON,
    expectedChallenge: challenge,
    expectedOrigin: party.origin,
    expectedRPID: party.id,
    requireUserVerification: true,
  }).catch(() => null)
  if (!verified?.verified) throw new AppError('FACTOR_WRONG', { context: 'passkey' })
  const { credential } = verified.registrationInfo
  return {
    credential_id: credential.id,
    credential_hash: hashOf(credential.id),
    public_key: Buffer.from(credential.publicKey),
    sign_count: credential.counter,
    transports: [...(credential.transports ?? [])],
  }
}

/** What a browser is asked for a passkey with; of nobody's in particular, where it is not known who comes. */
export async function optionsForUse(db: Database, party: Party, stafferId: number | null) {
  return generateAuthenticationOptions({
    rpID: party.id,
    userVerification: 'required',
    allowCredentials: stafferId === null ? [] : named(await keysOf(db, stafferId)),
  })
}

/** Whose passkey was used; throws FACTOR_WRONG for one that is nobody's, or not `stafferId`'s, or that proves nothing. */
export async function takePasskey(
  db: Database,
  party: Party,
  {
    challenge,
    response,
    stafferId,
    now,
  }: {
    readonly challenge: string
    readonly response: z.output<typeof usedPasskey>
    readonly stafferId: number | null
    readonly now: Date
  },
): Promise<number> {
  const key = await findOne(db, StafferFactors, { credential_hash: hashOf(response.id) })
  const wrong = new AppError('FACTOR_WRONG', { context: 'passkey' })
  if (!key?.public_key || key.credential_id === null) throw wrong
  if (stafferId !== null && key.staffer_id !== stafferId) throw wrong
  const verified = await verifyAuthenticationResponse({
    response: response as AuthenticationResponseJSON,
    expectedChallenge: challenge,
    expectedOrigin: party.origin,
    expectedRPID: party.id,
    requireUserVerification: true,
    credential: {
      id: key.credential_id,
      publicKey: new Uint8Array(key.public_key),
      counter: key.sign_count ?? 0,
    },
  }).catch(() => null)
  if (!verified?.verified) throw wrong
  await execute(db, 'UPDATE staffer_factors SET sign_count = :count, used_at = :now WHERE id = :id', {
    id: key.id,
    count: verified.authenticationInfo.newCounter,
    now,
  })
  return key.staffer_id
}
