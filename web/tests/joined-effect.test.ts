import { describe, expect, test } from 'vitest'
import type { ChangeEffect } from '@pendro/contract'
import { joinedEffect } from '../src/areas/mailboxes/joined-effect.ts'

type Replay = NonNullable<ChangeEffect['replay']>
type Example = Replay['examples'][number]

const none = { wanted: 0, doubtful: 0, harmful: 0 }
const example = (deliveryId: number, more: Partial<Example> = {}): Example => ({
  deliveryId,
  from: 'a@x.example',
  subject: 's',
  score: 45,
  receivedAt: '2026-11-20T08:00:00.000Z',
  would: 'come-through',
  called: null,
  ...more,
})
const part = (more: Partial<Replay>): ChangeEffect => ({
  ends: null,
  replay: {
    days: 30,
    looked: 100,
    keptBack: none,
    letThrough: none,
    elsewhere: 0,
    part: { decided: 10, of: 0, next: null },
    examples: [],
    ...more,
  },
})

describe('parts of an effect', () => {
  test('add up; what counts all is the first one’s, where to go on the last one’s', () => {
    const joined = joinedEffect([
      part({ keptBack: { ...none, wanted: 1 }, elsewhere: 2, part: { decided: 10, of: 25, next: 70 } }),
      part({
        looked: 0,
        keptBack: { ...none, wanted: 2, harmful: 1 },
        part: { decided: 10, of: 0, next: 40 },
      }),
      part({
        looked: 0,
        letThrough: { ...none, doubtful: 4 },
        elsewhere: 1,
        part: { decided: 5, of: 0, next: null },
      }),
    ])
    expect(joined?.replay).toMatchObject({
      looked: 100,
      keptBack: { wanted: 3, doubtful: 0, harmful: 1 },
      letThrough: { wanted: 0, doubtful: 4, harmful: 0 },
      elsewhere: 3,
      part: { decided: 25, of: 25, next: null },
    })
  })

  test('show what changes sides first, and of these what people called something, twelve at most', () => {
    const many = Array.from({ length: 12 }, (_, i) => example(i, { would: 'move' }))
    const joined = joinedEffect([
      part({ examples: many }),
      part({
        examples: [
          example(100),
          example(101, { called: 'wanted', would: 'move' }),
          example(102, { called: 'junk' }),
        ],
      }),
    ])
    const ids = joined?.replay?.examples.map(({ deliveryId }) => deliveryId)
    expect(ids).toHaveLength(12)
    expect(ids?.slice(0, 4)).toEqual([102, 100, 101, 0])
  })

  test('one is itself, none is nothing, and days alone have no replay', () => {
    const one = part({ examples: [example(1)] })
    expect(joinedEffect([one])).toEqual(one)
    expect(joinedEffect([])).toBeNull()
    expect(joinedEffect([{ ...one, replay: null }])?.replay).toBeNull()
  })
})
