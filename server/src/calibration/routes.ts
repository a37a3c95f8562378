import type { Router } from 'express'
import { readCalibration } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { readCalibrationOf } from './calibration.ts'

export function calibrationRoutes(router: Router, { db, now }: Deps): void {
  mount(router, readCalibration, ({ query }) => readCalibrationOf(db, Number(query.days), now()))
}
