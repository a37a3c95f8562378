import type { Router } from 'express'
import {
  acceptInvitation,
  changePassword,
  changeStaffer,
  clearFactors,
  clearThrottle as clearEndpoint,
  endKey,
  endSessions,
  listKeys,
  makeKey,
  inviteStaffer,
  listStaffers,
  listThrottles,
  readInvitation,
  withdrawInvitation,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { actor } from '../sign-in/sessions.ts'
import { clearThrottle, readThrottles, throttle } from '../sign-in/tries.ts'
import { endKeyOf, makeKeyOf, readKeys } from './keys.ts'
import { readDepartments } from './departments.ts'
import { accept, findInvitation, invite, readInvitations, withdraw } from './invitations.ts'
import { change, choosePassword, clearFactorsOf, readStaffers, signOutEverywhere } from './staffers.ts'

export function stafferRoutes(router: Router, { db, now, queued, settings }: Deps): void {
  mount(router, listStaffers, async () => ({
    staffers: await readStaffers(db, now()),
    invitations: await readInvitations(db, now()),
    departments: await readDepartments(db),
  }))
  mount(router, inviteStaffer, async ({ body, who }) => {
    if (body.mailTo !== '' && settings.PENDRO_PUBLIC_URL === '') throw new AppError('NEEDS_PUBLIC_URL')
    const invited = await invite(db, { ...body, by: actor(who), now: now() })
    queued()
    return invited
  })
  mount(router, listThrottles, async () => ({ throttles: await readThrottles(db, now()) }))
  mount(router, clearEndpoint, async ({ body, who }) => ({
    cleared: await clearThrottle(db, { ...body, by: actor(who), now: now() }),
  }))
  mount(router, withdrawInvitation, async ({ params, who }) => {
    await withdraw(db, actor(who), params.id, now())
    return {}
  })
  mount(router, changeStaffer, ({ params, body, who }) =>
    change(db, { ...body, id: params.id, by: actor(who), now: now() }),
  )
  mount(router, endSessions, async ({ params, who }) => ({
    ended: await signOutEverywhere(db, { by: actor(who), id: params.id, own: who, now: now() }),
  }))
  mount(router, changePassword, async ({ body, who, req }) => {
    await choosePassword(db, who, { ...body, by: actor(who), req, now: now() })
    return {}
  })
  mount(router, clearFactors, async ({ params, body, who }) => ({
    cleared: await clearFactorsOf(db, { by: actor(who), id: params.id, reason: body.reason, now: now() }),
  }))
  mount(router, listKeys, async () => ({
    keys: await readKeys(db, now()),
    departments: await readDepartments(db),
  }))
  mount(router, makeKey, ({ body, who }) => makeKeyOf(db, { ...body, by: actor(who), now: now() }))
  mount(router, endKey, async ({ params, who }) => {
    await endKeyOf(db, actor(who), params.id, now())
    return {}
  })
  // Secrets are too long to be guessed; whoever tries is slowed down all the same.
  router.use(
    '/api/invitation',
    throttle(db, 20, () => undefined),
  )
  mount(router, readInvitation, async ({ body }) => {
    const { name, signIn, organisation, expiresAt } = await findInvitation(db, body.secret, now())
    return { name, signIn, organisation, expiresAt }
  })
  mount(router, acceptInvitation, ({ body }) => accept(db, { ...body, now: now() }))
}
