import { promisify } from 'node:util'
import { gunzip } from 'node:zlib'
import { readDomain, type DomainRecords, type DomainSays, type Found } from '@pendro/core/doors'
import type { Resolve } from '@pendro/core/authentication'
import { select, type Database } from '../db/database.ts'
import { organisationNow } from '../db/organisation.ts'

const unpack = promisify(gunzip) as (packed: Buffer) => Promise<Buffer>

/** Of an organisation with more, the first are looked up. */
const mostDomains = 20
/** Messages of our own whose signatures are looked at for selectors. */
const mostLetters = 20
const largest = 200_000

/** What DNS says of each own domain; keys are those that mail of ours was signed with. */
export async function domainsSay(
  db: Database,
  resolve: Resolve,
): Promise<readonly (DomainSays & { readonly domain: string })[]> {
  const organisation = await organisationNow(db)
  const domains = (organisation?.policy.ownDomains ?? []).slice(0, mostDomains)
  const selectors = await selectorsSeen(db)
  return Promise.all(
    domains.map(async domain => ({
      domain,
      ...readDomain(await lookUp(resolve, domain, selectors.get(domain) ?? [])),
    })),
  )
}

async function lookUp(
  resolve: Resolve,
  domain: string,
  selectors: readonly string[],
): Promise<DomainRecords> {
  const texts = (name: string) => found(resolve, name, 'TXT', joined)
  const [mx, txt, dmarc, ...keys] = await Promise.all([
    found(resolve, domain, 'MX', records => records as { exchange: string; priority: number }[]),
    texts(domain),
    texts(`_dmarc.${domain}`),
    ...selectors.map(selector => texts(`${selector}._domainkey.${domain}`)),
  ])
  return {
    mx,
    txt,
    dmarc,
    keys: selectors.map((selector, i) => ({ selector, txt: keys[i] ?? { state: 'failed' } })),
  }
}

/** A record's strings are one text (RFC 7208 §3.3). */
const joined = (records: unknown): string[] => (records as string[][]).map(parts => parts.join(''))

async function found<T>(
  resolve: Resolve,
  name: string,
  type: string,
  read: (records: unknown) => readonly T[],
): Promise<Found<T>> {
  try {
    const values = read(await resolve(name, type))
    return values.length === 0 ? { state: 'none' } : { state: 'found', values }
  } catch (error) {
    const { code } = error as { code?: string }
    return { state: code === 'ENOTFOUND' || code === 'ENODATA' ? 'none' : 'failed' }
  }
}

/** Selectors of the signatures (RFC 6376 §3.5) on the newest mail that went out, by domain. */
async function selectorsSeen(db: Database): Promise<ReadonlyMap<string, readonly string[]>> {
  const rows = await select<{ gzip: Buffer }>(
    db,
    `SELECT s.gzip FROM (SELECT id FROM messages WHERE direction = 'out' ORDER BY received_at DESC LIMIT ${mostLetters}) newest
     JOIN messages m ON m.id = newest.id JOIN message_sources s ON s.message_id = m.id WHERE m.size <= ${largest}`,
  )
  const seen = new Map<string, Set<string>>()
  for (const { gzip } of rows)
    for (const [domain, selector] of signaturesIn(await unpack(gzip))) {
      const known = seen.get(domain) ?? new Set<string>()
      seen.set(domain, known.add(selector))
    }
  return new Map([...seen].map(([domain, selectors]) => [domain, [...selectors].slice(0, 5)]))
}

function signaturesIn(raw: Buffer): (readonly [domain: string, selector: string])[] {
  const text = raw.toString('latin1')
  const end = text.search(/\r?\n\r?\n/)
  const fields = (end < 0 ? text : text.slice(0, end)).match(/^dkim-signature:.*(?:\r?\n[ \t].*)*/gim) ?? []
  return fields.flatMap(field => {
    const tag = (name: string) =>
      new RegExp(`[:;\\s]${name}\\s*=\\s*([\\w.-]{1,253})`, 'i').exec(field)?.[1]?.toLowerCase()
    const [domain, selector] = [tag('d'), tag('s')]
    return domain && selector ? [[domain, selector] as const] : []
  })
}
