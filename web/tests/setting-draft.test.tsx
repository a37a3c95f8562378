// @vitest-environment happy-dom
import { act, cleanup, renderHook } from '@testing-library/react'
import { afterEach, describe, expect, test } from 'vitest'
import { movedUp } from '../src/areas/organisation/lines.ts'
import { useDraft } from '../src/areas/organisation/use-draft.ts'

afterEach(cleanup)

/** A card over a setting, which others change, too. */
function card(saved: readonly string[]) {
  const { result, rerender } = renderHook(({ now }) => useDraft(now), { initialProps: { now: saved } })
  return {
    now: () => result.current,
    type: (draft: readonly string[]) => act(() => result.current.setDraft(draft)),
    apply: () => act(() => result.current.apply()),
    take: (value: readonly string[]) => act(() => result.current.follow(value)),
    becomes: (now: readonly string[]) => rerender({ now }),
  }
}

describe('what is typed into a setting', () => {
  test('follows when somebody else changes it and nothing is typed', () => {
    const one = card(['a'])
    one.becomes(['b'])
    expect(one.now().draft).toEqual(['b'])
  })
  test('stays when something is typed, and shows that it began elsewhere', () => {
    const one = card(['a'])
    one.type(['a', 'mine'])
    one.becomes(['b'])
    expect(one.now()).toMatchObject({ draft: ['a', 'mine'], begun: ['a'] })
    one.take(['b'])
    expect(one.now()).toMatchObject({ draft: ['b'], begun: ['b'] })
  })
  test('what was applied follows how it is kept, though it was typed otherwise', () => {
    const one = card(['a'])
    one.type(['A.EXAMPLE'])
    one.apply()
    // Until the answer is there, it stays as it was typed.
    expect(one.now().draft).toEqual(['A.EXAMPLE'])
    one.becomes(['a.example'])
    expect(one.now()).toMatchObject({ draft: ['a.example'], begun: ['a.example'] })
  })
  test('typed on after applying, it is somebody’s own again', () => {
    const one = card(['a'])
    one.type(['b'])
    one.apply()
    one.type(['b', 'c'])
    one.becomes(['B'])
    expect(one.now()).toMatchObject({ draft: ['b', 'c'], begun: ['a'] })
  })
  test('two who mean the same are no difference', () => {
    const one = card(['a'])
    one.type(['b'])
    one.becomes(['b'])
    expect(one.now()).toMatchObject({ draft: ['b'], begun: ['b'] })
  })
})

test.each([
  [0, 'abc'],
  [1, 'bac'],
  [2, 'acb'],
])('the line at %i goes one further up', (at, order) => {
  expect(movedUp(['a', 'b', 'c'], at).join('')).toBe(order)
})
