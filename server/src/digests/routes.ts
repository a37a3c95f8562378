import type { Router } from 'express'
import {
  digestDay,
  digestReplies,
  lookedAtReply,
  noteDigestLine,
  previewDigest as previewEndpoint,
  sendDigest as sendEndpoint,
  sentDigest,
  setDigestSchedule,
  setLanguage,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { readDay, readReplies, readSentDigest, setLanguageOf, setSchedule } from './day.ts'
import { noteLine, sendDigest } from './digests.ts'
import { previewDigest } from './preview.ts'
import { lookedAt } from './replies.ts'

export function digestRoutes(router: Router, { db, now, queued, settings }: Deps): void {
  mount(router, previewEndpoint, ({ params, query }) =>
    previewDigest(db, params.id, {
      now: now(),
      publicUrl: settings.PENDRO_PUBLIC_URL,
      language: query.language,
    }),
  )
  mount(router, sendEndpoint, async ({ params, who }) => {
    const sent = await sendDigest(db, who, params.id, {
      now: now(),
      publicUrl: settings.PENDRO_PUBLIC_URL,
    })
    queued()
    return sent
  })
  mount(router, setDigestSchedule, async ({ params, body, who }) => ({
    next: await setSchedule(db, who, params.id, body.schedule, now()),
  }))
  mount(router, setLanguage, async ({ params, body, who }) => {
    await setLanguageOf(db, who, params.id, body.language, now())
    return {}
  })
  mount(router, noteDigestLine, async ({ params, body, who }) => {
    await noteLine(db, who, params.id, body, now())
    return {}
  })
  mount(router, digestDay, ({ who }) => readDay(db, who.scope, now()))
  mount(router, digestReplies, async ({ who }) => ({ replies: await readReplies(db, who.scope) }))
  mount(router, lookedAtReply, async ({ params, who }) => {
    await lookedAt(db, who, params.id, now())
    return {}
  })
  mount(router, sentDigest, ({ params }) => readSentDigest(db, params.id))
}
