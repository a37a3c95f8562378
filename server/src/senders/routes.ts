import type { Router } from 'express'
import {
  answerRequest,
  applyChange,
  askForEveryone,
  beginImport,
  entrySheet,
  exportSenders,
  importLines,
  importProgress,
  previewChange,
  readRequests,
  senderCounts,
  senderEntries,
  takeImport,
  unsubscribe,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { readHere } from '../reading/reader.ts'
import { readOrganisation } from '../db/organisation.ts'
import { mount, mountFile } from '../http.ts'
import { applyWanted, planWanted, told } from './changes.ts'
import { askToTake, importLinesOf, importStatusOf, keepImport } from './imports.ts'
import { reachOf } from '../lists/reach.ts'
import { answerRequestOf, askForEverybody, readQueue } from './requests.ts'
import { readEntrySheet } from './sheet.ts'
import { entryCounts, entryPage } from './table.ts'
import { exportList } from './export.ts'
import { unsubscribeFrom } from './unsubscribe.ts'

export function senderRoutes(router: Router, deps: Deps): void {
  entryRoutes(router, deps)
  requestRoutes(router, deps)
  importRoutes(router, deps)
}

function entryRoutes(router: Router, { db, now, settings, reader = readHere }: Deps): void {
  mount(router, senderEntries, async ({ query: { order, after, limit, ...filter }, who }) => {
    const shown = { filter, scope: who.scope }
    const { rows, next } = await entryPage(db, shown, { order, after, limit }, now())
    return { rows: [...rows], next }
  })
  mount(router, senderCounts, ({ query, who }) => entryCounts(db, { filter: query, scope: who.scope }, now()))
  mount(router, entrySheet, ({ params, who }) => readEntrySheet(db, who.scope, params.id, now()))
  mount(router, previewChange, async ({ body: { days, ...wanted }, who }) => {
    const organisation = await readOrganisation(db)
    const { change } = await planWanted(db, wanted, organisation, now())
    return reachOf(db, change, { organisation, now: now(), days, scope: who.scope })
  })
  mount(router, applyChange, async ({ body: { reason, token, ...wanted }, who }) =>
    told(await applyWanted(db, { who, wanted, reason, token, now: now() })),
  )
  mountFile(router, exportSenders, ({ query, who, res }) => exportList(db, who, query, now(), res))

  mount(router, unsubscribe, async ({ params, body, who }) => ({
    host: await unsubscribeFrom(db, who, {
      deliveryId: params.id,
      reason: body.reason,
      setting:
        (await readOrganisation(db)).reachingOut?.unsubscribe === false ? 'off' : settings.PENDRO_UNSUBSCRIBE,
      read: reader.read,
      now: now(),
    }),
  }))
}

function requestRoutes(router: Router, { db, now }: Deps): void {
  mount(router, readRequests, async ({ who }) => ({ requests: await readQueue(db, who.scope) }))
  mount(router, askForEveryone, async ({ body, who }) => ({
    id: await askForEverybody(db, who, body, now()),
  }))
  mount(router, answerRequest, async ({ params, body, who }) => {
    const applied = await answerRequestOf(db, who, params.id, body, now())
    return { applied: applied && told(applied) }
  })
}

function importRoutes(router: Router, { db, now, queued }: Deps): void {
  mount(router, beginImport, async ({ query, body, who }) => {
    const begun = {
      ...query,
      format: query.format,
      mailboxId: query.list === 'everybody' ? null : query.list,
      takeContradicting: query.takeContradicting === 'yes',
      source: Buffer.from(body.buffer, body.byteOffset, body.byteLength),
    }
    const status = await keepImport(db, who, begun, now())
    queued()
    return status
  })
  mount(router, importProgress, ({ params }) => importStatusOf(db, params.id))
  mount(router, importLines, async ({ params, query }) => ({
    lines: await importLinesOf(db, params.id, query),
  }))
  mount(router, takeImport, async ({ params, body, who }) => {
    const status = await askToTake(db, who, params.id, body.reason)
    queued()
    return status
  })
}
