import type { Request, RequestHandler, Response, Router } from 'express'
import {
  beginPasskeySignIn,
  proveSignIn,
  readSession,
  signIn,
  signOut,
  type Proof,
  type Session,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { inTransaction } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { pendro, writeRecord } from '../record/write.ts'
import { factorKinds, recoveryLeft, takeLonePasskey, takeProof, type ProvenBy } from './factors.ts'
import { factorRoutes } from './factor-routes.ts'
import { findKey, keyIn } from './keys.ts'
import { needParty, optionsForUse } from './passkeys.ts'
import { readCookie } from './requests.ts'
import { checkScope, type InScope } from './scope.ts'
import {
  actor,
  closeSession,
  findSession,
  findStaffer,
  isStaffer,
  openSession,
  sessionCookie,
  stafferOf,
  type OpenSession,
  type Staffer,
} from './sessions.ts'
import {
  endStep,
  forgetStepOfBrowser,
  keepStep,
  newStepOfBrowser,
  readStep,
  stepOfBrowser,
  type Step,
} from './steps.ts'
import { forgetTries, knownDevice, mayTry, rememberDevice, slowAll, throttle, type Trying } from './tries.ts'

/** Puts who is signed in into `res.locals.signedIn`; nobody is no error here. */
export function recogniseSession({ db, now }: Deps): RequestHandler {
  return async (req, res, next) => {
    const key = keyIn(req)
    const token = key === null ? readCookie(req, sessionCookie) : null
    // A key that is none is told so, whatever cookie comes with it.
    const signedIn =
      key !== null ? await findKey(db, key, now()) : token ? await findSession(db, token, now()) : null
    if (key !== null && !signedIn) throw new AppError('KEY_WRONG')
    if (signedIn) {
      res.locals.signedIn = signedIn
      const inScope: InScope = (endpoint, parts) => checkScope(db, signedIn.scope, endpoint, parts)
      res.locals.inScope = inScope
    }
    next()
  }
}

interface Exchange {
  readonly req: Request
  readonly res: Response
}

export function signInRoutes(router: Router, deps: Deps): void {
  const { db, now } = deps
  // What whoever is signed in asks of their own is counted by account.
  const slowedDown = new Set([signIn.path, beginPasskeySignIn.path, proveSignIn.path])
  const slowDown = throttle(db, 20, body => body['signIn'])
  // A challenge is kept for each that asks.
  router.use(beginPasskeySignIn.path, slowAll(240))
  router.use('/api/session', (req, res, next) =>
    slowedDown.has(`${req.baseUrl}${req.path}`.replace(/\/$/, '')) ? slowDown(req, res, next) : next(),
  )
  mount(router, signIn, async ({ body, req, res }) => {
    const account = body.signIn
    const trying: Trying = { kind: 'staff', account, device: await knownDevice(db, req, account) }
    if (!(await mayTry(db, trying, now()))) throw new AppError('TOO_MANY_TRIES', { context: 'account' })
    const staffer = await findStaffer(db, account, body.password)
    if (!staffer) {
      await noteFailure(deps, account, 'password')
      throw new AppError('SIGN_IN_FAILED')
    }
    await forgetTries(db, trying)
    const factors = await factorKinds(db, staffer.id)
    if (factors.length === 0) return enter(deps, { req, res }, staffer, 'password')
    const step = newStepOfBrowser(res, secureOf(deps))
    await keepStep(db, step, { staffer_id: staffer.id }, now())
    return { factors }
  })
  secondStepRoutes(router, deps)
  mount(router, readSession, ({ who }) => describe(deps, who))
  mount(router, signOut, async ({ req, res }) => {
    const token = readCookie(req, sessionCookie)
    if (token) await closeSession(db, token)
    res.clearCookie(sessionCookie, { path: '/' })
    return {}
  })
  factorRoutes(router, deps)
}

function secondStepRoutes(router: Router, deps: Deps): void {
  const { db, now, settings } = deps
  mount(router, beginPasskeySignIn, async ({ req, res }) => {
    const party = needParty(req, settings)
    const begun = stepOfBrowser(req)
    // After a password only their own passkeys will do; before one, whoever has one comes.
    const known = begun === null ? null : await readStep(db, begun, now()).catch(() => null)
    const step = known && begun !== null ? begun : newStepOfBrowser(res, secureOf(deps))
    const staffer_id = known?.staffer_id ?? null
    const options = await optionsForUse(db, party, staffer_id)
    await keepStep(db, step, { staffer_id, challenge: options.challenge }, now())
    return { options: { ...options } }
  })
  mount(router, proveSignIn, async ({ body, req, res }) => {
    const id = stepOfBrowser(req)
    const step = await readStep(db, id, now())
    const { staffer, by } = await proven(deps, { req, res }, step, body)
    if (id !== null) await endStep(db, id)
    forgetStepOfBrowser(res)
    return enter(deps, { req, res }, staffer, step.staffer_id === null ? 'passkey' : `password-${by}`)
  })
}

/** Who proved that it is them, in the second step or by a passkey alone. */
async function proven(
  deps: Deps,
  { req }: Exchange,
  { staffer_id }: Step,
  proof: Proof,
): Promise<{ staffer: Staffer; by: ProvenBy }> {
  const { db, now, settings } = deps
  const proving = { req, settings, step: stepOfBrowser(req), now: now() }
  if (staffer_id === null) {
    if (!('passkey' in proof)) throw new AppError('STEP_OVER')
    const staffer = await stafferOf(db, await takeLonePasskey(db, proof, proving))
    if (!staffer) throw new AppError('FACTOR_WRONG', { context: 'passkey' })
    return { staffer, by: 'passkey' }
  }
  const staffer = await stafferOf(db, staffer_id)
  if (!staffer) throw new AppError('STEP_OVER')
  try {
    return { staffer, by: await takeProof(db, staffer, proof, proving) }
  } catch (error) {
    if (error instanceof AppError && error.code === 'FACTOR_WRONG')
      await noteFailure(deps, staffer.signIn, 'factor')
    throw error
  }
}

const secureOf = ({ settings }: Deps) => ({ secure: settings.PENDRO_SECURE_COOKIES === 'yes' })

type EnteredBy = 'password' | 'passkey' | `password-${ProvenBy}`

/** Opens the session of somebody who proved all that is asked for. */
async function enter(deps: Deps, { req, res }: Exchange, staffer: Staffer, by: EnteredBy): Promise<Session> {
  const { db, now } = deps
  const { secure } = secureOf(deps)
  await rememberDevice(db, { req, res }, staffer.signIn, { secure })
  const { token, signedIn } = await openSession(db, staffer, now(), { agent: req.get('User-Agent') })
  const left = by === 'password-recovery' ? await recoveryLeft(db, staffer.id) : 0
  await inTransaction(db, tx =>
    writeRecord(db, tx, [
      ...(by === 'password-recovery'
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

/** Of a name that nobody has nothing is kept: it may be a password, typed in the wrong place. */
async function noteFailure({ db, now }: Deps, account: string, why: 'password' | 'factor'): Promise<void> {
  const known = (await isStaffer(db, account)) ? account : ''
  await inTransaction(db, tx =>
    writeRecord(db, tx, [{ at: now(), act: 'sign-in-failed', by: pendro, facts: { signIn: known, why } }]),
  )
}

async function describe({ db }: Deps, { staffer, csrf, factorFirst }: OpenSession): Promise<Session> {
  const { name, timeZone, limits, keep } = await readOrganisation(db)
  const departments = staffer.departments && [...staffer.departments]
  return {
    staffer: { ...staffer, departments },
    csrf,
    organisation: { name, timeZone, limits, keep },
    factorFirst,
  }
}
