import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  orders,
  readFilter,
  stateChoices,
  usualFilter,
  writeFilter,
  type Filter,
} from '../src/areas/review/filter.ts'

const read = (text: string) => readFilter(new URLSearchParams(text))

describe('an address', () => {
  test('says nothing of what is usual, and is read as that', () => {
    expect(writeFilter(usualFilter).toString()).toBe('')
    expect(read('')).toEqual(usualFilter)
  })

  test('gives back every filter that can be chosen', () => {
    const filters: fc.Arbitrary<Filter> = fc
      .record({
        states: fc.constantFrom(...stateChoices),
        order: fc.constantFrom(...orders),
        days: fc.integer({ min: 1, max: 366 }),
        band: fc.uniqueArray(fc.integer({ min: 0, max: 100 }), { minLength: 2, maxLength: 2 }),
        mailbox: fc.option(fc.integer({ min: 1, max: 1_000_000 }), { nil: undefined }),
        find: fc.option(
          fc.string({ minLength: 1, maxLength: 100, unit: 'grapheme' }).filter(text => text.trim() === text),
          { nil: undefined },
        ),
      })
      .map(({ band, mailbox, find, ...rest }) => ({
        ...rest,
        from: Math.min(...band),
        to: Math.max(...band),
        ...(mailbox === undefined ? {} : { mailbox }),
        ...(find === undefined || find === '' ? {} : { find }),
      }))
    fc.assert(
      fc.property(filters, filter => {
        expect(read(writeFilter(filter).toString())).toEqual(filter)
      }),
    )
  })

  test.each<[what: string, text: string, part: Partial<Filter>]>([
    ['an unknown state', 'states=eaten', { states: 'kept' }],
    ['an unknown order', 'order=best', { order: 'wanted' }],
    ['no days', 'days=0', { days: 14 }],
    ['more days than a year has', 'days=367', { days: 14 }],
    ['days that are no number', 'days=soon', { days: 14 }],
    ['half a day', 'days=1.4', { days: 14 }],
    ['scores the wrong way round', 'from=80&to=20', { from: 0, to: 100 }],
    ['scores with nothing between', 'from=50&to=50', { from: 0, to: 100 }],
    ['a score above 100', 'from=40&to=1e400', { from: 40, to: 100 }],
    ['a mailbox below the first', 'mailbox=-1', {}],
    ['a mailbox that is a name', 'mailbox=ingrid', {}],
  ])('with %s gives the nearest filter that makes sense', (_, text, part) => {
    expect(read(text)).toEqual({ ...usualFilter, ...part })
  })

  test('a search is cut and trimmed', () => {
    expect(read(`find=${'x'.repeat(500)}`).find).toHaveLength(200)
    expect(read('find=%20%20').find).toBeUndefined()
  })
})
