import fc from 'fast-check'
import { expect, test } from 'vitest'
import type { ReviewRow } from '@pendro/contract'
import { between } from '../src/areas/review/marking.ts'
import type { Item } from '../src/areas/review/review-list.tsx'

const row = (id: number): Item => ({ kind: 'row', row: { id } as ReviewRow, member: false })
const list: readonly Item[] = [
  { kind: 'cluster', row: { id: 1 } as ReviewRow, open: true },
  row(1),
  row(2),
  { kind: 'singles' },
  row(3),
  row(4),
]
const ids = (from: number | null, to: number) => between(list, from, to).map(item => item.row.id)

test.each<[number | null, number, readonly number[]]>([
  [1, 3, [1, 2, 3]],
  [4, 2, [2, 3, 4]],
  [2, 2, [2]],
  [null, 3, [3]],
  [99, 3, [3]],
  [1, 99, []],
])('from %s to %s: %j, headings are no rows', (from, to, expected) => expect(ids(from, to)).toEqual(expected))

test('both ways it is the same range', () =>
  fc.assert(
    fc.property(fc.constantFrom(1, 2, 3, 4), fc.constantFrom(1, 2, 3, 4), (a, b) => {
      expect(ids(a, b)).toEqual(ids(b, a))
    }),
  ))
