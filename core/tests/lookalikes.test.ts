import { existsSync, readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { describe, expect, test } from 'vitest'
import { findLookalike, skeleton } from '@pendro/core/address'

const known = ['vindholm.example', 'fjordfuel.example', 'brygge.example', 'bank.example']

describe('what passes for a known domain, and near misses that do not', () => {
  test.each([
    ['vindh0lm.example', 'vindholm.example'],
    ['vlndholm.example', 'vindholm.example'],
    ['vindhoIm.example'.toLowerCase(), 'vindholm.example'],
    ['mail.vindh0lm.example', 'vindholm.example'],
    ['vindholrn.example', 'vindholm.example'],
    ['xn--vndholm-7ya.example', 'vindholm.example'], // víndholm
    ['vindhlom.example', 'vindholm.example'], // two neighbours swapped
    ['fjordfue1.example', 'fjordfuel.example'],
    ['vindholm-login.example', 'vindholm.example'],
    ['secure-fjordfuel.example', 'fjordfuel.example'],
    ['fjordfuels.example', 'fjordfuel.example'],
  ])('%s resembles %s', (domain, want) => expect(findLookalike(domain, known)?.known).toBe(want))
  test.each([
    'vindholm.example',
    'shop.vindholm.example',
    'fjordfuel.example',
    'fjellfuel.example',
    'bonk.example', // short names are one letter from each other by chance
    'holm.example',
    'example',
    'vindholmen-ferge.example',
  ])('%s resembles none', domain => expect(findLookalike(domain, known)).toBeNull())
})

// Unicode's own table (UTS #39 confusables), as packaged by npm unhomoglyph 1.0.6: data.json.
test('UTS #39: every pair of lower-case letters that the published table makes equal has one skeleton', () => {
  const path = createRequire(import.meta.url).resolve('unhomoglyph/data.json')
  expect(existsSync(path)).toBe(true)
  const table = Object.entries(JSON.parse(readFileSync(path, 'utf8')) as Record<string, string>)
  const letters = table.filter(
    ([from, to]) => /^\p{L}$/u.test(from) && from === from.toLowerCase() && /^[a-z]$/u.test(to),
  )
  expect(letters.length).toBeGreaterThan(300)
  const odd = letters.filter(([from, to]) => skeleton(`a${from}b`) !== skeleton(`a${to}b`))
  expect(odd).toEqual([])
})
