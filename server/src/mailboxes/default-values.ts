import type { DefaultsChange, SettingChange, SettingName } from '@pendro/contract'
import { areLimits } from '@pendro/core/limits'
import { weightBounds, weights } from '@pendro/core/weights'
import type { OrganisationSettings, Weighting } from '../db/models/shapes.ts'
import type { Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { shippedWeighting } from '../judging/weights.ts'
import { told } from './change.ts'
import { settingIn, settingNames, storedSetting, toldSetting } from './setting-values.ts'
import { isAlike } from './settings.ts'

/** A change of what counts for the whole organisation. */
export type WholeChange = DefaultsChange | SettingChange
type What = WholeChange['what']

/** Which of the defaults a change is about; a department where it is about one. */
export interface Target {
  readonly what: What
  readonly department: string | null
}

/** What is noted of a change for its undo; the record calls it the same, but for settings. */
const acts = {
  limits: 'organisation-limits',
  keeping: 'organisation-keeping',
  'header-days': 'organisation-header-days',
  weights: 'organisation-weights',
  watching: 'organisation-watching',
  'department-limits': 'department-limits',
  'department-watching': 'department-watching',
  name: 'setting-name',
  'own-domains': 'setting-own-domains',
  gateways: 'setting-gateways',
  stores: 'setting-stores',
  providers: 'setting-providers',
  forbidden: 'setting-forbidden',
  'digest-times': 'setting-digest-times',
  addresses: 'setting-addresses',
  peers: 'setting-peers',
  outgoing: 'setting-outgoing',
  routes: 'setting-routes',
  standby: 'setting-standby',
  moves: 'setting-moves',
  'reaching-out': 'setting-reaching-out',
  'second-factor': 'setting-second-factor',
  'identity-provider': 'setting-identity-provider',
  'own-pages': 'setting-own-pages',
  letters: 'setting-letters',
  directory: 'setting-directory',
} as const satisfies Record<What, string>

/** A name of {@link acts}. */
type DefaultsAct = (typeof acts)[What]

/** What a change is about. */
export const targetOf = (change: WholeChange): Target => ({
  what: change.what,
  department: 'department' in change ? change.department : null,
})

/** What is noted of it. */
export const actOf = ({ what }: Target): DefaultsAct => acts[what]

/** The setting it is about; `null` for limits, days, weights and watching. */
export const settingOf = ({ what }: Target): SettingName | null =>
  settingNames.find(name => name === what) ?? null

/** What a noted change was about; `null` where it was none of the defaults. */
export function targetNoted(act: string, department: string | undefined): Target | null {
  const what = (Object.keys(acts) as What[]).find(one => acts[one] === act)
  return what === undefined ? null : { what, department: department ?? null }
}

/** Whether a noted change is one of the defaults, and no mailbox's own. */
export const isOfDefaults = (act: string): boolean => targetNoted(act, undefined) !== null

const fieldOf = { limits: 'limits', keeping: 'keep', 'header-days': 'headerDays' } as const

/** The value as it stands. */
export function valueIn(organisation: Organisation, target: Target): unknown {
  const { what, department } = target
  switch (what) {
    case 'limits':
    case 'keeping':
    case 'header-days':
      return organisation[fieldOf[what]]
    case 'weights':
      return organisation.weights ?? shippedWeighting
    case 'watching':
      return organisation.watching ?? false
    case 'department-limits':
      return ofDepartment(organisation, department).limits ?? null
    case 'department-watching':
      return ofDepartment(organisation, department).watching ?? null
    default:
      return settingIn(organisation, what)
  }
}

/** The fields of the settings that have to be written, and what into them. */
export function fieldsWith(
  settings: OrganisationSettings,
  { what, department }: Target,
  value: unknown,
): Partial<Record<keyof OrganisationSettings, unknown>> {
  switch (what) {
    case 'limits':
    case 'keeping':
    case 'header-days':
      return { [fieldOf[what]]: value }
    case 'weights':
    case 'watching':
      return { [what]: value }
    case 'department-limits':
      return departmentsWith(settings, department, { limits: value ?? undefined })
    case 'department-watching':
      return departmentsWith(settings, department, { watching: value ?? undefined })
    default:
      return storedSetting(settings, { what, to: value as SettingChange['to'] })
  }
}

function departmentsWith(
  settings: OrganisationSettings,
  department: string | null,
  part: Readonly<Record<string, unknown>>,
): { readonly departments: unknown } {
  const others = Object.entries(settings.departments ?? {}).filter(([name]) => name !== department)
  const own = { ...ofDepartment(settings, department), ...part }
  const isEmpty = Object.values(own).every(value => value === undefined)
  // Named by people: built from pairs, so that no name is anything but a name.
  return { departments: Object.fromEntries(isEmpty ? others : [...others, [department ?? '', own]]) }
}

const ofDepartment = ({ departments = {} }: OrganisationSettings, name: string | null) =>
  name !== null && Object.hasOwn(departments, name) ? (departments[name] ?? {}) : {}

/** Whether two values are the same to people: the version of weights is the house's own. */
export const isSame = ({ what }: Target, a: unknown, b: unknown): boolean =>
  what === 'weights' ? isAlike(seenOf(a), seenOf(b)) : isAlike(a, b)

const seenOf = (value: unknown) => {
  const { own, refit } = value as Weighting
  return { own, refit }
}

/** What is kept when a change is made: weights get the number of the change as their version. */
export function keptValue({ what }: Target, was: unknown, to: unknown, change: number): unknown {
  if (what !== 'weights') return to
  const [before, after] = [was as Weighting, to as Weighting]
  const version = isAlike(before.own, after.own)
    ? before.version
    : Object.keys(after.own).length === 0
      ? 0
      : change
  return { ...seenOf(after), version }
}

/** Whether what a change made still stands, so that it can be taken back. */
export const stillStands = ({ what }: Target, now: unknown, made: unknown): boolean =>
  what === 'weights' ? isAlike((now as Weighting).own, (made as Weighting).own) : isAlike(now, made)

/** What an undo puts back. Weights somebody took back are not fitted anew until somebody says so. */
export const putBack = ({ what }: Target, was: unknown): unknown =>
  what === 'weights' ? { ...(was as Weighting), refit: false } : was

/** As the record says it. */
export function toldValue(target: Target, value: unknown): string {
  const { what } = target
  if (settingOf(target)) return toldSetting(value)
  if (what !== 'weights') return told(value as Parameters<typeof told>[0])
  const { own } = value as Weighting
  const said = Object.entries(own).map(([finding, weight]) => `${finding} ${weight}`)
  return said.length === 0 ? 'shipped' : said.join(', ')
}

/** Throws when a change asks for what can't be. */
export function checkDefaults(change: WholeChange): void {
  if (change.what === 'limits' || change.what === 'department-limits') {
    if (change.to !== null && !areLimits(change.to)) throw new AppError('BAD_LIMITS')
  }
  if (change.what === 'weights' && !isWithin(change.to.own)) throw new AppError('BAD_WEIGHTS')
}

const isWithin = (own: Readonly<Record<string, number | undefined>>): boolean =>
  (Object.keys(weights) as (keyof typeof weights)[]).every(finding => {
    const weight = own[finding]
    if (weight === undefined) return true
    const bounds = weightBounds(finding)
    return bounds !== null && weight >= bounds[0] && weight <= bounds[1]
  })
