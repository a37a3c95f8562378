import i18next from 'i18next'
import { beforeAll, describe, expect, test } from 'vitest'
import type { RuleConditionShape } from '@pendro/contract'
import {
  draftOf,
  emptyDraft,
  finished,
  isSame,
  testsOf,
  withCondition,
  withField,
  withValues,
  type Draft,
} from '../src/areas/mail-rules/draft.ts'
import { ruleSentence, sizeText } from '../src/parts/rule-sentence.ts'
import { enMailRules } from '../src/wording/en-mail-rules.ts'

beforeAll(async () => {
  await i18next.init({
    lng: 'en',
    interpolation: { escapeValue: false },
    resources: { en: { translation: { mailRules: enMailRules } } },
  })
})

const subject = (...values: string[]): RuleConditionShape => ({ field: 'subject', test: 'contains', values })
const draft = (more: Partial<Draft> = {}): Draft => ({
  ...emptyDraft,
  conditions: [subject('proof')],
  action: { ...emptyDraft.action, place: { kind: 'folder', folder: 'Print' } },
  ...more,
})
const action = (more: Partial<Draft['action']>) => ({
  action: { ...emptyDraft.action, place: null, ...more },
})

describe('a rule as a sentence', () => {
  test.each([
    [draft(), 'When the subject contains “proof”: file it in Print.'],
    [
      draft({
        conditions: [subject('proof', 'draft'), { field: 'from', test: 'is', values: ['a@x.example'] }],
      }),
      'When the subject contains “proof” or “draft” and the sender is “a@x.example”: file it in Print.',
    ],
    [
      draft({ needs: 'any', conditions: [subject('a'), { field: 'size', test: 'over', bytes: 2_500_000 }] }),
      'When the subject contains “a” or it is larger than 2.5 MB: file it in Print.',
    ],
    [
      draft({
        conditions: [{ field: 'kind', test: 'is', values: ['pdf', 'archive'] }],
        ...action({ hold: 'junk' }),
      }),
      'When an attachment is a PDF or an archive: put it in the junk folder.',
    ],
    [
      draft({ conditions: [subject('a', 'b', 'c', 'd', 'e')], ...action({ important: true, stop: true }) }),
      'When the subject contains “a”, “b”, “c” or 2 more: mark it as important and ask no rule below.',
    ],
    [
      draft(action({ hold: 'let-in', place: { kind: 'inbox' } })),
      'When the subject contains “proof”: let it in, whatever its score and put it in the inbox.',
    ],
  ])('%#: %2$s', (rule, want) => expect(ruleSentence(rule, i18next.t, 'en-GB')).toBe(want))

  test.each([
    [1000, '1 kB'],
    [1500, '1.5 kB'],
    [999_000, '999 kB'],
    [1_000_000, '1 MB'],
    [10_000_000, '10 MB'],
  ])('%d bytes are %s', (bytes, want) => expect(sizeText(bytes, 'en-GB')).toBe(want))
})

describe('a rule while it is written', () => {
  test('is finished when each condition has a value and there is something to do', () => {
    expect(finished(emptyDraft)).toBeNull()
    expect(finished(draft({ conditions: [subject()] }))).toBeNull()
    expect(finished(draft({ conditions: [] }))).toBeNull()
    expect(finished(draft(action({})))).toBeNull()
    expect(finished(draft(action({ stop: true })))).toBeNull()
    expect(finished(draft(action({ place: { kind: 'folder', folder: ' ' } })))).toBeNull()
    expect(finished(draft(action({ important: true })))).not.toBeNull()
  })
  test('is called by its first value until it has a name', () => {
    expect(finished(draft())?.name).toBe('proof')
    expect(finished(draft({ name: ' Proofs ' }))?.name).toBe('Proofs')
    expect(finished(draft({ conditions: [{ field: 'size', test: 'over', bytes: 1 }] }))?.name).toBe('–')
  })

  test.each([
    [['a'], 'b', ['a', 'b']],
    [['a'], ' A ', ['a']],
    [[], 'one\r\n\ntwo\nOne', ['one', 'two']],
    [['a'], '   ', ['a']],
    [[], 'x'.repeat(300), ['x'.repeat(200)]],
  ])('values %j and %j typed: %j', (values, typed, want) => expect(withValues(values, typed)).toEqual(want))

  test('another field keeps what can be kept', () => {
    const written: RuleConditionShape = { field: 'subject', test: 'begins', values: ['a'] }
    expect(withField(written, 'from')).toEqual({ field: 'from', test: 'begins', values: ['a'] })
    const kind = withField(written, 'kind')
    expect(kind).toEqual({ field: 'kind', test: 'is', values: [] })
    expect(withField(kind, 'to')).toEqual({ field: 'to', test: 'contains', values: [] })
    const size = withField(written, 'size')
    expect([size.field, testsOf(size)]).toEqual(['size', ['over', 'under']])
    expect(withField(written, 'subject')).toBe(written)
  })

  test('conditions are changed and taken out by their place', () => {
    const two = draft({ conditions: [subject('a'), subject('b')] })
    expect(withCondition(two, 1, null).conditions).toEqual([subject('a')])
    expect(withCondition(two, 0, subject('c')).conditions).toEqual([subject('c'), subject('b')])
  })

  test('a stored rule is the same until something of it is changed', () => {
    const stored = {
      ...draft({ name: 'x' }),
      id: 1,
      on: true,
      madeAt: '2026-11-20T09:00:00.000Z',
      version: 3,
    }
    expect(isSame(draftOf(stored), draft({ name: 'x' }))).toBe(true)
    expect(isSame(draftOf(stored), draft({ name: 'y' }))).toBe(false)
  })
})
