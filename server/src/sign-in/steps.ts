import { createHash, randomBytes } from 'node:crypto'
import type { CookieOptions, Request, Response } from 'express'
import { execute, type Database } from '../db/database.ts'
import { SignInSteps } from '../db/models/people.ts'
import type { RowOf } from '../db/models/columns.ts'
import { findOne, remove } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { readCookie } from './requests.ts'

export type Step = Pick<RowOf<typeof SignInSteps>, 'staffer_id' | 'challenge' | 'secret' | 'facts'>

/** Long enough to find a telephone, short enough for a browser that is left. */
const lasts = 5 * 60_000
const cookieName = 'pendro_step'

const hash = (text: string) => createHash('sha256').update(text).digest('hex')

/** What a step is kept under: only who has the cookie, or the session, can go on with it. */
export const stepOfSession = (session: string, what: 'codes' | 'passkey' | 'proof'): string =>
  hash(`${what} ${session}`)

const cookieOptions = (secure: boolean): CookieOptions => ({
  httpOnly: true,
  sameSite: 'strict',
  secure,
  path: '/api/session',
  maxAge: lasts,
})

/** The step of whoever is about to sign in; `null` for a browser that has none. */
export function stepOfBrowser(req: Request): string | null {
  const token = readCookie(req, cookieName)
  return token === null ? null : hash(`sign-in ${token}`)
}

/** Gives the browser a step of its own. A new one each time: what somebody else has begun here is no part of it. */
export function newStepOfBrowser(res: Response, { secure }: { readonly secure: boolean }): string {
  const token = randomBytes(32).toString('base64url')
  res.cookie(cookieName, token, cookieOptions(secure))
  return hash(`sign-in ${token}`)
}

export function forgetStepOfBrowser(res: Response): void {
  res.clearCookie(cookieName, { path: '/api/session' })
}

/** Keeps what a step waits for, in place of what it waited for before. */
export async function keepStep(db: Database, id: string, step: Partial<Step>, now: Date): Promise<void> {
  await execute(db, 'DELETE FROM sign_in_steps WHERE expires_at <= :now', { now })
  const { staffer_id = null, challenge = null, secret = null, facts = null } = step
  await execute(
    db,
    'REPLACE INTO sign_in_steps (id, staffer_id, challenge, secret, facts, expires_at) VALUES (:id, :staffer_id, :challenge, :secret, :facts, :expires)',
    {
      id,
      staffer_id,
      challenge,
      secret,
      facts: facts && JSON.stringify(facts),
      expires: new Date(now.getTime() + lasts),
    },
  )
}

/** What a step waits for; throws STEP_OVER when there is none any more. */
export async function readStep(db: Database, id: string | null, now: Date): Promise<Step> {
  const row = id === null ? null : await findOne(db, SignInSteps, { id })
  if (!row || row.expires_at <= now) throw new AppError('STEP_OVER')
  return row
}

/** The challenge of a step, for one answer alone: a second one finds none. */
export async function takeChallenge(db: Database, id: string | null, now: Date): Promise<Step> {
  const step = await readStep(db, id, now)
  const taken = await execute(
    db,
    'UPDATE sign_in_steps SET challenge = NULL WHERE id = :id AND challenge = :challenge',
    { id: id ?? '', challenge: step.challenge ?? '' },
  )
  if (taken !== 1) throw new AppError('STEP_OVER')
  return step
}

export async function endStep(db: Database, id: string): Promise<void> {
  await remove(db, SignInSteps, { id })
}
