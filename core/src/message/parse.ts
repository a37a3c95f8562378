import { no, parseMailboxes, readFromFields, yes, type NamedAddress, type Parsed } from '../address/index.ts'
import { findTrueType, freshBudget, isAttachment, leavesOf, type Budget } from './attachments.ts'
import {
  allHeaders,
  findHeader,
  headerText,
  messageIds,
  mostFields,
  readDate,
  readListId,
  type HeaderField,
} from './headers.ts'
import { readHtml, textLinks } from './html-text.ts'
import type { Attachment, Message } from './message.ts'
import { decodeText, isBranch, readMime, type Leaf, type Part } from './mime.ts'
import { harmless } from '../text/index.ts'

/** Why a message could not be read. */
export type MessageProblem =
  | { readonly code: 'no-headers' }
  | { readonly code: 'too-many-parts'; readonly limit: number }
  | { readonly code: 'too-slow' }
  | { readonly code: 'unreadable'; readonly detail: string }

/** At most this many MIME parts and levels; more is refused at the door (SMTP 554 5.6.0). */
export const maxParts = 1000

/** Reads one RFC 5322 / MIME message. Never throws: what can't be read is a problem with its facts. */
export async function parseMessage(raw: Uint8Array): Promise<Parsed<Message, MessageProblem>> {
  const bytes = wholeMessage(raw)
  if (!startsWithHeader(bytes)) return no({ code: 'no-headers' })
  try {
    const { headers, root } = await readMime(bytes, { maxParts })
    return yes(await toMessage(headers.slice(0, mostFields), root))
  } catch (error) {
    return no(problemOf(error))
  }
}

function problemOf(error: unknown): MessageProblem {
  const detail = error instanceof Error ? error.message : String(error)
  return /child nodes|nesting/i.test(detail)
    ? { code: 'too-many-parts', limit: maxParts }
    : { code: 'unreadable', detail }
}

/** A byte order mark or blanks in front of the first field belong to whoever saved the file, not to the message. */
function wholeMessage(raw: Uint8Array): Buffer {
  const bytes = Buffer.from(raw.buffer, raw.byteOffset, raw.byteLength)
  let start = bytes.subarray(0, 3).equals(byteOrderMark) ? 3 : 0
  while (start < 1000 && [0x20, 0x09, 0x0d, 0x0a].includes(bytes[start] ?? 0)) start += 1
  return withoutFromLineLookalike(bytes.subarray(start))
}

const byteOrderMark = Buffer.from([0xef, 0xbb, 0xbf])

/** A field name and a colon on one of the first lines; mbox "From " lines in front are common and harmless. */
function startsWithHeader(bytes: Buffer): boolean {
  return /^(?:>?From [^\n]*\n)?[!-9;-~]+[ \t]*:/.test(bytes.subarray(0, 1000).toString('latin1'))
}

/** 'From  : a@x' (RFC 5322 §4.5) as the first line would be taken for the "From " line of an mbox. */
function withoutFromLineLookalike(bytes: Buffer): Buffer {
  const match = /^From[ \t]+:/i.exec(bytes.subarray(0, 40).toString('latin1'))
  return match ? Buffer.concat([Buffer.from('From:'), bytes.subarray(match[0].length)]) : bytes
}

async function toMessage(headers: readonly HeaderField[], root: Part): Promise<Message> {
  const body = readBody(root)
  const fromHtml = body.html === null ? null : readHtml(body.html)
  const text = composeText(body.pieces, fromHtml?.text ?? '')
  return {
    headers,
    ...addressFields(headers),
    subject: headerText(headers, 'Subject'),
    date: readDate(findHeader(headers, 'Date')),
    messageId: messageIds(findHeader(headers, 'Message-ID'))[0] ?? null,
    answers: [
      ...new Set([
        ...messageIds(findHeader(headers, 'In-Reply-To')),
        ...messageIds(findHeader(headers, 'References')),
      ]),
    ],
    listId: readListId(findHeader(headers, 'List-Id')),
    text,
    html: body.html,
    links: fromHtml ? fromHtml.links : textLinks(text),
    hiddenText: fromHtml?.hiddenText ?? '',
    attachments: await readAttachments(root),
    defects: findDefects(headers),
  }
}

interface Body {
  /** In order; 'html' stands where the text of the HTML belongs. */
  readonly pieces: readonly (string | 'html')[]
  readonly html: string | null
}

const asHtml = 'html'

/**
 * What a reader is shown: of alternatives both forms, of other parts all, one after the other. The HTML of all parts
 * together is one page.
 */
function readBody(root: Part): Body {
  const pages: string[] = []
  const pieces: string[] = []
  const walk = (part: Part): void => {
    if (!isBranch(part)) return leaf(part)
    if (part.multipart !== 'alternative') return part.parts.forEach(walk)
    const before = pieces.length
    const pagesBefore = pages.length
    part.parts.forEach(walk)
    const own = pieces.slice(before)
    const plain = own.filter(piece => piece !== asHtml && piece.trim() !== '')
    // The same text in two forms is said once; a form that is blank, or a few words asking for another program, is not the text.
    if (plain.length > 0 && pages.length > pagesBefore) pieces.splice(before, own.length, ...plain)
  }
  const leaf = (part: Leaf) => {
    if (part.disposition === 'attachment' || isNamedFile(part)) return
    if (part.type === 'text/html') {
      pages.push(decodeText(part.content, part.charset))
      pieces.push(asHtml)
    } else if (part.type.startsWith('text/') && !isAttachment({ ...part, names: [] }))
      pieces.push(plainText(part))
  }
  walk(root)
  return { pieces, html: pages.length === 0 ? null : pages.join('\n') }
}

/** A text with a name that is no text by that name: a file, not words to read. */
const isNamedFile = ({ names, type, disposition }: Leaf) =>
  names.length > 0 && (disposition !== '' || !/^text\/(plain|html)$/.test(type))

function composeText(pieces: readonly string[], htmlText: string): string {
  let said = false
  return pieces
    .flatMap(piece => {
      if (piece !== asHtml) return [piece]
      if (said) return []
      said = true
      return [htmlText]
    })
    .filter((piece, _, all) => piece.trim() !== '' || all.length === 1)
    .join('\n')
}

function plainText({ content, charset, flowed, delSp }: Leaf): string {
  const text = decodeText(content, charset).replace(/\r\n/g, '\n')
  return flowed ? unflow(text, delSp) : text
}

/** RFC 3676 §4.2: a line that ends in a space goes on in the next, but for the signature's mark. */
function unflow(text: string, delSp: boolean): string {
  const out: string[] = []
  let open = false
  for (const raw of text.split('\n')) {
    const line = raw.startsWith(' ') ? raw.slice(1) : raw
    const soft = line.endsWith(' ') && line !== '-- '
    const shown = soft && delSp ? line.slice(0, -1) : line
    if (open) out[out.length - 1] += shown
    else out.push(shown)
    open = soft
  }
  return out.join('\n')
}

function addressFields(headers: readonly HeaderField[]) {
  const read = (name: string): readonly NamedAddress[] => {
    const value = findHeader(headers, name)
    return value === null ? [] : parseMailboxes(value)
  }
  const senders = readFromFields(allHeaders(headers, 'From'))
  return {
    from: senders.mailboxes,
    fromDomains: senders.domains,
    fromWhole: senders.whole && !headers.some(({ name, longerThan }) => longerThan && /^from$/i.test(name)),
    sender: read('Sender')[0] ?? null,
    replyTo: read('Reply-To'),
    to: read('To'),
    cc: read('Cc'),
  }
}

async function readAttachments(root: Part, budget: Budget = freshBudget()): Promise<readonly Attachment[]> {
  const found: Attachment[] = []
  for (const leaf of leavesOf(root)) {
    const { names, type, content } = leaf
    if (isAttachment(leaf)) {
      found.push(await toAttachment(leaf, budget))
      continue
    }
    // Files that are written into a text; the text itself stays what it is.
    const { danger, note, disguise } = await findTrueType({ names, type, content }, budget)
    if (danger !== null)
      found.push({
        name: note,
        declaredType: type,
        trueType: type,
        size: content.length,
        contentId: null,
        inline: false,
        danger,
        note,
        disguise,
      })
  }
  return found
}

async function toAttachment(leaf: Leaf, budget: Budget): Promise<Attachment> {
  const { names, type, content, contentId, disposition, related } = leaf
  const { trueType, danger, note, disguise } = await findTrueType({ names, type, content }, budget)
  return {
    name: names[0] ?? '',
    declaredType: harmless(type),
    trueType,
    size: content.length,
    contentId,
    inline: disposition === 'inline' || related,
    danger,
    note,
    disguise,
  }
}

/** RFC 5322 §3.6: exactly one From and one Date; other single fields at most once. */
function findDefects(headers: readonly HeaderField[]): readonly string[] {
  const count = (name: string) => headers.filter(field => field.name.toLowerCase() === name).length
  const defects: string[] = []
  if (count('from') !== 1) defects.push(count('from') === 0 ? 'no-from' : 'several-from-fields')
  if (count('date') === 0) defects.push('no-date')
  if (count('message-id') === 0) defects.push('no-message-id')
  if (count('subject') > 1) defects.push('several-subject-fields')
  return defects
}

async function attachedLeaves(raw: Uint8Array): Promise<readonly Leaf[]> {
  const { root } = await readMime(wholeMessage(raw), { maxParts })
  return leavesOf(root).filter(isAttachment)
}

/** The bytes of the attachments that `wanted` picks. */
export async function attachmentContents(
  raw: Uint8Array,
  wanted: (attachment: Attachment) => boolean,
): Promise<readonly Uint8Array[]> {
  const budget = freshBudget()
  const found: Uint8Array[] = []
  for (const leaf of await attachedLeaves(raw))
    if (wanted(await toAttachment(leaf, budget))) found.push(leaf.content)
  return found
}

/** Embedded pictures by content id, for the safe view. */
export async function embeddedPictures(
  raw: Uint8Array,
): Promise<ReadonlyMap<string, { type: string; content: Uint8Array }>> {
  return new Map(
    (await attachedLeaves(raw)).flatMap(({ contentId, type, content }) =>
      contentId === null ? [] : [[contentId, { type, content }] as const],
    ),
  )
}
