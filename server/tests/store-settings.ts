import { plainStore, type MailStoreShape } from '@pendro/contract'
import { route } from './mail-servers.ts'

/** An address of this machine, without TLS. */
export const at = (port: number) => ({ host: '127.0.0.1', port, tls: 'off' as const, certificate: '' })

interface Ports {
  /** Left out where nothing is handed over: nobody listens there. */
  readonly lmtp?: number
  readonly imap: number
  readonly sieve?: number
}

/** A mail store of this machine as a steward sets it: Pendro signs in for all mailboxes. */
export const storeAt = (
  { lmtp = 9, imap, sieve }: Ports,
  more: Partial<MailStoreShape> = {},
): MailStoreShape => ({
  ...plainStore,
  name: 'harbour store',
  hosts: [route(lmtp, { protocol: 'lmtp' })],
  identity: { kind: 'proxy', user: 'pendro', tokenUrl: '', scope: '' },
  imap: at(imap),
  sieve: sieve === undefined ? null : at(sieve),
  ...more,
})

/** Routes with these stores, and no way out. */
export const routesTo = (...stores: readonly MailStoreShape[]) => ({ smartHosts: [], stores: [...stores] })
