import type { TFunction } from 'i18next'
import type { RecordLine } from '@pendro/contract'
import { problemWords } from '../../parts/hand-over.ts'
import { dateFormat, listFormat } from '../../app/formats.ts'

interface Say {
  readonly t: TFunction
  readonly language: string
  /** '6 December' */
  readonly day: (iso: string) => string
}

/** The whole act in one sentence: what was done, what was learned, what became of the sender. */
export function sentenceOf({ act, facts, mailboxName }: RecordLine, say: Say): string {
  const { t } = say
  if (act !== 'ruling')
    return t(`record.act.${formOf(act, facts)}`, {
      ...inWords(facts, say),
      name: mailboxName || t('record.organisation'),
      // Names of folders are nobody's codes.
      ...(act === 'mailbox-unfetched' ? { now: facts.now || t('record.changed.noFolder') } : {}),
      // Names and lines of people are nobody's codes.
      ...(act === 'organisation-setting' ? { was: facts.was || '–', now: facts.now || '–' } : {}),
      ...(isOfDepartments(act, facts)
        ? {
            was: facts.was || t('record.changed.allDepartments'),
            now: facts.now || t('record.changed.allDepartments'),
          }
        : {}),
      ...(act === 'factor-added' || act === 'factor-removed'
        ? { factor: [t(`record.factor.${facts.kind}`), facts.name].filter(Boolean).join(', ') }
        : {}),
      ...(act === 'directory-failed' ? { problem: t(`record.directory.${facts.problem}`) } : {}),
      ...(act === 'organisation-weights' ? { now: weightsInWords(String(facts.now), t) } : {}),
    })
  const count = Number(facts.deliveries)
  const to =
    mailboxName === ''
      ? t('record.toColleagues', { count: Number(facts.colleagues) })
      : t('record.toName', { name: mailboxName })
  const parts = [
    t(`record.message.${facts.message}`, { count, subject: facts.subject, from: facts.from, to }),
  ]
  if (facts.learn !== 'nothing') parts.push(t(`record.learn.${facts.learn}`))
  if (facts.sender !== 'as-is') {
    const whom = facts.for === 'everyone' ? t('record.forEveryone') : to
    parts.push(t(`record.sender.${facts.sender}`, { patterns: facts.patterns, whom }))
    if (facts.until) parts.push(t('record.until', { day: say.day(String(facts.until)) }))
  }
  if (facts.place === 'inbox') parts.push(t('record.inboxRule'))
  if (Number(facts.ended) > 0) parts.push(t('record.ended', { count: Number(facts.ended) }))
  return parts.join(', ')
}

const isOfDepartments = (act: string, { what }: RecordLine['facts']) =>
  act === 'staffer-changed' && what === 'departments'

/** Acts that need another sentence by what their facts say. */
const forms: Readonly<Record<string, (facts: RecordLine['facts'], act: string) => string>> = {
  'kept-until': ({ until }, act) => (until === '' ? 'kept-no-longer' : act),
  undo: ({ deliveries }, act) => (Number(deliveries) > 0 ? act : 'undo-lists'),
  'staffer-changed': (facts, act) => (isOfDepartments(act, facts) ? 'staffer-changed-departments' : act),
  'staffer-joined': ({ by }, act) => (by === undefined ? act : `${act}-${by}`),
  'signed-in': ({ with: by }, act) =>
    by === 'password' || by === 'own-page' || by === undefined ? act : `${act}-${by}`,
  'mailbox-closed': ({ to }, act) => (to === '' ? act : 'mailbox-closed-to'),
  'sign-in-failed': ({ signIn, why }, act) =>
    signIn === '' ? `${act}-nobody` : why === 'password' ? act : `${act}-${why}`,
  // Entries of before tell the times only.
  'digest-schedule': ({ schedule, times }, act) => `${act}-${schedule ?? (times ? 'chosen' : 'changed')}`,
}
const formOf = (act: string, facts: RecordLine['facts']): string =>
  (Object.hasOwn(forms, act) ? forms[act]?.(facts, act) : undefined) ?? act

/** A value of a mailbox as the record keeps it, in words: '40 40 80', 'on', days away, or the organisation's. */
function changedValue(value: string, t: TFunction): string {
  if (value === '') return t('record.changed.nobodyAway')
  if (/^[a-z-]+$/.test(value)) return t(`record.changed.${value}`)
  if (!value.includes('/')) return value.split(' ').join(' / ')
  return value
    .split(', ')
    .map(period => {
      const [from = '', back = ''] = period.split('/')
      return t('record.changed.period', { from, back })
    })
    .join(', ')
}

/** 'bulk -0.3, link-file-host 0.2' with the names of the evidence; 'shipped' where none differs. */
function weightsInWords(value: string, t: TFunction): string {
  if (value === 'shipped') return t('record.changed.shipped')
  return value
    .split(', ')
    .map(one => {
      const [finding = '', weight = '0'] = one.split(' ')
      const name = t(`calibration.finding.${finding}`, { defaultValue: finding })
      return `${name} ${Number(weight) < 0 ? '−' : '+'}${Math.abs(Number(weight)).toFixed(2)}`
    })
    .join(', ')
}

/** Facts that are codes, in words. */
function inWords(facts: RecordLine['facts'], { t, language }: Say): Record<string, string | number> {
  const list = (parts: readonly string[]) => listFormat(language, 'conjunction').format(parts)
  const codes = (text: string | number | undefined) =>
    String(text ?? '')
      .split(', ')
      .filter(code => code !== '')
  const said: Record<string, string | number> = { ...facts }
  if (facts.deliveries !== undefined) said.count = Number(facts.deliveries)
  if (facts.standing !== undefined) said.standing = t(`standing.${facts.standing}`)
  if (facts.state !== undefined) said.state = t(`whereabouts.enquiries.state.${facts.state}`)
  if (facts.how !== undefined) said.how = t(`whereabouts.enquiries.howOptions.${facts.how}`)
  if (facts.format !== undefined) said.format = t(`record.format.${facts.format}`)
  if (facts.problem !== undefined) said.problem = problemWords(String(facts.problem), t)
  if (facts.forbidden !== undefined)
    said.forbidden =
      list(codes(facts.forbidden).map(kind => t(`forbidden.kind.${kind}`))) || t('record.nothingForbidden')
  if (facts.was !== undefined) said.was = changedValue(String(facts.was), t)
  if (facts.now !== undefined) said.now = changedValue(String(facts.now), t)
  if (facts.what !== undefined) said.what = t(`record.changed.what.${facts.what}`)
  if (facts.days !== undefined) {
    const weekday = dateFormat(language, { weekday: 'short', timeZone: 'UTC' })
    // 5 January 1970 was a Monday, ISO weekday 1.
    said.days = list(codes(facts.days).map(day => weekday.format(Date.UTC(1970, 0, 4 + Number(day)))))
    said.times = list(codes(facts.times))
  }
  return said
}
