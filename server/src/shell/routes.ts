import type { Router } from 'express'
import { findAnything as findEndpoint, openWork } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { findAnything } from './find.ts'
import { countOpenWork } from './open-work.ts'

/** What stands around every screen. */
export function shellRoutes(router: Router, { db }: Deps): void {
  mount(router, openWork, ({ who }) => countOpenWork(db, who.scope))
  mount(router, findEndpoint, async ({ query, who }) => ({
    found: await findAnything(db, who.scope, query.text),
  }))
}
