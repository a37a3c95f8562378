import { beforeEach, expect, test } from 'vitest'
import type { EntryRowShape } from '@pendro/contract'
import { useDraft, wantedChange } from '../src/areas/senders/draft-store.ts'

const row = (part: Partial<EntryRowShape> = {}) =>
  ({
    id: 7,
    patternText: 'x.example',
    standing: 'blocked',
    mailboxId: 3,
    binding: false,
    withoutAuthentication: false,
    until: null,
    ...part,
  }) as EntryRowShape

const first = useDraft.getState()
beforeEach(() => useDraft.setState(first, true))
const now = () => useDraft.getState()

test('changing an entry begins with what it says, and asks for the one that takes its place', () => {
  now().begin({ kind: 'change', of: row() })
  expect(now().draft).toMatchObject({
    pattern: 'x.example',
    standing: 'blocked',
    mailboxId: 3,
    binding: false,
  })
  now().write({ pattern: '*.x.example' })
  const { act, draft } = now()
  expect(act && wantedChange(act, draft)).toEqual({
    add: [expect.objectContaining({ pattern: '*.x.example', replaces: 7 })],
  })
})

test('the last day of an entry is the day before it ends', () => {
  const midnight = new Date(2026, 10, 28).toISOString()
  now().begin({ kind: 'change', of: row({ until: midnight }) })
  expect(now().draft.until).toBe('2026-11-27')
})

test('what binds by default follows whose it is, until somebody says otherwise', () => {
  now().begin({ kind: 'change', of: row({ binding: true }) })
  now().write({ mailboxId: null })
  expect(now().draft.binding).toBeUndefined()
  now().write({ binding: false })
  now().write({ pattern: 'y.example' })
  expect(now().draft.binding).toBe(false)
  now().write({ standing: 'safe', binding: true })
  expect(now().draft.binding).toBe(true)
})

test('nothing is asked about while there is no sender, or nobody chosen whose entry it is', () => {
  const draft = now().draft
  expect(wantedChange({ kind: 'add' }, draft)).toBeNull()
  expect(wantedChange({ kind: 'add' }, { ...draft, pattern: '   ' })).toBeNull()
  expect(wantedChange({ kind: 'add' }, { ...draft, pattern: 'x.example', mailboxId: 0 })).toBeNull()
  expect(wantedChange({ kind: 'add' }, { ...draft, pattern: 'x.example' })).toEqual({
    add: [{ ...draft, pattern: 'x.example' }],
  })
  expect(wantedChange({ kind: 'restore', of: row() }, { ...draft, pattern: 'x.example' })).toEqual({
    add: [{ ...draft, pattern: 'x.example', restores: 7 }],
  })
  expect(wantedChange({ kind: 'end', entries: [row(), row({ id: 9 })] }, draft)).toEqual({ end: [7, 9] })
})

test('marks are set and taken off one by one, and are gone when the act is done', () => {
  now().mark(row(), true)
  now().mark(row({ id: 8 }), true)
  now().mark(row(), false)
  expect([...now().marks.keys()]).toEqual([8])
  now().because('tidying')
  now().applied(41)
  expect(now()).toMatchObject({ act: null, reason: '', lastRuling: 41 })
  expect(now().marks.size).toBe(0)
})

test('leaving without a change keeps the marks and forgets the reason', () => {
  now().begin({ kind: 'add' }, { pattern: 'z.example' })
  now().mark(row(), true)
  now().because('because')
  now().cancel()
  expect(now()).toMatchObject({ act: null, reason: '' })
  expect(now().marks.size).toBe(1)
  now().begin({ kind: 'add' })
  expect(now().draft.pattern).toBe('')
})
