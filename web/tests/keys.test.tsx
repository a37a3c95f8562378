// @vitest-environment happy-dom
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, test, vi } from 'vitest'
import { useKeys } from '../src/app/keys.ts'

afterEach(cleanup)

function Screen({ keys, active }: { keys: Record<string, () => void>; active?: boolean }) {
  useKeys(keys, active)
  return (
    <>
      <input aria-label="typed" />
      <button type="button">press</button>
      <button type="button" data-row>
        row
      </button>
      <div role="dialog">
        <span>inside</span>
      </div>
      <p>elsewhere</p>
    </>
  )
}

describe('single keys for the whole screen', () => {
  test.each<[what: string, target: () => Element, init: KeyboardEventInit, pressed: boolean]>([
    ['anywhere', () => screen.getByText('elsewhere'), { key: 'j' }, true],
    ['with shift, as a capital', () => screen.getByText('elsewhere'), { key: 'J', shiftKey: true }, true],
    ['on a button', () => screen.getByText('press'), { key: 'j' }, true],
    ['while somebody types', () => screen.getByLabelText('typed'), { key: 'j' }, false],
    ['in a dialog', () => screen.getByText('inside'), { key: 'j' }, false],
    ['with Control', () => screen.getByText('elsewhere'), { key: 'j', ctrlKey: true }, false],
    ['with Alt', () => screen.getByText('elsewhere'), { key: 'j', altKey: true }, false],
    ['with Command', () => screen.getByText('elsewhere'), { key: 'j', metaKey: true }, false],
    [
      'while a letter is composed',
      () => screen.getByText('elsewhere'),
      { key: 'j', isComposing: true },
      false,
    ],
    ['another key', () => screen.getByText('elsewhere'), { key: 'k' }, false],
    ['Enter on a button presses that', () => screen.getByText('press'), { key: 'Enter' }, false],
    ['Enter on a row opens it', () => screen.getByText('row'), { key: 'Enter' }, true],
  ])('%s', (_what, target, init, pressed) => {
    const act = vi.fn()
    render(<Screen keys={{ j: act, Enter: act }} />)
    // `false`: somebody has taken the key for themselves.
    expect(fireEvent.keyDown(target(), { bubbles: true, cancelable: true, ...init })).toBe(!pressed)
    expect(act).toHaveBeenCalledTimes(pressed ? 1 : 0)
  })

  test('are silent while the screen does not listen, and when it has gone', () => {
    const act = vi.fn()
    const { unmount } = render(<Screen keys={{ j: act }} active={false} />)
    fireEvent.keyDown(document.body, { key: 'j' })
    unmount()
    fireEvent.keyDown(document.body, { key: 'j' })
    expect(act).not.toHaveBeenCalled()
  })
})
