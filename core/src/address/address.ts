import { displayDomain, parseDomain, type DomainProblem } from './domain.ts'
import { no, yes, type Parsed } from './parsed.ts'

/**
 * One mailbox address, ready to compare: `local` lower-case, unquoted and without its tag, `tag` the
 * RFC 5233 sub-address ('orders' in anna+orders@x) or null, `domain` in lower-case A-labels.
 */
export interface Address {
  readonly local: string
  readonly tag: string | null
  readonly domain: string
}

/** Why a text is no address. */
export type AddressProblem =
  | DomainProblem
  | { readonly code: 'no-at-sign'; readonly text: string }
  | { readonly code: 'empty-local'; readonly text: string }
  | { readonly code: 'bad-local'; readonly text: string }
  | { readonly code: 'too-long'; readonly limit: number; readonly length: number }

/** RFC 5321 §4.5.3.1.1, octets in UTF-8. */
const maxLocalLength = 64

// dot-atom of RFC 5322 §3.2.3, widened to non-ASCII by RFC 6532 §3.2
const dotAtom = /^[\w!#$%&'*+/=?^`{|}~\u0080-\u{10ffff}-]+(\.[\w!#$%&'*+/=?^`{|}~\u0080-\u{10ffff}-]+)*$/u
const quotedString = /^"((?:[^"\\\r\n]|\\[^\r\n])*)"$/u

/**
 * Reads `anna+orders@x.example` or `"anna orders"@x.example`. Local parts compare case-insensitively
 * (common practice). A quoted local part that needs no quotes is the same address without them.
 */
export function parseAddress(text: string): Parsed<Address, AddressProblem> {
  const source = text.trim()
  const at = source.lastIndexOf('@')
  if (at < 0) return no({ code: 'no-at-sign', text: source })
  const domain = parseDomain(source.slice(at + 1))
  if (!domain.ok) return domain
  const local = parseLocal(source.slice(0, at))
  if (!local.ok) return local
  return yes({ ...splitTag(local.value), domain: domain.value })
}

function parseLocal(source: string): Parsed<string, AddressProblem> {
  if (source === '' || source === '""') return no({ code: 'empty-local', text: source })
  const length = new TextEncoder().encode(source).length
  if (length > maxLocalLength) return no({ code: 'too-long', limit: maxLocalLength, length })
  const quoted = quotedString.exec(source)
  const plain = quoted ? (quoted[1] ?? '').replace(/\\(.)/gu, '$1') : source
  if (!quoted && !dotAtom.test(plain)) return no({ code: 'bad-local', text: source })
  return yes(plain.normalize('NFC').toLowerCase())
}

function splitTag(local: string): { local: string; tag: string | null } {
  const plus = local.indexOf('+')
  // '+x@…' has no user in front of the tag: the plus is part of the name.
  if (plus <= 0) return { local, tag: null }
  return { local: local.slice(0, plus), tag: local.slice(plus + 1) }
}

/** The canonical text, also the key under which entries are stored. */
export function addressText(address: Address): string {
  return `${quoteIfNeeded(fullLocal(address))}@${address.domain}`
}

/** As people read it: with the domain in its own script. */
export function displayAddress(address: Address): string {
  return `${quoteIfNeeded(fullLocal(address))}@${displayDomain(address.domain)}`
}

/** The address a tag was added to: 'anna@x' of 'anna+orders@x' (RFC 5233). */
export function withoutTag(address: Address): Address {
  return address.tag === null ? address : { ...address, tag: null }
}

/** Whether two addresses are equal, tag included. */
export function isSameAddress(a: Address, b: Address): boolean {
  return a.local === b.local && a.tag === b.tag && a.domain === b.domain
}

function fullLocal({ local, tag }: Address): string {
  return tag === null ? local : `${local}+${tag}`
}

function quoteIfNeeded(local: string): string {
  return dotAtom.test(local) ? local : `"${local.replace(/["\\]/g, '\\$&')}"`
}
