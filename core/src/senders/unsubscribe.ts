import type { SenderFacts } from './entry.ts'
import { isAuthenticated } from './authentication.ts'

/** A sender's own way out, as a message offers it. */
export type Unsubscribe =
  | { readonly kind: 'none' }
  /** It offers one, but not one that may be used by itself; where it leads. */
  | {
      readonly kind: 'by-hand'
      readonly why: 'no-one-click' | 'not-authenticated' | 'not-signed'
      readonly to: string
    }
  | { readonly kind: 'one-click'; readonly url: string }

interface Field {
  readonly name: string
  readonly value: string
}

/**
 * Reads List-Unsubscribe (RFC 2369 §3.2) and whether it may be used with one click: RFC 8058 §3.1 asks for an
 * HTTPS address and the Post field, §4 for a valid DKIM signature over both. We also ask that the sender is
 * proven: a request tells the other side that somebody reads there.
 */
export function findUnsubscribe(
  headers: readonly Field[],
  { from, authentication }: SenderFacts,
): Unsubscribe {
  const fields = (name: string) => headers.filter(field => field.name.toLowerCase() === name)
  const offered = [...(fields('list-unsubscribe')[0]?.value ?? '').matchAll(/<\s*([^<>\s]+)\s*>/g)].map(
    match => match[1] ?? '',
  )
  const [first] = offered
  if (first === undefined) return { kind: 'none' }
  const url = offered.find(isHttps)
  const post = fields('list-unsubscribe-post')[0]?.value.replace(/\s/g, '').toLowerCase()
  if (url === undefined || post !== 'list-unsubscribe=one-click')
    return { kind: 'by-hand', why: 'no-one-click', to: first }
  if (from.length !== 1 || !from.every(({ domain }) => isAuthenticated(domain, authentication)))
    return { kind: 'by-hand', why: 'not-authenticated', to: first }
  const passed = new Set(
    authentication.dkim.filter(({ result }) => result === 'pass').map(({ domain }) => domain),
  )
  const signed = fields('dkim-signature').some(({ value }) => covers(value, passed))
  return signed ? { kind: 'one-click', url } : { kind: 'by-hand', why: 'not-signed', to: first }
}

function isHttps(text: string): boolean {
  return URL.canParse(text) && new URL(text).protocol === 'https:'
}

/** Whether a signature of one of the domains has both fields in its `h=` (RFC 6376 §3.5). */
function covers(signature: string, domains: ReadonlySet<string>): boolean {
  const tag = (name: string) =>
    new RegExp(`(?:^|;)\\s*${name}\\s*=([^;]*)`).exec(signature)?.[1]?.replace(/\s/g, '').toLowerCase() ?? ''
  const named = tag('h').split(':')
  return (
    domains.has(tag('d')) && ['list-unsubscribe', 'list-unsubscribe-post'].every(name => named.includes(name))
  )
}
