import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { LiveEvent } from '@pendro/contract'
import { useNotices } from '../src/app/notices.ts'
import { watchArrivals } from '../src/areas/review/arrivals.ts'

let heard: ((event: LiveEvent) => void)[] = []
const hear = (listener: (event: LiveEvent) => void) => {
  heard.push(listener)
  return () => void (heard = heard.filter(one => one !== listener))
}
const tell = (deliveryId: number | null, state: LiveEvent['state'] = 'released') => {
  for (const listener of heard) listener({ id: 1, kind: 'changed', deliveryId, state, by: '' })
}
beforeEach(() => {
  heard = []
  vi.useFakeTimers()
})
afterEach(() => vi.useRealTimers())

test('called once all are there, and once only', () => {
  const onAll = vi.fn()
  watchArrivals(hear).of([1, 2], onAll)
  tell(1)
  tell(null)
  tell(3)
  tell(2, 'deferred')
  expect(onAll).not.toHaveBeenCalled()
  tell(2)
  tell(2)
  expect(onAll).toHaveBeenCalledTimes(1)
  expect(heard).toEqual([])
})

test('a store that is quicker than the answer', () => {
  const onAll = vi.fn()
  const arrivals = watchArrivals(hear)
  tell(1)
  arrivals.of([1], onAll)
  expect(onAll).toHaveBeenCalledTimes(1)
})

test.each([
  ['stopped', (stop: () => void) => stop()],
  ['after a minute', () => void vi.advanceTimersByTime(60_000)],
])('nobody listens any more: %s', (_, end) => {
  const onAll = vi.fn()
  const arrivals = watchArrivals(hear)
  arrivals.of([1], onAll)
  end(arrivals.stop)
  expect(heard).toEqual([])
  tell(1)
  expect(onAll).not.toHaveBeenCalled()
})

test('a notice says something else, with the same action; one that is closed stays closed', () => {
  const { show, amend, close } = useNotices.getState()
  const run = () => {}
  const id = show({ tone: 'done', text: 'before', action: { label: 'Undo', run } })
  amend(id, 'after')
  expect(useNotices.getState().all).toEqual([
    { id, tone: 'done', text: 'after', action: { label: 'Undo', run } },
  ])
  close(id)
  amend(id, 'later')
  expect(useNotices.getState().all).toEqual([])
})
