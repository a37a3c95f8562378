import { useQuery } from '@tanstack/react-query'
import { readStandby, readStandbyItem } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'

/** While a mail store is away mail is looked for as often as a mail program would. Milliseconds. */
const [whileAway, usually] = [5000, 60_000]

/** Mail while the mail store is away; asked now and then whether it is. */
export const useStandby = () =>
  useQuery({
    queryKey: queryKeyOf('own', 'standby'),
    queryFn: ({ signal }) => call(readStandby, { signal }),
    refetchInterval: ({ state }) => (state.data && state.data.state !== 'closed' ? whileAway : usually),
  })

/** One message, opened; nothing is asked without a key. */
export const useStandbyItem = (key: string) =>
  useQuery({
    queryKey: queryKeyOf('own', 'standby', 'item', key),
    enabled: key !== '',
    queryFn: ({ signal }) => call(readStandbyItem, { params: { key }, signal }),
    staleTime: Infinity,
  })
