import type { ListFormat } from '@pendro/contract'
import type { DeliveryFacts, Evidence, Limits, OrganisationPolicy } from '@pendro/core/judgement'
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
