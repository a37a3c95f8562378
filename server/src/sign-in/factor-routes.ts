import type { Router } from 'express'
import {
  addCodes,
  addPasskey,
  beginCodes,
  beginPasskey,
  beginProof,
  endDevice,
  listDevices,
  proveAgain,
  readFactors as readEndpoint,
  removeFactor,
  renewRecovery,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { newSecret, secretUri, stepOfCode } from './codes.ts'
import { devicesOf, endDeviceOf } from './devices.ts'
import {
  addFactor,
  dropFactor,
  factorKinds,
  readFactors,
  recoveryLeft,
  renewOwnRecovery,
  secretOfStep,
  takeProof,
} from './factors.ts'
import { checkOwnPassword } from './own-password.ts'
import { needParty, optionsForNew, optionsForUse, partyOf, readNewPasskey } from './passkeys.ts'
import { noteProof } from './sessions.ts'
import { endStep, keepStep, stepOfSession, takeChallenge } from './steps.ts'
import { mayTry } from './tries.ts'

/** Second factors and devices of whoever is signed in. */
export function factorRoutes(router: Router, deps: Deps): void {
  const { db, now, settings } = deps
  mount(router, readEndpoint, async ({ who, req }) => ({
    factors: await readFactors(db, who.staffer.id),
    recoveryLeft: await recoveryLeft(db, who.staffer.id),
    required: await isRequired(deps),
    mayPasskey: partyOf(req, settings) !== null,
  }))
  codeRoutes(router, deps)
  passkeyRoutes(router, deps)
  mount(router, removeFactor, async ({ params, who }) => {
    await dropFactor(db, who, params.id, { isRequired: await isRequired(deps), now: now() })
    return {}
  })
  mount(router, renewRecovery, async ({ who }) => ({
    recoveryCodes: await renewOwnRecovery(db, who, now()),
  }))
  proofRoutes(router, deps)
  mount(router, listDevices, async ({ who }) => ({ devices: await devicesOf(db, who, now()) }))
  mount(router, endDevice, async ({ params, who }) => {
    await endDeviceOf(db, who, params.id, now())
    return {}
  })
}

const isRequired = async ({ db }: Deps) => (await readOrganisation(db)).secondFactor === 'required'

function codeRoutes(router: Router, { db, now }: Deps): void {
  mount(router, beginCodes, async ({ who }) => {
    const secret = newSecret()
    await keepStep(db, stepOfSession(who.id, 'codes'), { secret }, now())
    return { secret, uri: secretUri(secret, who.staffer.signIn) }
  })
  mount(router, addCodes, async ({ body, who }) => {
    const step = stepOfSession(who.id, 'codes')
    const secret = await secretOfStep(db, step, now())
    const trying = { kind: 'factor', account: who.staffer.signIn, device: 'adding' } as const
    if (!(await mayTry(db, trying, now()))) throw new AppError('TOO_MANY_TRIES', { context: 'account' })
    const at = stepOfCode(secret, body.code.replace(/\s/g, ''), now())
    if (at === null) throw new AppError('FACTOR_WRONG')
    await endStep(db, step)
    return addFactor(db, who, { kind: 'code', name: body.name, secret, step: at, used_at: now() }, now())
  })
}

function passkeyRoutes(router: Router, { db, now, settings }: Deps): void {
  mount(router, beginPasskey, async ({ who, req }) => {
    const options = await optionsForNew(db, needParty(req, settings), who.staffer)
    await keepStep(db, stepOfSession(who.id, 'passkey'), { challenge: options.challenge }, now())
    return { options: { ...options } }
  })
  mount(router, addPasskey, async ({ body, who, req }) => {
    const party = needParty(req, settings)
    const step = stepOfSession(who.id, 'passkey')
    const { challenge } = await takeChallenge(db, step, now())
    const key = await readNewPasskey(party, challenge ?? '', body.passkey)
    await endStep(db, step)
    return addFactor(db, who, { ...key, kind: 'passkey', name: body.name, used_at: null }, now())
  })
}

function proofRoutes(router: Router, { db, now, settings }: Deps): void {
  mount(router, beginProof, async ({ who, req }) => {
    const kinds = await factorKinds(db, who.staffer.id)
    if (kinds.length === 0)
      return { kinds: [who.provesElsewhere ? ('identity' as const) : ('password' as const)], options: null }
    const party = kinds.includes('passkey') ? partyOf(req, settings) : null
    if (!party) return { kinds: ['code' as const], options: null }
    const options = await optionsForUse(db, party, who.staffer.id)
    await keepStep(db, stepOfSession(who.id, 'proof'), { challenge: options.challenge }, now())
    return { kinds, options: { ...options } }
  })
  mount(router, proveAgain, async ({ body, who, req }) => {
    // A password is enough only for whoever has nothing more.
    if ('password' in body) {
      if (who.hasFactor) throw new AppError('FACTOR_WRONG')
      await checkOwnPassword(db, who, { password: body.password, req, now: now() })
    } else {
      const step = stepOfSession(who.id, 'proof')
      await takeProof(db, who.staffer, body, { req, settings, step, now: now() })
    }
    await noteProof(db, who, now())
    return {}
  })
}
