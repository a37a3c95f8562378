import { isIP } from 'node:net'
import {
  settingChange,
  type MailStoreShape,
  type OrganisationSettingsShape,
  type RouteHost,
  type ServerAt,
  type SettingChange,
  type SettingName,
} from '@pendro/contract'
import { addressText, isPublicSuffix, parseAddress, parseDomain } from '@pendro/core/address'
import { isNetwork } from '@pendro/core/authentication'
import { findReferences } from '@pendro/core/digest'
import type {
  IdentityProviderSetting,
  LettersSetting,
  OrganisationSettings,
  OutgoingSetting,
  PeersSetting,
  RoutesSetting,
} from '../db/models/shapes.ts'
import {
  usualOutgoing,
  usualPeers,
  usualRoutes,
  usualMoves,
  standbyOf,
  type Organisation,
} from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { endOfCertificate } from '../outbox/host.ts'
import { wholeStore } from '../outbox/stores.ts'
import { isIssuer } from '../sign-in/identity-provider.ts'

/** Settings by their names; each is one value with one undo. */
export const settingNames = settingChange.options.map(
  ({ shape }) => shape.what.value,
) as readonly SettingName[]

/** As most directories have it (inetOrgPerson, RFC 2798; groupOfNames, RFC 4519). */
const noDirectory = {
  url: '',
  startTls: true,
  bindDn: '',
  base: '',
  people: '(&(objectClass=inetOrgPerson)(mail=*))',
  groups: '(&(objectClass=groupOfNames)(mail=*))',
  attributes: {
    address: 'mail',
    name: 'displayName',
    department: 'departmentNumber',
    aliases: '',
    language: 'preferredLanguage',
    members: 'member',
  },
  share: 5,
  hourly: false,
}

const noWords = { en: '', nb: '', de: '', pl: '' }
const noLetters = { language: 'en', welcome: noWords, foot: noWords } as const

const allOwn = { digests: true, senders: true, away: true, rules: true }

const noProvider = {
  name: '',
  issuer: '',
  clientId: '',
  groupsClaim: 'groups',
  grants: [],
  colleagues: false,
  passwords: true,
}

/** A setting as it stands. */
export function settingIn(organisation: Organisation, what: SettingName): SettingChange['to'] {
  return settingsOf(organisation)[what]
}

/** All of them. */
export function settingsOf(organisation: Organisation): Omit<OrganisationSettingsShape, 'possible'> {
  const { name, timeZone, policy } = organisation
  return {
    name: { name, timeZone },
    'own-domains': [...policy.ownDomains],
    gateways: {
      trustedHosts: [...policy.trustedHosts],
      networks: [...(policy.gateways ?? [])],
      arcSealers: [...(policy.arcSealers ?? [])],
    },
    stores: [...(policy.stores ?? [])],
    providers: {
      shared: [...policy.sharedProviders],
      fileHosts: [...policy.fileHosts],
      shorteners: [...(policy.linkShorteners ?? [])],
    },
    forbidden: [...policy.forbidden],
    'digest-times': {
      times: [...(organisation.digestTimes ?? ['07:00'])],
      weekdays: [...(organisation.digestWeekdays ?? [1, 2, 3, 4, 5, 6, 7])],
    },
    addresses: {
      digests: organisation.digestAddress,
      reports: organisation.reportAddress ?? '',
      help: organisation.helpAddress ?? '',
      postmaster: organisation.postmaster ?? '',
    },
    peers: peersShown(organisation.peers ?? usualPeers),
    outgoing: outgoingShown(organisation.outgoing ?? usualOutgoing),
    routes: routesShown(organisation.routes ?? usualRoutes),
    standby: standbyOf(organisation),
    moves: { ...(organisation.moves ?? usualMoves) },
    'reaching-out': { ...(organisation.reachingOut ?? { pictures: true, unsubscribe: true }) },
    'second-factor': organisation.secondFactor ?? 'optional',
    'identity-provider': asShown(organisation.identityProvider ?? noProvider),
    'own-pages': {
      all: { ...(organisation.ownPages?.all ?? allOwn) },
      departments: (organisation.ownPages?.departments ?? []).map(({ department, may }) => ({
        department,
        may: { ...may },
      })),
    },
    letters: lettersShown(organisation.letters ?? noLetters),
    directory: { ...(organisation.directory ?? noDirectory) },
  }
}

const peersShown = ({ others, listed, unlisted }: PeersSetting) => ({
  others,
  listed: { ...listed },
  unlisted: { ...unlisted },
})

const outgoingShown = ({ mode, servers, journal }: OutgoingSetting) => ({
  mode,
  servers: [...servers],
  journal,
})

const hostsShown = (hosts: readonly RouteHost[]) => hosts.map(one => ({ ...one }))

const routesShown = ({ smartHosts, stores }: RoutesSetting) => ({
  smartHosts: hostsShown(smartHosts),
  stores: stores.map(wholeStore),
})

const lettersShown = ({ language, welcome, foot }: LettersSetting) => ({
  language,
  welcome: { ...welcome },
  foot: { ...foot },
})

const asShown = ({ grants, ...rest }: IdentityProviderSetting) => ({
  ...rest,
  grants: grants.map(({ group, role, departments }) => ({
    group,
    role,
    departments: departments && [...departments],
  })),
})

/** What of the stored settings a value changes; the name and the zone have columns of their own. */
export function storedSetting(
  { policy }: OrganisationSettings,
  { what, to }: Pick<SettingChange, 'what' | 'to'>,
): Partial<OrganisationSettings> {
  const value = { what, to } as Omit<SettingChange, 'was'> as SettingChange
  switch (value.what) {
    case 'name':
      return {}
    case 'own-domains':
      return { policy: { ...policy, ownDomains: value.to } }
    case 'gateways': {
      const { trustedHosts, networks, arcSealers } = value.to
      return { policy: { ...policy, trustedHosts, gateways: networks, arcSealers } }
    }
    case 'stores':
      return { policy: { ...policy, stores: value.to } }
    case 'providers': {
      const { shared, fileHosts, shorteners } = value.to
      return { policy: { ...policy, sharedProviders: shared, fileHosts, linkShorteners: shorteners } }
    }
    case 'forbidden':
      return { policy: { ...policy, forbidden: value.to } }
    case 'digest-times':
      return { digestTimes: value.to.times, digestWeekdays: value.to.weekdays }
    case 'addresses': {
      const { digests, reports, help, postmaster } = value.to
      return { digestAddress: digests, reportAddress: reports, helpAddress: help, postmaster }
    }
    case 'peers':
      return { peers: value.to }
    case 'outgoing':
      return { outgoing: value.to }
    case 'routes':
      return { routes: value.to }
    case 'standby':
      return { standby: value.to }
    case 'moves':
      return { moves: value.to }
    case 'reaching-out':
      return { reachingOut: value.to }
    case 'second-factor':
      return { secondFactor: value.to }
    case 'identity-provider':
      return { identityProvider: value.to }
    case 'own-pages':
      return { ownPages: value.to }
    case 'letters':
      return { letters: value.to }
    case 'directory':
      return { directory: value.to }
  }
}

/** A change with its values as they are kept; throws BAD_SETTING with the lines that can't be. */
export function readSetting<C extends SettingChange>(change: C, organisation: Organisation): C {
  const wrong: string[] = []
  const to = normalised(change, organisation.policy.ownDomains, wrong)
  if (wrong.length > 0) throw new AppError('BAD_SETTING', { lines: wrong.slice(0, 5).map(shown).join(', ') })
  if (change.what === 'identity-provider' && change.to.issuer !== '' && change.to.clientId === '')
    throw new AppError('BAD_SETTING', { context: 'client-id', lines: '' })
  return { ...change, to }
}

const shown = (line: string) => `“${line.length > 100 ? `${line.slice(0, 99)}…` : line}”`

function normalised(
  change: SettingChange,
  ownDomains: readonly string[],
  wrong: string[],
): SettingChange['to'] {
  const domains = (lines: readonly string[]) => readDomains(lines, wrong)
  switch (change.what) {
    case 'own-domains':
      return readDomains(change.to, wrong, domain => !isPublicSuffix(domain))
    case 'gateways':
      return {
        trustedHosts: domains(change.to.trustedHosts),
        networks: readNetworks(change.to.networks, wrong),
        arcSealers: domains(change.to.arcSealers),
      }
    case 'stores':
      return readNetworks(change.to, wrong)
    case 'providers':
      return {
        shared: domains(change.to.shared),
        fileHosts: domains(change.to.fileHosts),
        shorteners: domains(change.to.shorteners),
      }
    case 'forbidden':
      return unique(change.to)
    case 'digest-times':
      return { times: unique(change.to.times).sort(), weekdays: unique(change.to.weekdays).sort() }
    case 'addresses':
      return readAddresses(change.to, ownDomains, wrong)
    case 'identity-provider':
      return readProvider(change.to, wrong)
    case 'own-pages':
      return readOwnPages(change.to, wrong)
    case 'letters':
      checkLetters(change.to)
      return readLetters(change.to)
    case 'outgoing':
      return readOutgoing(change.to, ownDomains, wrong)
    case 'routes':
      return readRoutes(change.to, wrong)
    case 'standby':
      if (change.to.webhook !== '' && !isSafeUrl(change.to.webhook)) wrong.push(change.to.webhook)
      return change.to
    case 'name':
    case 'peers':
    case 'moves':
    case 'reaching-out':
    case 'second-factor':
    case 'directory':
      return change.to
  }
}

type Outgoing = Extract<SettingChange, { what: 'outgoing' }>['to']

function readOutgoing(given: Outgoing, ownDomains: readonly string[], wrong: string[]): Outgoing {
  return {
    mode: given.mode,
    servers: readNetworks(given.servers, wrong),
    journal: readOwnAddress(given.journal, ownDomains, wrong),
  }
}

type Routes = Extract<SettingChange, { what: 'routes' }>['to']

/** Each domain goes one way, and one way at most is for all that are not named. A store without a server is none yet. */
function readRoutes({ smartHosts, stores }: Routes, wrong: string[]): Routes {
  const real = stores.filter(({ hosts }) => hosts.length > 0).map(store => readStore(store, wrong))
  const claims = real.flatMap(({ houses, domains, name }) => [
    ...(houses === 'rest' ? ['*'] : domains),
    ...(name === '' ? [] : [name.toLowerCase()]),
  ])
  wrong.push(...new Set(claims.filter((claim, i) => claims.indexOf(claim) !== i)))
  return { smartHosts: smartHosts.map(host => readHost(host, wrong)), stores: real }
}

function readStore(given: MailStoreShape, wrong: string[]): MailStoreShape {
  const { identity, imap, sieve } = given
  const domains = given.houses === 'domains' ? readDomains(given.domains, wrong) : []
  if (given.houses === 'domains' && domains.length === 0) wrong.push(`${given.name}, without a domain`)
  if (given.houses === 'named' && given.name === '') wrong.push('a store without a name')
  const servers = [imap, sieve].filter(server => server !== null)
  if (servers.length > 0 && identity.user === '') wrong.push(`${given.name}, without an account`)
  for (const server of servers) if (goesInTheOpen(server)) wrong.push(`${server.host}, without TLS`)
  // Whoever asks for a token gives the client’s secret away.
  if (identity.kind === 'token' && servers.length > 0 && !isSafeUrl(identity.tokenUrl))
    wrong.push(identity.tokenUrl || `${given.name}, without an address for tokens`)
  return {
    ...given,
    domains,
    hosts: given.hosts.map(host => readHost(host, wrong)),
    identity: identity.kind === 'token' ? identity : { ...identity, tokenUrl: '', scope: '' },
    imap: imap && readServer(imap, wrong),
    sieve: sieve && readServer(sieve, wrong),
  }
}

const isHere = (host: string) => host === 'localhost' || host === '::1' || /^127(\.\d{1,3}){3}$/.test(host)

/** What goes there can be read on the way: it is neither encrypted nor for this very machine. */
const goesInTheOpen = ({ host, tls }: Pick<ServerAt, 'host' | 'tls'>) => tls === 'off' && !isHere(host)

const isSafeUrl = (text: string) => {
  const url = URL.canParse(text) ? new URL(text) : null
  return url !== null && (url.protocol === 'https:' || (url.protocol === 'http:' && isHere(url.hostname)))
}

/** A name or an address, and a certificate that is one. */
function readServer<S extends ServerAt>(given: S, wrong: string[]): S {
  const host = given.host.toLowerCase()
  if (isIP(host) === 0 && !/^[a-z0-9]([a-z0-9.-]*[a-z0-9])?$/.test(host)) wrong.push(given.host)
  if (given.certificate !== '' && endOfCertificate(given.certificate) === null)
    wrong.push(given.certificate.slice(0, 40))
  return { ...given, host, certificate: given.tls === 'off' ? '' : given.certificate }
}

function readHost(given: RouteHost, wrong: string[]): RouteHost {
  // A password must not go where everybody can read it.
  if (given.user !== '' && goesInTheOpen(given)) wrong.push(`${given.user}, without TLS`)
  return readServer(given, wrong)
}

type Provider = Extract<SettingChange, { what: 'identity-provider' }>['to']

/** Without a provider nobody comes by one, and passwords have to do. */
function readProvider(given: Provider, wrong: string[]): Provider {
  if (given.issuer === '') return { ...given, colleagues: false, passwords: true }
  if (!isIssuer(given.issuer)) wrong.push(given.issuer)
  // A line that names no group yet is none.
  return { ...given, grants: given.grants.filter(({ group }) => group !== '') }
}

type Letters = Extract<SettingChange, { what: 'letters' }>['to']

/** As lines of text: no other control characters go into mail. */
function readLetters({ language, welcome, foot }: Letters): Letters {
  const text = (given: string) => given.replace(/\r\n?/g, '\n').replace(/[^\P{Cc}\n]/gu, ' ')
  const each = ({ en, nb, de, pl }: Letters['foot']) => ({
    en: text(en),
    nb: text(nb),
    de: text(de),
    pl: text(pl),
  })
  return { language, welcome: each(welcome), foot: each(foot) }
}

/** Words that a reply would be read to ask for a message by can't stand in what is replied to. */
export function checkLetters({ welcome, foot }: LettersSetting): void {
  const found = [...Object.values(welcome), ...Object.values(foot)].flatMap(text => {
    const { references, slips } = findReferences(text)
    return [...references, ...slips]
  })
  if (found.length > 0)
    throw new AppError('BAD_SETTING', {
      context: 'code',
      lines: unique(found).slice(0, 5).map(shown).join(', '),
    })
}

type OwnPages = Extract<SettingChange, { what: 'own-pages' }>['to']

/** Each department once; a line that names none yet is none. */
function readOwnPages({ all, departments }: OwnPages, wrong: string[]): OwnPages {
  const named = departments.filter(({ department }) => department !== '')
  const names = named.map(({ department }) => department)
  wrong.push(...new Set(names.filter((name, i) => names.indexOf(name) !== i)))
  return { all, departments: named }
}

/** As A-labels, each once. Of a public suffix everybody under it would be meant. */
function readDomains(
  lines: readonly string[],
  wrong: string[],
  may: (domain: string) => boolean = () => true,
): string[] {
  return unique(
    lines.flatMap(line => {
      const domain = parseDomain(line)
      if (domain.ok && may(domain.value)) return [domain.value]
      wrong.push(line)
      return []
    }),
  )
}

/** Of a network wider than any organisation has, half the world would be believed. */
const isTooWide = (network: string) => {
  const bits = network.split('/')[1]
  return bits !== undefined && Number(bits) < (network.includes(':') ? 7 : 8)
}

function readNetworks(lines: readonly string[], wrong: string[]): string[] {
  for (const line of lines) if (!isNetwork(line) || isTooWide(line)) wrong.push(line)
  return unique(lines)
}

/** An address of ours, or '' for none. */
function readOwnAddress(text: string, ownDomains: readonly string[], wrong: string[]): string {
  if (text === '') return ''
  const address = parseAddress(text)
  if (address.ok && ownDomains.includes(address.value.domain)) return addressText(address.value)
  wrong.push(text)
  return ''
}

type Addresses = Extract<SettingChange, { what: 'addresses' }>['to']

/** Only mail to our own domains comes in here, and what comes to one of them has one meaning. */
function readAddresses(given: Addresses, ownDomains: readonly string[], wrong: string[]): Addresses {
  const own = (text: string) => readOwnAddress(text, ownDomains, wrong)
  const [digests, reports, help, postmaster] = [
    own(given.digests),
    own(given.reports),
    own(given.help),
    own(given.postmaster),
  ]
  for (const text of [reports, help]) if (text !== '' && text === digests) wrong.push(text)
  if (reports !== '' && reports === help) wrong.push(reports)
  return { digests, reports, help, postmaster }
}

const unique = <T>(values: readonly T[]): T[] => [...new Set(values)]

/** As the record says it: the values one after the other, with a name where a value says nothing alone. */
export function toldSetting(value: unknown): string {
  if (Array.isArray(value)) return value.map(toldSetting).join(', ')
  if (typeof value !== 'object' || value === null) return String(value)
  return Object.entries(value)
    .map(([name, one]) =>
      typeof one === 'boolean' || typeof one === 'number' || one === null
        ? `${name}: ${String(one)}`
        : toldSetting(one),
    )
    .filter(text => text !== '')
    .join('; ')
}
