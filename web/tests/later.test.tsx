// @vitest-environment happy-dom
import { Suspense, useState, type ComponentType } from 'react'
import { act, cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, test } from 'vitest'
import { later } from '../src/parts/later.tsx'

afterEach(cleanup)

/** A part with something of its own in it. */
function Counter({ name }: { name: string }) {
  const [n, setN] = useState(0)
  return (
    <button type="button" onClick={() => setN(n + 1)}>
      {name} {n}
    </button>
  )
}

/** Code that comes when the test says so. */
function slowly() {
  let come: (part: ComponentType<{ name: string }>) => void = () => {}
  const part = later(() => new Promise<ComponentType<{ name: string }>>(resolve => (come = resolve)))
  return { part, come: () => act(async () => come(Counter)) }
}

const shown = (Part: ComponentType<{ name: string }>, name: string) => (
  <Suspense fallback="not yet">
    <Part name={name} />
  </Suspense>
)

describe('a part whose code comes later', () => {
  test('is waited for, and keeps what is in it when it is drawn again', async () => {
    const { part, come } = slowly()
    const { rerender } = render(shown(part.Part, 'a'))
    expect(screen.getByText('not yet')).toBeTruthy()
    await come()
    fireEvent.click(await screen.findByRole('button', { name: 'a 0' }))
    rerender(shown(part.Part, 'b'))
    expect(screen.getByRole('button', { name: 'b 1' })).toBeTruthy()
  })

  test('is there at once where its code has come before', async () => {
    const { part, come } = slowly()
    part.fetch()
    await come()
    render(shown(part.Part, 'a'))
    // No moment in which a key could be lost.
    expect(screen.getByRole('button', { name: 'a 0' })).toBeTruthy()
  })

  test('that did not come is asked for again', async () => {
    let tries = 0
    const part = later<{ name: string }>(() => {
      tries += 1
      return tries === 1 ? Promise.reject(new Error('away')) : Promise.resolve(Counter)
    })
    part.fetch()
    await act(async () => {})
    render(shown(part.Part, 'a'))
    expect(await screen.findByRole('button', { name: 'a 0' })).toBeTruthy()
    expect(tries).toBe(2)
  })
})
