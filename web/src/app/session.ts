import { createContext, use } from 'react'
import { useQuery, type QueryClient } from '@tanstack/react-query'
import type { z } from 'zod'
import { proveSignIn, readSession, signIn, signOut, type FactorKind, type Session } from '@pendro/contract'
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

/**
 * Who is signed in, from the frame downward. Handed down rather than asked for: what is drawn in the background while somebody is
 * signed out would see nobody before the frame does, which leads away.
 */
export const SessionContext = createContext<Session | null>(null)

/** Below the shell somebody is signed in. */
export function useSession(): Session {
  const session = use(SessionContext)
  if (!session) throw new Error('useSession: nobody is signed in above this component')
  return session
}

/** Signs in; what second factors are asked for, none when somebody is in. */
export async function enter(
  client: QueryClient,
  given: { signIn: string; password: string },
): Promise<readonly FactorKind[]> {
  const answer = await call(signIn, { body: given })
  if ('factors' in answer) return answer.factors
  client.setQueryData(key, kept(answer))
  return []
}

/** Somebody was let in by another way. */
export function entered(client: QueryClient, session: Session): void {
  client.setQueryData(key, kept(session))
}

/** The second step, or a passkey in place of both. */
export async function enterBy(client: QueryClient, proof: z.input<typeof proveSignIn.body>): Promise<void> {
  client.setQueryData(key, kept(await call(proveSignIn, { body: proof })))
}

export async function leave(client: QueryClient): Promise<void> {
  await call(signOut)
  // First whoever watches hears that nobody is signed in; an answer that is thrown away tells its watchers nothing.
  client.setQueryData(key, null)
  client.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== key[0] })
}

/** The server no longer knows us: back to the sign-in page, which leads here again. */
export function forgetSession(client: QueryClient): void {
  client.setQueryData(key, null)
}

/** Whether somebody looks after all of the organisation, and not some departments of it. */
export const looksAfterAll = ({ staffer }: Pick<Session, 'staffer'>) => staffer.departments === null

/** Whether somebody may change what is everybody's. */
export const maySteer = (session: Pick<Session, 'staffer'>) =>
  session.staffer.role === 'steward' && looksAfterAll(session)

export const mayWrite = ({ staffer }: Session) => staffer.role !== 'observer'
