import { plainStore, type MailStoreShape } from '@pendro/contract'
import type { MailStoreSetting } from '../db/models/shapes.ts'
import type { Organisation } from '../db/organisation.ts'

/** A mail store with all that can be said of one, also where it was set before it could be looked into. */
export const wholeStore = (setting: MailStoreSetting): MailStoreShape => ({
  ...plainStore,
  houses: setting.domains.length > 0 ? 'domains' : 'rest',
  ...setting,
  domains: [...setting.domains],
  hosts: setting.hosts.map(host => ({ ...host })),
})

/** Whose mail store is asked for. */
export interface Housed {
  readonly address: string
  /** The name of its store, where somebody said so; '' where not. */
  readonly store: string
}

/**
 * The mail store of a mailbox: the one that is named, else the one of its domain, else the one for all that no other names; `null`: the
 * store of the process.
 */
export function storeOf(
  organisation: Pick<Organisation, 'routes'> | null,
  { address, store }: Housed,
): MailStoreShape | null {
  const stores = (organisation?.routes?.stores ?? []).map(wholeStore)
  const domain = address.slice(address.lastIndexOf('@') + 1).toLowerCase()
  const name = store.toLowerCase()
  return (
    stores.find(one => name !== '' && one.name.toLowerCase() === name) ??
    stores.find(one => one.houses === 'domains' && one.domains.includes(domain)) ??
    stores.find(one => one.houses === 'rest') ??
    null
  )
}

/** What a store is kept under: its name, else its first server; '' for the store of the process. */
export const storeKey = (store: Pick<MailStoreShape, 'name' | 'hosts'> | null): string =>
  store === null
    ? ''
    : (store.name || `${store.hosts[0]?.host ?? ''}:${store.hosts[0]?.port ?? ''}`).slice(0, 60)
