import type { Router } from 'express'
import { changeSteps, readSteps } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { changeStepsOf, stepsOf } from './steps.ts'

export function stepRoutes(router: Router, { db }: Deps): void {
  mount(router, readSteps, () => stepsOf(db))
  mount(router, changeSteps, async ({ body }) => {
    await changeStepsOf(db, body)
    return { ok: true as const }
  })
}
