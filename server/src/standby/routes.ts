import type { Router } from 'express'
import {
  attachToDraft,
  declareOutage,
  tellColleagues,
  detachFromDraft,
  dropStandbyDraft,
  readOutages,
  readStandby,
  readStandbyDraft,
  readStandbyItem,
  saveStandbyDraft,
  sendStandbyDraft,
  standbyAttachment,
  standbyView,
  suggestAddresses,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount, mountFile } from '../http.ts'
import { readHere } from '../reading/reader.ts'
import { safeViewHeaders, viewOf } from '../review/safe-view.ts'
import { actor } from '../sign-in/sessions.ts'
import { attachFile, detachFile, dropDraft, readDraft, saveDraft, sendDraft, suggest } from './letters.ts'
import { attachmentOf, findWaiting, openItem, standbyPage } from './mail.ts'
import { tellOfOutage } from './notices.ts'
import { needStandby } from './open.ts'
import { declare, outagesNow } from './outage-view.ts'

export function standbyRoutes(router: Router, deps: Deps): void {
  readingRoutes(router, deps)
  writingRoutes(router, deps)
  mount(router, readOutages, ({ who }) => outagesNow(deps.db, who.scope, deps.now()))
  mount(router, declareOutage, async ({ body, who }) => {
    await declare(deps.db, { ...body, by: actor(who), now: deps.now() })
    return {}
  })
  mount(router, tellColleagues, async ({ body: { store }, who }) => ({
    colleagues: await tellOfOutage(deps.db, { by: actor(who), store, now: deps.now() }),
  }))
}

/** A browser neither shows nor guesses what an attachment is. */
const attachmentHeaders = {
  'Content-Type': 'application/octet-stream',
  'X-Content-Type-Options': 'nosniff',
  'Content-Security-Policy': "default-src 'none'; sandbox",
  'Cache-Control': 'private, no-store',
} as const

function readingRoutes(router: Router, { db, now, reader = readHere }: Deps): void {
  mount(router, readStandby, ({ colleague }) => standbyPage(db, colleague.id, now()))
  mount(router, readStandbyItem, async ({ params, colleague }) => {
    await needStandby(db, colleague.id, now())
    return openItem(db, colleague.id, params.key, { now: now(), read: reader.read })
  })
  mountFile(router, standbyView, async ({ params, colleague, res }) => {
    await needStandby(db, colleague.id, now())
    const { raw } = await findWaiting(db, colleague.id, params.key)
    const asked = { form: 'html' as const, pictures: false, pictureSetting: 'off' }
    res.set(safeViewHeaders).send(await viewOf(db, raw, asked, reader))
  })
  mountFile(router, standbyAttachment, async ({ params: { key, place }, colleague, res }) => {
    await needStandby(db, colleague.id, now())
    const { name, content } = await attachmentOf(db, colleague.id, key, { place, reader })
    // RFC 6266: the name as it is, beside one that every browser reads.
    const plain = name.replace(/[^\w. -]/g, '_')
    res
      .set(attachmentHeaders)
      .set(
        'Content-Disposition',
        `attachment; filename="${plain}"; filename*=UTF-8''${encodeURIComponent(name)}`,
      )
      .send(content)
  })
  mount(router, suggestAddresses, async ({ query, colleague }) => {
    await needStandby(db, colleague.id, now())
    return { addresses: await suggest(db, colleague.id, query.text) }
  })
}

function writingRoutes(router: Router, { db, now, queued, reader = readHere }: Deps): void {
  mount(router, readStandbyDraft, async ({ params, colleague }) => {
    await needStandby(db, colleague.id, now())
    return readDraft(db, colleague.id, params.id)
  })
  mount(router, saveStandbyDraft, async ({ body, colleague }) => {
    await needStandby(db, colleague.id, now())
    return saveDraft(db, colleague.id, body, now())
  })
  mount(router, attachToDraft, async ({ query, body, colleague }) => {
    await needStandby(db, colleague.id, now())
    return { id: await attachFile(db, colleague.id, { ...query, content: Buffer.from(body) }) }
  })
  mount(router, detachFromDraft, async ({ params, body, colleague }) => {
    await detachFile(db, colleague.id, params.id, body.file)
    return {}
  })
  mount(router, dropStandbyDraft, async ({ params, colleague }) => {
    await dropDraft(db, colleague.id, params.id)
    return {}
  })
  mount(router, sendStandbyDraft, async ({ params, body, colleague }) => {
    await needStandby(db, colleague.id, now())
    const given = { id: params.id, version: body.version }
    await sendDraft(db, colleague.id, given, { now: now(), read: reader.read })
    queued()
    return {}
  })
}
