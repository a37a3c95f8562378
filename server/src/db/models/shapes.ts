import type {
  DigestLanguage,
  ListFormat,
  MailStoreShape,
  OwnMay,
  RouteHost,
  StepName,
} from '@pendro/contract'
import type { DeliveryFacts, Evidence, Limits, OrganisationPolicy } from '@pendro/core/judgement'
import type { Finding } from '@pendro/core/weights'
import type { KeptDays } from '@pendro/core/keeping'
import type { Remedy } from '@pendro/core/upkeep'

/** What is kept of the organisation beside its name and zone. */
export interface OrganisationSettings {
  readonly policy: OrganisationPolicy
  readonly limits: Limits
  /** Days that each kind of kept mail stays. */
  readonly keep: KeptDays
  /** Days after which the headers of mail that is gone or arrived long ago go, too. */
  readonly headerDays: number
  /** What digests are sent from. */
  readonly digestAddress: string
  /** When digests go where a mailbox says nothing else; local times. Without it daily at 07:00 (common practice). */
  readonly digestTimes?: readonly string[]
  readonly digestWeekdays?: readonly number[]
  /** Where colleagues send mail that got through, as an attachment; '' for nowhere. */
  readonly reportAddress?: string
  /** An address of ours that gets what is sent to postmaster (RFC 5321 §4.5.1); without it the first mailbox does. */
  readonly postmaster?: string
  /** Where colleagues ask by mail for a message they miss; '' for nowhere. */
  readonly helpAddress?: string
  /** Who may hand mail over, and how much. */
  readonly peers?: PeersSetting
  /** What colleagues send; without it nothing is taken. */
  readonly outgoing?: OutgoingSetting
  /** Where mail goes on to; what is not said goes to the store of the process (PENDRO_STORE_HOST). */
  readonly routes?: RoutesSetting
  /** Standby mailboxes; without it they open after ten minutes. */
  readonly standby?: { readonly on: boolean; readonly after: number; readonly webhook?: string }
  /** Whether Pendro learns from what people move in their mail programs; yes unless it says no. */
  readonly moves?: { readonly learn: boolean }
  /** Whether staffers may have pictures of a message fetched, and unsubscribe; both unless it says no. */
  readonly reachingOut?: { readonly pictures: boolean; readonly unsubscribe: boolean }
  /** Whether every staffer has to have a second factor; without it each decides. */
  readonly secondFactor?: 'optional' | 'required'
  /** What mail of Pendro's own says besides its own words. */
  readonly letters?: LettersSetting
  /** What colleagues may do themselves; all of it unless it says no. */
  readonly ownPages?: OwnPagesSetting
  /** Who signs people in besides Pendro. */
  readonly identityProvider?: IdentityProviderSetting
  /** Where it is known who there is. */
  readonly directory?: DirectorySetting
  /** Weights of its own; without them the shipped ones count, and may be fitted. */
  readonly weights?: Weighting
  /** What of the first steps is left out, and whether a steward has put them away. */
  readonly steps?: { readonly skipped: readonly StepName[]; readonly closed: boolean }
  /** Everything is judged, and nothing but harm is held back. */
  readonly watching?: boolean
  /** What departments have of their own, by their name; a mailbox may differ again. */
  readonly departments?: Readonly<Record<string, DepartmentSettings>>
}

/** What one address may hand over. */
export interface PeerLimits {
  readonly connections: number
  readonly perMinute: number
  readonly recipients: number
  readonly megabytes: number
}

/** Listed are gateways and mail stores. */
export interface PeersSetting {
  readonly others: 'limited' | 'refused'
  readonly listed: PeerLimits
  readonly unlisted: PeerLimits
}

/** What becomes of mail that colleagues send. */
export interface OutgoingSetting {
  readonly mode: 'off' | 'relay' | 'copy'
  /** Networks of the organisation's own mail servers. */
  readonly servers: readonly string[]
  /** '' for none. */
  readonly journal: string
}

/** Where mail goes on to. */
export interface RoutesSetting {
  readonly smartHosts: readonly RouteHost[]
  readonly stores: readonly MailStoreSetting[]
}

/** A mail store as it is kept; one of before it could be looked into has servers alone. */
export type MailStoreSetting = Readonly<Pick<MailStoreShape, 'domains' | 'hosts'> & Partial<MailStoreShape>>

/** Where older mail is. A password is kept in the memory of one process, and nowhere else. */
export type HistorySource =
  | { readonly kind: 'mbox' | 'maildir'; readonly path: string }
  | {
      readonly kind: 'imap'
      readonly host: string
      readonly port: number
      readonly tls: 'implicit' | 'starttls' | 'off'
      readonly user: string
      readonly folder: string
    }

/** The weights an organisation goes by. */
export interface Weighting {
  /** Number of the change that set them, kept with each judgement; 0: the shipped ones. */
  readonly version: number
  /** Only those that differ from the shipped ones. */
  readonly own: Readonly<Partial<Record<Finding, number>>>
  /** They may be fitted anew without anybody asking. */
  readonly refit: boolean
}

/** A directory (LDAP); its password is of the process (PENDRO_DIRECTORY_PASSWORD). */
export interface DirectorySetting {
  /** 'ldap://host:389'; '' for none. */
  readonly url: string
  readonly startTls: boolean
  readonly bindDn: string
  readonly base: string
  /** Filters (RFC 4515); no groups for ''. */
  readonly people: string
  readonly groups: string
  /** Names of attributes; '' leaves one out. */
  readonly attributes: {
    readonly address: string
    readonly name: string
    readonly department: string
    readonly aliases: string
    readonly language: string
    readonly members: string
    readonly store?: string | undefined
  }
  /** Per cent of its mailboxes that may be closed without a steward. */
  readonly share: number
  readonly hourly: boolean
}

/** By language, '' for nothing: in the first letter, and at the end of all. `language`: of mailboxes that come without one. */
export interface LettersSetting {
  readonly language: DigestLanguage
  readonly welcome: Readonly<Record<DigestLanguage, string>>
  readonly foot: Readonly<Record<DigestLanguage, string>>
}

/** What colleagues may do on their own pages; departments that differ, by name. */
export interface OwnPagesSetting {
  readonly all: OwnMay
  readonly departments: readonly { readonly department: string; readonly may: OwnMay }[]
}

/** An identity provider (OpenID Connect); its secret is of the process (PENDRO_PROVIDER_SECRET). */
export interface IdentityProviderSetting {
  /** As the button says it. */
  readonly name: string
  /** '' for none. */
  readonly issuer: string
  readonly clientId: string
  readonly groupsClaim: string
  readonly grants: readonly Grant[]
  readonly colleagues: boolean
  readonly passwords: boolean
}

/** What whoever is in a group there may do here. */
export interface Grant {
  readonly group: string
  readonly role: 'helpdesk' | 'steward' | 'observer'
  readonly departments: readonly string[] | null
}

/** What a department has in place of the organisation's. */
export interface DepartmentSettings {
  readonly limits?: Limits
  readonly watching?: boolean
}

/** What makes a message harmful. */
export type Harm = NonNullable<DeliveryFacts['harm']>

/** What the row of a list says about why a delivery is where it is. */
export interface Reason {
  readonly finding: string
  readonly facts: Evidence['facts']
}

/** How a list that is brought in is to be read. */
export interface ImportOptions {
  readonly standing: 'safe' | 'blocked'
  readonly mailboxId: number | null
  readonly takeContradicting: boolean
  readonly format: ListFormat | null
  readonly reason: string
}

/** What became of one reference in a digest reply. */
export type Fate = 'released' | 'released-before' | 'on-its-way' | 'discarded' | 'gone' | 'sealed' | 'unknown'

/** What was understood of a digest reply. */
export interface ReplyFacts {
  readonly fates: readonly { readonly reference: string; readonly fate: Fate; readonly subject: string }[]
  readonly slips: readonly { readonly typed: string; readonly meant: string }[]
  readonly sign: string
  /** What came of asking for a fresh digest; left out where nobody did. */
  readonly fresh?: 'sent' | 'nothing' | 'just-sent'
}

/** A remedy as it is kept: entries to end by number, entries to add in their text. */
export interface KeptRemedy {
  readonly name: Remedy['name']
  readonly end: readonly number[]
  readonly add: readonly {
    readonly pattern: string
    readonly standing: 'safe' | 'blocked'
    readonly mailboxId: number | null
    readonly binding: boolean
    readonly withoutAuthentication: boolean
    readonly until: number | null
  }[]
}
