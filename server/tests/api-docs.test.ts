import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { Validator } from '@seriousme/openapi-schema-validator'
import { expect, test } from 'vitest'
import { problems } from '@pendro/contract'
import { endpoints } from '@pendro/contract/all-endpoints'
import { openApiDocument } from '@pendro/contract/openapi'
import { root } from '../../scripts/prepare.mjs'
import { startTestServer } from './support.ts'
import { settingsSchema } from '../src/settings.ts'

interface Layer {
  readonly route?: { readonly path: string; readonly methods: object }
  readonly handle?: { readonly stack?: readonly Layer[] }
}

const page = (name: string) => readFileSync(join(root, 'docs', name), 'utf8')

test('docs/operating.md explains every setting', () => {
  const names = Object.keys(settingsSchema.shape)
  expect(names.length).toBeGreaterThan(5)
  expect(names.filter(name => !page('operating.md').includes(`\`${name}\``))).toEqual([])
})

test('docs/api.md lists every problem with its status, and no other', () => {
  const text = page('api.md')
  const listed = [...text.matchAll(/^\| `([A-Z_]+)` \| (\d+) \|/gm)].map(
    ([, code, status]) => `${code} ${status}`,
  )
  expect(listed.sort()).toEqual(
    Object.entries(problems)
      .map(([code, { status }]) => `${code} ${status}`)
      .sort(),
  )
})

test('OpenAPI is valid by a validator that is not ours, and names every path the server answers', async () => {
  const document = openApiDocument('0')
  const { valid, errors } = await new Validator().validate(structuredClone(document))
  expect(errors ?? []).toEqual([])
  expect(valid).toBe(true)
  const { express: app, close } = await startTestServer()
  const mounted: string[] = []
  const walk = (layers: readonly Layer[]) => {
    for (const { route, handle } of layers) {
      if (route) mounted.push(...Object.keys(route.methods).map(method => `${method} ${route.path}`))
      else if (handle?.stack) walk(handle.stack)
    }
  }
  walk((app as unknown as { router: { stack: readonly Layer[] } }).router.stack)
  await close()
  const told = Object.entries((document as { paths: Record<string, object> }).paths).flatMap(
    ([path, methods]) => Object.keys(methods).map(method => `${method} ${path.replace(/\{(\w+)\}/g, ':$1')}`),
  )
  // The stream is mounted by whoever has one.
  const answered = [
    ...mounted.filter(path => path.includes('/api/') && !path.includes('{*')),
    'get /api/live',
  ]
  expect(answered.sort()).toEqual(told.sort())
})

test('OpenAPI names every endpoint, its roles and the problems it can answer with', () => {
  const { paths } = openApiDocument('0') as {
    paths: Record<
      string,
      Record<
        string,
        { operationId: string; description?: string; responses: Record<string, { description: string }> }
      >
    >
  }
  for (const [name, { method, path, roles, problems: codes }] of Object.entries(endpoints)) {
    const operation = paths[path]?.[method]
    expect(operation?.operationId).toBe(name)
    if (roles !== 'anyone')
      expect(operation?.description).toContain(roles === 'colleague' ? roles : roles.join(', '))
    for (const code of codes) expect(JSON.stringify(operation?.responses)).toContain(code)
  }
})
