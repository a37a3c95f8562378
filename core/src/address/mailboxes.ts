import libmime from 'libmime'
import { harmlessLine, readQuoted, skipComment } from '../text/index.ts'
import { addressText, parseAddress, type Address } from './address.ts'
import { parseDomain } from './domain.ts'

/** One mailbox of an address header: the name as shown (decoded), the address as it really is. */
export interface NamedAddress {
  readonly name: string
  readonly text: string
  /** `null` when the address can't be read; `text` still shows what stood there. */
  readonly address: Address | null
}

/** What the From fields of a message say, all of them together. */
export interface FromFields {
  readonly mailboxes: readonly NamedAddress[]
  /** Of everything that stands behind an @, read or not; A-labels where it is a domain. */
  readonly domains: readonly string[]
  /** One field, of the grammar, and every address of it could be read. */
  readonly whole: boolean
}

/** Longer fields are read as far as this: no grammar meets more of what outsiders write. */
const longest = 8 * 1024
const mostMailboxes = 500

/**
 * Every mailbox of an address header (RFC 5322 §3.4 and the obsolete forms of §4.4, RFC 6532), groups opened, comments
 * left out. `raw` is the unfolded field body. Names are decoded (RFC 2047) only after the structure has been read: an
 * encoded comma or angle bracket must not become a second address. What breaks the grammar gives what can be read of it;
 * no address is invented. One pass.
 */
export function parseMailboxes(raw: string): readonly NamedAddress[] {
  return readList(raw).mailboxes
}

/** Reads all From fields of a message; several of them, or one that breaks the grammar, are not whole. */
export function readFromFields(values: readonly string[]): FromFields {
  const lists = values.slice(0, 20).map(readList)
  return {
    mailboxes: lists.flatMap(({ mailboxes }) => mailboxes).slice(0, mostMailboxes),
    domains: [...new Set(values.slice(0, 20).flatMap(domainsIn))].slice(0, mostMailboxes),
    whole: values.length === 1 && lists.every(({ whole }) => whole),
  }
}

type Token =
  | { readonly kind: 'word'; readonly text: string; readonly plain: string; readonly spaced: boolean }
  | { readonly kind: 'literal'; readonly text: string; readonly spaced: boolean }
  | { readonly kind: 'mark'; readonly text: '<' | '>' | ',' | ';' | ':' | '@'; readonly spaced: boolean }

interface Tokens {
  readonly tokens: readonly Token[]
  /** Quotes, comments and literals are closed. */
  readonly closed: boolean
}

/** Lexical tokens of RFC 5322 §3.2; comments are white space. One pass over at most `longest` characters. */
function tokenise(raw: string): Tokens {
  const text = raw.length > longest ? raw.slice(0, longest) : raw
  const tokens: Token[] = []
  let closed = raw.length <= longest
  let spaced = false
  let i = 0
  const push = (token: Token) => {
    tokens.push(token)
    spaced = false
  }
  while (i < text.length) {
    const c = text[i] ?? ''
    if (c === ' ' || c === '\t' || c === '\r' || c === '\n') {
      spaced = true
      i += 1
    } else if (c === '(') {
      const comment = skipComment(text, i)
      closed &&= comment.closed
      i = comment.end
      spaced = true
    } else if (c === '"') {
      const quoted = readQuoted(text, i)
      closed &&= quoted.closed
      push({ kind: 'word', text: text.slice(i, quoted.end), plain: quoted.plain, spaced })
      i = quoted.end
    } else if (c === '[') {
      const from = i
      while (i < text.length && text[i] !== ']') i += text[i] === '\\' ? 2 : 1
      closed &&= text[i] === ']'
      i += 1
      push({ kind: 'literal', text: text.slice(from, i), spaced })
    } else if ('<>,;:@'.includes(c)) {
      push({ kind: 'mark', text: c as ',', spaced })
      i += 1
    } else {
      // At least one character: a bracket that closes nothing is a word of its own, which no grammar knows.
      const from = i
      i += 1
      while (i < text.length && !' \t\r\n()<>,;:@"['.includes(text[i] ?? '')) i += 1
      const word = text.slice(from, i)
      push({ kind: 'word', text: word, plain: word, spaced })
    }
  }
  return { tokens, closed }
}

interface List {
  readonly mailboxes: readonly NamedAddress[]
  readonly whole: boolean
}

function readList(raw: string): List {
  const { tokens, closed } = tokenise(raw.trim())
  const mailboxes: NamedAddress[] = []
  let whole = closed
  let words: Token[] = []
  let angle: Token[] | null = null
  let inAngle = false
  let inGroup = false

  const flush = () => {
    if (inAngle) whole = false // never closed
    if (angle !== null || words.length > 0) {
      const mailbox = toMailbox(words, angle)
      if (mailbox.text !== '' || mailbox.name !== '') mailboxes.push(mailbox)
      whole &&= mailbox.address !== null && isPhraseOrAddress(words, angle)
    }
    words = []
    angle = null
    inAngle = false
  }

  for (const token of tokens) {
    if (mailboxes.length >= mostMailboxes) break
    const mark = token.kind === 'mark' ? token.text : ''
    if (inAngle) {
      if (mark === '>') inAngle = false
      else if (mark === '<') {
        // 'a <b <c@x>>': the innermost is the address
        whole = false
        angle = []
      } else angle?.push(token)
      continue
    }
    if (mark === '<') {
      if (angle !== null) {
        whole = false
        flush()
      }
      angle = []
      inAngle = true
    } else if (mark === '>') whole = false
    else if (mark === ',') flush()
    else if (mark === ';') {
      if (!inGroup) whole = false
      flush()
      inGroup = false
    } else if (mark === ':') {
      const opens: boolean = !inGroup && angle === null && words.every(({ kind }) => kind === 'word')
      if (!opens) whole = false
      if (opens) words = []
      inGroup ||= opens
    } else {
      // Something behind the closing bracket belongs to nothing.
      if (angle !== null) whole = false
      words.push(token)
    }
  }
  flush()
  return { mailboxes, whole: whole && mailboxes.length > 0 }
}

function toMailbox(words: readonly Token[], angle: readonly Token[] | null): NamedAddress {
  if (angle !== null) {
    const spec = withoutRoute(angle)
    return named(phrase(words), join(spec))
  }
  const at = words.findIndex(({ text }) => text === '@')
  if (at < 0) return { name: decodeName(phrase(words)), text: '', address: null }
  return named('', join(words))
}

/** '@a,@b:local@x' (obs-route, RFC 5322 §4.4) without the way. */
function withoutRoute(tokens: readonly Token[]): readonly Token[] {
  if (tokens[0]?.text !== '@') return tokens
  const colon = tokens.findIndex(({ text }) => text === ':')
  return colon < 0 ? tokens : tokens.slice(colon + 1)
}

/** Words of an address side by side; white space is allowed around dots and the @ only. */
function join(tokens: readonly Token[]): string {
  return tokens
    .map((token, i) => {
      const before = tokens[i - 1]
      const apart =
        token.spaced && before !== undefined && !/[.@]$/.test(before.text) && !/^[.@]/.test(token.text)
      return apart ? ` ${token.text}` : token.text
    })
    .join('')
}

const phrase = (tokens: readonly Token[]): string =>
  tokens.map(token => (token.kind === 'word' ? token.plain : token.text)).join(' ')

/** Words before an address in brackets are a name without an @; without brackets they are the address alone. */
function isPhraseOrAddress(words: readonly Token[], angle: readonly Token[] | null): boolean {
  return angle === null || words.every(({ kind }) => kind === 'word')
}

function named(name: string, text: string): NamedAddress {
  const parsed = parseAddress(text)
  const shown = decodeName(name)
  return parsed.ok
    ? { name: shown, text: addressText(parsed.value), address: parsed.value }
    : { name: shown, text: harmlessLine(text), address: null }
}

/** Decoded, and harmless to show: what turns or hides letters leaves a dot. */
const decodeName = (name: string) => harmlessLine(decodeWords(name).replace(/\s+/g, ' '))

/** The domain behind each @ of a field, as an A-label where it is one, else as it stands, in lower case. */
function domainsIn(value: string): readonly string[] {
  const text = value.slice(0, longest)
  const found: string[] = []
  for (let at = text.indexOf('@'); at >= 0 && found.length < mostMailboxes; at = text.indexOf('@', at + 1)) {
    const [written = ''] = /^[\s]{0,5}[^\s<>,;:"()[\]\\@]{1,255}/u.exec(text.slice(at + 1, at + 270)) ?? []
    const parsed = parseDomain(written)
    const plain = written
      .trim()
      .normalize('NFKC')
      .toLowerCase()
      .replace(/[。．｡]/g, '.')
      .replace(/^\.+/, '')
    if (parsed.ok) found.push(parsed.value)
    else if (plain !== '') found.push(plain.endsWith('.') ? plain.slice(0, -1) : plain)
  }
  return found
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
