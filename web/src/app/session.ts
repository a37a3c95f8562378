import { useQuery, type QueryClient } from '@tanstack/react-query'
import { readSession, signIn, signOut, type Session } from '@pendro/contract'
import { call, keepToken, Problem } from './api.ts'
import { useZone } from './times.ts'

const key = ['session'] as const

/** Who is signed in; `null` for nobody. */
export function useSessionQuery() {
  return useQuery({
    queryKey: key,
    staleTime: Infinity,
    queryFn: async (): Promise<Session | null> => {
      try {
        return kept(await call(readSession))
      } catch (error) {
        if (error instanceof Problem && error.code === 'SIGN_IN_FIRST') return null
        throw error
      }
    },
  })
}

function kept(session: Session): Session {
  keepToken(session.csrf)
  useZone.setState({ zone: session.organisation.timeZone })
  return session
}

/** Below the shell somebody is signed in. */
export function useSession(): Session {
  const { data } = useSessionQuery()
  if (!data) throw new Error('useSession: nobody is signed in above this component')
  return data
}

export async function enter(client: QueryClient, given: { signIn: string; password: string }): Promise<void> {
  client.setQueryData(key, kept(await call(signIn, { body: given })))
}

export async function leave(client: QueryClient): Promise<void> {
  await call(signOut)
  client.clear()
  client.setQueryData(key, null)
}

/** The server no longer knows us: back to the sign-in page, which leads here again. */
export function forgetSession(client: QueryClient): void {
  client.setQueryData(key, null)
}

export const mayWrite = ({ staffer }: Session) => staffer.role !== 'observer'
