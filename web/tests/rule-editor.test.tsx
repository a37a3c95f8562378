// @vitest-environment happy-dom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import i18next from 'i18next'
import { initReactI18next } from 'react-i18next'
import { MemoryRouter } from 'react-router'
import { afterEach, beforeAll, describe, expect, test, vi } from 'vitest'
import type { MailRuleShape } from '@pendro/contract'
import { emptyDraft } from '../src/areas/mail-rules/draft.ts'
import { RuleEditor } from '../src/areas/mail-rules/rule-editor.tsx'
import { en } from '../src/wording/en.ts'
import { enMailRules } from '../src/wording/en-mail-rules.ts'

beforeAll(async () => {
  await i18next
    .use(initReactI18next)
    .init({ lng: 'en', resources: { en: { translation: { ...en, mailRules: enMailRules } } } })
  // What a change would come to is asked, and here never answered.
  vi.stubGlobal('fetch', () => new Promise(() => undefined))
})
afterEach(cleanup)

const rule = (name: string, version: number): MailRuleShape => ({
  id: 7,
  name,
  needs: 'all',
  conditions: [{ field: 'subject', test: 'contains', values: ['proof'] }],
  action: { ...emptyDraft.action, place: { kind: 'folder', folder: 'Print' } },
  on: true,
  madeAt: '2026-11-20T09:00:00.000Z',
  version,
})

/** The editor of a rule, and how it is shown when the rule is another. */
function open(first: MailRuleShape) {
  const client = new QueryClient()
  const shown = (one: MailRuleShape) => (
    <QueryClientProvider client={client}>
      <MemoryRouter>
        <RuleEditor owner={3} rule={one} start={emptyDraft} folders={[]} may onDone={() => undefined} />
      </MemoryRouter>
    </QueryClientProvider>
  )
  const { rerender } = render(shown(first))
  return (next: MailRuleShape) => rerender(shown(next))
}
const name = () => screen.getByLabelText<HTMLInputElement>('Name')

describe('somebody else changes the rule that is open', () => {
  test('nothing written yet: the screen follows', () => {
    const change = open(rule('first', 1))
    change(rule('theirs', 2))
    expect(name().value).toBe('theirs')
    expect(screen.queryByRole('alert')).toBeNull()
  })

  test('while one writes: one’s words stay, theirs are shown, and can be taken', () => {
    const change = open(rule('first', 1))
    fireEvent.change(name(), { target: { value: 'mine' } })
    change({ ...rule('theirs', 2), conditions: [{ field: 'subject', test: 'contains', values: ['draft'] }] })
    expect(name().value).toBe('mine')
    expect(screen.getByRole('alert').textContent).toContain(
      'When the subject contains “draft”: file it in Print.',
    )
    fireEvent.click(screen.getByRole('button', { name: 'Drop mine and take theirs' }))
    expect(name().value).toBe('theirs')
    expect(screen.queryByRole('alert')).toBeNull()
  })

  test('one’s own change, saved and read again, is nobody else’s', () => {
    const change = open(rule('first', 1))
    fireEvent.change(name(), { target: { value: 'mine' } })
    change(rule('mine', 2))
    expect(screen.queryByRole('alert')).toBeNull()
    fireEvent.change(name(), { target: { value: 'mine again' } })
    expect(screen.queryByRole('alert')).toBeNull()
  })
})
