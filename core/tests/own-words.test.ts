import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { ownWords } from '@pendro/core/whereabouts'

describe('what somebody wrote in a reply, without what they quoted', () => {
  test.each([
    ['above the quotation', 'Not there!\r\n\r\nOn Monday Per wrote:\r\n> It is in your inbox.', 'Not there!'],
    ['below it', 'Per schrieb am Montag:\n> It is there.\n\nLeider nicht.', 'Leider nicht.'],
    ['between', '> It is there.\nNo.\n> Look again.\nI did.', 'No.\nI did.'],
    ['quoted twice, indented', 'Yes\n >> older\n  > old', 'Yes'],
    ['a blank line between who wrote and what', 'Thanks\nPer wrote:\n\n> x', 'Thanks'],
    ['without a signature', 'Thanks\n-- \nKari\nQuay 4', 'Thanks'],
    ['a colon that announces nothing', 'I mean these:\n- one\n- two', 'I mean these:\n- one\n- two'],
    ['dashes that are no signature', 'a -- b\n--- \nc', 'a -- b\n--- \nc'],
    ['nothing but quotation is given whole', '> It is there.', '> It is there.'],
    ['a signature that is all there is', '-- \nKari', '-- \nKari'],
    ['nothing', '', ''],
  ])('%s', (_what, text, own) => expect(ownWords(text)).toBe(own))
  test('never longer than what came, and words of their own stay', () =>
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('> quoted', 'mine', '', 'X wrote:', '-- '), { maxLength: 20 }),
        lines => {
          const text = ['mine first', ...lines].join('\n')
          expect(ownWords(text).length).toBeLessThanOrEqual(text.length)
          expect(ownWords(text).startsWith('mine first')).toBe(true)
          expect(ownWords(text)).not.toContain('> quoted')
        },
      ),
    ))
  test('long hostile text is read in no time', () => {
    expect(ownWords('>\n'.repeat(200_000)).length).toBeGreaterThan(0)
    expect(ownWords('x:\n'.repeat(200_000)).length).toBeGreaterThan(0)
  })
})
