import type { Router } from 'express'
import { applyRemedy, previewRemedy, readFindings, readUpkeep, setAside } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { told } from '../senders/changes.ts'
import {
  applyRemedies,
  previewRemedies,
  readFindingPage,
  readUpkeepPanel,
  setFindingAside,
} from './findings.ts'

export function upkeepRoutes(router: Router, { db, now }: Deps): void {
  mount(router, readUpkeep, () => readUpkeepPanel(db, now()))
  mount(router, readFindings, ({ query }) => readFindingPage(db, query))
  mount(router, previewRemedy, ({ body }) => previewRemedies(db, body, now()))
  mount(router, applyRemedy, async ({ body, who }) => told(await applyRemedies(db, who, body, now())))
  mount(router, setAside, async ({ body, who }) => {
    await setFindingAside(db, who, body, now())
    return {}
  })
}
