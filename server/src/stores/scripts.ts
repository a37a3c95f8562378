import { activeScript, storeScripts, type FilingFolders } from '@pendro/core/mail-rules'
import type { FoundScripts, KeptScripts, PutScripts } from '../db/models/stores.ts'
import { StoreError } from './imap.ts'
import type { ManageSieve } from './manage-sieve.ts'

/** What is to be kept of a mailbox: its rules and reply as a script, and where its mail is filed. */
export interface WantedScripts {
  readonly rules: string
  readonly folders: FilingFolders
}

/** The scripts of a mailbox as they are, and the names of all others. */
export interface Looked {
  readonly found: FoundScripts
  readonly others: readonly string[]
}

/** What Pendro knows of having put there. */
export interface Known {
  readonly kept: KeptScripts | null
  /** Begun, and not known to have ended. */
  readonly putting: PutScripts | null
}

/** How what is found stands to what Pendro put there. */
export type Standing =
  /** As Pendro left it, or not begun yet: it may be written. */
  | 'ours'
  /** Somebody wrote or removed a script of ours, or had one of that name: a person has to decide. */
  | 'changed'
  /** Another script is run. */
  | 'not-run'

const mostScripts = 1000
/** RFC 5804 §1.6: a server takes names of 128 characters, and may take longer ones. */
const longestName = 512
const { active, rules } = storeScripts

/** @throws {StoreError} */
export async function readScripts(session: ManageSieve): Promise<Looked> {
  const all = await session.list()
  if (all.length > mostScripts) throw new StoreError('nonsense', `${all.length} scripts`)
  if (all.some(({ name }) => name.length > longestName))
    throw new StoreError('nonsense', 'a name is too long')
  const names = new Set(all.map(({ name }) => name))
  const read = async (name: string) => (names.has(name) ? unixLines(await session.read(name)) : null)
  return {
    found: {
      rules: await read(rules),
      active: await read(active),
      runs: all.find(({ isActive }) => isActive)?.name ?? '',
    },
    others: [...names].filter(name => name !== rules && name !== active),
  }
}

const unixLines = (script: string | null): string | null => script?.replaceAll('\r\n', '\n') ?? null

/** How a mailbox stands; nothing of what a person wrote counts as ours. */
export function standingOf(
  { kept, putting }: Known,
  { found, others }: Looked,
  wanted: WantedScripts,
): Standing {
  const isOurs = (part: 'rules' | 'active') =>
    [kept, putting].some(one => one !== null && one[part] === found[part]) ||
    // Not begun, or begun and killed before it was there.
    (kept === null && found[part] === null)
  if (!isOurs('rules') || !isOurs('active')) return isAsWanted(found, others, wanted) ? 'ours' : 'changed'
  if (kept === null || found.runs === active) return 'ours'
  // Killed before it had ours run: what was run before still is.
  return putting !== null && found.runs === putting.ran ? 'ours' : 'not-run'
}

/** A database that was put back from a copy finds what it does not remember. */
const isAsWanted = (found: FoundScripts, others: readonly string[], wanted: WantedScripts): boolean =>
  found.runs === active &&
  found.rules === wanted.rules &&
  ['', ...others].some(own => activeScript(wanted.folders, own) === found.active)

/** The colleague’s own script: the one that is run instead of ours, else the one that ours has run so far; '' for none. */
export function ownScript({ kept, putting }: Known, { found, others }: Looked): string {
  if (found.runs !== '' && found.runs !== active && found.runs !== rules) return found.runs
  const own = kept?.own ?? putting?.own ?? ''
  return others.includes(own) ? own : ''
}

/**
 * What a person replaces. Of an act that broke off in the middle part is Pendro’s already: what stood there before that act is what can be
 * brought back.
 */
export function replacedBy({ putting }: Known, { found }: Looked): FoundScripts {
  const before = putting?.was ?? null
  if (putting === null || before === null) return found
  const isPut = (part: 'rules' | 'active') => found[part] === putting[part]
  return {
    rules: isPut('rules') ? before.rules : found.rules,
    active: isPut('active') ? before.active : found.active,
    runs: found.runs === active && isPut('active') ? before.runs : found.runs,
  }
}

/** What is put for a mailbox. */
export const scriptsFor = (
  wanted: WantedScripts,
  own: string,
): KeptScripts & { readonly rules: string; readonly active: string } => ({
  rules: wanted.rules,
  active: activeScript(wanted.folders, own),
  own,
})

/** Whether nothing is left to do. */
export const isInPlace = (found: FoundScripts, wanted: KeptScripts): boolean =>
  found.rules === wanted.rules && found.active === wanted.active && found.runs === active

/** Puts both scripts and has ours run; how they read then. The server checks each first (RFC 5804 §2.12). @throws {StoreError} */
export async function putScripts(
  session: ManageSieve,
  wanted: ReturnType<typeof scriptsFor>,
): Promise<KeptScripts> {
  const missing = neededBy(`${wanted.rules}${wanted.active}`).filter(name => !session.extensions.has(name))
  if (missing.length > 0) throw new StoreError('refused', `Sieve without ${missing.join(', ')}`)
  // Rules first: the other includes them.
  for (const [name, script] of [
    [rules, wanted.rules],
    [active, wanted.active],
  ] as const) {
    await session.check(script)
    await session.put(name, script)
  }
  await session.activate(active)
  const { found } = await readScripts(session)
  if (!isSame(found.rules, wanted.rules) || !isSame(found.active, wanted.active) || found.runs !== active)
    throw new StoreError('nonsense', 'the scripts read back differently')
  return { rules: found.rules, active: found.active, own: wanted.own }
}

/** A server may keep line ends its own way. */
const isSame = (found: string | null, put: string): boolean =>
  found !== null && found.replace(/\s+/g, ' ').trim() === put.replace(/\s+/g, ' ').trim()

/** Takes both scripts out; the colleague’s own is run again. @throws {StoreError} */
export async function takeOutScripts(session: ManageSieve, { found }: Looked, own: string): Promise<void> {
  if (found.runs === active || found.runs === rules) await session.activate(own)
  for (const [name, script] of [
    [active, found.active],
    [rules, found.rules],
  ] as const)
    if (script !== null) await session.remove(name)
}

/** Brings back what was there before. @throws {StoreError} */
export async function bringBackScripts(session: ManageSieve, was: FoundScripts): Promise<void> {
  if (was.rules !== null) await session.put(rules, was.rules)
  if (was.active !== null) await session.put(active, was.active)
  await session.activate(was.runs)
  if (was.active === null) await session.remove(active)
  if (was.rules === null) await session.remove(rules)
}

/** Extensions that scripts of ours ask for (RFC 5228 §3.2). */
const neededBy = (script: string): readonly string[] => [
  ...new Set(
    [...script.matchAll(/^require \[([^\]\n]*)\];$/gm)].flatMap(([, names = '']) =>
      [...names.matchAll(/"([^"]*)"/g)].flatMap(([, name = '']) => (name === '' ? [] : [name])),
    ),
  ),
]
