import { useQuery } from '@tanstack/react-query'
import { changeSteps, readSteps, type StepName } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { useAct } from '../../../app/use-act.ts'

/** How the first steps stand; what is done elsewhere shows by itself. */
export const useSteps = () =>
  useQuery({
    queryKey: queryKeyOf('steps'),
    queryFn: ({ signal }) => call(readSteps, { signal }),
    refetchInterval: 3000,
  })

export const useChangeSteps = () =>
  useAct({
    send: (body: { skip?: StepName; comeBackTo?: StepName; closed?: boolean }) => call(changeSteps, { body }),
    makes: 'steps-changed',
  })
