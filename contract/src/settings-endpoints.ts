import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { dangers, timeZone } from './organisation-endpoints.ts'
import { departments, digestLanguage, id, ownMay, role } from './shapes.ts'

const lines = z.array(z.string().trim().min(1).max(320)).max(1000)

/** What the organisation is called, and where its day begins. */
const named = z.object({ name: z.string().trim().min(1).max(200), timeZone })
/** Hosts whose Authentication-Results are believed (RFC 8601 §5), the networks they connect from, and whose ARC seals count. */
const gateways = z.object({ trustedHosts: lines, networks: lines, arcSealers: lines })
/** Domains with many unrelated senders besides the packaged ones, hosts for files, hosts that hide where a link leads. */
const providers = z.object({ shared: lines, fileHosts: lines, shorteners: lines })
/** What digests are sent from; where colleagues send what got through and ask for what is missing; '' for nowhere. */
const addresses = z.object({
  digests: z.string().trim().min(1).max(320),
  reports: z.string().trim().max(320),
  help: z.string().trim().max(320),
  postmaster: z.string().trim().max(320),
})
const digestTimes = z.object({
  times: z.array(z.string().regex(/^(?:[01]\d|2[0-3]):[0-5]\d$/)).max(6),
  weekdays: z.array(z.number().int().min(1).max(7)).max(7),
})

const reachingOut = z.object({ pictures: z.boolean(), unsubscribe: z.boolean() })
/** What one address may hand over; each process counts for itself. A hundred recipients have to be taken (RFC 5321 §4.5.3.1.8). */
const peerLimits = z.object({
  /** Connections at a time. */
  connections: z.number().int().min(1).max(200),
  /** Messages within a minute. */
  perMinute: z.number().int().min(1).max(100_000),
  /** Of one message. */
  recipients: z.number().int().min(100).max(1000),
  /** Of one message, in millions of bytes; the machine's own limit counts besides. */
  megabytes: z.number().int().min(1).max(1000),
})
/** Who may hand mail over: gateways and mail stores that are listed, and whether anybody else may. */
const peers = z.object({ others: z.enum(['limited', 'refused']), listed: peerLimits, unlisted: peerLimits })
/**
 * What colleagues send: `relay` takes it from the organisation's own mail servers and hands it on, `copy` notes what comes to the journal
 * address, `off` does neither.
 */
const outgoing = z.object({
  mode: z.enum(['off', 'relay', 'copy']),
  /** Networks that the organisation's own mail servers connect from. */
  servers: lines,
  /** Where copies come to; '' for nowhere. */
  journal: z.string().trim().max(320),
})

/** Where a server is, and whom it has to be. */
const serverAt = z.object({
  host: z.string().trim().min(1).max(253),
  port: z.number().int().min(1).max(65_535),
  /** `starttls`: nothing goes without it; `implicit`: TLS from the first byte. */
  tls: z.enum(['off', 'starttls', 'implicit']),
  /** The certificate that alone is believed, as PEM; '' for one that is signed by somebody well known. */
  certificate: z.string().trim().max(20_000),
})
/** Where a server is, and whom it has to be. */
export type ServerAt = z.infer<typeof serverAt>

/** Who Pendro is at a server. */
export const storeAccount = serverAt
  .pick({ host: true, port: true })
  .extend({ user: z.string().trim().min(1).max(200) })

/** Connections to a server at once where none are set (common practice): each more costs the server a process. */
export const usualConnections = 8

/** A server that mail is handed on to (STARTTLS: RFC 3207). Its password, where it asks for one, is kept apart. */
const routeHost = serverAt.extend({
  /** LMTP: RFC 2033. */
  protocol: z.enum(['smtp', 'lmtp']),
  /** Who Pendro is there; '' for nobody. */
  user: z.string().trim().max(200),
  /** Connections at once, at most; without it {@link usualConnections}. */
  connections: z.int().min(1).max(100).optional(),
})
/** Servers in the order they are tried. */
const routeHosts = z.array(routeHost).max(10)

/**
 * How Pendro may look into mailboxes: `proxy` is an account that may act for all others (RFC 4616, authorisation identity), `token` a client
 * that is given tokens (RFC 6749 §4.4, RFC 7628).
 */
const storeIdentity = z.object({
  kind: z.enum(['proxy', 'token']),
  /** The account, or the client. */
  user: z.string().trim().max(200),
  /** Where tokens are given; '' for a proxy. */
  tokenUrl: z.string().trim().max(500),
  scope: z.string().trim().max(500),
})
/** How Pendro may look into mailboxes. */
export type StoreIdentity = z.infer<typeof storeIdentity>

/** Where mailboxes are, and what can be done there. */
export const mailStore = z.object({
  /** Also what a directory's attribute says of a mailbox that is here. */
  name: z.string().trim().max(60),
  /** Whose mailboxes are here: those of its domains, all that no other store has, or those a directory names it for. */
  houses: z.enum(['domains', 'rest', 'named']),
  domains: lines,
  hosts: routeHosts,
  identity: storeIdentity,
  /** IMAP (RFC 9051, RFC 3501); `null`: it can't be looked into. */
  imap: serverAt.nullable(),
  /** ManageSieve (RFC 5804); `null`: rules stay with Pendro. */
  sieve: serverAt.nullable(),
  /** '': the one that is marked as such (RFC 6154). */
  junkFolder: z.string().trim().max(200),
  asideFolder: z.string().trim().max(200),
  /** How a released message gets to the inbox: handed over as any other, or put there with its own date. */
  releases: z.enum(['hand-over', 'append']),
  /** With `sieve`: mail rules and automatic replies are kept there, too, or are taken out again. */
  scripts: z.enum(['keep', 'take-out']),
})
/** Where mailboxes are, and what can be done there. */
export type MailStoreShape = z.infer<typeof mailStore>

/** The account at the server of an address, as its secret is kept; its port is that of the address, or the usual one. */
export function accountAt(url: string, user: string): { user: string; host: string; port: number } {
  const { hostname: host, port, protocol } = new URL(url)
  return { user, host, port: Number(port) || (protocol === 'http:' ? 80 : 443) }
}

/** A mail store that nothing is said of yet: it has no servers, and mail can only be handed over to it. */
export const plainStore: MailStoreShape = {
  name: '',
  houses: 'rest',
  domains: [],
  hosts: [],
  identity: { kind: 'proxy', user: '', tokenUrl: '', scope: '' },
  imap: null,
  sieve: null,
  junkFolder: '',
  asideFolder: '',
  releases: 'hand-over',
  scripts: 'keep',
}

/** Where mail goes on to: mail of other domains by the smart hosts, our own by their mail store. */
const routes = z.object({ smartHosts: routeHosts, stores: z.array(mailStore).max(100) })
/** A server that mail is handed on to. */
export type RouteHost = z.infer<typeof routeHost>
/** What colleagues can do while their mail store is away: from so many minutes on they read what waits, answer and write. */
const standby = z.object({
  on: z.boolean(),
  after: z.number().int().min(1).max(1440),
  /** Passes messages to colleagues on while mail does not reach them, such as to a phone; '' for nowhere. */
  webhook: z.string().trim().max(500),
})
/** Whether Pendro learns from what people move in their mail programs. */
const moves = z.object({ learn: z.boolean() })
const secondFactor = z.enum(['optional', 'required'])

const attribute = z
  .string()
  .trim()
  .max(100)
  .regex(/^[\w;-]*$/)
const directory = z.object({
  url: z
    .string()
    .trim()
    .max(300)
    .regex(/^(ldaps?:\/\/[^/\s]+)?$/i, { error: 'has the form ldap://host:port' }),
  startTls: z.boolean(),
  bindDn: z.string().trim().max(500),
  base: z.string().trim().max(500),
  people: z.string().trim().min(1).max(1000),
  groups: z.string().trim().max(1000),
  attributes: z.object({
    address: attribute.min(1),
    name: attribute.min(1),
    department: attribute,
    aliases: attribute,
    language: attribute,
    members: attribute,
    /** Names the mail store of a mailbox. */
    store: attribute.optional(),
  }),
  share: z.number().int().min(0).max(100),
  hourly: z.boolean(),
})

const words = z.string().trim().max(1000)
const inEachLanguage = z.object({ en: words, nb: words, de: words, pl: words })
/**
 * What mail of Pendro's own says besides its own words, by language, '' for nothing: `welcome` in the first letter, `foot` at the end of
 * all. `language`: of mailboxes that come without one.
 */
const letters = z.object({ language: digestLanguage, welcome: inEachLanguage, foot: inEachLanguage })

/** What colleagues may do on their own pages; departments that differ, by name. */
const ownPages = z.object({
  all: ownMay,
  departments: z.array(z.object({ department: z.string().trim().max(100), may: ownMay })).max(500),
})

/** Who signs people in (OpenID Connect); '' for nobody. Its secret is a setting of the machine. */
const identityProvider = z.object({
  /** As the button says it. */
  name: z.string().trim().max(60),
  issuer: z.string().trim().max(300),
  clientId: z.string().trim().max(300),
  /** The claim with the groups of whoever comes. */
  groupsClaim: z.string().trim().min(1).max(100),
  /** The first line with a group of theirs says what they may. Who fits none is made no staffer. */
  grants: z.array(z.object({ group: z.string().trim().max(300), role, departments })).max(100),
  colleagues: z.boolean(),
  passwords: z.boolean(),
})

const shapes = {
  name: named,
  'own-domains': lines.min(1),
  gateways,
  stores: lines,
  providers,
  forbidden: z.array(dangers),
  'digest-times': digestTimes,
  addresses,
  peers,
  outgoing,
  routes,
  standby,
  moves,
  'reaching-out': reachingOut,
  'second-factor': secondFactor,
  'identity-provider': identityProvider,
  'own-pages': ownPages,
  letters,
  directory,
} as const

/** Which setting of the organisation. */
export type SettingName = keyof typeof shapes

const one = <N extends SettingName>(what: N) =>
  z.object({ what: z.literal(what), was: shapes[what], to: shapes[what] })

/** One change of a setting; `was` is what the screen of whoever changes it shows. */
export const settingChange = z.discriminatedUnion('what', [
  one('name'),
  one('own-domains'),
  one('gateways'),
  one('stores'),
  one('providers'),
  one('forbidden'),
  one('digest-times'),
  one('addresses'),
  one('peers'),
  one('outgoing'),
  one('routes'),
  one('standby'),
  one('moves'),
  one('reaching-out'),
  one('second-factor'),
  one('identity-provider'),
  one('own-pages'),
  one('letters'),
  one('directory'),
])
/** A checked {@link settingChange}. */
export type SettingChange = z.infer<typeof settingChange>

/** All settings as they are; `possible`: all kinds of attachments that can be harmful. */
export const organisationSettings = z.object({
  ...shapes,
  'own-domains': lines,
  possible: z.array(dangers),
})
/** A checked {@link organisationSettings}. */
export type OrganisationSettingsShape = z.infer<typeof organisationSettings>

/** Whoever is signed in may read how the organisation is set. */
export const readSettings = endpoint({
  method: 'get',
  path: '/api/organisation/settings',
  summary: 'What the organisation is called, which domains and gateways are its own, and what goes where',
  roles: everyone,
  scope: 'own',
  response: organisationSettings,
})

/** What does not fit what else there is. */
const misfits = [
  'ADDRESS_STAYS',
  'ADDRESS_OF_MAILBOX',
  'NO_POSTMASTER',
  'DEPARTMENT_NOT_FOUND',
  'PROVIDER_FIRST',
  'GATEWAYS_FIRST',
  'SMART_HOST_FIRST',
  'JOURNAL_FIRST',
  'PROVIDER_FAILED',
]

/** Nothing is changed. `facts` say what it is about, by name; a wording has a sentence for each that is not 0. */
export const previewSetting = endpoint({
  method: 'post',
  path: '/api/organisation/settings/effect',
  summary: 'What a change of a setting would be about',
  roles: everyone,
  body: z.object({ change: settingChange }),
  response: z.object({ facts: z.record(z.string(), z.number().int()) }),
  problems: ['BAD_SETTING', ...misfits],
})

/** Sends nothing, and keeps nothing. */
export const previewLetter = endpoint({
  method: 'post',
  path: '/api/organisation/settings/letter',
  summary: 'A letter to colleagues as it would be with texts that are not set yet',
  roles: everyone,
  body: z.object({ letters, kind: z.enum(['welcome', 'code', 'digest']), language: digestLanguage }),
  response: z.object({ subject: z.string(), text: z.string() }),
  problems: ['BAD_SETTING'],
})

/** One act with a line in the record; its undo is that of mailboxes. MAILBOX_CHANGED: somebody was quicker. */
export const changeSetting = endpoint({
  method: 'post',
  path: '/api/organisation/settings/changes',
  summary: 'Change a setting of the organisation; the number is for its undo',
  roles: ['steward'],
  body: z.object({
    change: settingChange,
    reason: z.string().trim().max(1000).default(''),
    token: z.uuid(),
  }),
  response: z.object({ change: id }),
  problems: ['BAD_SETTING', ...misfits, 'FACTOR_FIRST', 'MAILBOX_CHANGED', 'NOTHING_TO_DO'],
})

/** Requests about the settings of the organisation, by name. */
export const settingsEndpoints = { readSettings, previewSetting, previewLetter, changeSetting }
