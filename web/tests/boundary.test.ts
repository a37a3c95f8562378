import { describe, expect, test } from 'vitest'
import { Boundary } from '../src/parts/boundary.tsx'

const failed = (of: string, error: unknown) => ({ ...Boundary.getDerivedStateFromError(error), of }) as never

describe('what goes wrong in a panel stays in it', () => {
  test('until something else is shown', () => {
    const state = failed('entry 1', new Error('no such thing'))
    // The same panel keeps what went wrong; another one starts anew.
    expect(Boundary.getDerivedStateFromProps({ of: 'entry 1', children: null }, state)).toBe(null)
    const next = Boundary.getDerivedStateFromProps({ of: 'entry 2', children: null }, state)
    expect(next?.of).toBe('entry 2')
    expect(next?.error).not.toBeInstanceOf(Error)
  })

  test('even when what was thrown is nothing', () => {
    expect(Boundary.getDerivedStateFromError(undefined)).toEqual({ error: undefined })
  })
})
