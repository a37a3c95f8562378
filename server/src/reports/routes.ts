import type { Router } from 'express'
import { feedbackReport, handIn } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { AppError } from '../errors.ts'
import { mount, mountFile, sendMessage } from '../http.ts'
import { readHere } from '../reading/reader.ts'
import { findSource } from '../review/safe-view.ts'
import { noteReading } from '../review/sheet.ts'
import { actor } from '../sign-in/sessions.ts'
import { arfOf, learnReported } from './reports.ts'

export function reportRoutes(router: Router, { db, now, reader = readHere }: Deps): void {
  mount(router, handIn, ({ query, body, who }) =>
    learnReported(db, {
      by: actor(who),
      mailboxId: null,
      raw: Buffer.from(body.buffer, body.byteOffset, body.byteLength),
      read: reader.read,
      verdict: query.verdict,
      now: now(),
    }),
  )

  mountFile(router, feedbackReport, async ({ params: { id }, who, res }) => {
    const raw = await findSource(db, id)
    if (!raw) throw new AppError('SOURCE_GONE')
    await noteReading(db, who, id, now())
    sendMessage(res, `report-${id}.eml`, await arfOf(db, id, raw, now()))
  })
}
