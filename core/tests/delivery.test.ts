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
  planMoves,
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
    expect(judgedStates).toEqual(['inbox', 'aside', 'moved', 'junk', 'quarantined', 'sealed', 'discarded'])
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

describe('an act on several deliveries', () => {
  const some = fc.array(
    fc.record({
      id: fc.nat(),
      state: fc.constantFrom(...deliveryStates),
      cameFrom: fc.constantFrom<RememberedState | null>(null, 'quarantined', 'junk', 'aside'),
    }),
    { maxLength: 8 },
  )
  test('moves each where the table says, or none of them', () => {
    fc.assert(
      fc.property(fc.constantFrom('release', 'discard', 'restore'), some, (act, deliveries) => {
        const planned = planMoves(act, deliveries)
        const first = deliveries.find(({ state }) => !isLegal(act, state))
        if (first) {
          const code = act === 'release' && first.state === 'sealed' ? 'sealed' : 'wrong-state'
          expect(planned).toEqual({ ok: false, problem: { code, delivery: first } })
          return
        }
        expect(planned).toEqual({
          ok: true,
          value: deliveries.map(({ id, state, cameFrom }) => ({
            id,
            from: state,
            to: placeAfter(act, { cameFrom }),
            cameFrom: memoryAfter(state, { cameFrom }),
          })),
        })
      }),
    )
  })
  test('leaving takes each nowhere, whatever its state', () => {
    fc.assert(
      fc.property(some, deliveries => {
        const planned = planMoves('leave', deliveries)
        expect(planned.ok && planned.value.map(({ from, to }) => [from, to])).toEqual(
          deliveries.map(({ state }) => [state, state]),
        )
      }),
    )
  })
})
