import type { Router } from 'express'
import { readForbidden, setForbidden } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { execute, inTransaction } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { mount } from '../http.ts'
import { writeRecord } from '../record/write.ts'
import { actor } from '../sign-in/sessions.ts'

export function organisationRoutes(router: Router, { db, now }: Deps): void {
  mount(router, readForbidden, async () => {
    const { policy } = await readOrganisation(db)
    return {
      forbidden: [...policy.forbidden],
      possible: [...setForbidden.body.shape.forbidden.element.options],
    }
  })

  mount(router, setForbidden, async ({ body, who }) => {
    const forbidden = [...new Set(body.forbidden)]
    await inTransaction(db, async tx => {
      await execute(
        db,
        "UPDATE organisation SET settings = JSON_SET(settings, '$.policy.forbidden', JSON_QUERY(:forbidden, '$'))",
        { forbidden: JSON.stringify(forbidden) },
        tx,
      )
      await writeRecord(db, tx, [
        { at: now(), act: 'forbidden-set', by: actor(who), facts: { forbidden: forbidden.join(', ') } },
      ])
    })
    return { forbidden }
  })
}
