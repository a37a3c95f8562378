import { arc as checkArc } from 'mailauth/lib/arc/index.js'
import { dkimVerify } from 'mailauth/lib/dkim/verify.js'
import { covers, isSameOrganisation, parseDomain } from '../address/index.ts'
import type { AuthResult } from '../senders/index.ts'
import { isPermanent, isVoid, type Resolve } from './resolve.ts'
import { parseAuthenticationResults, toAuthentication } from './results.ts'

interface Given {
  readonly raw: Uint8Array
  readonly fromDomain: string
  readonly resolve: Resolve
  /** Epoch ms. */
  readonly now: number
}

/** What became of one signature. */
export interface SignatureResult {
  readonly result: AuthResult
  /** A-label of d=; '' where it can't be read. */
  readonly domain: string
  readonly note: string
}

/** What an ARC chain (RFC 8617) says: who sealed last, and what they had found out. */
export interface ArcResult {
  readonly result: AuthResult
  /** A-label of the newest seal's d=. */
  readonly sealer: string
  /** From the newest ARC-Authentication-Results; only worth something when the sealer is named by the organisation. */
  readonly claims: ReturnType<typeof toAuthentication> | null
}

/** Signatures that are verified at most; more are noise or an attack. */
const mostSignatures = 8
const mostFields = 1000
/** A signature field longer than this is none. */
const longestField = 8 * 1024
/** Clocks differ by so much (RFC 6376 §3.5, t=: implementations may allow for drift). */
const drift = 10 * 60_000

interface Field {
  readonly name: string
  /** With its name and line end, as it came. */
  readonly bytes: Buffer
}

interface Split {
  readonly fields: readonly Field[]
  readonly body: Buffer
}

/** Header fields with their folded lines, and the rest from the empty line on. One pass. */
function splitMessage(message: Buffer): Split {
  const fields: Field[] = []
  let at = 0
  let from = 0
  const close = (to: number) => {
    if (to <= from) return
    const bytes = message.subarray(from, to)
    const colon = bytes.indexOf(0x3a)
    if (colon > 0)
      fields.push({
        name: bytes.subarray(0, Math.min(colon, 100)).toString('latin1').trim().toLowerCase(),
        bytes,
      })
    else if (fields.length === 0) fields.push({ name: '', bytes })
  }
  while (at < message.length) {
    const end = message.indexOf(0x0a, at)
    const next = end < 0 ? message.length : end + 1
    const isEmpty = next - at <= 2 && message.subarray(at, next).toString('latin1').trim() === ''
    const continues = message[at] === 0x20 || message[at] === 0x09
    if (isEmpty || !continues) {
      close(at)
      from = at
    }
    if (isEmpty) return { fields, body: message.subarray(at) }
    at = next
  }
  close(message.length)
  return { fields, body: Buffer.from('\r\n') }
}

/** The tag list of RFC 6376 §3.2; `null` where a tag stands twice or the grammar breaks. */
function parseTags(value: string): ReadonlyMap<string, string> | null {
  const tags = new Map<string, string>()
  for (const part of value.split(';')) {
    if (part.trim() === '') continue
    const equals = part.indexOf('=')
    if (equals < 0) return null
    const name = part.slice(0, equals).trim()
    if (!/^[a-z]\w*$/i.test(name) || tags.has(name)) return null
    tags.set(name, part.slice(equals + 1).replace(/\s+/g, ''))
  }
  return tags
}

interface Signature {
  readonly field: Field
  readonly domain: string
  readonly selector: string
  readonly signature: string
  /** Why it does not count, before anything is computed; '' when it may. */
  readonly why: string
  readonly identity: string
}

function readSignature(field: Field, now: number): Signature {
  const refused = (why: string, domain = ''): Signature => ({
    field,
    domain,
    selector: '',
    signature: '',
    identity: '',
    why,
  })
  if (field.bytes.length > longestField) return refused('field too long')
  const text = field.bytes.toString('latin1')
  const tags = parseTags(text.slice(text.indexOf(':') + 1))
  if (tags === null) return refused('broken tag list')
  const tag = (name: string) => tags.get(name) ?? ''
  const parsed = parseDomain(tag('d'))
  if (!parsed.ok) return refused(`d=${tag('d').slice(0, 80)}`)
  const domain = parsed.value
  const plain = { field, domain, selector: tag('s').toLowerCase(), signature: tag('b'), identity: tag('i') }
  const why = findFault(tags, plain, now)
  return { ...plain, why }
}

/** RFC 6376 §3.5 and §6.1.1, RFC 8301 (no rsa-sha1), and what Pendro asks beyond: From signed, no l=. */
function findFault(
  tags: ReadonlyMap<string, string>,
  { domain, selector, identity }: Pick<Signature, 'domain' | 'selector' | 'identity'>,
  now: number,
): string {
  const tag = (name: string) => tags.get(name) ?? ''
  if (tag('v') !== '1') return 'v= is not 1'
  if (!['rsa-sha256', 'ed25519-sha256'].includes(tag('a').toLowerCase())) return `a=${tag('a').slice(0, 40)}`
  if (tag('b') === '' || tag('bh') === '') return 'b= or bh= is missing'
  if (tags.has('l')) return 'l= leaves the rest of the body unsigned'
  const signed = tag('h').toLowerCase().split(':')
  if (!signed.includes('from')) return 'From is not signed'
  if (signed.includes('dkim-signature')) return 'signs other signatures'
  const labels = selector.split('.')
  if (selector === '' || labels.some(label => label === '' || label.length > 63 || !/^[\w-]+$/.test(label)))
    return 's= is no name'
  if (identity !== '') {
    const of = parseDomain(identity.slice(identity.lastIndexOf('@') + 1))
    if (!of.ok || !covers(domain, of.value)) return 'i= is not within d='
  }
  const time = (name: string) => (/^\d{1,12}$/.test(tag(name)) ? Number(tag(name)) * 1000 : null)
  if (tags.has('t') && (time('t') ?? Infinity) > now + drift) return 't= is in the future'
  if (tags.has('x')) {
    const until = time('x')
    if (until === null || until <= (time('t') ?? 0)) return 'x= is not after t='
    if (until < now) return 'x= has passed'
  }
  const query = tag('q') || 'dns/txt'
  return query.split(':').includes('dns/txt') ? '' : `q=${query.slice(0, 40)}`
}

/** Whether a key may be used like this (RFC 6376 §3.6.1): for mail, with sha256, and strictly where t=s says so. */
function findKeyFault(record: string, { domain, identity }: Signature): string {
  const tags = parseTags(record)
  if (tags === null) return 'broken key record'
  const list = (name: string) =>
    (tags.get(name) ?? '')
      .toLowerCase()
      .split(':')
      .filter(one => one !== '')
  const services = list('s')
  if (services.length > 0 && !services.includes('*') && !services.includes('email'))
    return 'key is not for mail'
  const hashes = list('h')
  if (hashes.length > 0 && !hashes.includes('sha256')) return 'key is not for sha256'
  const identityDomain = identity.slice(identity.lastIndexOf('@') + 1).toLowerCase()
  if (list('t').includes('s') && identity !== '' && identityDomain !== domain) return 'key is for d= alone'
  return ''
}

const known: ReadonlySet<string> = new Set(['pass', 'fail', 'neutral', 'none', 'temperror', 'permerror'])

/**
 * DKIM (RFC 6376, 8301, 8463) by the library, asked only for signatures that could count: at most eight, those aligned
 * with From first. Which they are is decided before anything is hashed or looked up. Never throws.
 */
export async function verifyDkim(
  given: Given,
): Promise<{ readonly signatures: readonly SignatureResult[]; readonly arc: ArcResult | null }> {
  const { raw, fromDomain, now } = given
  const bytes = Buffer.from(raw.buffer, raw.byteOffset, raw.byteLength)
  const { fields, body } = splitMessage(bytes)
  const kept = fields.slice(0, mostFields)
  const all = kept.filter(({ name }) => name === 'dkim-signature').map(field => readSignature(field, now))
  const hasArc = kept.some(({ name }) => name === 'arc-seal')
  if (all.length === 0 && !hasArc) return { signatures: [], arc: null }
  const count = (wanted: string) => kept.filter(({ name }) => name === wanted).length
  // Which of two a reader is shown nobody knows: a signature over one of them proves nothing.
  const doubled = ['from', 'subject'].find(name => count(name) > 1)
  const usable = doubled === undefined ? all.filter(({ why }) => why === '') : []
  const aligned = ({ domain }: Signature) =>
    Number(fromDomain !== '' && isSameOrganisation(domain, fromDomain))
  const chosen = [...usable].sort((a, b) => aligned(b) - aligned(a)).slice(0, mostSignatures)
  const refused = all
    .filter(one => !chosen.includes(one))
    .slice(0, 3)
    .map(({ domain, why }): SignatureResult => ({
      result: 'neutral',
      domain: '',
      note: `DKIM d=${domain}: neutral (${doubled ? `several ${doubled} fields` : why || 'not looked at'})`,
    }))
  const { results, arc } = await runLibrary(given, { fields: kept, body }, chosen, hasArc)
  return {
    signatures: [...results, ...refused],
    arc: arc && doubled !== undefined ? { ...arc, result: 'fail' } : arc,
  }
}

async function runLibrary(
  { resolve, now }: Given,
  { fields, body }: Split,
  chosen: readonly Signature[],
  hasArc: boolean,
): Promise<{ results: readonly SignatureResult[]; arc: ArcResult | null }> {
  if (chosen.length === 0 && !hasArc) return { results: [], arc: null }
  const wanted = new Set(chosen.map(({ field }) => field))
  const message = Buffer.concat([
    ...fields.filter(field => field.name !== 'dkim-signature' || wanted.has(field)).map(({ bytes }) => bytes),
    body,
  ])
  const keys = new Map<string, string>()
  const permanent = new Set<string>()
  const resolver: Resolve = async (name, type) => {
    try {
      const found = await resolve(name, type)
      if (type === 'TXT') keys.set(name.toLowerCase(), ((found as string[][])[0] ?? []).join(''))
      return found
    } catch (error) {
      if (isPermanent(error)) permanent.add(name.toLowerCase())
      throw isPermanent(error) ? Object.assign(new Error('no key'), { code: 'ENOTFOUND' }) : error
    }
  }
  try {
    const done = await dkimVerify(message, { resolver, curTime: new Date(now + drift) })
    const results = chosen.map((one): SignatureResult => {
      // By its own signature: the library lists seals of an ARC chain among the results.
      const found = done.results.find(({ signature }) => signature?.replace(/\s+/g, '') === one.signature)
      const name = `${one.selector}._domainkey.${one.domain}`
      const said = found && known.has(found.status.result) ? (found.status.result as AuthResult) : 'neutral'
      const fault = said === 'pass' ? findKeyFault(keys.get(name) ?? '', one) : ''
      const result = fault !== '' || permanent.has(name) ? 'permerror' : said
      const why = fault || found?.status.comment || ''
      return {
        result,
        domain: one.domain,
        note: `DKIM d=${one.domain} s=${one.selector}: ${result}${why ? ` (${why})` : ''}`,
      }
    })
    return { results, arc: hasArc ? await readArc(done.arc, resolver) : null }
  } catch (error) {
    const result = isVoid(error) || isPermanent(error) ? 'permerror' : 'temperror'
    return {
      results: chosen.map(({ domain }) => ({ result, domain, note: `DKIM d=${domain}: ${result}` })),
      arc: null,
    }
  }
}

/** Chains longer than this are not looked at (RFC 8617 §4.2.1 allows 50; honest ones have a handful). */
const longestChain = 10

/** A chain the library refuses to read, or that is too long, failed (RFC 8617 §5.2 steps 1 and 2). */
const brokenChain: ArcResult = { result: 'fail', sealer: '', claims: null }

async function readArc(chain: ArcChain | undefined, resolver: Resolve): Promise<ArcResult> {
  if (!chain?.chain || chain.chain.length > longestChain) return brokenChain
  const checked = await checkArc(chain, { resolver }).catch(() => null)
  const last = chain.lastEntry
  const signed = last?.['arc-message-signature']?.parsed
  const coversAll =
    signed?.l === undefined &&
    String(signed?.h?.value ?? '')
      .toLowerCase()
      .split(':')
      .some(name => name.trim() === 'from')
  const sealer = parseDomain(last?.['arc-seal']?.parsed?.d?.value ?? '')
  const original = last?.['arc-authentication-results']?.original
  const text = original ? original.toString('latin1') : ''
  // 'i=1; ' stands in front of what is otherwise the grammar of RFC 8601 (RFC 8617 §4.1.1).
  const read = parseAuthenticationResults(
    text
      .slice(text.indexOf(':') + 1)
      .replace(/\r?\n/g, '')
      .replace(/^\s*i\s*=\s*\d+\s*;/i, ''),
  )
  return {
    // What Pendro asks of a signature it asks of a seal: From signed, and the whole body.
    result: checked?.status.result === 'pass' && coversAll ? 'pass' : 'fail',
    sealer: sealer.ok ? sealer.value : '',
    claims: read && toAuthentication(read),
  }
}

type ArcChain = NonNullable<Awaited<ReturnType<typeof dkimVerify>>['arc']>
