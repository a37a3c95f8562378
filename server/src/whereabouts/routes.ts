import type { Router } from 'express'
import {
  answerEnquiry,
  changeEnquiry as changeEndpoint,
  listEnquiries,
  listMail,
  lookFor as lookEndpoint,
  openEnquiry as openEndpoint,
  readAccount,
  readEnquiry as readEndpoint,
  readTrouble as troubleEndpoint,
  tryAgain,
  tryAllAgain as tryAllEndpoint,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import { findOne } from '../db/rows.ts'
import { mount } from '../http.ts'
import { readHere } from '../reading/reader.ts'
import { usualStoreView } from '../stores/routes.ts'
import { freshen } from '../stores/watch.ts'
import { actor } from '../sign-in/sessions.ts'
import { readAccountOf, tryAgainNow } from './account.ts'
import { changeEnquiry, openEnquiry, readEnquiries, readEnquiry } from './enquiries.ts'
import { sendAnswer } from './letters.ts'
import { listMailOf } from './list.ts'
import { lookFor } from './look.ts'
import { readTrouble, tryAllAgain } from './trouble.ts'

export function whereaboutsRoutes(router: Router, deps: Deps): void {
  const { db, now, queued, reader = readHere } = deps
  const { stores } = deps.storeView ?? usualStoreView(deps)
  mount(router, lookEndpoint, ({ body, who }) => lookFor(db, who.scope, body, now()))
  mount(router, listMail, ({ query, who }) => listMailOf(db, who.scope, query))
  mount(router, readAccount, async ({ params }) => {
    const delivery = await findOne(db, Deliveries, { id: params.id }, { columns: ['mailbox_id'] })
    if (delivery) await freshen({ db, stores, now }, delivery.mailbox_id)
    return readAccountOf(db, params.id, now(), reader.read)
  })
  mount(router, tryAgain, async ({ params, who }) => {
    await tryAgainNow(db, who, params.id, now())
    queued()
    return {}
  })
  mount(router, tryAllEndpoint, async ({ who }) => {
    const tried = await tryAllAgain(db, who, now())
    queued()
    return { tried }
  })
  mount(router, troubleEndpoint, ({ who }) => readTrouble(db, who.scope, now()))
  mount(router, listEnquiries, ({ query, who }) => readEnquiries(db, who.scope, query.mailbox))
  mount(router, openEndpoint, async ({ body, who }) => ({
    id: await openEnquiry(db, { actor: actor(who), stafferId: who.staffer.id }, body, now()),
  }))
  mount(router, readEndpoint, ({ params, who }) => readEnquiry(db, who, params.id, now()))
  mount(router, answerEnquiry, async ({ params, body, who }) => {
    const letterId = await sendAnswer(db, who, params.id, body, now())
    queued()
    return { letterId }
  })
  mount(router, changeEndpoint, async ({ params, body, who }) => {
    await changeEnquiry(db, who, params.id, body, now())
    return {}
  })
}
