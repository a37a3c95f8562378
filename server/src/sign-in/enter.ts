import type { Request, Response } from 'express'
import type { FactorKind, Session } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { inTransaction } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { pendro, writeRecord } from '../record/write.ts'
import { factorKinds, recoveryLeft, type ProvenBy } from './factors.ts'
import { actor, isStaffer, openSession, sessionCookie, type OpenSession, type Staffer } from './sessions.ts'
import { keepStep, newStepOfBrowser } from './steps.ts'
import { rememberDevice } from './tries.ts'

/** A request and its answer. */
export interface Exchange {
  readonly req: Request
  readonly res: Response
}

export const secureOf = ({ settings }: Deps) => ({ secure: settings.PENDRO_SECURE_COOKIES === 'yes' })

/** By what somebody began to sign in, where a second factor may follow. */
export type Beginning = 'password' | 'identity'
type EnteredBy = Beginning | 'passkey' | 'identity-factor' | `${Beginning}-${ProvenBy}`

/** Lets somebody in whose first proof was right, or asks for a second factor; `null` where nothing more is asked. */
export async function askForMore(
  deps: Deps,
  { res }: Exchange,
  { id }: Staffer,
  began: Beginning,
): Promise<FactorKind[] | null> {
  const { db, now } = deps
  const factors = await factorKinds(db, id)
  if (factors.length === 0) return null
  const step = newStepOfBrowser(res, secureOf(deps))
  const facts = began === 'identity' ? { began } : null
  await keepStep(db, step, { staffer_id: id, facts }, now())
  return factors
}

/** Opens the session of somebody who proved all that is asked for. */
export async function enter(
  deps: Deps,
  { req, res }: Exchange,
  staffer: Staffer,
  by: EnteredBy,
): Promise<Session> {
  const { db, now } = deps
  const { secure } = secureOf(deps)
  await rememberDevice(db, { req, res }, staffer.signIn, { secure })
  const { token, signedIn } = await openSession(db, staffer, now(), {
    agent: req.get('User-Agent'),
    factorElsewhere: by === 'identity-factor',
  })
  const isRecovery = by.endsWith('-recovery')
  const left = isRecovery ? await recoveryLeft(db, staffer.id) : 0
  await inTransaction(db, tx =>
    writeRecord(db, tx, [
      ...(isRecovery
        ? [{ at: now(), act: 'recovery-used' as const, by: actor(signedIn), facts: { left } }]
        : []),
      { at: now(), act: 'signed-in', by: actor(signedIn), facts: { with: by } },
    ]),
  )
  res.cookie(sessionCookie, token, {
    httpOnly: true,
    sameSite: 'strict',
    secure,
    path: '/',
    maxAge: 12 * 3_600_000,
  })
  return describe(deps, signedIn)
}

/** Of a typed name that nobody has nothing is kept: it may be a password, typed in the wrong place. */
export async function noteFailure(
  { db, now }: Deps,
  account: string,
  why: 'password' | 'factor' | 'identity',
): Promise<void> {
  const known = why === 'identity' || (await isStaffer(db, account)) ? account : ''
  await inTransaction(db, tx =>
    writeRecord(db, tx, [{ at: now(), act: 'sign-in-failed', by: pendro, facts: { signIn: known, why } }]),
  )
}

export async function describe({ db }: Deps, { staffer, csrf, factorFirst }: OpenSession): Promise<Session> {
  const { name, timeZone, limits, keep } = await readOrganisation(db)
  const departments = staffer.departments && [...staffer.departments]
  return {
    staffer: { ...staffer, departments },
    csrf,
    organisation: { name, timeZone, limits, keep },
    factorFirst,
  }
}
