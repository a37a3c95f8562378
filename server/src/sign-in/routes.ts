import type { RequestHandler, Router } from 'express'
import { beginPasskeySignIn, proveSignIn, readSession, signIn, signOut, type Proof } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { askForMore, describe, enter, noteFailure, secureOf, type Exchange } from './enter.ts'
import { takeLonePasskey, takeProof, type ProvenBy } from './factors.ts'
import { factorRoutes } from './factor-routes.ts'
import { findKey, keyIn } from './keys.ts'
import { needParty, optionsForUse } from './passkeys.ts'
import { readCookie } from './requests.ts'
import { checkScope, type InScope } from './scope.ts'
import {
  closeSession,
  findSession,
  findStaffer,
  needOwnRole,
  sessionCookie,
  stafferOf,
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
import { forgetTries, knownDevice, mayTry, slowAll, throttle, type Trying } from './tries.ts'

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
      const looksAfter = { scope: signedIn.scope, departments: signedIn.staffer.departments }
      const inScope: InScope = (endpoint, parts) => checkScope(db, looksAfter, endpoint, parts)
      res.locals.inScope = inScope
    }
    next()
  }
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
    const staffer = await findStaffer(db, account, body.password, now())
    if (!staffer) {
      await noteFailure(deps, account, 'password')
      throw new AppError('SIGN_IN_FAILED')
    }
    await forgetTries(db, trying)
    const factors = await askForMore(deps, { req, res }, staffer, 'password')
    return factors ? { factors } : enter(deps, { req, res }, staffer, 'password')
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
    const found = begun === null ? null : await readStep(db, begun, now()).catch(() => null)
    const known = found?.facts?.as === undefined ? found : null
    const step = known && begun !== null ? begun : newStepOfBrowser(res, secureOf(deps))
    const staffer_id = known?.staffer_id ?? null
    const options = await optionsForUse(db, party, staffer_id)
    const facts = known?.facts ?? null
    await keepStep(db, step, { staffer_id, facts, challenge: options.challenge }, now())
    return { options: { ...options } }
  })
  mount(router, proveSignIn, async ({ body, req, res }) => {
    const id = stepOfBrowser(req)
    const step = await readStep(db, id, now())
    const { staffer, by } = await proven(deps, { req, res }, step, body)
    if (id !== null) await endStep(db, id)
    forgetStepOfBrowser(res)
    return enter(
      deps,
      { req, res },
      staffer,
      step.staffer_id === null ? 'passkey' : `${step.facts?.began ?? 'password'}-${by}`,
    )
  })
}

/** Who proved that it is them, in the second step or by a passkey alone. */
async function proven(
  deps: Deps,
  { req }: Exchange,
  { staffer_id, facts }: Step,
  proof: Proof,
): Promise<{ staffer: Staffer; by: ProvenBy }> {
  const { db, now, settings } = deps
  // One that waits for the identity provider has proved nothing yet.
  if (facts?.as !== undefined) throw new AppError('STEP_OVER')
  const proving = { req, settings, step: stepOfBrowser(req), now: now() }
  if (staffer_id === null) {
    if (!('passkey' in proof)) throw new AppError('STEP_OVER')
    const staffer = await stafferOf(db, await takeLonePasskey(db, proof, proving))
    if (!staffer) throw new AppError('FACTOR_WRONG', { context: 'passkey' })
    await needOwnRole(db, staffer.id)
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
