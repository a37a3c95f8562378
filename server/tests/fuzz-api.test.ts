import fc from 'fast-check'
import request from 'supertest'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { endpoints } from '@pendro/contract/all-endpoints'
import { openColleagueSession } from '../src/own/access.ts'
import { arrive, proven, signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
let oda: Awaited<ReturnType<typeof signedIn>>
let cookie = ''
beforeAll(async () => {
  server = await startTestServer()
  oda = await signedIn(server, 'oda')
  await arrive(server, { headers: [proven('x.example')] })
  cookie = `pendro_colleague=${await openColleagueSession(server.db, server.mailbox('kari'), server.clock.now)}`
})
afterAll(() => server.close())

/** Values that programs trip over: names of prototypes, halves of pairs, numbers beyond all, deep and wrong types. */
const odd = [
  '__proto__',
  'constructor',
  'toString',
  '\ud800',
  'a\udfffb',
  '\u0000',
  '1e400',
  '-1',
  '0',
  '9007199254740993',
  '1.5',
  'NaN',
  '[]',
  '[1e400,1]',
  '["2026-13-45",1e400]',
  '{"__proto__":1}',
  "'; DROP TABLE x; --",
  '%',
  '%00',
  '..%2f..',
  'a'.repeat(5000),
  '😀'.repeat(300),
  '2026-02-31',
  '0000-00-00',
  '275760-09-14',
]
const value = fc.oneof(
  fc.constantFrom<unknown>(...odd, null, true, false, 0, -1, 1.5, 1e308, [], {}, [[[[]]]], {
    __proto__: null,
    a: 1,
  }),
  fc.string({ maxLength: 30 }),
  fc.integer(),
  fc.constantFrom('__proto__', 'constructor').map(key => JSON.parse(`{"${key}":{"x":1}}`) as unknown),
)

const names = (schema: unknown): readonly string[] => {
  const shape = (schema as { shape?: Record<string, unknown> }).shape
  return shape ? Object.keys(shape) : []
}

const takesNothing = (of: Readonly<Record<'params' | 'query' | 'body', unknown>>) =>
  [of.params, of.query, of.body].every(schema => names(schema).length === 0)

describe('no request makes the server fail: what is wrong is told as such', () => {
  // What signs everybody out or begins long work would end the fuzz itself.
  const left = new Set(['signOut', 'leaveOwn'])
  test.each(Object.entries(endpoints).filter(([name]) => !left.has(name)))(
    '%s',
    { timeout: 180_000 },
    async (_name, { method, path, params, query, body, roles }) => {
      const given = fc.record({
        params: fc.record(Object.fromEntries(names(params).map(name => [name, value]))),
        query: fc.record(Object.fromEntries(names(query).map(name => [name, value])), { requiredKeys: [] }),
        body: fc.oneof(
          value,
          fc.record(Object.fromEntries(names(body).map(name => [name, value])), { requiredKeys: [] }),
        ),
      })
      await fc.assert(
        fc.asyncProperty(given, async one => {
          const text = (v: unknown) => {
            const plain = typeof v === 'string' ? v : JSON.stringify(v)
            return encodeURIComponent(plain.toWellFormed())
          }
          const address = path.replace(
            /\{(\w+)\}/g,
            (_, name: string) => text((one.params as Record<string, unknown>)[name]) || '-',
          )
          const search = Object.entries(one.query as Record<string, unknown>).map(
            ([name, v]) => `${name}=${text(v)}`,
          )
          const url = `${address}${search.length > 0 ? `?${search.join('&')}` : ''}`
          const json = JSON.stringify(one.body) ?? 'null'
          const own = (call: request.Test) =>
            call.set('Cookie', cookie).set('Content-Type', 'application/json')
          const answer =
            roles === 'colleague'
              ? await (method === 'get'
                  ? own(request(server.app).get(url))
                  : own(request(server.app).post(url)).send(json))
              : await (method === 'get' ? oda.get(url) : oda.postJson(url, json))
          expect([url, one.body, answer.status < 500 || answer.body.code === 'UNSUBSCRIBE_FAILED']).toEqual([
            url,
            one.body,
            true,
          ])
        }),
        // One that takes nothing has only strange bodies to be given.
        { numRuns: takesNothing({ params, query, body }) ? 5 : 25 },
      )
    },
  )
})
