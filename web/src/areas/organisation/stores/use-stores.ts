import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import { checkStore, keepSecret, readStores, type MailStoreShape } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { useAct } from '../../../app/use-act.ts'

/** An account at another server. */
export type Account = z.output<typeof keepSecret.body>['account']
/** What was tried at a store. */
export type Tried = z.output<typeof checkStore.response>['steps']

/** How often it is looked again while somebody does. */
const every = 5000

/** Mail stores and how looking into them goes, and what passwords are kept. */
export const useStores = () =>
  useQuery({
    queryKey: queryKeyOf('stores'),
    queryFn: ({ signal }) => call(readStores, { signal }),
    refetchInterval: every,
  })

/** As the server names an account: user@host:port. */
export const accountName = ({ user, host, port }: Account): string =>
  `${user}@${host.includes(':') ? `[${host}]` : host.toLowerCase()}:${port}`

/** Keeps the password of an account, or removes it for ''. */
export function useKeepSecret(onDone: () => void) {
  const { t } = useTranslation()
  return useAct({
    send: (body: { account: Account; password: string }) => call(keepSecret, { body }),
    notice: (_, { account, password }) => ({
      text: t(password === '' ? 'stores.secret.removed' : 'stores.secret.set', {
        account: accountName(account),
      }),
    }),
    makes: 'stores-changed',
    onDone,
  })
}

/** Tries a store as it is typed. */
export const useTryStore = () =>
  useAct({
    send: (body: { store: MailStoreShape; mailbox: number }) => call(checkStore, { body }),
  })
