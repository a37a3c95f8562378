// @vitest-environment happy-dom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { act, renderHook, waitFor } from '@testing-library/react'
import type { ReactNode } from 'react'
import { beforeEach, describe, expect, test, vi } from 'vitest'
import { Problem } from '../src/app/api.ts'
import { useNotices } from '../src/app/notices.ts'
import { queryKeyOf } from '../src/app/query-keys.ts'
import { useAct, type ActOptions } from '../src/app/use-act.ts'

let client: QueryClient

beforeEach(() => {
  client = new QueryClient()
  useNotices.setState({ all: [] })
})

function acting<Given, Answer>(options: ActOptions<Given, Answer>) {
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  )
  return renderHook(() => useAct(options), { wrapper })
}

/** What is said at the foot of the screen. */
const told = () => useNotices.getState().all.map(({ tone, text }) => `${tone}: ${text}`)

const refused = () => Promise.reject(new Problem('ENTRY_CHANGED', 'Somebody was first.', 409))

describe('an act', () => {
  test('is told when it is done, with what came back and what was given, and offers its undo', async () => {
    const undo = vi.fn()
    const onDone = vi.fn()
    const { result } = acting({
      send: (name: string) => Promise.resolve({ count: 2, name }),
      notice: ({ count }, name) => ({ text: `${count} for ${name}`, action: { label: 'Undo', run: undo } }),
      onDone,
    })
    act(() => result.current.mutate('Ana'))
    await waitFor(() => expect(told()).toEqual(['done: 2 for Ana']))
    expect(onDone).toHaveBeenCalledExactlyOnceWith({ count: 2, name: 'Ana' }, 'Ana')
    useNotices.getState().all[0]?.action?.run()
    expect(undo).toHaveBeenCalledOnce()
  })

  test('that has nothing to say says nothing', async () => {
    const { result } = acting({ send: () => Promise.resolve(1), notice: () => null })
    act(() => result.current.mutate())
    await waitFor(() => expect(result.current.isSuccess).toBe(true))
    expect(told()).toEqual([])
  })

  test('that is refused is told in the words of the server, and nothing follows from it', async () => {
    const onDone = vi.fn()
    const { result } = acting({ send: refused, onDone, notice: () => ({ text: 'Done.' }) })
    act(() => result.current.mutate())
    await waitFor(() => expect(told()).toEqual(['problem: Somebody was first.']))
    expect(onDone).not.toHaveBeenCalled()
  })

  test('that is refused where it was asked is not told at the foot, too', async () => {
    const { result } = acting({ send: refused, quiet: true })
    act(() => result.current.mutate())
    await waitFor(() => expect(result.current.isError).toBe(true))
    expect(told()).toEqual([])
  })

  test('is told in the words it was given', async () => {
    const { result } = acting({ send: refused, say: () => 'Das ging nicht.' })
    act(() => result.current.mutate())
    await waitFor(() => expect(told()).toEqual(['problem: Das ging nicht.']))
  })

  test('whatever a program says of itself stays out of sight', async () => {
    const { result } = acting({ send: () => Promise.reject(new TypeError('x is not a function')) })
    act(() => result.current.mutate())
    await waitFor(() => expect(told()).toHaveLength(1))
    expect(told()[0]).not.toContain('not a function')
  })

  test.each([
    ['done', () => Promise.resolve(1)],
    ['refused', refused],
  ])('that was %s makes stale what the table says, and nothing else', async (_how, send) => {
    client.setQueryData(queryKeyOf('digest', 7), 'a digest')
    client.setQueryData(queryKeyOf('record'), 'the record')
    const { result } = acting({ send, makes: 'digest-changed' })
    act(() => result.current.mutate())
    await waitFor(() => expect(client.getQueryState(queryKeyOf('digest', 7))?.isInvalidated).toBe(true))
    expect(client.getQueryState(queryKeyOf('record'))?.isInvalidated).toBe(false)
  })

  test('undone from afar makes everything stale', async () => {
    const keys = [queryKeyOf('digest', 7), queryKeyOf('own'), queryKeyOf('review', 'x')]
    for (const key of keys) client.setQueryData(key, 'something')
    const { result } = acting({ send: () => Promise.resolve(1), makes: 'undone-from-afar' })
    act(() => result.current.mutate())
    await waitFor(() =>
      expect(keys.map(key => client.getQueryState(key)?.isInvalidated)).toEqual([true, true, true]),
    )
  })
})
