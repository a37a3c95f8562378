import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { bandsOf, clusterKey, differences, likeness, sketchOf } from '@pendro/core/clusters'

const vocabulary =
  'harbour parcel invoice waiting deliver please confirm address before evening courier missed customs payment small open link agent number counter collect today again notice final office return sender signed photo gate driver route depot'.split(
    ' ',
  )

/** Numbers 0 to 1, always the same for a seed (Park and Miller, 1988). */
function evenly(seed: number): () => number {
  let state = seed
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647
}

function textOf(seed: number, words = 90): readonly string[] {
  const next = evenly(seed + 1)
  return Array.from(
    { length: words },
    () =>
      `${vocabulary[Math.floor(next() * vocabulary.length)] ?? ''}${String.fromCharCode(97 + Math.floor(next() * 6))}`,
  )
}

/** The same with so many words replaced. */
function varied(words: readonly string[], changes: number, seed: number): readonly string[] {
  const next = evenly(seed * 7919 + 3)
  const copy = [...words]
  for (let i = 0; i < changes; i += 1)
    copy[Math.floor(next() * copy.length)] = `other${'abcdefghij'[i % 10] ?? ''}`
  return copy
}

/** The slow truth: Jaccard over runs of five words as sets of text. */
function exact(one: readonly string[], other: readonly string[]): number {
  const runs = (words: readonly string[]) =>
    new Set(Array.from({ length: Math.max(0, words.length - 4) }, (_, i) => words.slice(i, i + 5).join(' ')))
  const [a, b] = [runs(one), runs(other)]
  const both = [...a].filter(run => b.has(run)).length
  return both / (a.size + b.size - both)
}

const sketch = (words: readonly string[]) => sketchOf({ text: words.join(' ') })

describe('likeness of two texts', () => {
  test('property: what was kept whole is Jaccard’s to the last digit', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 400 }), fc.integer({ min: 0, max: 40 }), (seed, changes) => {
        const [one, other] = [textOf(seed), varied(textOf(seed), changes, seed)]
        expect(likeness(sketch(one), sketch(other))).toBeCloseTo(exact(one, other), 10)
      }),
    )
  })
  test('of long texts an estimate, within a tenth', () => {
    for (const changes of [20, 120, 400]) {
      const [one, other] = [textOf(5, 3000), varied(textOf(5, 3000), changes, 5)]
      expect(Math.abs(likeness(sketch(one), sketch(other)) - exact(one, other))).toBeLessThan(0.1)
    }
  })
  test('greeting, case, digits and addresses do not count', () => {
    const body =
      'Your parcel 4711 waits at the depot until Friday evening; open https://a.example/1 or write to a@b.example and confirm your address'
    const other = body.replace('4711', '99').replace('a.example/1', 'c.example/2').toUpperCase()
    expect(
      likeness(sketchOf({ text: `Dear Ingrid,\n${body}` }), sketchOf({ text: `Hello,\n${other}` })),
    ).toBe(1)
  })
  test.each([
    ['nothing', ''],
    ['emoji', '🎁 '.repeat(40)],
    ['eleven words', 'one two three four five six seven eight nine ten eleven'],
  ])('%s: too short to be near anything', (_, text) => {
    expect(sketchOf({ text })).toHaveLength(0)
    expect(bandsOf(sketchOf({ text }))).toEqual([])
    expect(likeness(sketchOf({ text }), sketchOf({ text }))).toBe(0)
  })
  test('a million words give no more than 512 hashes', () =>
    expect(sketchOf({ text: 'word other again '.repeat(333_333) }).length).toBeLessThanOrEqual(512))
})

describe('near-duplicates are found by their bands', () => {
  const pairs = Array.from({ length: 600 }, (_, i) => {
    const one = textOf(i)
    const other = varied(one, i % 7, i)
    return { one, other, like: exact(one, other) }
  })
  const meets = (a: readonly string[], b: readonly string[]) => {
    const others = bandsOf(sketch(b))
    return bandsOf(sketch(a)).some((hash, band) => hash === others[band])
  }
  const found = ({ one, other }: (typeof pairs)[number]) =>
    meets(one, other) && likeness(sketch(one), sketch(other)) >= 0.7

  test('recall of pairs with a likeness of 0.8 and more', () => {
    const near = pairs.filter(({ like }) => like >= 0.8)
    expect(near.length).toBeGreaterThan(100)
    expect(near.filter(found).length / near.length).toBeGreaterThanOrEqual(0.98)
  })
  test('what is found has a likeness of 0.7 and more', () => {
    const hits = pairs.filter(found)
    expect(hits.filter(({ like }) => like >= 0.7).length / hits.length).toBeGreaterThanOrEqual(0.98)
  })
  test('texts that have nothing in common meet in no band', () => {
    const strangers = Array.from({ length: 300 }, (_, i) => meets(textOf(i), textOf(i + 5000)))
    expect(strangers.filter(Boolean)).toEqual([])
  })
  test('an exact hash finds few of them: that is why there are bands', () => {
    const key = (words: readonly string[]) =>
      clusterKey({ subject: '', text: words.join(' '), messageId: null })
    const near = pairs.filter(({ like }) => like >= 0.8)
    expect(near.filter(({ one, other }) => key(one) === key(other)).length / near.length).toBeLessThan(0.5)
  })
})

describe('what differs between messages that are alike', () => {
  const one = {
    subject: 'Your parcel',
    sender: 'a@x.example',
    hosts: ['x.example'],
    attachments: ['bill.pdf'],
  }
  test('nothing, where all is the same but for capitals and spaces', () => {
    const { subject, sender, hosts, attachments } = differences(one, [
      { ...one, subject: ' YOUR parcel ', hosts: ['X.example'] },
    ])
    expect([subject, sender, hosts, attachments].map(({ count }) => count)).toEqual([0, 0, 0, 0])
  })
  test('what others have, most frequent first, three at most; what is missing there is no difference of theirs', () => {
    const others = ['Parcel 2', 'Parcel 3', 'Parcel 3', 'Parcel 4', 'Parcel 5', 'Your parcel'].map(
      subject => ({ ...one, subject, hosts: [] }),
    )
    const found = differences(one, others)
    expect(found.subject).toEqual({ count: 4, most: ['Parcel 3', 'Parcel 2', 'Parcel 4'] })
    expect(found.hosts).toEqual({ count: 0, most: [] })
  })
  test('property: every value told is another’s and not its own', () => {
    const texts = fc.array(fc.string({ maxLength: 3 }), { maxLength: 4 })
    const member = fc.record({
      subject: fc.string({ maxLength: 3 }),
      sender: fc.string({ maxLength: 3 }),
      hosts: texts,
      attachments: texts,
    })
    fc.assert(
      fc.property(member, fc.array(member, { maxLength: 6 }), (own, others) => {
        const { hosts } = differences(own, others)
        for (const host of hosts.most) {
          expect(others.some(other => other.hosts.includes(host))).toBe(true)
          expect(own.hosts).not.toContain(host)
        }
        expect(hosts.most.length).toBe(Math.min(3, hosts.count))
      }),
    )
  })
})
