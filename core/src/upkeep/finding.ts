import type { RegisterChange } from '../rulings/index.ts'
import type { SenderEntry } from '../senders/index.ts'

/** What can be wrong with an entry (domain.md §9), most harmful first. */
export const findingKinds = [
  'contradicts',
  'lets-in-too-much',
  'let-harm-in',
  'blocks-wanted',
  'for-everyone',
  'covered',
  'duplicate',
  'never-authenticated',
  'slip',
  'quiet',
  'expired',
] as const
/** What upkeep finds. */
export type FindingKind = (typeof findingKinds)[number]

/** Kinds whose remedy is held to change the outcome of no mail at all. */
export const tidyKinds: readonly FindingKind[] = ['covered', 'duplicate', 'expired']

/** One way out. Its name is a key of the wording; the first of a finding is the one proposed. */
export interface Remedy {
  readonly name:
    | 'end'
    | 'keep-safe'
    | 'keep-blocked'
    | 'narrow'
    | 'for-everyone'
    | 'without-authentication'
    | 'correct'
  readonly change: RegisterChange
}

/** A finding with its entries, its evidence and its remedies. */
export interface UpkeepFinding {
  readonly kind: FindingKind
  /** The one it is about first, then those it is seen against. */
  readonly entries: readonly RegisteredEntry[]
  /** Numbers and names for the sentence; counts are deliveries of the days looked at. */
  readonly facts: Readonly<Record<string, string | number>>
  readonly remedies: readonly Remedy[]
  /** The same finding about the same entries at any time. */
  readonly key: string
  /** What it rests on: a finding that was set aside comes back when this changes. */
  readonly basis: string
}

/** An entry with what upkeep needs to know of its past. Epoch ms. */
export interface RegisteredEntry extends SenderEntry {
  readonly createdAt: number
  /** When mail last met it, also before the days that are looked at; `null` for never. */
  readonly lastMatchedAt: number | null
}

/** A change that ends entries and adds none. */
export const ending = (...end: readonly SenderEntry[]): RegisterChange => ({ add: [], end })

/** A finding with a name that stays the same as long as its entries do. */
export function finding(
  kind: FindingKind,
  entries: readonly RegisteredEntry[],
  remedies: readonly Remedy[],
  facts: UpkeepFinding['facts'] = {},
  basis: string | number = '',
): UpkeepFinding {
  const ids = entries.map(({ id }) => id)
  return { kind, entries, remedies, facts, key: `${kind} ${ids[0]}`, basis: `${ids.join(',')} ${basis}` }
}
