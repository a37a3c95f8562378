import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { differenceOf } from '../src/areas/mail-rules/line-difference.ts'

const signs = { there: '-', here: '+', both: ' ' }
const shown = (there: string, here: string) =>
  differenceOf(there, here).map(({ kind, text }) => `${signs[kind]}${text}`)

describe('what differs between two scripts', () => {
  test('a line that was changed is shown with what is around it', () => {
    const lines = Array.from({ length: 12 }, (_, i) => `line ${i}`)
    const other = lines.map(line => (line === 'line 5' ? 'another' : line))
    expect(shown(`${lines.join('\n')}\n`, `${other.join('\n')}\n`)).toEqual([
      ' …',
      ' line 2',
      ' line 3',
      ' line 4',
      '-line 5',
      '+another',
      ' line 6',
      ' line 7',
      ' line 8',
      ' …',
    ])
  })

  test('of few lines nothing is left out, and each side reads as it is', () => {
    const text = fc.array(fc.constantFrom('a', 'b', 'c', ''), { minLength: 1, maxLength: 4 })
    fc.assert(
      fc.property(text, text, (there, here) => {
        fc.pre(there.join('\n') !== here.join('\n'))
        const lines = differenceOf(`${there.join('\n')}\n`, `${here.join('\n')}\n`)
        const side = (kind: 'there' | 'here') =>
          lines.filter(line => line.kind === kind || line.kind === 'both').map(line => line.text)
        expect([side('there'), side('here')]).toEqual([there, here])
      }),
    )
  })

  test('what has nothing in common is shown one after the other, however long', () => {
    const many = (word: string) => Array.from({ length: 5000 }, (_, i) => `${word} ${i}`).join('\n')
    const lines = differenceOf(many('mine'), many('yours'))
    expect(lines).toHaveLength(10_000)
    expect(lines.slice(0, 5000).every(({ kind }) => kind === 'there')).toBe(true)
  })
})
