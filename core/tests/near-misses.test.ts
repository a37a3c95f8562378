import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { domainLikeness, partyLikeness, readParty } from '@pendro/core/whereabouts'

const letters = 'abcdefghijklmnopqrstuvwxyz'

/** A label with one slip of the fingers: a letter left out, doubled, put in, changed, or two that changed places. */
const slipped = (label: string) =>
  fc
    .record({
      kind: fc.constantFrom('out', 'twice', 'in', 'other', 'swap'),
      at: fc.nat({ max: label.length - 1 }),
      letter: fc.constantFrom(...letters),
    })
    .map(({ kind, at, letter }) => {
      const [before, here, after] = [label.slice(0, at), label[at] ?? '', label.slice(at + 1)]
      if (kind === 'out') return before + after
      if (kind === 'twice') return before + here + here + after
      if (kind === 'in') return before + letter + here + after
      if (kind === 'other') return before + letter + after
      return before + after.slice(0, 1) + here + after.slice(1)
    })

describe('a domain that was heard or typed a little wrong', () => {
  test.each<[typed: string, known: string, near: boolean]>([
    ['kystkup.example', 'post.kystkupp.example', true],
    ['post.kystkup.example', 'kystkupp.example', true],
    ['kystkupp.example', 'a.b.kystkupp.example', true],
    ['kystkpup.example', 'post.kystkupp.example', true],
    ['ksytkupp.example', 'post.kystkupp.example', true],
    ['news.kystkupp.example', 'post.kystkupp.example', true],
    ['kystkupp.test', 'post.kystkupp.example', true],
    // Another firm altogether, however alike the host's own name is.
    ['post.havneby.example', 'post.kystkupp.example', false],
    ['post.example', 'post.kystkupp.example', false],
    ['kyst.example', 'post.kystkupp.example', false],
    // Three letters that differ in one are another name.
    ['mail.dno.example', 'post.dpo.example', false],
  ])('%s for %s: %s', (typed, known, near) => {
    const likeness = domainLikeness(typed, known)
    if (near) expect(likeness).toBeGreaterThanOrEqual(0.7)
    else expect(likeness).toBeLessThan(0.7)
  })

  test('one slip in any label of at least four letters is near, whatever stands below it', () => {
    const label = fc
      .array(fc.constantFrom(...letters), { minLength: 4, maxLength: 12 })
      .map(all => all.join(''))
    fc.assert(
      fc.property(
        label.chain(name => fc.tuple(fc.constant(name), slipped(name))),
        fc.option(label, { nil: null }),
        ([name, wrong], below) => {
          fc.pre(wrong.length >= 4)
          const known = below === null ? `${name}.example` : `${below}.${name}.example`
          expect(domainLikeness(`${wrong}.example`, known)).toBeGreaterThanOrEqual(0.7)
          const party = { name: '', address: `anna@${known}` }
          expect(partyLikeness(readParty(`${wrong}.example`), party).match).not.toBe('other')
        },
      ),
      { numRuns: 500 },
    )
  })

  test('the same is nearer than a slip, and a slip than another ending', () => {
    const known = 'post.kystkupp.example'
    const [same, slip, other] = [known, 'post.kystkup.example', 'kystkupp.test'].map(typed =>
      domainLikeness(typed, known),
    )
    expect(same).toBe(1)
    expect(slip).toBeGreaterThan(other ?? 1)
  })
})
