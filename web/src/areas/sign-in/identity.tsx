import type { ReactNode } from 'react'
import { useQuery } from '@tanstack/react-query'
import { beginIdentity, readWaysIn } from '@pendro/contract'
import type { z } from 'zod'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { FormProblem } from '../../parts/field.tsx'

/** By what people sign in here. */
export const useWaysIn = () =>
  useQuery({
    queryKey: queryKeyOf('ways-in'),
    queryFn: ({ signal }) => call(readWaysIn, { signal }),
    staleTime: Infinity,
  })

/** Which pages the way back leads to, kept in this tab: an answer that lets nobody in says nothing of it. */
const place = 'pendro-identity-as'

/** Whether whoever is on the way back began as a colleague. */
export const beganAsColleague = () => sessionStorage.getItem(place) === 'colleague'

/** Goes to a page of the identity provider, and notes which pages the way back leads to. */
export const leaveFor =
  (as: z.input<typeof beginIdentity.body>['as']) =>
  ({ url }: { url: string }) => {
    sessionStorage.setItem(place, as)
    window.location.assign(url)
  }

/** Goes to the organisation's own sign-in. */
export function IdentityButton({
  as,
  from,
  secret,
  kind = 'plain',
  className = '',
  say = error => problemOf(error).text,
  children,
}: z.input<typeof beginIdentity.body> & {
  kind?: 'main' | 'plain'
  className?: string
  say?: (error: unknown) => string
  children: ReactNode
}) {
  const beginning = useAct({
    send: () => call(beginIdentity, { body: { as, from, ...(secret !== undefined && { secret }) } }),
    onDone: leaveFor(as),
    quiet: true,
  })
  return (
    <>
      <Button
        kind={kind}
        // Once it is on its way, a second press would begin a second one, and end the first.
        disabled={beginning.isPending || beginning.isSuccess}
        className={className}
        onClick={() => beginning.mutate()}
      >
        {children}
      </Button>
      {beginning.isError && <FormProblem className="mt-3">{say(beginning.error)}</FormProblem>}
    </>
  )
}
