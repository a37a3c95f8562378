import { useQuery } from '@tanstack/react-query'
import { readStoreScript, type StoreScriptShape } from '@pendro/contract'
import { call } from '../app/api.ts'
import { queryKeyOf } from '../app/query-keys.ts'

/** While something is on its way it is looked again so soon; else now and then. Milliseconds. */
const [whileDue, usually] = [1000, 30_000]

/** How the rules and the reply of a mailbox stand at its mail store; nothing is asked of the organisation’s. */
export const useAtStore = (mailbox: number | null) =>
  useQuery({
    queryKey: queryKeyOf('mail-rule', 'at-store', mailbox),
    enabled: mailbox !== null,
    queryFn: ({ signal }) =>
      call(readStoreScript, { params: { id: mailbox ?? 0 }, query: { fresh: 'no' }, signal }),
    refetchInterval: ({ state: { data } }) => (data?.keeps === true && data.isDue ? whileDue : usually),
  })

/** What needs somebody’s decision or attention. */
export const standsOf = ({ state, trouble }: StoreScriptShape) =>
  trouble !== '' && state !== 'changed' && state !== 'not-run' ? ('trouble' as const) : state
