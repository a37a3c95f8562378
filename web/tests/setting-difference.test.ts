import { expect, test } from 'vitest'
import { differenceOf } from '../src/areas/organisation/difference.ts'

test.each([
  ['a list', ['a.example', 'b.example'], ['b.example', 'c.example'], ['a.example'], ['c.example']],
  ['the same in another order', ['a', 'b'], ['b', 'a'], [], []],
  ['one value', 'optional', 'required', ['optional'], ['required']],
  [
    'fields, of which one differs',
    { digests: 'd@x.example', help: '' },
    { digests: 'd@x.example', help: 'h@x.example' },
    [],
    ['h@x.example'],
  ],
  [
    'yes and no have no meaning without their name',
    { pictures: true },
    { pictures: false },
    ['pictures: true'],
    ['pictures: false'],
  ],
  [
    'lists in fields',
    { times: ['07:00'], weekdays: [1] },
    { times: ['08:00'], weekdays: [1] },
    ['07:00'],
    ['08:00'],
  ],
])('%s', (_what, now, mine, gone, come) => {
  expect(differenceOf(now, mine)).toEqual({ gone, come })
})
