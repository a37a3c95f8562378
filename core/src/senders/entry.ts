import type { Address } from '../address/index.ts'
import type { Authentication } from './authentication.ts'
import type { SenderPattern } from './pattern.ts'

/** Whether an entry lets mail in or keeps it back. */
export type Standing = 'safe' | 'blocked'

/** Who keeps an entry. */
export type Owner =
  | { readonly kind: 'organisation' }
  | { readonly kind: 'mailbox'; readonly mailboxId: number }

/** One line of a sender list. */
export interface SenderEntry {
  readonly id: number
  readonly pattern: SenderPattern
  readonly standing: Standing
  readonly owner: Owner
  /** A personal entry cannot override it. Organisation entries only. */
  readonly binding: boolean
  /** A safe entry that also counts for mail nobody could authenticate. */
  readonly withoutAuthentication: boolean
  /** Epoch ms from which it matches nothing; `null` for good. */
  readonly until: number | null
}

/** The entries that could match: of the organisation, and of the mailbox in question. */
export interface Register {
  readonly organisation: readonly SenderEntry[]
  readonly mailbox: readonly SenderEntry[]
}

/** What of a message the sender lists look at. Kept with each delivery, so that it can be judged again. */
export interface SenderFacts {
  /** Every mailbox of every From field that can be read. */
  readonly from: readonly Address[]
  /** Every domain in a From field, also of what can't be read; absent: those of `from`. */
  readonly fromDomains?: readonly string[]
  /** One From field, all of it readable; absent in facts of before, which had only such. */
  readonly fromWhole?: boolean
  readonly envelopeFrom: Address | null
  readonly sender: Address | null
  readonly listId: string | null
  readonly authentication: Authentication
}

/** Whether two owners are the same. */
export function isOwner(a: Owner, b: Owner): boolean {
  if (a.kind === 'organisation' || b.kind === 'organisation') return a.kind === b.kind
  return a.mailboxId === b.mailboxId
}

/** Whether an entry has ended by a moment (epoch ms); from its last millisecond on. */
export function isExpired(entry: SenderEntry, now: number): boolean {
  return entry.until !== null && entry.until <= now
}
