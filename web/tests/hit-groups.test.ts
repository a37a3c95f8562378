import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { JourneyStop, WhereHit } from '@pendro/contract'
import { groupHits, hereOf, toneOf } from '../src/areas/whereabouts/hit-groups.ts'

const stop = (kind: string, stage: JourneyStop['stage'], pattern?: string): JourneyStop => ({
  kind,
  at: null,
  facts: pattern === undefined ? {} : { pattern: pattern },
  by: '',
  stage,
})

const hit = (id: number, part: Partial<WhereHit> = {}): WhereHit => ({
  kind: 'delivery',
  id,
  likeness: 1,
  label: 'all-of-it',
  subject: 'Manifest correction, sailing 19:00',
  fromName: 'Skerry Freight',
  fromAddress: 'ops@skerry-freight.example',
  to: 'Freight Desk',
  mailboxId: 1,
  mailboxLanguage: 'en',
  at: `2026-11-${10 + id}T08:00:00Z`,
  state: 'inbox',
  journey: [stop('came-in', 'done'), stop('inbox', 'here')],
  ...part,
})

const ids = (hits: readonly WhereHit[], about = '') =>
  groupHits(hits, about).map(group => group.hits.map(({ id }) => id))

describe('hits that differ in nothing but the day are one', () => {
  test('the best stands alone, the others of a kind together', () =>
    expect(ids([hit(1), hit(2), hit(3), hit(4)])).toEqual([[1], [2, 3, 4]]))
  test('a number in the subject is no difference, unless a number was asked for', () => {
    const hits = [hit(1), hit(2, { subject: 'Invoice 4711' }), hit(3, { subject: 'Invoice 4712' })]
    expect(ids(hits, 'invoice')).toEqual([[1], [2, 3]])
    expect(ids(hits, 'invoice 4711')).toEqual([[1], [2], [3]])
  })
  test.each<[string, Partial<WhereHit>]>([
    ['another sender', { fromAddress: 'ida@skerry-freight.example' }],
    ['another colleague', { to: 'Kari Moen' }],
    ['another end', { state: 'quarantined', journey: [stop('quarantined', 'here')] }],
    ['another entry that decided', { journey: [stop('inbox', 'here', 'x.example')] }],
    ['other words', { subject: 'Manifest, sailing 19:00' }],
    ['another direction', { kind: 'outbound' }],
  ])('%s is another hit', (_, part) => expect(ids([hit(1), hit(2), hit(3, part)])).toEqual([[1], [2], [3]]))
  test('what was refused before its subject is never the same as another', () => {
    const refused = { subject: '', kind: 'refused' } as const
    expect(ids([hit(1), hit(2, refused), hit(3, refused)])).toEqual([[1], [2], [3]])
  })
  test('every hit is in one group, and groups keep the order of their best', () =>
    fc.assert(
      fc.property(
        fc.array(
          fc.record({ subject: fc.constantFrom('a 1', 'a 2', 'b', ''), to: fc.constantFrom('x', 'y') }),
        ),
        fc.constantFrom('', 'a 1'),
        (parts, about) => {
          const groups = groupHits(
            parts.map((part, i) => hit(i, part)),
            about,
          )
          expect(groups.flatMap(({ hits }) => hits.map(({ id }) => id)).sort((a, b) => a - b)).toEqual(
            parts.map((_, i) => i),
          )
          const firsts = groups.map(({ first }) => first.id)
          expect(firsts).toEqual([...firsts].sort((a, b) => a - b))
        },
      ),
    ))
})

test('where a message is now: the stop it stands at, never one that is still to come', () => {
  expect(hereOf(hit(1))?.kind).toBe('inbox')
  expect(hereOf({ journey: [stop('came-in', 'done'), stop('goes-away', 'coming')] })?.kind).toBe('came-in')
  expect(hereOf({ journey: [] })).toBeNull()
})

test('a stop has the colour of what it means', () => {
  expect(['inbox', 'junk', 'deferred', 'bounced', 'checked'].map(toneOf)).toEqual([
    'arrived',
    'kept',
    'waiting',
    'gone',
    'passed',
  ])
})
