import type { Router } from 'express'
import { readDomains, readDoors, sendTrial, watchTrial } from '@pendro/contract'
import type { Resolve } from '@pendro/core/authentication'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { domainsSay } from './domains.ts'
import type { Doors } from './doors.ts'
import { overview } from './overview.ts'
import { sendThrough, watch } from './trials.ts'

/** What the page of the doors looks at beside the database. */
export interface DoorView {
  /** `null` until they are open. */
  readonly doors: () => Pick<Doors, 'all' | 'certificate' | 'smtpPort'> | null
  /** Where this process listens. */
  readonly host: string
  readonly store: { readonly host: string; readonly port: number }
  /** Left out where nothing is looked up. */
  readonly resolve?: Resolve
}

export function doorRoutes(router: Router, { db, now, doorView }: Deps): void {
  mount(router, readDoors, () => {
    const doors = doorView?.doors()
    return overview(db, {
      doors: doors?.all() ?? [],
      certificate: doors?.certificate() ?? { state: 'off' },
      store: doorView?.store ?? { host: '', port: 0 },
      now: now(),
    })
  })
  mount(router, readDomains, async () => {
    const resolve = doorView?.resolve
    return resolve
      ? {
          lookedUp: true,
          domains: (await domainsSay(db, resolve)).map(one => ({
            ...one,
            keys: [...one.keys],
            mx: { ...one.mx, hosts: [...one.mx.hosts] },
          })),
        }
      : { lookedUp: false, domains: [] }
  })
  mount(router, sendTrial, ({ body }) =>
    sendThrough(
      db,
      { host: doorView?.host ?? '127.0.0.1', port: doorView?.doors()?.smtpPort ?? 0 },
      body,
      now,
    ),
  )
  mount(router, watchTrial, ({ params }) => watch(db, params.token))
}
