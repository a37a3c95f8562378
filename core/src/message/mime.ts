import { Splitter } from '@zone-eu/mailsplit'
import iconv from 'iconv-lite'
import libbase64 from 'libbase64'
import libmime from 'libmime'
import libqp from 'libqp'
import { capField, cutLinear, readHeaderLine, type HeaderField } from './headers.ts'
import { visibleName } from '../text/index.ts'

/** One part without parts of its own (RFC 2046), its content decoded. */
export interface Leaf {
  readonly type: string
  readonly charset: string
  readonly disposition: string
  /** Every name it goes by, in any field and form, made visible; the likeliest first. */
  readonly names: readonly string[]
  readonly contentId: string | null
  readonly content: Buffer
  /** format=flowed of RFC 3676. */
  readonly flowed: boolean
  readonly delSp: boolean
  /** Below a multipart/related: a picture of the text beside it. */
  readonly related: boolean
}

/** A multipart (RFC 2046 §5.1). */
export interface Branch {
  /** 'mixed', 'alternative', … */
  readonly multipart: string
  readonly parts: readonly Part[]
}

/** A part of a message. */
export type Part = Leaf | Branch

/** Whether a part has parts. */
export const isBranch = (part: Part): part is Branch => 'multipart' in part

/** Header and parts of a message. */
export interface MimeTree {
  readonly headers: readonly HeaderField[]
  readonly root: Part
}

/** Headers of more bytes than this are no mail; RFC 5322 knows no limit, mail servers stop far below (common practice). */
const maxHeadBytes = 512 * 1024

interface Growing {
  readonly node: SplitNode
  readonly parts: Growing[]
  readonly chunks: Buffer[]
}

type SplitNode = InstanceType<typeof import('@zone-eu/mailsplit').MimeNode>

/** Reads the tree of a message's parts. Throws what the splitter throws: limits met, bytes that are no message. */
export async function readMime(
  bytes: Buffer,
  { maxParts }: { readonly maxParts: number },
): Promise<MimeTree> {
  const all = new Map<SplitNode, Growing>()
  let root: Growing | null = null
  let count = 0
  for await (const chunk of split(bytes, maxParts)) {
    if (chunk.type === 'node') {
      count += 1
      if (count > maxParts + 1) throw new Error('Max allowed child nodes exceeded')
      const grown: Growing = { node: chunk, parts: [], chunks: [] }
      all.set(chunk, grown)
      const parent = chunk.parentNode ? all.get(chunk.parentNode) : undefined
      if (parent) parent.parts.push(grown)
      else root ??= grown
    } else if (chunk.type === 'body' && chunk.value) all.get(chunk.node)?.chunks.push(chunk.value)
  }
  if (root === null) throw new Error('no message')
  return { headers: fieldsOf(root), root: toPart(root, '', false) }
}

type Chunk =
  | (SplitNode & { readonly type: 'node' })
  | { readonly type: 'body' | 'data'; readonly node: SplitNode; readonly value?: Buffer }

function split(bytes: Buffer, maxParts: number): AsyncIterable<Chunk> {
  // A forwarded message stays a leaf: inlined, its text would be judged as the sender's own.
  const splitter = new Splitter({ ignoreEmbedded: true, maxChildNodes: maxParts, maxHeadSize: maxHeadBytes })
  splitter.end(bytes)
  return splitter as unknown as AsyncIterable<Chunk>
}

const linesOf = ({ node }: Growing): readonly string[] =>
  node.headers ? node.headers.getList().map(({ line }) => line) : []

function fieldsOf(root: Growing): readonly HeaderField[] {
  const hint = charsetHint(root)
  return linesOf(root).map(line => readHeaderLine(line, hint))
}

/** The charset of the first text: what raw 8-bit header fields of the same writer are likeliest in. */
function charsetHint({ node, parts }: Growing): string {
  if (node.charset) return String(node.charset).slice(0, 40)
  for (const part of parts) {
    const found = charsetHint(part)
    if (found !== '') return found
  }
  return ''
}

function toPart(grown: Growing, parent: string, related: boolean): Part {
  const { node, parts, chunks } = grown
  const multipart = typeof node.multipart === 'string' ? node.multipart : ''
  if (multipart !== '')
    return {
      multipart,
      parts: parts.map(part => toPart(part, multipart, related || multipart === 'related')),
    }
  const lines = linesOf(grown)
  const declared = lines.some(line => /^content-type[ \t]*:/i.test(line))
  // RFC 2046 §5.1.5: what says nothing in a digest is a message.
  const type = !declared && parent === 'digest' ? 'message/rfc822' : String(node.contentType || 'text/plain')
  const raw = Buffer.concat(chunks)
  return {
    type: type.slice(0, 200),
    charset: String(node.charset || '').slice(0, 40),
    disposition: String(node.disposition || '').slice(0, 100),
    names: namesOf(lines),
    contentId: contentId(lines),
    content: decodeTransfer(raw, String(node.encoding || '')),
    flowed: node.flowed,
    delSp: node.delSp,
    related,
  }
}

/** Content-Transfer-Encoding of RFC 2045 §6, and the uuencode of before it. What does not decode stays as it is. */
function decodeTransfer(raw: Buffer, encoding: string): Buffer {
  switch (encoding.replace(/[^a-z0-9-]/g, '')) {
    case 'base64':
      return libbase64.decode(raw.toString('latin1').replace(/[^A-Za-z0-9+/=]+/g, ''))
    case 'quoted-printable':
      return libqp.decode(raw.toString('latin1'))
    case 'x-uuencode':
    case 'x-uue':
    case 'uuencode':
      return findUuencoded(raw.toString('latin1'))[0]?.content ?? raw
    default:
      return raw
  }
}

/** Text in its charset; unknown ones read as UTF-8 where it is, else as windows-1252. */
export function decodeText(content: Buffer, charset: string): string {
  const name = charset.toLowerCase().trim()
  if (name !== '' && name !== 'us-ascii' && name !== 'ascii') {
    // Node's decoder knows the escapes of Japanese; iconv-lite has the rest right, windows-1252 among it.
    if (name.startsWith('iso-2022-jp')) return new TextDecoder('iso-2022-jp').decode(content)
    if (iconv.encodingExists(name)) return iconv.decode(content, name)
  }
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(content)
  } catch {
    return iconv.decode(content, 'windows-1252')
  }
}

const nameFields = /^content-(type|disposition|description)[ \t]*:/i

/** Every name a part's fields give it: parameters of RFC 2045 and RFC 2231, encoded words, and what broken grammar hides. */
function namesOf(lines: readonly string[]): readonly string[] {
  const found = new Set<string>()
  const add = (name: string) => {
    for (const seen of visibleName(name)) if (seen !== '') found.add(seen)
  }
  const fields = lines.filter(line => nameFields.test(line)).slice(0, 12)
  // Content-Disposition names it better than Content-Type does.
  fields.sort((a, b) => rank(a) - rank(b))
  for (const line of fields) {
    const { name, value } = readHeaderLine(capField(line), '')
    if (/^content-description$/i.test(name)) {
      if (/\.[a-z0-9]{2,4}\s*$/i.test(value.slice(-12))) add(decodeName(value))
      continue
    }
    const { params, decodedParams = [] } = libmime.parseHeaderValue(value, { stripComments: true }) as {
      params: Record<string, string>
      decodedParams?: readonly string[]
    }
    for (const key of ['filename', 'name'])
      if (params[key]) add(decodedParams.includes(key) ? params[key] : decodeName(params[key]))
    // What a more forgiving program would find.
    for (const [, quoted, bare] of value.matchAll(
      /(?:file)?name\*?\d{0,3}\*?[ \t]{0,20}=[ \t]{0,20}(?:"([^"]{1,500})"|([^\s;"]{1,500}))/gi,
    ))
      add(decodeName(decodePercent(quoted ?? bare ?? '')))
  }
  return [...found].slice(0, 8)
}

const rank = (line: string) => (/^content-disposition/i.test(line) ? 0 : /^content-type/i.test(line) ? 1 : 2)

function decodeName(text: string): string {
  try {
    return libmime.decodeWords(text)
  } catch {
    return text
  }
}

/** 'utf-8'en'a%2Eexe' of RFC 2231 §4; other text as it is. */
function decodePercent(text: string): string {
  const extended = /^[\w-]{0,40}'[\w-]{0,20}'(.*)$/s.exec(text)
  if (!extended) return text
  try {
    return decodeURIComponent(extended[1] ?? '')
  } catch {
    return extended[1] ?? ''
  }
}

function contentId(lines: readonly string[]): string | null {
  const line = lines.find(one => /^content-id[ \t]*:/i.test(one))
  if (line === undefined) return null
  const value = readHeaderLine(capField(line), '').value
  return /<([^<>\s]{1,500})>/.exec(value)?.[1] ?? (value.slice(0, 500) || null)
}

/** A file inside a text. */
export interface Uuencoded {
  readonly name: string
  readonly content: Buffer
}

const mostUuencoded = 10

/** Files written into a text by uuencode (POSIX), each with its name. One pass over the lines. */
export function findUuencoded(text: string): readonly Uuencoded[] {
  if (!text.includes('begin ')) return []
  const found: Uuencoded[] = []
  let open: { name: string; chunks: Buffer[] } | null = null
  for (const line of text.split(/\r?\n/)) {
    if (open === null) {
      const begin = line.length < 600 ? /^begin[ \t]+(?:base64 |-)?[0-7]{3,4}[ \t]+(\S.*)$/.exec(line) : null
      if (begin) open = { name: cutLinear(begin[1] ?? '', 300), chunks: [] }
      continue
    }
    if (/^end\s*$/.test(line)) {
      found.push({ name: open.name, content: Buffer.concat(open.chunks) })
      if (found.length === mostUuencoded) return found
      open = null
      continue
    }
    const decoded = uuLine(line)
    if (decoded) open.chunks.push(decoded)
  }
  // Never closed, and still what a forgiving program would take out.
  if (open && open.chunks.length > 0) found.push({ name: open.name, content: Buffer.concat(open.chunks) })
  return found
}

function uuLine(line: string): Buffer | null {
  const length = (line.charCodeAt(0) - 32) & 63
  if (line.length === 0 || length === 0 || line.length < Math.ceil((length * 4) / 3)) return null
  const out = Buffer.alloc(Math.ceil(length / 3) * 3)
  const six = (i: number) => ((line.charCodeAt(i) || 32) - 32) & 63
  for (let i = 1, at = 0; at < length; i += 4, at += 3)
    out.writeUIntBE((six(i) << 18) | (six(i + 1) << 12) | (six(i + 2) << 6) | six(i + 3), at, 3)
  return out.subarray(0, length)
}
