/** What a mailbox is to its organisation, wherever that was read. */
export interface DirectoryEntry {
  readonly address: string
  readonly name: string
  readonly kind: 'person' | 'shared' | 'list'
  readonly department: string
  /** IANA name. */
  readonly timeZone: string
  /** 'en', 'nb', 'de', 'pl'. */
  readonly language: string
  /** Further addresses, in order, without its own. */
  readonly aliases: readonly string[]
  /** Addresses of the mailboxes of those who mind it, in order. */
  readonly minders: readonly string[]
  /** The name of its mail store, where more than its domain says which it is. */
  readonly store?: string
}

/** Fields of an entry that may be left out: what is there stays, a new mailbox gets the usual. */
export type DirectoryField = Exclude<keyof DirectoryEntry, 'address'>
export const directoryFields: readonly DirectoryField[] = [
  'name',
  'kind',
  'department',
  'timeZone',
  'language',
  'aliases',
  'minders',
  'store',
]

/** One wanted mailbox as it was read: a line of a table, or an entry of a directory. */
export interface DirectoryLine {
  /** From 1; of a directory its place in the answer. */
  readonly line: number
  /** Which mailbox it is about, whatever its address is to be; without it the one with that address. */
  readonly id?: number | undefined
  /** What a directory calls it by for good, whatever its address. */
  readonly directoryId?: string
  readonly address: string
  readonly fields: Readonly<Partial<Record<DirectoryField, string>>>
}

/** A mailbox that is there. */
export interface KnownMailbox extends DirectoryEntry {
  readonly id: number
  readonly isClosed: boolean
  /** What a directory calls it by, where one does. */
  readonly directoryId?: string | null
}

export type DirectoryProblem =
  | {
      readonly code:
        | 'no-address'
        | 'not-ours'
        | 'of-pendro'
        | 'postmaster'
        | 'no-kind'
        | 'no-zone'
        | 'no-language'
      readonly text: string
    }
  | { readonly code: 'too-long'; readonly text: string }
  /** The address stands in another line, or is another mailbox's. */
  | { readonly code: 'twice'; readonly text: string; readonly line: number }
  | { readonly code: 'taken'; readonly text: string; readonly by: string }
  /** Nobody has this address, in the lines or before. */
  | { readonly code: 'no-minder'; readonly text: string }
