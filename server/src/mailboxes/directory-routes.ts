import type { Router } from 'express'
import {
  bringInMailboxes,
  changeMailboxes,
  closeMailbox,
  previewMailboxes,
  reopenMailbox,
  syncDirectory,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { AppError } from '../errors.ts'
import { readHere } from '../reading/reader.ts'
import { actor } from '../sign-in/sessions.ts'
import { lookAtDirectory, takeDirectory } from './sync.ts'
import { closeOne, lookAtLines, ownToken, reopenOne, takeLines } from './directory.ts'

type Given = { readonly id?: number | undefined; readonly address: string; readonly fields: object }

const numbered = (lines: readonly Given[]) => lines.map((line, i) => ({ ...line, line: i + 1 }))

export function directoryRoutes(router: Router, { db, now, settings, reader = readHere }: Deps): void {
  mount(router, previewMailboxes, ({ body }) => lookAtLines(db, { lines: numbered(body.lines) }))
  mount(router, changeMailboxes, ({ body: { lines, reason, token }, who }) =>
    takeLines(db, { lines: numbered(lines) }, { by: actor(who), reason, token, now: now() }),
  )
  mount(router, bringInMailboxes, async ({ query, body, who }) => {
    const read = await reader.directory(Buffer.from(body.buffer, body.byteOffset, body.byteLength))
    if (!read) throw new AppError('BAD_TABLE')
    if (!read.ok)
      throw read.problem.code === 'too-many'
        ? new AppError('BAD_TABLE', { context: 'too-many', most: read.problem.most })
        : new AppError('BAD_TABLE')
    const asked = { ...read.value, missing: query.missing }
    if (query.act === 'look') return lookAtLines(db, { ...asked, plan: reader.planDirectory })
    const token = query.token ?? ownToken()
    return takeLines(
      db,
      { ...asked, plan: reader.planDirectory },
      { by: actor(who), reason: query.name, token, now: now() },
    )
  })
  const planning = reader.planDirectory
  mount(router, syncDirectory, async ({ body: { act, closes, token }, who }) => {
    const { PENDRO_DIRECTORY_PASSWORD: password, PENDRO_DIRECTORY_CA: ca } = settings
    const deps = { db, plan: planning, password, ca, now: now() }
    if (act === 'look') return lookAtDirectory(deps)
    return takeDirectory(deps, { by: actor(who), token: token ?? ownToken(), closes })
  })
  mount(router, closeMailbox, async ({ params, body: { to, reason, token }, who }) => ({
    act: await closeOne(db, params.id, to, { by: actor(who), reason, token, now: now() }),
  }))
  mount(router, reopenMailbox, async ({ params, body: { reason, token }, who }) => ({
    act: await reopenOne(db, params.id, { by: actor(who), reason, token, now: now() }),
  }))
}
