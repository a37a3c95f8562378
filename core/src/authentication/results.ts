import { parseDomain } from '../address/index.ts'
import type { Authentication, AuthResult } from '../senders/index.ts'
import { readQuoted, skipComment } from '../text/index.ts'

/** One `resinfo` of RFC 8601 §2.2: 'spf=pass smtp.mailfrom=anna@x.example'. Names in lower case. */
interface ResultInfo {
  readonly method: string
  readonly result: string
  /** 'smtp.mailfrom' → the value as written, quoted strings opened. */
  readonly properties: ReadonlyMap<string, string>
}

/** One Authentication-Results field, read (RFC 8601 §2.2). */
export interface AuthenticationResults {
  /** Lower case, without a trailing dot. */
  readonly authservId: string
  readonly results: readonly ResultInfo[]
}

type Token =
  | { readonly kind: 'text'; readonly text: string; readonly quoted: boolean; readonly spaced: boolean }
  | { readonly kind: 'mark'; readonly text: ';' | '=' | '/' | '@'; readonly spaced: boolean }

/** What neither a space nor a mark ends. */
const run = /[^\s;=/@("]+/y
const isSpace = (c: string) => c === ' ' || c === '\t' || /\s/.test(c)

/** CFWS, quoted strings with their pairs, and runs of anything else (RFC 5322 §3.2, RFC 2045 §5.1); `null` when one never closes. */
function tokenise(text: string): readonly Token[] | null {
  const tokens: Token[] = []
  let spaced = false
  let i = 0
  while (i < text.length) {
    const c = text[i] ?? ''
    if (c === '(') {
      const { end, closed } = skipComment(text, i)
      if (!closed) return null
      i = end
      spaced = true
    } else if (c === '"') {
      const { plain, end, closed } = readQuoted(text, i)
      if (!closed) return null
      i = end
      tokens.push({ kind: 'text', text: plain, quoted: true, spaced })
      spaced = false
    } else if (isSpace(c)) {
      spaced = true
      i += 1
    } else if (c === ';' || c === '=' || c === '/' || c === '@') {
      tokens.push({ kind: 'mark', text: c, spaced })
      spaced = false
      i += 1
    } else {
      run.lastIndex = i
      const [found = c] = run.exec(text) ?? []
      i += found.length
      tokens.push({ kind: 'text', text: found, quoted: false, spaced })
      spaced = false
    }
  }
  return tokens
}

/** Longer fields are not read: no honest gateway writes them (common practice). */
const longest = 16 * 1024

/** The whole grammar of RFC 8601 §2.2; `null` for what is not of it. */
export function parseAuthenticationResults(field: string): AuthenticationResults | null {
  if (field.length > longest) return null
  const tokens = tokenise(field)
  if (tokens === null) return null
  const parts = splitAt(tokens)
  const [head, ...rest] = parts
  const id = head?.[0]
  // authserv-id [ CFWS authres-version ]
  if (!head || id?.kind !== 'text' || head.length > 2) return null
  const version = head[1]
  if (version && !(version.kind === 'text' && version.text === '1')) return null
  const authservId = id.text.toLowerCase().replace(/\.$/, '')
  const results: ResultInfo[] = []
  for (const part of rest) {
    if (part.length === 0) continue
    if (part.length === 1 && part[0]?.text.toLowerCase() === 'none') continue
    const read = readResult(part)
    // One broken result spoils the field: what stands beside it can't be told apart any more.
    if (read === null) return null
    results.push(read)
  }
  return { authservId, results }
}

function splitAt(tokens: readonly Token[]): readonly (readonly Token[])[] {
  const parts: Token[][] = [[]]
  for (const token of tokens)
    if (token.kind === 'mark' && token.text === ';') parts.push([])
    else parts.at(-1)?.push(token)
  return parts
}

const isMark = (token: Token | undefined, text: string) => token?.kind === 'mark' && token.text === text
const isKeyword = (token: Token | undefined): token is Token & { kind: 'text' } =>
  token?.kind === 'text' && !token.quoted && /^[a-z0-9_.-]+$/i.test(token.text)

/** methodspec [ CFWS reasonspec ] [ CFWS 1*propspec ] */
function readResult(part: readonly Token[]): ResultInfo | null {
  let i = 0
  const method = part[i++]
  if (!isKeyword(method)) return null
  if (isMark(part[i], '/')) i += 2 // a method may carry a version: 'dkim/1=pass'
  if (!isMark(part[i++], '=')) return null
  const result = part[i++]
  if (!isKeyword(result)) return null
  const properties = new Map<string, string>()
  while (i < part.length) {
    // ptype "." property "=" pvalue, with CFWS around each; 'reason=' has no dot
    let name = ''
    while (i < part.length && !isMark(part[i], '=')) {
      const piece = part[i++]
      if (!isKeyword(piece)) return null
      name += piece.text
    }
    if (!isMark(part[i++], '=') || name === '') return null
    const [value, next] = readValue(part, i)
    if (value === null) return null
    i = next
    // The first of two that contradict each other counts.
    if (!properties.has(name.toLowerCase())) properties.set(name.toLowerCase(), value)
  }
  return { method: method.text.toLowerCase(), result: result.text.toLowerCase(), properties }
}

/** pvalue: a value, or [ [ local-part ] "@" ] domain-name. What is written without a space belongs together. */
function readValue(part: readonly Token[], from: number): readonly [string | null, number] {
  let i = from
  const first = part[i]
  if (first === undefined) return [null, i]
  let value = ''
  // '=' and '/' stand in unquoted values of real gateways (header.b=abc/def=); they never end one.
  while (i < part.length) {
    const token = part[i]
    if (token === undefined) break
    if (i > from && token.spaced && !isMark(token, '@') && !isMark(part[i - 1], '@')) break
    value += token.text
    i += 1
  }
  return [value, i]
}

const known: ReadonlySet<string> = new Set(['pass', 'fail', 'softfail', 'neutral', 'temperror', 'permerror'])

function resultOf(word: string): AuthResult {
  // RFC 8601 §2.7.2: the older 'hardfail' means fail; 'policy' is a local judgement, not a proof.
  if (word === 'hardfail') return 'fail'
  return known.has(word) ? (word as AuthResult) : 'none'
}

function domainOf(value: string | undefined): string {
  if (value === undefined) return ''
  const domain = parseDomain(value.slice(value.lastIndexOf('@') + 1))
  return domain.ok ? domain.value : ''
}

/** What one field says of the methods Pendro knows (RFC 8601 §2.7). */
export function toAuthentication({ results }: AuthenticationResults): Authentication {
  const of = (method: string) => results.filter(one => one.method === method)
  const dmarc = of('dmarc')
  const spf = of('spf')[0]
  // An explicit fail outranks whatever else is claimed for the same message.
  const decisive = dmarc.find(({ result }) => resultOf(result) === 'fail') ?? dmarc[0]
  return {
    by: 'gateway',
    dmarc: {
      result: decisive ? resultOf(decisive.result) : 'none',
      domain: domainOf(decisive?.properties.get('header.from')),
    },
    spf: {
      result: spf ? resultOf(spf.result) : 'none',
      domain: domainOf(spf?.properties.get('smtp.mailfrom') ?? spf?.properties.get('smtp.helo')),
    },
    dkim: of('dkim').map(({ result, properties }) => ({
      result: resultOf(result),
      domain: domainOf(properties.get('header.d') ?? properties.get('header.i')),
    })),
  }
}
