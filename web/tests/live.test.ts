import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { openLiveStream } from '../src/app/live.ts'

/** As a browser's: it tries again by itself while it says it connects, and gives up after an answer that is no stream. */
class Stream extends EventTarget {
  readyState = 0
  closed = false
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  onmessage: ((message: MessageEvent) => void) | null = null
  constructor(readonly url: string) {
    super()
  }
  close() {
    this.closed = true
    this.readyState = 2
  }
  opens() {
    this.readyState = 1
    this.onopen?.()
  }
  tells(id: string, event: object) {
    this.onmessage?.(new MessageEvent('message', { data: JSON.stringify(event), lastEventId: id }))
  }
  /** A 502 of a proxy: the browser will not come back. */
  fails() {
    this.readyState = 2
    this.onerror?.()
  }
  /** A cut connection: the browser is at it already. */
  isCut() {
    this.readyState = 0
    this.onerror?.()
  }
}

let streams: Stream[]
let seen: unknown[]
let close: () => void
const current = () => streams.at(-1) as Stream

beforeEach(() => {
  vi.useFakeTimers()
  streams = []
  seen = []
  close = openLiveStream(
    url => {
      streams.push(new Stream(url))
      return current() as unknown as EventSource
    },
    {
      onEvent: event => seen.push(event),
      onReload: () => seen.push('reload'),
      onConnection: connection => seen.push(connection),
    },
  )
})
afterEach(() => {
  close()
  vi.useRealTimers()
})

test('after an answer that ends it, it is opened again from the last event there was', () => {
  current().opens()
  current().tells('41', { kind: 'delivery' })
  current().fails()
  expect(streams).toHaveLength(1)
  vi.advanceTimersByTime(1000)
  expect(streams.map(({ url }) => url)).toEqual(['/api/live', '/api/live?after=41'])
  current().opens()
  expect(seen).toEqual(['live', { kind: 'delivery' }, 'broken', 'live'])
})

test('pauses grow to a minute, and begin small again once it was open', () => {
  const waited: number[] = []
  const untilNext = () => {
    const before = streams.length
    let ms = 0
    for (; streams.length === before && ms < 200_000; ms += 500) vi.advanceTimersByTime(500)
    return ms
  }
  for (let i = 0; i < 8; i += 1) {
    current().fails()
    waited.push(untilNext())
  }
  expect(waited).toEqual([1000, 2000, 4000, 8000, 16_000, 32_000, 60_000, 60_000])
  current().opens()
  current().fails()
  expect(untilNext()).toBe(1000)
})

test('a cut connection is left to the browser: two would tell everything twice', () => {
  current().opens()
  current().isCut()
  vi.advanceTimersByTime(300_000)
  expect(streams).toHaveLength(1)
  expect(seen.at(-1)).toBe('broken')
  current().opens()
  expect(seen.at(-1)).toBe('live')
})

test('more was missed than can be told: all is loaded anew, and it goes on from there', () => {
  current().opens()
  current().dispatchEvent(new MessageEvent('reload', { data: '', lastEventId: '900' }))
  expect(seen).toEqual(['live', 'reload'])
  current().fails()
  vi.advanceTimersByTime(1000)
  expect(current().url).toBe('/api/live?after=900')
})

test('closed, it stays closed, also in the middle of a pause', () => {
  current().fails()
  close()
  vi.advanceTimersByTime(300_000)
  expect(streams).toHaveLength(1)
  expect(current().closed).toBe(true)
})
