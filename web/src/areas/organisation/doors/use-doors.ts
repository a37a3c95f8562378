import { useQuery } from '@tanstack/react-query'
import { readDoors } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'

/** How often it is looked again while somebody does; the server is a second or two behind by itself. */
const every = 2000

/** Doors and ways as they are; what happens there shows by itself. */
export const useDoors = () =>
  useQuery({
    queryKey: queryKeyOf('doors'),
    queryFn: ({ signal }) => call(readDoors, { signal }),
    refetchInterval: every,
  })
