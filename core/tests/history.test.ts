import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { replayHistory, type HistoryVerdict, type Replayed } from '@pendro/core/history'

const message = fc.record({
  hash: fc.string({ minLength: 1, maxLength: 3 }),
  mailboxId: fc.integer({ min: 1, max: 3 }),
  senders: fc.uniqueArray(
    fc.constantFrom('a@x.example', '@x.example', 'b@y.example', '@y.example', '<crew.x.example>'),
  ),
  to: fc.array(fc.constantFrom('a@x.example', 'c@z.example', 'b@y.example'), { maxLength: 3 }),
  verdict: fc.constantFrom<HistoryVerdict | null>('wanted', 'junk', 'sent', null),
})
const history = fc.uniqueArray(message, { selector: ({ hash }) => hash, maxLength: 30 })
const verdictOf = ({ verdict }: { verdict: HistoryVerdict | null }) => verdict

/** All counts by name, without those that come to nothing. */
function counts(...parts: readonly (readonly [replayed: Replayed, sign: 1 | -1])[]) {
  const sums = new Map<string, number>()
  const add = (name: string, n: number) => sums.set(name, (sums.get(name) ?? 0) + n)
  for (const [{ senders, letters, domains }, sign] of parts) {
    for (const [sender, { n, wanted, junk }] of senders) {
      add(`seen ${sender}`, sign * n)
      add(`wanted ${sender}`, sign * wanted)
      add(`junk ${sender}`, sign * junk)
    }
    for (const { mailboxId, address, n } of letters) add(`to ${mailboxId} ${address}`, sign * n)
    for (const [domain, n] of domains) add(`to ${domain}`, sign * n)
  }
  return Object.fromEntries([...sums].filter(([, n]) => n !== 0).sort(([a], [b]) => (a < b ? -1 : 1)))
}

describe('older mail, replayed', () => {
  test('property: in parts, in any order, it comes to the same as at once', () => {
    fc.assert(
      fc.property(history, fc.nat(30), (all, cut) => {
        const whole = replayHistory(all, verdictOf)
        const [one, other] = [all.slice(0, cut), all.slice(cut).reverse()]
        expect(counts([replayHistory(other, verdictOf), 1], [replayHistory(one, verdictOf), 1])).toEqual(
          counts([whole, 1]),
        )
      }),
    )
  })
  test('property: taken back, there is nothing; a message twice is one', () => {
    fc.assert(
      fc.property(history, all => {
        const whole = replayHistory(all, verdictOf)
        expect(counts([whole, 1], [replayHistory(all, verdictOf), -1])).toEqual({})
        expect(counts([replayHistory([...all, ...all], verdictOf), 1])).toEqual(counts([whole, 1]))
      }),
    )
  })
  const one = (verdict: HistoryVerdict, more: object = {}) => ({
    hash: `${verdict}${JSON.stringify(more)}`,
    mailboxId: 7,
    senders: ['a@x.example', '@x.example', '<crew.x.example>'],
    to: ['b@y.example', 'b@y.example', 'c@y.example'],
    verdict,
    ...more,
  })
  test('kept in the inbox: the sender is known, the list is wanted; in the junk folder: both are junk', () => {
    const { senders, letters } = replayHistory(
      [one('wanted'), one('wanted', { hash: '2' }), one('junk')],
      verdictOf,
    )
    expect(senders.get('a@x.example')).toEqual({ n: 3, wanted: 0, junk: 1 })
    expect(senders.get('<crew.x.example>')).toEqual({ n: 3, wanted: 2, junk: 1 })
    expect(letters).toEqual([])
  })
  test('sent: one letter to each address, and to its domain; the sender is ours', () => {
    const { senders, letters, domains } = replayHistory([one('sent')], verdictOf)
    expect(letters).toEqual([
      { mailboxId: 7, address: 'b@y.example', domain: 'y.example', n: 1 },
      { mailboxId: 7, address: 'c@y.example', domain: 'y.example', n: 1 },
    ])
    expect([...domains]).toEqual([['y.example', 2]])
    expect(senders.size).toBe(0)
  })
})
