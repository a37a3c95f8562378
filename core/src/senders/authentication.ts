import { isSameOrganisation, parseDomain } from '../address/index.ts'

/** Results of RFC 8601 §2.7 that Pendro tells apart; anything else reads as 'none'. */
export type AuthResult = 'pass' | 'fail' | 'softfail' | 'neutral' | 'none' | 'temperror' | 'permerror'

/** What a trusted host found out about one message. Domains are A-labels; '' where none was given. */
export interface Authentication {
  readonly dmarc: { readonly result: AuthResult; readonly domain: string }
  readonly spf: { readonly result: AuthResult; readonly domain: string }
  readonly dkim: readonly { readonly result: AuthResult; readonly domain: string }[]
  /** What it was read from: header fields, DNS records. For showing only. */
  readonly notes?: readonly string[]
}

export const noAuthentication: Authentication = {
  dmarc: { result: 'none', domain: '' },
  spf: { result: 'none', domain: '' },
  dkim: [],
}

/**
 * Reads Authentication-Results fields (RFC 8601 §2.2) of hosts we trust; fields of others are what the
 * sender claims and are skipped. `fields` in header order: the topmost trusted field wins for each method.
 */
export function readAuthentication(
  fields: readonly string[],
  trustedHosts: ReadonlySet<string>,
): Authentication {
  let found = noAuthentication
  for (const field of fields) {
    const [head = '', ...results] = splitOutside(stripComments(field), ';')
    const host = (head.trim().split(/\s+/)[0] ?? '').toLowerCase().replace(/\.$/, '')
    if (!trustedHosts.has(host)) continue
    for (const text of results) found = addResult(found, text)
    found = { ...found, notes: [...(found.notes ?? []), `Authentication-Results: ${field.slice(0, 600)}`] }
  }
  return found
}

function addResult(found: Authentication, text: string): Authentication {
  // methodspec propspec*: 'spf=pass smtp.mailfrom=x.example'; a method may carry a version, 'dkim/1=pass'
  const method = /^\s*(\w+)(?:\s*\/\s*\d+)?\s*=\s*(\w+)/.exec(text)
  if (!method) return found
  const result = readResult(method[2] ?? '')
  const property = (name: string) => {
    const value = new RegExp(
      `(?:^|\\s)${name.replace('.', '\\s*\\.\\s*')}\\s*=\\s*("[^"]*"|[^\\s;]+)`,
      'i',
    ).exec(text)
    return domainOf((value?.[1] ?? '').replace(/^"|"$/g, ''))
  }
  switch (method[1]?.toLowerCase()) {
    case 'dmarc':
      return found.dmarc.result === 'none'
        ? { ...found, dmarc: { result, domain: property('header.from') } }
        : found
    case 'spf':
      return found.spf.result === 'none'
        ? { ...found, spf: { result, domain: property('smtp.mailfrom') || property('smtp.helo') } }
        : found
    case 'dkim':
      return {
        ...found,
        dkim: [...found.dkim, { result, domain: property('header.d') || property('header.i') }],
      }
    default:
      return found
  }
}

function readResult(word: string): AuthResult {
  const result = word.toLowerCase()
  // RFC 8601 §2.7.2: the older 'hardfail' means fail; 'policy' is a local judgement, not a proof.
  if (result === 'hardfail') return 'fail'
  return ['pass', 'fail', 'softfail', 'neutral', 'temperror', 'permerror'].includes(result)
    ? (result as AuthResult)
    : 'none'
}

function domainOf(value: string): string {
  const domain = parseDomain(value.slice(value.lastIndexOf('@') + 1))
  return domain.ok ? domain.value : ''
}

/** Comments of RFC 5322 §3.2.2, nested and with quoted strings left alone. */
function stripComments(text: string): string {
  let depth = 0
  let quoted = false
  let out = ''
  for (let i = 0; i < text.length; i += 1) {
    const c = text[i] ?? ''
    if (c === '\\') {
      if (depth === 0) out += c + (text[i + 1] ?? '')
      i += 1
    } else if (c === '"' && depth === 0) {
      quoted = !quoted
      out += c
    } else if (c === '(' && !quoted) depth += 1
    else if (c === ')' && !quoted && depth > 0) depth -= 1
    else if (depth === 0) out += c
  }
  return out
}

function splitOutside(text: string, separator: string): readonly string[] {
  return text.match(new RegExp(`(?:"[^"]*"|[^${separator}"])+`, 'g')) ?? []
}

/**
 * Whether the message is proven to come from `fromDomain`: DMARC pass for it, or SPF or DKIM pass in
 * relaxed alignment with it (RFC 7489 §3.1). A temporary error proves nothing.
 */
export function isAuthenticated(fromDomain: string, { dmarc, spf, dkim }: Authentication): boolean {
  const proves = ({ result, domain }: { result: AuthResult; domain: string }) =>
    result === 'pass' && domain !== '' && isSameOrganisation(domain, fromDomain)
  // A DMARC result without header.from is for the one From domain there is (RFC 7489 §11.1).
  const byDmarc = dmarc.result === 'pass' && (dmarc.domain === '' || dmarc.domain === fromDomain)
  return byDmarc || proves(spf) || dkim.some(proves)
}
