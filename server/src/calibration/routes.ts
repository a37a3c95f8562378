import type { Router } from 'express'
import { readCalibration, readWatching, setDriftAside } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { actor } from '../sign-in/sessions.ts'
import { ofAsked, readCalibrationOf } from './calibration.ts'
import { setAside } from './drift.ts'
import { watchedDays } from './watching.ts'

export function calibrationRoutes(router: Router, { db, now }: Deps): void {
  mount(router, setDriftAside, async ({ body, who }) => {
    const of = ofAsked({ days: Number(body.days), department: body.department }, who.scope, now())
    await setAside(db, actor(who), { ...body, of }, now())
    return {}
  })
  mount(router, readWatching, ({ who }) => watchedDays(db, who, now()))
  mount(router, readCalibration, ({ query, who }) =>
    readCalibrationOf(db, who, { days: Number(query.days), department: query.department }, now()),
  )
}
