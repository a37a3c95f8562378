// @vitest-environment happy-dom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { renderHook } from '@testing-library/react'
import type { ReactNode } from 'react'
import { expect, test } from 'vitest'
import type { Session } from '@pendro/contract'
import { forgetSession, SessionContext, useSession } from '../src/app/session.ts'

const session = { staffer: { name: 'Oda Rask' } } as Session

const within = (client: QueryClient, value: Session | null) =>
  function Frame({ children }: { children: ReactNode }) {
    return (
      <QueryClientProvider client={client}>
        <SessionContext value={value}>{children}</SessionContext>
      </QueryClientProvider>
    )
  }

test('what is still on the screen while somebody is signed out knows who it was, until the frame leads away', () => {
  const client = new QueryClient()
  const { result, rerender } = renderHook(() => useSession(), { wrapper: within(client, session) })
  forgetSession(client)
  rerender()
  expect(result.current.staffer.name).toBe('Oda Rask')
})

test('outside the frame nobody is signed in, and that is a fault of ours', () => {
  expect(() => renderHook(() => useSession(), { wrapper: within(new QueryClient(), null) })).toThrow(
    'nobody is signed in above',
  )
})
