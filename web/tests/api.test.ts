// @vitest-environment happy-dom
import { afterEach, describe, expect, test, vi } from 'vitest'
import { applyRuling, beginImport, findAnything, handIn, readSession, undoRuling } from '@pendro/contract'
import { call, keepToken, Problem, problemOf } from '../src/app/api.ts'

const answer = (body: unknown, status = 200) =>
  vi.fn<typeof fetch>(() => Promise.resolve(new Response(JSON.stringify(body), { status })))

afterEach(() => vi.unstubAllGlobals())

/** One request as it went out. */
async function sent(request: () => Promise<unknown>): Promise<{ url: string; init: RequestInit }> {
  const fetch = answer({})
  vi.stubGlobal('fetch', fetch)
  await request()
  const [url, init] = fetch.mock.calls[0] ?? []
  return { url: String(url), init: init ?? {} }
}

const headersOf = ({ init }: { init: RequestInit }) => init.headers as Record<string, string>

describe('a request goes out as the contract has it', () => {
  test('what is named in the path, and what is asked, as an address; what is not asked is not there', async () => {
    const { url, init } = await sent(() => call(findAnything, { query: { text: 'Ana & Bo?' } }))
    expect([url, init.method]).toEqual(['/api/find?text=Ana+%26+Bo%3F', 'GET'])
    expect((await sent(() => call(undoRuling, { params: { id: 7 } }))).url).toBe('/api/rulings/7/undo')
  })

  test('writes carry the token of the session, and reads do not', async () => {
    keepToken('secret')
    expect(headersOf(await sent(() => call(undoRuling, { params: { id: 7 } })))['X-Pendro-Token']).toBe(
      'secret',
    )
    expect(headersOf(await sent(() => call(readSession)))['X-Pendro-Token']).toBeUndefined()
  })

  test('a file goes as its bytes with its media type; what is to be done with it stands in the address', async () => {
    const file = new Blob(['From: a@x.example\r\n\r\nHi'])
    const one = await sent(() => call(handIn, { query: { verdict: 'junk' }, body: file }))
    expect([one.url, headersOf(one)['Content-Type'], one.init.body]).toEqual([
      '/api/reports?verdict=junk',
      'message/rfc822',
      file,
    ])
    const list = await sent(() =>
      call(beginImport, { query: { name: 'l.txt', list: 'everybody', takeContradicting: 'no' }, body: file }),
    )
    expect(list.url).toBe('/api/senders/imports?name=l.txt&list=everybody&takeContradicting=no')
    expect(headersOf(list)['Content-Type']).toBe('application/octet-stream')
  })

  test('anything else goes as JSON', async () => {
    const body = { deliveries: [1], sentence: {}, token: 't' } as never
    const one = await sent(() => call(applyRuling, { body }))
    expect([headersOf(one)['Content-Type'], one.init.body]).toEqual([
      'application/json',
      JSON.stringify(body),
    ])
  })
})

describe('what goes wrong is a problem with a sentence', () => {
  test('of the server', async () => {
    vi.stubGlobal(
      'fetch',
      answer({ code: 'ALREADY_UNDONE', text: 'Undone before.', facts: { by: 'Per' } }, 409),
    )
    const problem = await call(undoRuling, { params: { id: 7 } }).catch(problemOf)
    expect(problem).toMatchObject({
      code: 'ALREADY_UNDONE',
      text: 'Undone before.',
      status: 409,
      facts: { by: 'Per' },
    })
  })

  test('of whatever stands between: an answer that is none of ours', async () => {
    vi.stubGlobal(
      'fetch',
      vi.fn(() => Promise.resolve(new Response('<h1>Bad gateway</h1>', { status: 502 }))),
    )
    expect(await call(readSession).catch(problemOf)).toMatchObject({ code: 'INTERNAL', status: 502 })
  })

  test('of the way there', async () => {
    vi.stubGlobal(
      'fetch',
      vi.fn(() => Promise.reject(new TypeError('network'))),
    )
    expect(await call(readSession).catch(problemOf)).toMatchObject({ code: 'OFFLINE', status: 0 })
  })

  test('a request that was taken back is none', async () => {
    const gone = new DOMException('gone', 'AbortError')
    vi.stubGlobal(
      'fetch',
      vi.fn(() => Promise.reject(gone)),
    )
    await expect(call(readSession)).rejects.toBe(gone)
    expect(problemOf(gone)).toBeInstanceOf(Problem)
  })
})
