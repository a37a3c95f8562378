// @vitest-environment happy-dom
import { act, cleanup, fireEvent, render, renderHook, screen, waitFor } from '@testing-library/react'
import i18next from 'i18next'
import { afterEach, beforeAll, describe, expect, test, vi } from 'vitest'
import { initReactI18next } from 'react-i18next'
import { z } from 'zod'
import { askWhere, beginSetUp, chooseOwnPassword, signIn } from '@pendro/contract'
import { issueText, useContractForm } from '../src/app/use-contract-form.ts'
import { Field } from '../src/parts/field.tsx'
import { en } from '../src/wording/en.ts'

beforeAll(() => i18next.use(initReactI18next).init({ lng: 'en', resources: { en: { translation: en } } }))
afterEach(cleanup)

/** What is said of each field of a body. */
function problemsOf(schema: z.ZodType, value: unknown): Record<string, string> {
  const read = schema.safeParse(value, { error: issue => issueText(issue, i18next.t) })
  return Object.fromEntries((read.error?.issues ?? []).map(({ path, message }) => [path.join('.'), message]))
}

describe('what is wrong with a field is said in the words of the screen', () => {
  test.each([
    [
      'nothing typed',
      signIn.body,
      { signIn: '', password: '' },
      { signIn: 'This is needed.', password: 'This is needed.' },
    ],
    ['only blanks', signIn.body, { signIn: '   ', password: 'x' }, { signIn: 'This is needed.' }],
    ['left out', signIn.body, { password: 'x' }, { signIn: 'This is needed.' }],
    ['too short', chooseOwnPassword.body, { password: 'gull' }, { password: 'Use at least 10 characters.' }],
    ['too long', askWhere.body, { from: 'a'.repeat(401) }, { from: 'Use at most 400 characters.' }],
    ['no address', z.object({ a: z.email() }), { a: 'anna' }, { a: 'This is not an email address.' }],
    [
      'something else',
      z.object({ a: z.enum(['x']) }),
      { a: 'y' },
      { a: 'This can’t be used here. Please check it.' },
    ],
    ['all in order', askWhere.body, { from: 'Anna' }, {}],
  ])('%s', (_what, schema, value, said) => {
    expect(problemsOf(schema, value)).toEqual(said)
  })

  test('a first set-up names every field that is missing', () => {
    expect(Object.keys(problemsOf(beginSetUp.body, { trustedHosts: '', gateways: '' })).sort()).toEqual([
      'mailboxes',
      'name',
      'organisation',
      'ownDomains',
      'password',
      'signIn',
      'timeZone',
    ])
  })
})

describe('a form over the body of a request', () => {
  test('sends what the contract makes of what was typed, and nothing while it is wrong', async () => {
    const { result } = renderHook(() => useContractForm(askWhere.body, { from: '', about: '', when: '' }))
    const sent = vi.fn()
    // Errors are told to whoever asks for them.
    expect(result.current.formState.errors).toEqual({})
    await act(() => result.current.handleSubmit(sent)())
    expect(sent).not.toHaveBeenCalled()
    await waitFor(() => expect(result.current.formState.errors.from?.message).toBe('This is needed.'))
    act(() => result.current.setValue('from', '  Anna  '))
    await act(() => result.current.handleSubmit(sent)())
    expect(sent.mock.calls[0]?.[0]).toEqual({ from: 'Anna', about: '', when: '' })
  })
})

describe('a field', () => {
  test('belongs to its label, its help and its problem', () => {
    render(
      <Field label="Name" help="As colleagues know it." problem="This is needed.">
        {input => <input {...input} />}
      </Field>,
    )
    const input = screen.getByLabelText('Name')
    expect(input.getAttribute('aria-invalid')).toBe('true')
    const described = (input.getAttribute('aria-describedby') ?? '').split(' ')
    expect(described.map(id => document.getElementById(id)?.textContent)).toEqual([
      'As colleagues know it.',
      'This is needed.',
    ])
    expect(screen.getByRole('alert').textContent).toBe('This is needed.')
  })

  test('without a problem says none', () => {
    render(<Field label="Name">{input => <input {...input} />}</Field>)
    const input = screen.getByLabelText('Name')
    expect(input.getAttribute('aria-invalid')).toBeNull()
    expect(input.getAttribute('aria-describedby')).toBeNull()
    expect(screen.queryByRole('alert')).toBeNull()
    fireEvent.change(input, { target: { value: 'x' } })
    expect((input as HTMLInputElement).value).toBe('x')
  })
})
