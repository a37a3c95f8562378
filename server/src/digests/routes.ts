import type { Router } from 'express'
import { previewDigest as previewEndpoint, sendDigest as sendEndpoint } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { previewDigest, sendDigest } from './digests.ts'

export function digestRoutes(router: Router, { db, now, queued }: Deps): void {
  mount(router, previewEndpoint, ({ params }) => previewDigest(db, params.id, now()))
  mount(router, sendEndpoint, async ({ params, who }) => {
    const sent = await sendDigest(db, who, params.id, now())
    queued()
    return sent
  })
}
