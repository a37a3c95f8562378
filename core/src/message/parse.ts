import { simpleParser, type ParsedMail } from 'mailparser'
import { no, parseMailboxes, yes, type NamedAddress, type Parsed } from '../address/index.ts'
import { findTrueType } from './attachments.ts'
import {
  findHeader,
  headerText,
  messageIds,
  readDate,
  readHeaderLine,
  readListId,
  type HeaderField,
} from './headers.ts'
import { readHtml, textLinks } from './html-text.ts'
import type { Attachment, Message } from './message.ts'

export type MessageProblem =
  | { readonly code: 'no-headers' }
  | { readonly code: 'too-many-parts'; readonly limit: number }
  | { readonly code: 'unreadable'; readonly detail: string }

/** At most this many MIME parts and levels; more is refused at the door (SMTP 554 5.6.0). */
export const maxParts = 1000

const parserOptions = {
  skipHtmlToText: true,
  skipTextToHtml: true,
  skipImageLinks: true,
  skipTextLinks: true,
  // A forwarded message stays an attachment: inlined, its text would be judged as the sender's own.
  ignoreEmbedded: true,
  maxChildNodes: maxParts,
  checksumAlgo: false,
} as const

/** Reads one RFC 5322 / MIME message. Never throws: what can't be read is a problem with its facts. */
export async function parseMessage(raw: Uint8Array): Promise<Parsed<Message, MessageProblem>> {
  const bytes = Buffer.from(raw.buffer, raw.byteOffset, raw.byteLength)
  if (!startsWithHeader(bytes)) return no({ code: 'no-headers' })
  try {
    return yes(await toMessage(await simpleParser(withoutFromLineLookalike(bytes), parserOptions)))
  } catch (error) {
    const detail = error instanceof Error ? error.message : String(error)
    if (/child nodes/i.test(detail)) return no({ code: 'too-many-parts', limit: maxParts })
    return no({ code: 'unreadable', detail })
  }
}

/** A field name and a colon on one of the first lines; mbox "From " lines in front are common and harmless. */
function startsWithHeader(bytes: Buffer): boolean {
  return /^(?:>?From [^\n]*\n)?[!-9;-~]+[ \t]*:/.test(bytes.subarray(0, 1000).toString('latin1'))
}

/** 'From  : a@x' (RFC 5322 §4.5) as the first line would be taken for the "From " line of an mbox. */
function withoutFromLineLookalike(bytes: Buffer): Buffer {
  const match = /^From[ \t]+:/i.exec(bytes.subarray(0, 40).toString('latin1'))
  return match ? Buffer.concat([Buffer.from('From:'), bytes.subarray(match[0].length)]) : bytes
}

async function toMessage(mail: ParsedMail): Promise<Message> {
  const headers = mail.headerLines.map(({ line }) => readHeaderLine(line))
  const html = typeof mail.html === 'string' ? mail.html : null
  const fromHtml = html === null ? null : readHtml(html)
  const plain = mail.text ?? ''
  const text = plain.trim() === '' && fromHtml ? fromHtml.text : plain
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
    html,
    links: fromHtml ? fromHtml.links : textLinks(text),
    hiddenText: fromHtml?.hiddenText ?? '',
    attachments: await Promise.all(mail.attachments.map(readAttachment)),
    defects: findDefects(headers),
  }
}

function addressFields(headers: readonly HeaderField[]) {
  const read = (name: string): readonly NamedAddress[] => {
    const value = findHeader(headers, name)
    return value === null ? [] : parseMailboxes(value)
  }
  return {
    from: read('From'),
    sender: read('Sender')[0] ?? null,
    replyTo: read('Reply-To'),
    to: read('To'),
    cc: read('Cc'),
  }
}

async function readAttachment(part: ParsedMail['attachments'][number]): Promise<Attachment> {
  const name = part.filename ?? ''
  const { trueType, danger, note } = await findTrueType(name, part.contentType, part.content)
  return {
    name,
    declaredType: part.contentType,
    trueType,
    size: part.content.length,
    contentId: part.cid ?? null,
    inline: part.contentDisposition === 'inline' || part.related === true,
    danger,
    note,
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

/** The bytes of the attachments that `wanted` picks. */
export async function attachmentContents(
  raw: Uint8Array,
  wanted: (attachment: Attachment) => boolean,
): Promise<readonly Uint8Array[]> {
  const mail = await simpleParser(Buffer.from(raw), parserOptions)
  const found = await Promise.all(
    mail.attachments.map(async part => ({ part, attachment: await readAttachment(part) })),
  )
  return found.filter(({ attachment }) => wanted(attachment)).map(({ part }) => part.content)
}

/** The content of one embedded picture or attachment, by its place in the list. */
export async function findAttachmentContent(raw: Uint8Array, index: number): Promise<Uint8Array | null> {
  const mail = await simpleParser(Buffer.from(raw), parserOptions)
  return mail.attachments[index]?.content ?? null
}

/** Embedded pictures by content id, for the safe view. */
export async function embeddedPictures(
  raw: Uint8Array,
): Promise<ReadonlyMap<string, { type: string; content: Uint8Array }>> {
  const mail = await simpleParser(Buffer.from(raw), parserOptions)
  return new Map(
    mail.attachments.flatMap(part =>
      part.cid === undefined ? [] : [[part.cid, { type: part.contentType, content: part.content }] as const],
    ),
  )
}
