import { QueryClient } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import { queryKeyOf, makeStale } from '../src/app/query-keys.ts'

test('an act makes all answers about its subjects stale, and no others', async () => {
  const client = new QueryClient()
  const asked = [
    queryKeyOf('sheet', 7),
    queryKeyOf('sheet', 8),
    queryKeyOf('review-counts', { days: 14 }),
    queryKeyOf('review', { days: 14 }),
    queryKeyOf('senders', 'rows', {}),
    queryKeyOf('digest', 'day'),
  ]
  for (const key of asked) client.setQueryData(key, 'known')
  const stale = () =>
    asked.filter(key => client.getQueryState(key)?.isInvalidated).map(([subject]) => subject)
  await makeStale(client, 'ruling')
  expect(stale()).toEqual(['sheet', 'sheet', 'review-counts', 'digest'])
  await makeStale(client, 'list-changed')
  expect(stale()).toEqual(['sheet', 'sheet', 'review-counts', 'senders', 'digest'])
})
