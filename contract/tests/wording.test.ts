import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from 'vitest'
import {
  changeStaffer,
  defaultsChange,
  deliveryState,
  enquiryHow,
  enquiryState,
  lookFor,
  mailboxChange,
  ownAct,
  readRecord,
  settingChange,
} from '@pendro/contract'
import { parsePattern } from '@pendro/core/senders'
import { endpoints } from '../src/all-endpoints.ts'
import { transitions } from '@pendro/core/delivery'
import { weights } from '@pendro/core/judgement'
import { de } from '../src/wording/de.ts'
import { en as said } from '../src/wording/en.ts'
import { enLetters } from '../src/wording/en-letters.ts'
import { enLists } from '../src/wording/en-lists.ts'
import { nb } from '../src/wording/nb.ts'
import { pl } from '../src/wording/pl.ts'
import { en as first } from '../../web/src/wording/en.ts'
import { own as ownDe } from '../../web/src/wording/own/de.ts'
import { own as ownEn } from '../../web/src/wording/own/en.ts'
import { own as ownNb } from '../../web/src/wording/own/nb.ts'
import { own as ownPl } from '../../web/src/wording/own/pl.ts'
import { enCalibration } from '../../web/src/wording/en-calibration.ts'
import { enOrganisation } from '../../web/src/wording/en-organisation.ts'
import { enLearning, enSteps } from '../../web/src/wording/en-steps.ts'
import { enStaffers } from '../../web/src/wording/en-staffers.ts'
import { enDoors } from '../../web/src/wording/en-doors.ts'
import { enAtStore } from '../../web/src/wording/en-at-store.ts'
import { enStores } from '../../web/src/wording/en-stores.ts'
import { enDirectory } from '../../web/src/wording/en-directory.ts'
import { enMe } from '../../web/src/wording/en-me.ts'
import { enDigests } from '../../web/src/wording/en-digests.ts'
import { enMailRules } from '../../web/src/wording/en-mail-rules.ts'
import { enMailboxes } from '../../web/src/wording/en-mailboxes.ts'
import { enRecord } from '../../web/src/wording/en-record.ts'
import { enWhereabouts } from '../../web/src/wording/en-whereabouts.ts'
import { enSenders } from '../../web/src/wording/en-senders.ts'
import { root } from '../../scripts/prepare.mjs'

const en = { ...said, ...enLetters }
const languages = { nb, de, pl }

const keysOf = (part: object, path = ''): string[] =>
  Object.entries(part).flatMap(([key, value]) =>
    typeof value === 'string' ? [`${path}${key}`] : keysOf(value as object, `${path}${key}.`),
  )

/** Says all that is wanted; what it adds are its own plural forms, and none of them is missing. */
function expectComplete(language: string, told: readonly string[], said: readonly string[]) {
  expect(told.filter(key => !said.includes(key))).toEqual([])
  const forms = new Intl.PluralRules(language).resolvedOptions().pluralCategories
  for (const key of said.filter(one => !told.includes(one)))
    expect(forms).toContain(key.slice(key.lastIndexOf('_') + 1))
  for (const key of said.filter(one => one.endsWith('_other')))
    for (const form of forms.filter(one => one !== 'other' && said.includes(key)))
      expect(said).toContain(key.replace(/_other$/, `_${form}`))
}

const facts = (text: string) => [...text.matchAll(/\{\{(\w+)\}\}/g)].map(([, name]) => name).sort()
const textAt = (texts: object, key: string) =>
  key.split('.').reduce<unknown>((part, name) => (part as Record<string, unknown>)[name], texts) as string

test.each(Object.entries({ nb: ownNb, de: ownDe, pl: ownPl }))(
  'colleagues’ own pages say all of it in %s, with the same facts in each text',
  (language, texts) => {
    const [told, said] = [keysOf(ownEn), keysOf(texts)]
    expectComplete(language, told, said)
    for (const key of told.filter(one => !/_(zero|one|few|many)$/.test(one)))
      expect([key, facts(textAt(texts, key))]).toEqual([key, facts(textAt(ownEn, key))])
  },
)

test.each(Object.entries(languages))(
  '%s says all that colleagues are told, and nothing twice',
  (language, texts) => {
    const {
      held,
      act,
      letter,
      digest,
      digestAnswer,
      enquiryLetter,
      welcome,
      code,
      standbyNotice,
      invitation,
      account,
      returned,
      trial,
    } = en
    const told = keysOf({
      held,
      act,
      letter,
      digest,
      digestAnswer,
      enquiryLetter,
      welcome,
      code,
      standbyNotice,
      invitation,
      account,
      returned,
      trial,
    })
    const said = keysOf(texts)
    expectComplete(language, told, said)
  },
)

const screens = {
  ...first,
  calibration: enCalibration,
  organisation: enOrganisation,
  doors: enDoors,
  stores: enStores,
  atStore: enAtStore,
  steps: enSteps,
  learning: enLearning,
  staffers: enStaffers,
  me: enMe,
  directory: enDirectory,
  digests: enDigests,
  mailboxes: enMailboxes,
  mailRules: enMailRules,
  record: { ...first.record, ...enRecord },
  senders: enSenders,
  whereabouts: enWhereabouts,
}

describe('a pattern that is none: what was typed, and what would do', () => {
  test.each([
    ['', /^This has no domain\. You can use an address \(anna@x\.example\)/],
    ['co.uk', /share “co\.uk”.*x\.co\.uk/],
    ['com', /share “com”/],
    ['192.0.2.1', /“192\.0\.2\.1” is an IP address/],
    ['anna@', /no domain/],
    ['an na@x.example', /before the @ is not valid: “an na”/],
    ['a.*.example', /only stand at the start.*“a\.\*\.example”/],
    ['<nodots>', /“<?nodots>?” is not a mailing list ID/],
    ['ex ample.example', /“ex ample\.example” is not a domain/],
  ])('%j', (typed, want) => {
    const parsed = parsePattern(typed)
    if (parsed.ok) throw new Error(`${typed} was taken`)
    const { code, ...facts } = parsed.problem
    const text = Object.entries(facts).reduce(
      (all, [name, value]) => all.replaceAll(`{{${name}}}`, String(value)),
      enLists.pattern[code] as string,
    )
    expect(text).toMatch(want)
    expect(text).not.toContain('{{')
  })
})

test('colleagues read every problem of their own pages in their language', () => {
  const general = [
    'BAD_REQUEST',
    'SIGN_IN_FIRST',
    'CSRF',
    'NOT_FOUND',
    'TOO_LARGE',
    'DATABASE_AWAY',
    'BUSY',
    'INTERNAL',
  ]
  const own = Object.values(endpoints).filter(({ path }) => path.startsWith('/api/own/'))
  expect(own.length).toBeGreaterThan(10)
  const codes = new Set([...general, 'OFFLINE', ...own.flatMap(({ problems: codes }) => codes)])
  expect([...codes].filter(code => !(code in ownEn.own.problem))).toEqual([])
})

const hasKey = (texts: object, key: string): boolean => {
  const found = key
    .split('.')
    .reduce<unknown>(
      (part, name) =>
        typeof part === 'object' && part !== null ? (part as Record<string, unknown>)[name] : undefined,
      texts,
    )
  return found !== undefined
}
/** i18next finds 'a.b' also under its plural forms. */
const isWorded = (texts: object, key: string) =>
  ['', '_one', '_other'].some(form => hasKey(texts, key + form))

test('every finding has its sentence, and a reason for digests where it leans to junk', () => {
  const findings = Object.keys(weights)
  expect(findings.filter(finding => !isWorded(en.evidence, finding))).toEqual([])
  // In tables they have short names.
  expect(findings.filter(one => one !== 'starting-point' && !isWorded(enCalibration.finding, one))).toEqual(
    [],
  )
  const junkward = Object.entries(weights)
    .filter(([finding, weight]) => weight > 0 && finding !== 'starting-point')
    .map(([finding]) => finding)
  expect(
    junkward.filter(finding => !isWorded(en.held, finding) || !isWorded(en.circumstance, finding)),
  ).toEqual([])
})

test('every text the screens ask for by a fixed key exists', () => {
  const folder = join(root, 'web/src')
  const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter(
    name => /\.tsx?$/.test(name) && !name.startsWith('wording'),
  )
  const keys = files.flatMap(name =>
    [...readFileSync(join(folder, name), 'utf8').matchAll(/\bt\(\s*'([\w.-]+)'/g)].map(
      ([, key]) => key ?? '',
    ),
  )
  expect(keys.length).toBeGreaterThan(80)
  const all = { ...en, ...screens, ...enLists, own: ownEn.own }
  expect([...new Set(keys)].filter(key => !isWorded(all, key))).toEqual([])
})

/** The kinds of a change. */
const kindsOf = ({
  options,
}: {
  readonly options: readonly { readonly shape: { readonly what: { readonly value: string } } }[]
}) => options.map(({ shape }) => shape.what.value)

/** What a screen words by a value of the contract: each of its values has words. */
test.each([
  ['record.what', readRecord.query.shape.what.def.innerType.options],
  ['record.who', readRecord.query.shape.who.def.innerType.options],
  ['state', deliveryState.options],
  // Wherever a message can stand, its journey has a word for it.
  ['whereabouts.stop', deliveryState.options],
  ['whereabouts.enquiries.state', enquiryState.options],
  ['whereabouts.enquiries.howOptions', enquiryHow.options],
  ['whereabouts.label', lookFor.response.shape.hits.element.shape.label.options],
  ['whereabouts.problem', lookFor.response.shape.problem.options.filter(one => one !== '')],
  ['act', ownAct.options],
  ['record.changed.what', [settingChange, defaultsChange, mailboxChange].flatMap(kindsOf)],
  ['record.changed.what', kindsOf(changeStaffer.body.shape.change)],
  ['organisation', kindsOf(settingChange).map(what => `${what}.title`)],
  ['organisation', kindsOf(settingChange).map(what => `${what}.text`)],
  ['account.state', deliveryState.options],
] as const)('%s has words for each value there can be', (path, values) => {
  const all = { ...en, ...screens }
  expect(values.filter(value => !isWorded(all, `${path}.${value}`))).toEqual([])
})

test('every act that the server writes into the record is worded', () => {
  const folder = join(root, 'server/src')
  const acts = readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter(name => name.endsWith('.ts'))
    .flatMap(name => [
      ...readFileSync(join(folder, name), 'utf8').matchAll(/\bact: (?:\w+ \? '([\w-]+)' : )?'([\w-]+)'/g),
    ])
    .flatMap(([, one, other]) => [one, other])
    // Worded by its facts: with which messages, which schedule.
    .filter(act => act !== undefined && act !== 'ruling' && act !== 'digest-schedule')
    // Acts of deliveries, which are not of the record.
    .filter(act => !Object.hasOwn(transitions, act ?? ''))
  expect(acts.length).toBeGreaterThan(25)
  expect([...new Set(acts)].filter(act => !isWorded(screens, `record.act.${act}`))).toEqual([])
})
