import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { areLimits } from '@pendro/contract'
import { readFilter } from '../src/areas/mailboxes/filter.ts'
import { limitNames, scoreAt, withLimit } from '../src/areas/mailboxes/limits-arc.tsx'

describe('limits on the arc', () => {
  const score = fc.integer({ min: 1, max: 100 })
  const limits = fc
    .tuple(score, score, score)
    .map(three => [...three].sort((a, b) => a - b))
    .map(([junk = 1, quarantined = 1, nearCertain = 1]) => ({ junk, quarantined, nearCertain }))

  test('wherever one is moved, they stay limits, and it is where it was moved to', () => {
    fc.assert(
      fc.property(limits, fc.constantFrom(...limitNames), score, (before, name, to) => {
        const after = withLimit(before, name, to)
        expect(areLimits(after)).toBe(true)
        expect(after[name]).toBe(to)
      }),
    )
  })

  test('one that has room moves alone', () => {
    const before = { junk: 30, quarantined: 50, nearCertain: 80 }
    expect(withLimit(before, 'quarantined', 60)).toEqual({ ...before, quarantined: 60 })
    expect(withLimit(before, 'junk', 55)).toEqual({ junk: 55, quarantined: 55, nearCertain: 80 })
    expect(withLimit(before, 'nearCertain', 20)).toEqual({ junk: 20, quarantined: 20, nearCertain: 20 })
  })

  test.each([
    [150, 110, 50],
    [0, 0, 1],
    [300, 0, 100],
    [-500, 40, 1],
    [900, 40, 100],
  ])('the place %i, %i is the score %i', (x, y, wanted) => expect(scoreAt(x, y)).toBe(wanted))
})

describe('a filter in the address', () => {
  const read = (text: string) => readFilter(new URLSearchParams(text))
  const usual = { kind: 'any', department: '', trait: 'all', find: '', order: 'name' }
  test.each([
    ['', {}],
    ['trait=away&order=kept', { trait: 'away', order: 'kept' }],
    [
      'kind=shared&department=Ticket%20office&find=solv',
      { kind: 'shared', department: 'Ticket office', find: 'solv' },
    ],
    // Mended by hand: what makes no sense is as if it were not there.
    ['kind=robot&order=size&trait=', {}],
  ])('%s', (text, part) => expect(read(text)).toEqual({ ...usual, ...part }))
})
