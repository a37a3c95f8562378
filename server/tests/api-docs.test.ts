import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { problems } from '@pendro/contract'
import { endpoints } from '@pendro/contract/all-endpoints'
import { openApiDocument } from '@pendro/contract/openapi'
import { root } from '../../scripts/prepare.mjs'
import { settingsSchema } from '../src/settings.ts'

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
