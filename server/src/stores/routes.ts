import type { Router } from 'express'
import {
  checkStore,
  keepSecret,
  moveMail,
  readMailboxInStore,
  readStores,
  undoStoreMove,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { inTransaction } from '../db/database.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { accountName, createSecrets, createVault, type Secrets, type Vault } from '../outbox/secrets.ts'
import { actor } from '../sign-in/sessions.ts'
import { writeRecord } from '../record/write.ts'
import { tryStore } from './check.ts'
import type { Idle } from './idle.ts'
import { StoreError } from './imap.ts'
import { beginMove, undoMove } from './move.ts'
import { mailboxInStore, storesNow } from './overview.ts'
import { createStores, visited, type Stores } from './stores.ts'
import { freshen } from './watch.ts'

/** What screens ask of mail stores beside the database. */
export interface StoreView {
  readonly stores: Stores
  readonly secrets: Secrets
  readonly vault: Vault
  /** Left out where nothing goes on by itself. */
  readonly idle?: Idle
}

/** Where nothing is set outside: no key, no file of passwords. */
export function usualStoreView({ db }: Pick<Deps, 'db'>): StoreView {
  const vault = createVault(db, null)
  const secrets = createSecrets(vault, { passwords: '', authorities: '' })
  return { vault, secrets, stores: createStores(db, secrets) }
}

export function storeRoutes(router: Router, deps: Deps): void {
  const { db, now, queued } = deps
  const { stores, secrets, vault } = deps.storeView ?? usualStoreView(deps)
  mount(router, readStores, ({ who }) => storesNow(db, vault, who.scope, now()))
  mount(router, readMailboxInStore, async ({ params: { id }, query }) => {
    if (query.fresh === 'yes') await freshen({ db, stores, now }, id)
    deps.storeView?.idle?.watch(id)
    return mailboxInStore(db, stores, id)
  })
  mount(router, moveMail, async ({ params, body, who }) => {
    const { deliveries = null, ...rest } = body
    const move = await told(
      beginMove(db, stores, { ...rest, deliveries, mailboxId: params.id, by: actor(who), now: now() }),
    )
    queued()
    return { move }
  })
  mount(router, undoStoreMove, async ({ params, who }) => {
    await undoMove(db, actor(who), params.id, now())
    queued()
    return {}
  })
  mount(router, checkStore, async ({ body }) => {
    const mailbox = await visited(db, body.mailbox)
    if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
    return { steps: [...(await tryStore(body.store, mailbox.address, secrets))] }
  })
  mount(router, keepSecret, async ({ body: { account, password }, who }) => {
    if (!vault.isOpen) throw new AppError('NO_SECRETS_KEY')
    await inTransaction(db, async tx => {
      await (password === '' ? vault.drop(account, tx) : vault.keep(account, password, tx))
      await writeRecord(db, tx, [
        {
          act: password === '' ? 'secret-dropped' : 'secret-kept',
          at: now(),
          by: actor(who),
          facts: { account: accountName(account) },
        },
      ])
    })
    return {}
  })
}

/** What a store did not do, as an error of the catalogue. */
export async function told<T>(work: Promise<T>): Promise<T> {
  try {
    return await work
  } catch (error) {
    if (!(error instanceof StoreError)) throw error
    throw new AppError('STORE_TROUBLE', { context: error.trouble, said: error.message })
  }
}
