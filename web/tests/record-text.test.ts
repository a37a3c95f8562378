import i18next from 'i18next'
import { beforeAll, describe, expect, test } from 'vitest'
import type { RecordLine } from '@pendro/contract'
import { sentenceOf } from '../src/areas/record/record-text.ts'
import { en } from '../src/wording/en.ts'
import { enRecord } from '../src/wording/en-record.ts'

beforeAll(() => i18next.init({ lng: 'en', resources: { en: { translation: { ...en, record: enRecord } } } }))

const said = (act: string, facts: RecordLine['facts'], mailboxName = '') =>
  sentenceOf({ act, facts, mailboxName } as RecordLine, {
    t: i18next.t,
    language: 'en',
    day: iso => iso.slice(0, 10),
  })

/** Sentences that depend on what the facts say; a missing one would show its key. */
describe('a line of the record says what was done', () => {
  test.each([
    ['signed-in', { with: 'password' }, 'Signed in'],
    ['signed-in', { with: 'own-page' }, 'Signed in'],
    ['signed-in', { with: 'passkey' }, 'Signed in with a passkey'],
    ['signed-in', { with: 'password-recovery' }, 'Signed in with password and a recovery code'],
    ['signed-in', { with: 'identity' }, 'Signed in with the organisation’s account'],
    [
      'signed-in',
      { with: 'identity-factor' },
      'Signed in with the organisation’s account and a second factor there',
    ],
    ['signed-in', { with: 'identity-code' }, 'Signed in with the organisation’s account and a code'],
    [
      'sign-in-failed',
      { signIn: '', why: 'password' },
      'Somebody tried to sign in with a name that nobody has',
    ],
    [
      'sign-in-failed',
      { signIn: 'oda', why: 'password' },
      'Somebody tried to sign in as **oda** with a wrong password',
    ],
    [
      'sign-in-failed',
      { signIn: 'kim', why: 'identity' },
      'The organisation’s account of **kim** was not let in',
    ],
    [
      'staffer-joined',
      { staffer: 'Kim', role: 'observer', departments: '' },
      '**Kim** took up an invitation',
    ],
    [
      'staffer-joined',
      { staffer: 'Kim', role: 'observer', departments: '', by: 'identity' },
      '**Kim** came by the organisation’s account for the first time, as observer',
    ],
    ['kept-until', { until: '' }, /^(?!record\.)/],
    ['mailbox-closed', { to: '' }, /^(?!record\.)/],
    ['mailbox-closed', { to: 'Kari' }, /Kari/],
    ['undo', { deliveries: 0 }, /^(?!record\.)/],
    ['throttle-cleared', { account: 'per', kind: 'staff' }, 'Let **per** try to sign in again at once'],
    [
      'staffer-changed',
      { staffer: 'Kim', what: 'departments', was: '', now: 'Port' },
      /all departments.*Port/,
    ],
    ['directory-failed', { problem: 'no-ca' }, /^(?!.*record\.)/],
  ] as const)('%s %j', (act, facts, sentence) => {
    const text = said(act, facts as unknown as RecordLine['facts'])
    if (typeof sentence === 'string') expect(text).toBe(sentence)
    else expect(text).toMatch(sentence)
  })
})
