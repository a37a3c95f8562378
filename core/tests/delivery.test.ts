import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import {
  deliveryStates,
  endingStates,
  isLegal,
  judgedStates,
  keptBackStates,
  memoryAfter,
  undecidedStates,
  personalActs,
  placeAfter,
  rememberedStates,
  settledStates,
  transitions,
  waysTo,
  type Act,
  type DeliveryState,
  type RememberedState,
} from '@pendro/core/delivery'

const acts = Object.keys(transitions) as Act[]

describe('the table of what is legal (domain.md §7)', () => {
  test('named sets, spelled out: a new state changes this page', () => {
    expect(keptBackStates).toEqual(['junk', 'quarantined', 'sealed'])
    expect(undecidedStates).toEqual(['junk', 'quarantined'])
    expect(judgedStates).toEqual(['inbox', 'aside', 'moved', 'junk', 'quarantined', 'sealed'])
    expect(rememberedStates).toEqual(['aside', 'moved', 'junk', 'quarantined', 'sealed'])
    expect(endingStates).toEqual(['junk', 'quarantined', 'sealed', 'discarded'])
    expect(settledStates).toEqual(['inbox', 'aside', 'moved', 'released', 'expired'])
  })

  test.each<[DeliveryState, readonly string[]]>([
    ['inspecting', []],
    ['inbox', []],
    ['aside', ['release']],
    ['moved', ['release']],
    ['junk', ['release', 'discard']],
    ['quarantined', ['release', 'discard']],
    // Harmful: nobody releases it.
    ['sealed', ['discard']],
    ['deferred', []],
    ['bounced', ['release']],
    ['released', []],
    ['discarded', ['restore']],
    ['expired', []],
  ])('%s: people may %j', (state, wanted) => expect(personalActs(state)).toEqual(wanted))

  test('every state can be come to: judged, or by an act', () => {
    const judged: readonly string[] = [...judgedStates, 'inspecting', 'deferred']
    for (const state of deliveryStates)
      expect([state, judged.includes(state) || waysTo(state).length > 0]).toEqual([state, true])
  })

  test('what goes away by itself can', () => {
    expect([...transitions.expire.from].sort()).toEqual([...endingStates].sort())
  })

  test('no sequence of acts leaves the table, and taking back a discard leads where it was', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...judgedStates, 'inspecting' as const, 'deferred' as const),
        fc.array(fc.tuple(fc.constantFrom(...acts), fc.nat()), { maxLength: 20 }),
        (start, sequence) => {
          let state: DeliveryState = start
          let cameFrom: RememberedState | null = null
          for (const [act, pick] of sequence) {
            if (!isLegal(act, state)) continue
            const before: DeliveryState = state
            const ends: readonly DeliveryState[] = transitions[act].to
            if (act === 'release' || act === 'discard' || act === 'restore') {
              state = placeAfter(act, { cameFrom })
              expect(ends).toContain(state)
              cameFrom = memoryAfter(before, { cameFrom })
            } else state = ends[pick % ends.length] as DeliveryState
            expect(deliveryStates).toContain(state)
            if (act === 'discard') expect(placeAfter('restore', { cameFrom })).toBe(before)
          }
        },
      ),
      { numRuns: 2000 },
    )
  })

  test('sealed mail is never released, by whatever sequence of acts', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.constantFrom(...acts), fc.nat()), { maxLength: 12 }), sequence => {
        let state: DeliveryState = 'sealed'
        let cameFrom: RememberedState | null = null
        for (const [act, pick] of sequence) {
          if (!isLegal(act, state)) continue
          const before: DeliveryState = state
          if (act === 'release' || act === 'discard' || act === 'restore') {
            state = placeAfter(act, { cameFrom })
            cameFrom = memoryAfter(before, { cameFrom })
          } else state = transitions[act].to[pick % transitions[act].to.length] as DeliveryState
          expect(['sealed', 'discarded', 'expired']).toContain(state)
        }
      }),
    )
  })
})
