import emailAddresses from 'email-addresses'
import libmime from 'libmime'
import { addressText, parseAddress, type Address } from './address.ts'

/** One mailbox of an address header: the name as shown (decoded), the address as it really is. */
export interface NamedAddress {
  readonly name: string
  readonly text: string
  /** `null` when the address can't be read; `text` still shows what stood there. */
  readonly address: Address | null
}

/**
 * Every mailbox of an address header (RFC 5322 §3.4, RFC 6532), groups opened, comments left out.
 * `raw` is the unfolded field body. Names are decoded (RFC 2047) only after the structure has been
 * read: an encoded comma or angle bracket must not become a second address.
 * A header that breaks the grammar is searched for the addresses in it; none is invented.
 */
export function parseMailboxes(raw: string): readonly NamedAddress[] {
  const source = raw.trim()
  if (source === '') return []
  const simple = simpleMailbox(source)
  if (simple) return [simple]
  const parsed = parseList(source) ?? parseList(modernised(source))
  if (!parsed) return salvage(source)
  return parsed
    .flatMap(item => (item.type === 'group' ? item.addresses : [item]))
    .map(item => named(item.name ?? '', item.address))
}

function parseList(input: string) {
  return emailAddresses.parseAddressList({ input, rfc6532: true, oneResult: false })
}

/** Obsolete forms the library does not read (RFC 5322 §4.4): routes, empty list items, spaces at dots. */
function modernised(source: string): string {
  return source
    .replace(/<\s*@[^:<>]*:/g, '<')
    .replace(/@[^,;<>"()]*/g, domain => domain.replace(/\s*\.\s*/g, '.'))
    .replace(/,(\s*,)+/g, ',')
}

// 'Name <local@domain>' without anything that needs the grammar: nine headers of ten.
const simpleForm = /^(?:([^"(),:;<>@[\]\\]*?)\s*<\s*([\w.+'=~-]+@[\w.-]+)\s*>|([\w.+'=~-]+@[\w.-]+))$/u

function simpleMailbox(source: string): NamedAddress | null {
  const match = simpleForm.exec(source)
  if (!match) return null
  return named(match[1] ?? '', match[2] ?? match[3] ?? '')
}

function named(name: string, text: string): NamedAddress {
  const parsed = parseAddress(text)
  const shown = decodeWords(name).replace(/\s+/g, ' ').trim()
  return parsed.ok
    ? { name: shown, text: addressText(parsed.value), address: parsed.value }
    : { name: shown, text, address: null }
}

function salvage(source: string): readonly NamedAddress[] {
  const found = [...source.matchAll(/([^<>,;]*)<\s*([^<>\s]+@[^<>\s]+)\s*>|([^\s<>,;"()]+@[^\s<>,;"()]+)/gu)]
  if (found.length === 0) return [{ name: decodeWords(source), text: '', address: null }]
  return found.map(([, name, inAngles, bare]) =>
    named((name ?? '').replace(/^[\s"]+|[\s"]+$/g, ''), inAngles ?? bare ?? ''),
  )
}

/** Text as a header field may carry it: as it is, or in encoded words (RFC 2047). */
export function encodeWords(text: string): string {
  return libmime.encodeWords(text, 'Q', 52)
}

/** RFC 2047 encoded words to text; anything that does not decode stays as it is. */
export function decodeWords(text: string): string {
  if (!text.includes('=?')) return text
  try {
    return libmime.decodeWords(text)
  } catch {
    return text // an unknown charset: the raw words are at least true
  }
}
