import type { RequestHandler, Router } from 'express'
import { readSession, signIn, signOut, type Session } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { inTransaction } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { readCookie } from './requests.ts'
import { forgetTries, knownDevice, mayTry, rememberDevice, throttle, type Trying } from './tries.ts'
import { writeRecord } from '../record/write.ts'
import {
  actor,
  closeSession,
  findSession,
  findStaffer,
  openSession,
  sessionCookie,
  type SignedIn,
} from './sessions.ts'

/** Puts who is signed in into `res.locals.signedIn`; nobody is no error here. */
export function recogniseSession({ db, now }: Deps): RequestHandler {
  return async (req, res, next) => {
    const token = readCookie(req, sessionCookie)
    if (token) res.locals.signedIn = (await findSession(db, token, now())) ?? undefined
    next()
  }
}

export function signInRoutes(router: Router, deps: Deps): void {
  const { db, now, settings } = deps
  router.use(
    '/api/session',
    throttle(db, 20, body => body['signIn']),
  )
  const secure = settings.PENDRO_SECURE_COOKIES === 'yes'
  mount(router, signIn, async ({ body, req, res }) => {
    const account = body.signIn
    const trying: Trying = { kind: 'staff', account, device: await knownDevice(db, req, account) }
    if (!(await mayTry(db, trying, now()))) throw new AppError('TOO_MANY_TRIES', { context: 'account' })
    const staffer = await findStaffer(db, account, body.password)
    if (!staffer) throw new AppError('SIGN_IN_FAILED')
    await forgetTries(db, trying)
    await rememberDevice(db, { req, res }, account, { secure })
    const { token, signedIn } = await openSession(db, staffer, now())
    await inTransaction(db, tx => writeRecord(db, tx, [{ at: now(), act: 'signed-in', by: actor(signedIn) }]))
    res.cookie(sessionCookie, token, {
      httpOnly: true,
      sameSite: 'strict',
      secure,
      path: '/',
      maxAge: 12 * 3_600_000,
    })
    return describe(deps, signedIn)
  })
  mount(router, readSession, ({ who }) => describe(deps, who))
  mount(router, signOut, async ({ req, res }) => {
    const token = readCookie(req, sessionCookie)
    if (token) await closeSession(db, token)
    res.clearCookie(sessionCookie, { path: '/' })
    return {}
  })
}

async function describe({ db }: Deps, { staffer, csrf }: SignedIn): Promise<Session> {
  const { name, timeZone, limits, keep } = await readOrganisation(db)
  return { staffer, csrf, organisation: { name, timeZone, limits, keep } }
}
