import { BlockList, isIPv4, isIPv6 } from 'node:net'
import type { AuthResult } from '../senders/index.ts'
import { isPermanent, isVoid, type Resolve } from './resolve.ts'

interface SpfQuestion {
  /** The domain of MAIL FROM, or of HELO for the empty reverse-path (RFC 7208 §2.3, §2.4). A-labels. */
  readonly domain: string
  readonly localPart: string
  readonly helo: string
  readonly ip: string
  readonly resolve: Resolve
}

/** Limits of RFC 7208 §4.6.4. */
const mostTerms = 10
const mostVoid = 2
const mostMx = 10
const mostPtr = 10

type Mechanism = 'all' | 'include' | 'a' | 'mx' | 'ptr' | 'ip4' | 'ip6' | 'exists'

interface Directive {
  readonly qualifier: '+' | '-' | '~' | '?'
  readonly mechanism: Mechanism
  /** domain-spec, unexpanded; '' for none. */
  readonly spec: string
  readonly network: string
  readonly bits4: number
  readonly bits6: number
}

interface SpfRecord {
  readonly directives: readonly Directive[]
  readonly redirect: string | null
}

/** The end of a check that has no result of its own: an error (RFC 7208 §2.6.6, §2.6.7). */
class SpfError extends Error {
  readonly result: 'temperror' | 'permerror'
  constructor(result: 'temperror' | 'permerror', why: string) {
    super(why)
    this.result = result
  }
}

const broken = (why: string) => new SpfError('permerror', why)

/**
 * check_host() of RFC 7208 §4. Ours, since the library at hand takes the sender's word for the validated name (%{p}),
 * expands %{d} to the sender's domain inside an include, and overlooks syntax errors behind a match
 * (seen in mailauth 4.13.3). Never throws.
 */
export async function checkSpf(
  question: SpfQuestion,
): Promise<{ readonly result: AuthResult; readonly why: string }> {
  const ip = question.ip.replace(/^::ffff:(?=\d+\.)/i, '')
  const run: Run = { ...question, ip, sender: question.domain, terms: 0, voids: 0, validated: null }
  if (!isQueryable(question.domain)) return { result: 'none', why: '' }
  try {
    return { result: await checkHost(run, question.domain), why: '' }
  } catch (error) {
    if (error instanceof SpfError) return { result: error.result, why: error.message }
    return { result: 'temperror', why: String(error) }
  }
}

interface Run extends SpfQuestion {
  /** Domain of the sender's address: %{o}. */
  readonly sender: string
  terms: number
  voids: number
  /** Names the address is validated for (§5.5), looked up once. */
  validated: readonly string[] | null
}

const byQualifier = { '+': 'pass', '-': 'fail', '~': 'softfail', '?': 'neutral' } as const

async function checkHost(run: Run, domain: string): Promise<AuthResult> {
  const text = await findRecord(run, domain)
  if (text === null) return 'none'
  const { directives, redirect } = parseSpfRecord(text)
  for (const directive of directives)
    if (await matches(run, domain, directive)) return byQualifier[directive.qualifier]
  if (redirect === null) return 'neutral'
  countTerm(run)
  const target = await expand(run, domain, redirect)
  const result = isQueryable(target) ? await checkHost(run, target) : 'none'
  // §6.1: a redirect to nowhere is an error of the record.
  if (result === 'none') throw broken(`redirect to ${target}`)
  return result
}

async function findRecord(run: Run, domain: string): Promise<string | null> {
  const texts = await lookUp(run, domain, 'TXT', { counts: false })
  const records = (texts as readonly string[][])
    .map(parts => parts.join(''))
    .filter(text => /^v=spf1(?: |$)/i.test(text))
  if (records.length > 1) throw broken(`several records at ${domain}`)
  const [record] = records
  if (record !== undefined && record.length > 4000) throw broken('record too long')
  return record ?? null
}

const toplabel = /\.(?:[a-z0-9]*[a-z][a-z0-9]*|[a-z0-9]+-[a-z0-9-]*[a-z0-9])\.?$/i
/** §7.2: the letters c, r and t are for explanations alone, which are not fetched. */
const macroExpand = String.raw`%\{[slodiphv](?:0*[1-9]\d{0,2})?r?[.\-+,/_=]*\}$`
const isMacro = new RegExp(`^${macroExpand}`, 'i')
const endsInMacro = new RegExp(macroExpand, 'i')

/** domain-spec of §7.1: macros and visible characters, with a top label or a macro at its end. */
function isDomainSpec(text: string): boolean {
  return isMacroString(text) && (toplabel.test(text) || endsInMacro.test(text))
}

function isMacroString(text: string): boolean {
  let i = 0
  while (i < text.length) {
    if (text[i] === '%') {
      const next = text[i + 1]
      if (next === '%' || next === '_' || next === '-') {
        i += 2
        continue
      }
      const close = text.indexOf('}', i)
      if (next !== '{' || close < 0 || !isMacro.test(text.slice(i, close + 1))) return false
      i = close + 1
    } else if (/[\x21-\x24\x26-\x7e]/.test(text[i] ?? '')) i += 1
    else return false
  }
  return true
}

const cidr4 = /^(?:0|[1-9]\d?)$/
const cidr6 = /^(?:0|[1-9]\d{0,2})$/

/** Reads a whole record before any of it is acted upon (§4.6). Throws for a syntax error anywhere in it. */
export function parseSpfRecord(text: string): SpfRecord {
  const directives: Directive[] = []
  let redirect: string | null = null
  const seen = new Set<string>()
  for (const term of text.slice(6).split(' ')) {
    if (term === '') continue
    const modifier = /^([a-z][a-z0-9_.-]*)=(.*)$/i.exec(term)
    if (modifier) {
      const [, name = '', value = ''] = modifier
      const key = name.toLowerCase()
      if (key === 'redirect' || key === 'exp') {
        if (seen.has(key)) throw broken(`${key} twice`)
        seen.add(key)
        if (!isDomainSpec(value)) throw broken(term)
        if (key === 'redirect') redirect = value
      } else if (!isMacroString(value)) throw broken(term)
      continue
    }
    directives.push(parseDirective(term))
  }
  // §6.1: with "all" anywhere a redirect is never met.
  if (directives.some(({ mechanism }) => mechanism === 'all')) redirect = null
  return { directives, redirect }
}

function parseDirective(term: string): Directive {
  const [, sign = '', name = '', rest = ''] = /^([+\-~?]?)([a-z0-9]+)(.*)$/i.exec(term) ?? []
  const mechanism = name.toLowerCase() as Mechanism
  const plain = { qualifier: (sign || '+') as '+', mechanism, spec: '', network: '', bits4: 32, bits6: 128 }
  switch (mechanism) {
    case 'all':
      if (rest !== '') throw broken(term)
      return plain
    case 'include':
    case 'exists':
      if (!rest.startsWith(':') || !isDomainSpec(rest.slice(1))) throw broken(term)
      return { ...plain, spec: rest.slice(1) }
    case 'ptr':
      if (rest === '') return plain
      if (!rest.startsWith(':') || !isDomainSpec(rest.slice(1))) throw broken(term)
      return { ...plain, spec: rest.slice(1) }
    case 'a':
    case 'mx': {
      const { body, bits4, bits6 } = splitDualCidr(rest, term)
      if (body !== '' && (!body.startsWith(':') || !isDomainSpec(body.slice(1)))) throw broken(term)
      return { ...plain, spec: body.slice(1), bits4, bits6 }
    }
    case 'ip4':
    case 'ip6': {
      const [, network = '', bits] = /^:([^/]+)(?:\/(.*))?$/.exec(rest) ?? []
      const isFour = mechanism === 'ip4'
      if (!(isFour ? isIPv4(network) : isIPv6(network) && !network.includes('%'))) throw broken(term)
      const most = isFour ? 32 : 128
      const length = bits === undefined ? most : (isFour ? cidr4 : cidr6).test(bits) ? Number(bits) : Infinity
      if (length > most) throw broken(term)
      return { ...plain, network, bits4: length, bits6: length }
    }
    default:
      throw broken(term)
  }
}

/** [ ip4-cidr-length ] [ "/" ip6-cidr-length ] of §5.6 at the end of a term. A slash inside a macro is none of it. */
function splitDualCidr(rest: string, term: string): { body: string; bits4: number; bits6: number } {
  const found = /^(.*?)(?:\/(\d+))?(?:\/\/(\d+))?$/.exec(rest)
  const [, body = '', four, six] = found ?? []
  if (four !== undefined && (!cidr4.test(four) || Number(four) > 32)) throw broken(term)
  if (six !== undefined && (!cidr6.test(six) || Number(six) > 128)) throw broken(term)
  return { body, bits4: four === undefined ? 32 : Number(four), bits6: six === undefined ? 128 : Number(six) }
}

async function matches(run: Run, domain: string, directive: Directive): Promise<boolean> {
  const { mechanism, spec } = directive
  if (mechanism === 'all') return true
  if (mechanism === 'ip4' || mechanism === 'ip6')
    return (mechanism === 'ip6') === isIPv6(run.ip) && isWithin(run.ip, directive.network, directive)
  countTerm(run)
  const target = spec === '' ? domain : await expand(run, domain, spec)
  switch (mechanism) {
    case 'include': {
      const result = isQueryable(target) ? await checkHost(run, target) : 'none'
      // §5.2: an include of a domain without a record is an error of this one.
      if (result === 'none') throw broken(`include of ${target}`)
      return result === 'pass'
    }
    case 'a':
      return (await addresses(run, target)).some(ip => isWithin(run.ip, ip, directive))
    case 'exists':
      return (await lookUp(run, target, 'A')).length > 0
    case 'mx': {
      const hosts = (await lookUp(run, target, 'MX')) as readonly { exchange: string }[]
      if (hosts.length > mostMx) throw broken(`more than ${mostMx} MX at ${target}`)
      for (const { exchange } of hosts)
        if ((await addresses(run, exchange, { counts: false })).some(ip => isWithin(run.ip, ip, directive)))
          return true
      return false
    }
    case 'ptr':
      return (await validatedNames(run)).some(name => isBelow(name, target.toLowerCase()))
  }
}

const isBelow = (name: string, domain: string) => name === domain || name.endsWith(`.${domain}`)

function countTerm(run: Run): void {
  run.terms += 1
  if (run.terms > mostTerms) throw broken(`more than ${mostTerms} look-ups`)
}

const addresses = async (run: Run, name: string, options?: { counts: boolean }) =>
  (await lookUp(run, name, isIPv6(run.ip) ? 'AAAA' : 'A', options)) as readonly string[]

async function lookUp(
  run: Run,
  name: string,
  type: string,
  { counts = true }: { counts?: boolean } = {},
): Promise<readonly unknown[]> {
  const plain = name.replace(/\.$/, '')
  // What no name server could be asked has no records.
  const found = isQueryable(plain) ? await ask(run, plain, type) : []
  if (found.length === 0 && counts) {
    run.voids += 1
    if (run.voids > mostVoid) throw broken('more than two look-ups without an answer')
  }
  return found
}

async function ask({ resolve }: Run, name: string, type: string): Promise<readonly unknown[]> {
  try {
    return (await resolve(name, type)) as readonly unknown[]
  } catch (error) {
    if (isVoid(error) || isPermanent(error)) return []
    throw new SpfError('temperror', `${type} of ${name}`)
  }
}

/** Names of the client's address that lead back to it (§5.5). Errors make them none. */
async function validatedNames(run: Run): Promise<readonly string[]> {
  if (run.validated) return run.validated
  const found: string[] = []
  try {
    const names = (await ask(run, reverseName(run.ip), 'PTR')) as readonly string[]
    for (const name of names.slice(0, mostPtr)) {
      const plain = name.toLowerCase().replace(/\.$/, '')
      const back = await addresses(run, plain, { counts: false }).catch(() => [])
      if (back.some(ip => isWithin(run.ip, ip, { bits4: 32, bits6: 128 }))) found.push(plain)
    }
  } catch {
    // §5.5: a name server that fails makes the mechanism fail to match, nothing worse
  }
  run.validated = found
  return found
}

function reverseName(ip: string): string {
  return isIPv4(ip)
    ? `${ip.split('.').reverse().join('.')}.in-addr.arpa`
    : `${nibbles(ip).reverse().join('.')}.ip6.arpa`
}

function nibbles(ip: string): string[] {
  const [left = '', right] = ip.toLowerCase().split('::')
  const head = left === '' ? [] : left.split(':')
  const tail = right === undefined || right === '' ? [] : right.split(':')
  const middle =
    right === undefined ? [] : Array<string>(Math.max(0, 8 - head.length - tail.length)).fill('0')
  return [...head, ...middle, ...tail].flatMap(group => [...group.padStart(4, '0')])
}

function isWithin(
  ip: string,
  network: string,
  { bits4, bits6 }: Pick<Directive, 'bits4' | 'bits6'>,
): boolean {
  const isSix = isIPv6(network)
  if (isSix !== isIPv6(ip) || !(isSix || isIPv4(network))) return false
  const list = new BlockList()
  list.addSubnet(network, isSix ? bits6 : bits4, isSix ? 'ipv6' : 'ipv4')
  return list.check(ip, isSix ? 'ipv6' : 'ipv4')
}

/** Macro expansion of §7; too long a name loses labels from the left (§7.3). */
async function expand(run: Run, domain: string, spec: string): Promise<string> {
  const names = /%\{p/i.test(spec) ? await validatedNames(run) : []
  const validated =
    names.find(name => name === domain) ?? names.find(name => isBelow(name, domain)) ?? names[0] ?? 'unknown'
  const values: Readonly<Record<string, string>> = {
    s: `${run.localPart}@${run.sender}`,
    l: run.localPart,
    o: run.sender,
    d: domain,
    i: isIPv6(run.ip) ? nibbles(run.ip).join('.') : run.ip,
    p: validated,
    v: isIPv6(run.ip) ? 'ip6' : 'in-addr',
    h: run.helo,
  }
  const expanded = spec.replace(
    /%(?:%|_|-|\{([a-z])(\d*)(r?)([^}]*)\})/gi,
    (all, letter, digits, reverse, marks) => {
      if (all === '%%') return '%'
      if (all === '%_') return ' '
      if (all === '%-') return '%20'
      const delimiters = new Set(marks === '' ? ['.'] : [...(marks as string)])
      let parts = splitBy(values[(letter as string).toLowerCase()] ?? '', delimiters)
      if (reverse !== '') parts = parts.reverse()
      if (digits !== '') parts = parts.slice(-Number(digits))
      const joined = parts.join('.')
      // An upper-case letter asks for URL escapes (§7.3).
      return letter === (letter as string).toUpperCase() ? encodeURIComponent(joined) : joined
    },
  )
  const labels = expanded.replace(/\.$/, '').split('.')
  while (labels.join('.').length > 253 && labels.length > 1) labels.shift()
  return labels.join('.')
}

function splitBy(text: string, delimiters: ReadonlySet<string>): string[] {
  const parts = ['']
  for (const c of text)
    if (delimiters.has(c)) parts.push('')
    else parts[parts.length - 1] += c
  return parts
}

/** A name that can be asked for: two labels or more, none empty or longer than 63 (§4.3). */
function isQueryable(name: string): boolean {
  const labels = name.replace(/\.$/, '').split('.')
  return name.length <= 254 && labels.length >= 2 && labels.every(label => label !== '' && label.length <= 63)
}
