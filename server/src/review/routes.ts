import type { Router } from 'express'
import {
  applyRuling as applyEndpoint,
  deliverySheet,
  eraseForGood as eraseEndpoint,
  keepUntil,
  messageSource,
  previewRuling,
  reviewCluster,
  reviewCounts,
  reviewList,
  safeView,
  sayWhy,
  selectShown,
  selectionProgress,
  undoRuling as undoEndpoint,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount, mountFile, sendMessage } from '../http.ts'
import { readHere } from '../reading/reader.ts'
import { readCursor } from '../db/cursor.ts'
import { clusterMembers, countBins, listPage, shownTo, shownIds, toReviewRow } from './queries.ts'
import { previewReach } from './reach.ts'
import { eraseForGood } from '../rulings/erase.ts'
import { ruleOnSelection } from '../rulings/rule-all.ts'
import { applyRuling } from '../rulings/rulings.ts'
import { makeSelection, mostSelected, readProgress } from '../rulings/selections.ts'
import { undoRuling } from '../rulings/undo.ts'
import { findSource, readSafeView, safeViewHeaders } from './safe-view.ts'
import { keepDelivery } from './keep.ts'
import { noteReading, readSheet } from './sheet.ts'

const mostMembers = 500

export function reviewRoutes(router: Router, deps: Deps): void {
  listRoutes(router, deps)
  rulingRoutes(router, deps)
  messageRoutes(router, deps)
}

function listRoutes(router: Router, { db, now }: Deps): void {
  mount(router, reviewList, async ({ query, who }) => {
    const shown = shownTo(who, query, now())
    const { rows, next } = await listPage(db, shown, {
      order: query.order,
      after: readCursor(query.after),
      limit: query.limit,
    })
    return { rows: rows.map(row => toReviewRow(row, row)), next }
  })

  mount(router, reviewCounts, async ({ query, who }) => {
    const { limits } = await readOrganisation(db)
    const bins = await countBins(db, shownTo(who, query, now()))
    const sum = (part: readonly number[]) => part.reduce((total, n) => total + n, 0)
    const inBand = bins.filter((_, bin) => bin * 2 >= query.from && (query.to === 100 || bin * 2 < query.to))
    return { total: sum(bins), inBand: sum(inBand), bins: [...bins], limits }
  })

  mount(router, reviewCluster, async ({ params, query, who }) => {
    const rows = await clusterMembers(db, shownTo(who, query, now()), params.key, mostMembers + 1)
    return { rows: rows.slice(0, mostMembers).map(row => toReviewRow(row)), cut: rows.length > mostMembers }
  })
}

function rulingRoutes(router: Router, { db, now, log, queued, reader = readHere }: Deps): void {
  mount(router, deliverySheet, ({ params, who }) => readSheet(db, who, params.id, { now: now(), reader }))
  mount(router, sayWhy, async ({ params, body, who }) => {
    await noteReading(db, who, params.id, now(), { reason: body.reason, enquiry: body.enquiry ?? 0 })
    return {}
  })

  mount(router, selectShown, async ({ body, who }) => {
    const ids = await shownIds(db, shownTo(who, body, now()), mostSelected)
    return makeSelection(db, who, ids, now())
  })
  mount(router, selectionProgress, ({ params, who }) => readProgress(db, who, params.id))

  mount(router, previewRuling, ({ body, who }) => previewReach(db, body, body.sentence, { who, now: now() }))

  mount(router, applyEndpoint, async ({ body, who }) => {
    const { sentence, token } = body
    const given = { who, sentence, token, now: now() }
    const ruling =
      'selection' in body
        ? await ruleOnSelection(db, { ...given, selection: body.selection })
        : await applyRuling(db, { ...given, deliveryIds: body.deliveries, read: reader.read })
    log.ruled(ruling.id, who.staffer.id, ruling.deliveries.length)
    queued()
    return {
      ...ruling,
      deliveries: [...ruling.deliveries],
      added: [...ruling.added],
      ended: [...ruling.ended],
      overruled: [...ruling.overruled],
    }
  })

  mount(router, keepUntil, async ({ params, body, who }) => {
    const { until, reason } = body
    const goesAway = await keepDelivery(db, who, { id: params.id, until, reason, now: now() })
    return { goesAway: goesAway.toISOString() }
  })
  mount(router, eraseEndpoint, async ({ body, who }) => {
    await eraseForGood(db, who, body.deliveries, now())
    return {}
  })

  mount(router, undoEndpoint, async ({ params, who }) => {
    const undone = await undoRuling(db, who, params.id, now())
    log.undone(params.id, who.staffer.id)
    return { ...undone, deliveries: [...undone.deliveries] }
  })
}

/** A page and a file. */
function messageRoutes(router: Router, { db, now, settings, reader = readHere }: Deps): void {
  mountFile(router, safeView, async ({ params: { id }, query, who, res }) => {
    await noteReading(db, who, id, now())
    const { reachingOut } = await readOrganisation(db)
    const asked = {
      form: query.as,
      pictures: query.pictures === 'yes',
      // The machine's word stands over the organisation's.
      pictureSetting: reachingOut?.pictures === false ? 'off' : settings.PENDRO_PICTURES,
    }
    res.set(safeViewHeaders).send(await readSafeView(db, id, asked, reader))
  })

  mountFile(router, messageSource, async ({ params: { id }, who, res }) => {
    await noteReading(db, who, id, now())
    const raw = await findSource(db, id)
    if (!raw) throw new AppError('SOURCE_GONE')
    sendMessage(res, `message-${id}.eml`, raw)
  })
}
