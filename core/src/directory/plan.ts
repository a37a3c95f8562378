import { addressText, parseAddress, withoutTag } from '../address/index.ts'
import { isTimeZone } from '../calendar/index.ts'
import {
  directoryFields,
  type DirectoryEntry,
  type DirectoryField,
  type DirectoryLine,
  type DirectoryProblem,
  type KnownMailbox,
} from './entry.ts'

/** What becomes of one line. */
export type LineAnswer =
  | {
      readonly line: number
      readonly fate: 'wrong'
      readonly address: string
      readonly problem: DirectoryProblem
    }
  | { readonly line: number; readonly fate: 'same' | 'add'; readonly address: string }
  | {
      readonly line: number
      readonly fate: 'change' | 'reopen'
      readonly address: string
      readonly fields: readonly DirectoryField[]
    }

/** What lines come to; nothing of a line that is wrong is done. */
export interface DirectoryPlan {
  readonly answers: readonly LineAnswer[]
  readonly add: readonly DirectoryEntry[]
  /** With what they are afterwards; a closed one that is named is open again. */
  readonly change: readonly { readonly id: number; readonly to: DirectoryEntry; readonly reopens: boolean }[]
  /** Open mailboxes that no line names, where the lines are all there are. */
  readonly close: readonly number[]
}

export interface DirectoryContext {
  readonly ownDomains: readonly string[]
  /** Pendro's own addresses, which are nobody's mailbox. */
  readonly ofPendro?: readonly string[]
  /** The address that mail about our mail goes to; its mailbox keeps it. */
  readonly postmaster?: string | null
  /** What a new mailbox gets where its line says nothing. */
  readonly usual: Pick<DirectoryEntry, 'timeZone' | 'language'>
  /** Numbers of the open mailboxes that are closed when no line names them; none by default. */
  readonly missing?: ReadonlySet<number>
}

const longest: Readonly<Record<DirectoryField, number>> = {
  name: 200,
  kind: 20,
  department: 100,
  timeZone: 64,
  language: 20,
  aliases: 20_000,
  minders: 20_000,
  store: 60,
}

interface Read {
  readonly line: DirectoryLine
  readonly address: string
  readonly known: KnownMailbox | null
  readonly to: DirectoryEntry
}

/**
 * Compares wanted mailboxes with those there are. Each line has an answer; addresses are one mailbox's alone, over all lines and what is
 * there; minders may be mailboxes that come with the same lines. Planning what a plan has done comes to nothing.
 */
export function planDirectory(
  lines: readonly DirectoryLine[],
  known: readonly KnownMailbox[],
  context: DirectoryContext,
): DirectoryPlan {
  const answers = new Map<DirectoryLine, LineAnswer>()
  const wrong = (line: DirectoryLine, address: string, problem: DirectoryProblem) =>
    answers.set(line, { line: line.line, fate: 'wrong', address, problem })

  const byAny = new Map(known.flatMap(one => [one.address, ...one.aliases].map(text => [text, one] as const)))
  let read = readLines(lines, { known, byAny, context }, wrong)
  // A line that falls away may take a minder with it, or leave what it would have given up where it is.
  for (let before = -1; before !== read.length;) {
    before = read.length
    read = withMinders(withoutDoubles(read, byAny, wrong), byAny, wrong)
  }

  const add: DirectoryEntry[] = []
  const change: DirectoryPlan['change'][number][] = []
  for (const { line, address, known: there, to } of read) {
    if (there === null) {
      add.push(to)
      answers.set(line, { line: line.line, fate: 'add', address })
      continue
    }
    const fields = directoryFields.filter(field => !alike(there[field], to[field]))
    const isRenamed = there.address !== to.address
    if (!there.isClosed && fields.length === 0 && !isRenamed) {
      answers.set(line, { line: line.line, fate: 'same', address })
      continue
    }
    change.push({ id: there.id, to, reopens: there.isClosed })
    answers.set(line, { line: line.line, fate: there.isClosed ? 'reopen' : 'change', address, fields })
  }
  const named = new Set(read.flatMap(one => one.known?.id ?? []))
  // Whoever is named by a line that is wrong is not missing.
  for (const line of lines) {
    const parsed = parseAddress(line.address)
    const there = parsed.ok ? byAny.get(addressText(parsed.value)) : undefined
    if (there) named.add(there.id)
  }
  const close = known.filter(({ id, isClosed }) => !isClosed && context.missing?.has(id) && !named.has(id))
  return {
    answers: lines.flatMap(line => answers.get(line) ?? []),
    add,
    change,
    close: close.map(({ id }) => id),
  }
}

interface Beside {
  readonly known: readonly KnownMailbox[]
  readonly byAny: ReadonlyMap<string, KnownMailbox>
  readonly context: DirectoryContext
}

/** Lines that can be read, each with the mailbox it is about. */
function readLines(lines: readonly DirectoryLine[], { known, byAny, context }: Beside, wrong: Wrong): Read[] {
  const byId = new Map(known.map(one => [one.id, one]))
  const byAddress = new Map(known.map(one => [one.address, one]))
  const all = lines.map(line => {
    const address = ownAddress(line.address, context.ownDomains)
    const there = byId.get(line.id ?? 0) ?? (typeof address === 'string' ? byAddress.get(address) : undefined)
    return { line, address, there }
  })
  const claimed = new Set(all.map(({ there }) => there?.id))
  return all.flatMap(({ line, address, there }) => {
    if (typeof address !== 'string') {
      wrong(line, line.address, address)
      return []
    }
    // An alias that is named as an address belongs to whoever has it, unless that is somebody else.
    const holder = byAny.get(address)
    const same = holder && !claimed.has(holder.id) && !areTwo(line, holder) ? holder : null
    const mailbox = there ?? same
    const to = entryOf(line, address, mailbox, context)
    if ('code' in to) {
      wrong(line, address, to)
      return []
    }
    return [{ line, address, known: mailbox, to }]
  })
}

/** The directory knows both, by different names. */
const areTwo = (line: DirectoryLine, { directoryId }: KnownMailbox): boolean =>
  typeof line.directoryId === 'string' && typeof directoryId === 'string' && line.directoryId !== directoryId

function ownAddress(text: string, ownDomains: readonly string[]): string | DirectoryProblem {
  const parsed = parseAddress(text.trim())
  if (!parsed.ok) return { code: 'no-address', text }
  // Mail to a tag is resolved without it: a mailbox by such a name would never be reached.
  const address = addressText(withoutTag(parsed.value))
  return ownDomains.includes(parsed.value.domain) ? address : { code: 'not-ours', text }
}

/** A line over what is there, or over the usual. */
function entryOf(
  { fields }: DirectoryLine,
  address: string,
  there: KnownMailbox | null,
  context: DirectoryContext,
): DirectoryEntry | DirectoryProblem {
  const { ownDomains, usual } = context
  for (const field of directoryFields) {
    const text = fields[field]
    if (text !== undefined && text.length > longest[field])
      return { code: 'too-long', text: `${text.slice(0, 60)}…` }
  }
  const kind = readKind(fields.kind ?? there?.kind ?? 'person')
  if (kind === null) return { code: 'no-kind', text: fields.kind ?? '' }
  const timeZone = fields.timeZone || (there?.timeZone ?? usual.timeZone)
  if (!isTimeZone(timeZone)) return { code: 'no-zone', text: timeZone }
  const language = (fields.language || (there?.language ?? usual.language)).toLowerCase()
  if (!languages.has(language)) return { code: 'no-language', text: language }
  const aliases =
    fields.aliases === undefined ? (there?.aliases ?? []) : readAddresses(fields.aliases, ownDomains)
  if ('code' in aliases) return aliases
  const minders =
    fields.minders === undefined ? (there?.minders ?? []) : readAddresses(fields.minders, ownDomains)
  if ('code' in minders) return minders
  const misfit = misfitOf([address, ...aliases], there, context)
  if (misfit) return misfit
  return {
    address,
    name: oneLine(fields.name ?? '') || (there?.name ?? address),
    kind,
    department: oneLine(fields.department ?? there?.department ?? ''),
    timeZone,
    language,
    aliases: aliases.filter(alias => alias !== address),
    minders: minders.filter(minder => minder !== address),
    ...storeIn(oneLine(fields.store ?? there?.store ?? '')),
  }
}

/** Most mailboxes have none, and say nothing of it. */
const storeIn = (store: string) => (store === '' ? {} : { store })

/** What is wrong with the addresses of a mailbox, beside those that are Pendro's. */
function misfitOf(
  addresses: readonly string[],
  there: KnownMailbox | null,
  { ofPendro = [], postmaster }: DirectoryContext,
): DirectoryProblem | null {
  const text = addresses.find(address => ofPendro.includes(address))
  if (text !== undefined) return { code: 'of-pendro', text }
  const hasPostmaster = there && postmaster && [there.address, ...there.aliases].includes(postmaster)
  return hasPostmaster && !addresses.includes(postmaster) ? { code: 'postmaster', text: postmaster } : null
}

/** Languages digests are written in. */
const languages: ReadonlySet<string> = new Set(['en', 'nb', 'de', 'pl'])

const kinds: Readonly<Record<string, DirectoryEntry['kind']>> = {
  person: 'person',
  user: 'person',
  shared: 'shared',
  group: 'shared',
  list: 'list',
}
const readKind = (text: string): DirectoryEntry['kind'] | null => {
  const kind = text.trim().toLowerCase()
  return Object.hasOwn(kinds, kind) ? (kinds[kind] ?? null) : kind === '' ? 'person' : null
}

const oneLine = (text: string) => text.replace(/[\p{Cc}\s]+/gu, ' ').trim()

/** Some addresses, parted by spaces, commas or semicolons; each once, in order. */
function readAddresses(text: string, ownDomains: readonly string[]): readonly string[] | DirectoryProblem {
  const found = new Set<string>()
  for (const part of text.split(/[\s,;]+/).filter(one => one !== '')) {
    const address = ownAddress(part, ownDomains)
    if (typeof address !== 'string') return address
    found.add(address)
  }
  return [...found].sort()
}

type Wrong = (line: DirectoryLine, address: string, problem: DirectoryProblem) => void

/** Of lines that want one address the first has it; what is another mailbox's stays its own. */
function withoutDoubles(
  read: readonly Read[],
  byAny: ReadonlyMap<string, KnownMailbox>,
  wrong: Wrong,
): Read[] {
  const wanted = new Map<string, Read>()
  /** Mailboxes that a line says anew: what they had and do not name any more is free. */
  const renewed = new Map(read.flatMap(one => (one.known ? [[one.known.id, one] as const] : [])))
  return read.filter(one => {
    for (const text of [one.address, ...one.to.aliases]) {
      const other = wanted.get(text)
      if (other) {
        wrong(one.line, one.address, { code: 'twice', text, line: other.line.line })
        return false
      }
      const owner = byAny.get(text)
      const isFree =
        owner === undefined ||
        owner.id === one.known?.id ||
        // Given up by a line of the same list.
        ![
          renewed.get(owner.id)?.address,
          ...(renewed.get(owner.id)?.to.aliases ?? [owner.address, ...owner.aliases]),
        ].includes(text)
      if (!isFree) {
        wrong(one.line, one.address, { code: 'taken', text, by: owner?.address ?? '' })
        return false
      }
    }
    for (const text of [one.address, ...one.to.aliases]) wanted.set(text, one)
    return true
  })
}

/** Minders are mailboxes, of the same lines or there before; by an alias, whoever has it. */
function withMinders(read: readonly Read[], byAny: ReadonlyMap<string, KnownMailbox>, wrong: Wrong): Read[] {
  const coming = new Map(
    read.flatMap(one => [one.address, ...one.to.aliases].map(text => [text, one.address])),
  )
  const nameOf = (text: string) => coming.get(text) ?? byAny.get(text)?.address
  return read.flatMap(one => {
    const missing = one.to.minders.find(text => nameOf(text) === undefined)
    if (missing !== undefined) {
      wrong(one.line, one.address, { code: 'no-minder', text: missing })
      return []
    }
    const minders = [...new Set(one.to.minders.flatMap(text => nameOf(text) ?? []))].sort()
    return [{ ...one, to: { ...one.to, minders: minders.filter(text => text !== one.address) } }]
  })
}

const alike = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)
