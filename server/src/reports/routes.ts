import type { Router } from 'express'
import { handIn } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { AppError } from '../errors.ts'
import { mount, whoIs } from '../http.ts'
import { readHere } from '../reading/reader.ts'
import { findSource } from '../review/safe-view.ts'
import { noteReading } from '../review/sheet.ts'
import { actor } from '../sign-in/sessions.ts'
import { arfOf, learnReported } from './reports.ts'

export function reportRoutes(router: Router, { db, now, reader = readHere }: Deps): void {
  mount(router, handIn, ({ body, who }) =>
    learnReported(db, {
      by: actor(who),
      mailboxId: null,
      raw: Buffer.from(body.source, 'base64'),
      read: reader.read,
      verdict: body.verdict,
      now: now(),
    }),
  )

  router.get('/api/deliveries/:id/report', async (req, res) => {
    const who = whoIs(res)
    const id = /^\d{1,15}$/.test(req.params.id) ? Number(req.params.id) : 0
    const raw = await findSource(db, id)
    if (!raw) throw new AppError('SOURCE_GONE')
    await noteReading(db, who, id, now())
    res.set({
      'Content-Type': 'message/rfc822',
      'Content-Disposition': `attachment; filename="report-${id}.eml"`,
      'Content-Security-Policy': 'sandbox',
    })
    res.send(await arfOf(db, id, raw, now()))
  })
}
