import type { Router } from 'express'
import { putStoreScript, readStoreScript, undoStoreScript } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { readHere } from '../reading/reader.ts'
import { actor } from '../sign-in/sessions.ts'
import { told, usualStoreView } from '../stores/routes.ts'
import { lookAtScripts, putAgain, undoPut, type InStoreDeps } from './in-store.ts'
import { showScripts } from './in-store-view.ts'

/** Mail rules and automatic replies at mail stores: how they stand, and who decides where they differ. */
export function inStoreRoutes(router: Router, given: Deps): void {
  const { db, now } = given
  const { secrets } = given.storeView ?? usualStoreView(given)
  const deps: InStoreDeps = { db, now, secrets, readScript: (given.reader ?? readHere).readScript }
  const known = async (id: number) => {
    if (!(await findMailboxRow(db, id))) throw new AppError('MAILBOX_NOT_FOUND')
  }
  const show = (id: number) => showScripts(db, deps.readScript, id)
  mount(router, readStoreScript, async ({ params: { id }, query }) => {
    await known(id)
    if (query.fresh === 'yes') await told(lookAtScripts(deps, id))
    return show(id)
  })
  mount(router, putStoreScript, async ({ params: { id }, body, who }) => {
    await known(id)
    await told(putAgain(deps, id, { by: actor(who), ...body }))
    return show(id)
  })
  mount(router, undoStoreScript, async ({ params: { id }, who }) => {
    await known(id)
    await told(undoPut(deps, id, actor(who)))
    return show(id)
  })
}
