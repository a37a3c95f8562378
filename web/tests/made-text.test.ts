import type { TFunction } from 'i18next'
import { describe, expect, test } from 'vitest'
import { madeText } from '../src/parts/made-text.ts'

/** The key and what is put into it: the sentence's choice, not its wording. */
const said = ((key: string, values: object = {}) =>
  `${key} ${Object.values(values).join('|')}`.trim()) as unknown as TFunction

const brief = { id: 1, standing: 'safe', mailboxId: null, keptBy: '', binding: false, until: null } as const
const made = { ...brief, pattern: '@orders.example' }

describe('what a ruling made of its senders', () => {
  test.each([
    ['nothing overrules it', [], 'ruling.now.safe @orders.example'],
    [
      'the organisation has the last word',
      [{ made: 1, by: { ...brief, id: 2, pattern: 'orders.example', standing: 'blocked' } }],
      'ruling.overruled.safe @orders.example|mailboxSlot.all|orders.example',
    ],
    [
      'a colleague has the last word: the entry is theirs, not the organisation’s',
      [{ made: 1, by: { ...brief, id: 2, pattern: 'x@orders.example', mailboxId: 7, keptBy: 'Ada Lund' } }],
      'ruling.overruledByOwn.safe @orders.example|mailboxSlot.all|x@orders.example|Ada Lund',
    ],
  ] as const)('%s', (_, overruled, sentence) => {
    expect(madeText({ added: [made], overruled: [...overruled] }, said)).toEqual([sentence])
  })
})
