import type { ImapFlow, ListResponse } from 'imapflow'
import type { RowOf } from '../db/models/columns.ts'
import type { StoreFolders } from '../db/models/stores.ts'
import { StoreError, type LookedInto } from './imap.ts'

/** What a folder is for. */
export type FolderKind = RowOf<typeof StoreFolders>['kind']

/** A folder as its store tells it. */
export interface Folder {
  readonly path: string
  readonly kind: FolderKind
  readonly total: number
  readonly unread: number
  readonly uidValidity: number
  readonly uidNext: number
  /** Its highest mod-sequence (RFC 7162 §3.1.2); `null`: not asked, or the store does not tell it. */
  readonly modSeq: bigint | null
}

/** Folders of one mailbox that are looked at; nobody has more that hold mail of ours. */
const mostFolders = 500
/** As the column has it. */
const longestPath = 500

/** RFC 6154 §2; \Inbox is the library's own. */
const special: Readonly<Record<string, FolderKind>> = {
  '\\Inbox': 'inbox',
  '\\Junk': 'junk',
  '\\Sent': 'sent',
  '\\Trash': 'trash',
}

const same = (a: string, b: string) => a.localeCompare(b, undefined, { sensitivity: 'accent' }) === 0

/** What a folder is for: as the organisation has named it, else as the store marks it. A name alone says nothing. */
function kindOf({ path, specialUse, specialUseSource }: ListResponse, store: LookedInto): FolderKind {
  if (path.toUpperCase() === 'INBOX') return 'inbox'
  if (store.junkFolder !== '' && same(path, store.junkFolder)) return 'junk'
  if (store.asideFolder !== '' && same(path, store.asideFolder)) return 'aside'
  const marked = specialUseSource === 'extension' ? special[specialUse ?? ''] : undefined
  return marked === 'junk' && store.junkFolder !== '' ? 'other' : (marked ?? 'other')
}

/**
 * Folders of a mailbox with what is in them, in one question where the store has LIST-STATUS (RFC 5819). `counted`: with their
 * mod-sequences, for which a store opens every folder: twice the time.
 */
export async function foldersOf(
  client: ImapFlow,
  store: LookedInto,
  { counted = false }: { readonly counted?: boolean } = {},
): Promise<readonly Folder[]> {
  const numbers = { messages: true, unseen: true, uidNext: true, uidValidity: true }
  const listed = await client.list({ statusQuery: { ...numbers, ...(counted && { highestModseq: true }) } })
  return listed
    .filter(({ flags, path }) => !isClosed(flags) && path.length <= longestPath)
    .slice(0, mostFolders)
    .flatMap(one => {
      const { status } = one
      const numbers = [status?.messages, status?.unseen, status?.uidNext, Number(status?.uidValidity ?? NaN)]
      if (!numbers.every(isCount)) return []
      const [total, unread, uidNext, uidValidity] = numbers as [number, number, number, number]
      return [
        {
          path: one.path,
          kind: kindOf(one, store),
          total,
          unread: Math.min(unread, total),
          uidNext,
          uidValidity,
          modSeq: modSeqOf(status?.highestModseq),
        },
      ]
    })
}

/** RFC 9051 §9: 32 bits; more is nonsense. */
const isCount = (n: number | undefined): n is number =>
  n !== undefined && Number.isInteger(n) && n >= 0 && n < 2 ** 32

/** RFC 7162 §7: 63 bits. A folder that has none says 0, or nothing (§3.1.2.2). */
const modSeqOf = (said: bigint | undefined): bigint | null =>
  typeof said === 'bigint' && said > 0n && said < 2n ** 63n ? said : null

const isClosed = (flags: ReadonlySet<string>) =>
  ['\\noselect', '\\nonexistent'].some(one => [...flags].some(flag => flag.toLowerCase() === one))

/** How the store names this mailbox's folders (RFC 2342); one that does not say so has "/" and nothing in front. */
export function namesIn({ namespace }: ImapFlow): { readonly separator: string; readonly prefix: string } {
  const { delimiter, prefix } = namespace ?? {}
  const isSaid = typeof delimiter === 'string' && delimiter.length === 1 && (prefix ?? '').length <= 100
  return { separator: isSaid ? delimiter : '/', prefix: isSaid ? (prefix ?? '') : '' }
}

/** Opens a folder. `write`: to move what is in it. @throws {StoreError} where it is gone. */
export async function openFolder(
  client: ImapFlow,
  path: string,
  write = false,
): Promise<{ uidValidity: number; modSeq: bigint | null }> {
  const box = await client.mailboxOpen(path, { readOnly: !write })
  if (write && box.readOnly === true) throw new StoreError('refused', `${path}: read only`)
  return { uidValidity: Number(box.uidValidity), modSeq: modSeqOf(box.highestModseq) }
}
