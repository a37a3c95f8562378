import { useQuery } from '@tanstack/react-query'
import { changeSteps, readSteps, type StepName } from '@pendro/contract'
import { call } from './api.ts'
import { queryKeyOf } from './query-keys.ts'
import { useAct } from './use-act.ts'

/** How the first steps stand; on their own page what is done elsewhere shows by itself. */
export const useSteps = ({ live = false } = {}) =>
  useQuery({
    queryKey: queryKeyOf('steps'),
    queryFn: ({ signal }) => call(readSteps, { signal }),
    refetchInterval: live ? 3000 : false,
  })

export const useChangeSteps = () =>
  useAct({
    send: (body: { skip?: StepName; comeBackTo?: StepName; closed?: boolean }) => call(changeSteps, { body }),
    makes: 'steps-changed',
  })
