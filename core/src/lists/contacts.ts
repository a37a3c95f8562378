import { addressText, withoutTag } from '../address/index.ts'
import type { FileProblem, LineProblem } from './line.ts'
import { readList } from './read.ts'

/** A file somebody keeps addresses in. */
export interface AddressBook {
  readonly bytes: Uint8Array
  readonly name: string
}

/** What an address book says. */
export interface ReadContacts {
  /** Each once, without tags. */
  readonly addresses: readonly string[]
  /** Lines that name no address, as they stand there. `lines`: of how many. */
  readonly left: readonly {
    readonly line: number
    readonly typed: string
    readonly why: LineProblem['code'] | 'no-address'
  }[]
  readonly leftLines: number
  /** Why nothing of the file can be read. */
  readonly problem: FileProblem['code'] | 'too-many' | null
}

/** More than anybody knows. */
export const mostContacts = 20_000
const mostTold = 50

/** The addresses of contacts (vCard, RFC 6350), or of any list of senders; whole domains are nobody's contact. */
export function readContacts({ bytes, name }: AddressBook): ReadContacts {
  const nothing = { addresses: [], left: [], leftLines: 0 }
  const read = readList(bytes, { name })
  if (!read.ok) return { ...nothing, problem: read.problem.code }
  const addresses = new Set<string>()
  const left: ReadContacts['left'][number][] = []
  let leftLines = 0
  for (const { line, typed, entry } of read.value.lines) {
    if (entry.ok && entry.value.pattern.kind === 'address') {
      addresses.add(addressText(withoutTag(entry.value.pattern.address)))
      continue
    }
    leftLines += 1
    if (left.length < mostTold) left.push({ line, typed, why: entry.ok ? 'no-address' : entry.problem.code })
  }
  if (addresses.size > mostContacts) return { ...nothing, problem: 'too-many' }
  return { addresses: [...addresses].sort(), left, leftLines, problem: null }
}
