import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { mailRuleDraft, ownRulesChange, type MailRuleDraft } from '@pendro/contract'
import {
  draftOf,
  emptyForm,
  formOf,
  ownFields,
  ownTests,
  ownThens,
  type OwnRuleForm,
} from '../src/areas/own/own-rule-form.ts'

const whole: OwnRuleForm = { ...emptyForm, values: 'desk@printer.example', folder: 'Print' }

describe('a rule made on a phone', () => {
  test('is one the server takes, and the form reads it back as it was: a property', () => {
    const form = fc.record({
      field: fc.constantFrom(...ownFields),
      test: fc.constantFrom(...ownTests),
      values: fc
        .uniqueArray(fc.stringMatching(/^[a-zø@.-]{1,20}$/), { minLength: 1, maxLength: 5 })
        .map(values => values.join('\n')),
      then: fc.constantFrom(...ownThens),
      folder: fc.stringMatching(/^[A-Za-z]{1,10}(\/[a-z]{1,5})?$/),
    })
    fc.assert(
      fc.property(form, given => {
        const draft = draftOf(given)
        expect(mailRuleDraft.safeParse(draft).success).toBe(true)
        expect(ownRulesChange.safeParse({ act: 'add', draft }).success).toBe(true)
        const folder = given.then === 'folder' ? given.folder : ''
        expect(draft && formOf(draft)).toEqual({ ...given, folder })
      }),
    )
  })

  test.each<[string, Partial<OwnRuleForm>]>([
    ['no text', { values: '' }],
    ['lines of blanks', { values: ' \n  ' }],
    ['no folder', { folder: ' ' }],
  ])('waits for what is missing: %s', (_, part) => {
    expect(draftOf({ ...whole, ...part })).toBeNull()
  })

  test('a text that stands twice is asked once, blanks around it and empty lines are none', () => {
    expect(draftOf({ ...whole, values: ' a@b.example\n\na@b.example \nc@d.example' })).toMatchObject({
      name: 'a@b.example, c@d.example',
      conditions: [{ values: ['a@b.example', 'c@d.example'] }],
    })
  })

  const says = (more: Partial<MailRuleDraft>): MailRuleDraft => ({
    name: 'One',
    needs: 'all',
    conditions: [{ field: 'from', test: 'is', values: ['a@b.example'] }],
    action: { hold: null, place: { kind: 'inbox' }, important: false, stop: false },
    ...more,
  })
  const action = (more: Partial<MailRuleDraft['action']>) => says({ action: { ...says({}).action, ...more } })

  test.each<[string, MailRuleDraft]>([
    ['two conditions', says({ conditions: [...says({}).conditions, ...says({}).conditions] })],
    ['a test it has no word for', says({ conditions: [{ field: 'from', test: 'matches', values: ['*'] }] })],
    ['another field', says({ conditions: [{ field: 'to', test: 'is', values: ['a@b.example'] }] })],
    ['a kind of attachment', says({ conditions: [{ field: 'kind', test: 'is', values: ['pdf'] }] })],
    ['a size', says({ conditions: [{ field: 'size', test: 'over', bytes: 5 }] })],
    ['a mark', action({ important: true })],
    ['an end', action({ stop: true })],
    ['letting in', action({ hold: 'let-in', place: null })],
    ['two answers', action({ hold: 'junk' })],
  ])('what says more than the form stays as it is: %s', (_, rule) => {
    expect(mailRuleDraft.safeParse(rule).success).toBe(true)
    expect(formOf(rule)).toBeNull()
  })
})
