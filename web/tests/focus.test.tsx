// @vitest-environment happy-dom
import { act, cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, test } from 'vitest'
import { SlotPanel } from '../src/parts/sentence-slot.tsx'

afterEach(cleanup)

/** A sentence in a pane, with a word that opens a panel; beside it another field. */
function Screen() {
  return (
    <>
      <input aria-label="elsewhere" />
      <div data-pane="message" aria-label="pane" role="region" tabIndex={0}>
        <SlotPanel label="word" text="all">
          {close => (
            <button type="button" onClick={close}>
              close
            </button>
          )}
        </SlotPanel>
      </div>
    </>
  )
}

/** The panel's library gives the focus back a moment after the panel has gone. */
const aMoment = () => act(() => new Promise(resolve => setTimeout(resolve, 20)))

async function openAndClose() {
  render(<Screen />)
  // The panel comes with code of its own.
  await aMoment()
  await act(() => import('../src/parts/slot-panel.tsx'))
  await aMoment()
  fireEvent.click(screen.getByRole('button', { name: 'word: all' }))
  await aMoment()
  const button = screen.getByRole('button', { name: 'close' })
  act(() => button.focus())
  fireEvent.click(button)
  expect(screen.queryByRole('button', { name: 'close' })).toBeNull()
}

describe('the keyboard after a panel has closed', () => {
  test('goes to the pane it belongs to', async () => {
    await openAndClose()
    await aMoment()
    expect(document.activeElement).toBe(screen.getByRole('region', { name: 'pane' }))
  })

  test('stays where somebody has put it in that moment', async () => {
    await openAndClose()
    const elsewhere = screen.getByLabelText('elsewhere')
    act(() => elsewhere.focus())
    await aMoment()
    expect(document.activeElement).toBe(elsewhere)
  })
})
