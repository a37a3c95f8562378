import { readFile } from 'node:fs/promises'
import { isIP } from 'node:net'
import type { ConnectionOptions } from 'node:tls'
import { Client, FilterParser, InvalidCredentialsError, NoSuchObjectError, type Entry } from 'ldapts'
import type { DirectoryLine } from '@pendro/core/directory'
import type { DirectorySetting } from '../db/models/shapes.ts'

/** Why a directory could not be read, by the name of its sentence. */
export type LdapProblem =
  | 'unreachable'
  | 'no-ca'
  | 'no-tls'
  | 'not-let-in'
  | 'no-base'
  | 'bad-filter'
  | 'too-many'
  | 'too-slow'
  | 'nobody'

export class LdapFailure extends Error {
  readonly problem: LdapProblem
  constructor(problem: LdapProblem) {
    super(problem)
    this.problem = problem
  }
}

/** RFC 2696: pages keep an answer small on both sides. */
const pageSize = 500
/** More people than this have no one mail organisation; the rest would be closed by mistake. */
const mostEntries = 100_000
const mostValues = 5000
const operationTime = 30_000
const wholeTime = 10 * 60_000

/** A wanted mailbox with what the directory calls it by for good (entryUUID, RFC 4530). */
export type DirectoryPerson = DirectoryLine & { readonly directoryId: string }

/**
 * Everybody with an address in a directory (RFC 4511), and groups as shared mailboxes with their members as minders. Referrals are not
 * followed, and counted: what another server has is another's to say. Bounded in entries, values and time.
 * @throws {LdapFailure}
 */
export async function readLdap(
  setting: DirectorySetting,
  { password, ca }: LdapAccess,
): Promise<{ readonly people: readonly DirectoryPerson[]; readonly elsewhere: number }> {
  const trust = await trustOf(setting, ca)
  const client = new Client({
    url: setting.url,
    timeout: operationTime,
    connectTimeout: 10_000,
    strictDN: false,
    ...(setting.url.toLowerCase().startsWith('ldaps:') && { tlsOptions: trust }),
  })
  // A name without a password is let in as nobody (RFC 4513 §5.1.2), and nobody sees but a part.
  if (setting.bindDn !== '' && password === '') throw new LdapFailure('not-let-in')
  const deadline = Date.now() + wholeTime
  for (const filter of [setting.people, setting.groups]) checkFilter(filter)
  try {
    if (setting.startTls) await client.startTLS(trust).catch(refuse('no-tls'))
    await client.bind(setting.bindDn, password).catch((error: unknown) => {
      throw new LdapFailure(
        error instanceof InvalidCredentialsError ? 'not-let-in' : reasonOf(error, 'unreachable'),
      )
    })
    const people = await readAll(client, setting, setting.people, deadline)
    const groups = setting.groups === '' ? nothing : await readAll(client, setting, setting.groups, deadline)
    // Nobody at all is a directory that does not show them, and not an organisation without people.
    if (people.entries.length === 0) throw new LdapFailure('nobody')
    return {
      people: linesOf(people.entries, groups.entries, setting),
      elsewhere: Math.max(people.elsewhere, groups.elsewhere),
    }
  } finally {
    await client.unbind().catch(() => undefined)
  }
}

/** What the process knows and no setting says. */
export interface LdapAccess {
  /** Of PENDRO_DIRECTORY_PASSWORD. */
  readonly password: string
  /** File of PENDRO_DIRECTORY_CA; '' for those that are trusted anyway. */
  readonly ca: string
}

/** Whose certificate is believed, and for which name: that of the setting, whatever the other side calls itself (RFC 4513 §3.1.3). */
async function trustOf({ url }: DirectorySetting, ca: string): Promise<ConnectionOptions> {
  const host = new URL(url).hostname.replace(/^\[|\]$/g, '')
  const signed =
    ca === ''
      ? {}
      : {
          ca: await readFile(ca).catch(() => {
            throw new LdapFailure('no-ca')
          }),
        }
  // An address in numbers is no server name (RFC 6066 §3); its certificate names it all the same.
  return { host, ...(isIP(host) === 0 && { servername: host }), ...signed }
}

/** Asked before anybody is called: a filter that is none is our own mistake (RFC 4515). */
function checkFilter(filter: string): void {
  if (filter === '') return
  try {
    FilterParser.parseString(filter)
  } catch {
    throw new LdapFailure('bad-filter')
  }
}

const refuse = (problem: LdapProblem) => () => {
  throw new LdapFailure(problem)
}

const reasonOf = (error: unknown, otherwise: LdapProblem): LdapProblem =>
  /timeout|timed out/i.test(error instanceof Error ? error.message : '') ? 'too-slow' : otherwise

/** `elsewhere`: parts of the directory that other servers hold. */
interface Found {
  readonly entries: readonly Entry[]
  readonly elsewhere: number
}
const nothing: Found = { entries: [], elsewhere: 0 }

async function readAll(
  client: Client,
  { base, attributes }: DirectorySetting,
  filter: string,
  deadline: number,
): Promise<Found> {
  const found: Entry[] = []
  const elsewhere = new Set<string>()
  const wanted = Object.values(attributes).filter(name => name !== undefined && name !== '')
  try {
    const pages = client.searchPaginated(base, {
      scope: 'sub',
      filter,
      attributes: [...wanted, 'entryUUID'],
      derefAliases: 'never',
      paged: { pageSize },
    })
    for await (const { searchEntries, searchReferences } of pages) {
      found.push(...searchEntries)
      for (const reference of searchReferences) elsewhere.add(String(reference))
      if (found.length > mostEntries) throw new LdapFailure('too-many')
      if (Date.now() > deadline) throw new LdapFailure('too-slow')
    }
  } catch (error) {
    if (error instanceof LdapFailure) throw error
    if (error instanceof NoSuchObjectError) throw new LdapFailure('no-base')
    throw new LdapFailure(reasonOf(error, 'unreachable'))
  }
  return { entries: found, elsewhere: elsewhere.size }
}

/** Values of an attribute as text; names of attributes have no case (RFC 4512 §2.5). */
function valuesOf(entry: Entry, name: string): readonly string[] {
  if (name === '') return []
  const key = Object.keys(entry).find(one => one.toLowerCase() === name.toLowerCase())
  const value = key === undefined ? [] : entry[key]
  const list = Array.isArray(value) ? value : value === undefined ? [] : [value]
  return list.slice(0, mostValues).flatMap(one => {
    const text = (typeof one === 'string' ? one : one.toString('utf8')).trim()
    return text === '' ? [] : [text.slice(0, 1000)]
  })
}

/** 'SMTP:' and 'smtp:' stand before addresses in some directories; the capital one is the first of them. */
const withoutScheme = (text: string) => text.replace(/^smtp:/i, '')

const sameName = (dn: string) => dn.toLowerCase().replace(/\s*,\s*/g, ',')

const languages: Readonly<Record<string, string>> = { no: 'nb', nn: 'nb' }

function linesOf(
  people: readonly Entry[],
  groups: readonly Entry[],
  { attributes }: DirectorySetting,
): readonly DirectoryPerson[] {
  const addressOf = (entry: Entry) => withoutScheme(valuesOf(entry, attributes.address)[0] ?? '')
  const byName = new Map(people.map(entry => [sameName(entry.dn), addressOf(entry)]))
  return [
    ...people.map(entry => ({ entry, kind: 'person' })),
    ...groups.map(entry => ({ entry, kind: 'shared' })),
  ].map(({ entry, kind }, i) => {
    const first = (name: string) => valuesOf(entry, name)[0]
    const spoken = first(attributes.language)?.slice(0, 2).toLowerCase()
    const language = spoken === undefined ? undefined : (languages[spoken] ?? spoken)
    const aliases = valuesOf(entry, attributes.aliases)
      .filter(text => !text.includes(':') || /^smtp:/i.test(text))
      .map(withoutScheme)
    const minders = valuesOf(entry, attributes.members).flatMap(dn => byName.get(sameName(dn)) || [])
    return {
      line: i + 1,
      directoryId: first('entryUUID') ?? sameName(entry.dn).slice(0, 200),
      address: addressOf(entry),
      fields: {
        kind,
        name: first(attributes.name) ?? '',
        ...(attributes.department === '' || kind === 'shared'
          ? {}
          : { department: first(attributes.department) ?? '' }),
        // One that digests are not written in is none of the directory's business.
        ...(language !== undefined && ['en', 'nb', 'de', 'pl'].includes(language) ? { language } : {}),
        ...((attributes.store ?? '') === '' ? {} : { store: first(attributes.store ?? '') ?? '' }),
        ...(attributes.aliases === '' ? {} : { aliases: aliases.join(' ') }),
        ...(kind === 'shared' ? { minders: minders.join(' ') } : {}),
      },
    }
  })
}
