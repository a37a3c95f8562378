import { promisify } from 'node:util'
import { gunzipSync, gzip, gzipSync } from 'node:zlib'
import { clusterKey, sketchOf, type Sketch } from '@pendro/core/clusters'
import { tokensOf } from '@pendro/core/judgement'
import { matchingRules, type MailRule, type RuleView } from '@pendro/core/mail-rules'
import {
  attachmentContents,
  embeddedPictures,
  isWorthInspecting,
  parseMessage,
  pdfText,
  readStatusNotification,
  ruleView,
  safeTextView,
  safeView,
  type Attachment,
  type HeaderField,
  type Message,
  type MessageProblem,
} from '@pendro/core/message'
import { displayDomain, type Parsed } from '@pendro/core/address'
import { languageOf } from '@pendro/core/language'
import { execute, findRow, type Database, type Tx } from '../db/database.ts'

/** What screens and lessons need of a message once it has been read; kept, so that nothing is parsed twice. */
export interface Reading {
  readonly to: readonly string[]
  readonly replyTo: string
  readonly headers: readonly HeaderField[]
  readonly hasHtml: boolean
  readonly linksDisarmed: number
  readonly picturesLeftOut: number
  readonly remotePictures: number
  readonly hiddenText: string
  /** Lines the text takes when wrapped; readings of before do not know. */
  readonly lines?: number
  readonly attachments: readonly Attachment[]
  /** Where its links lead, each host once; readings of before do not know. */
  readonly hosts?: readonly string[]
  /** Tokens of the classifier. */
  readonly words: readonly string[]
  /** What mail rules look at; readings of before do not know. */
  readonly rules?: RuleView
}

/** Which rules of a set match each of some messages: places in the set, or `null` for a reading that does not know. */
export interface RuleTask {
  readonly packed: readonly Uint8Array[]
  readonly sets: readonly (readonly MailRule[])[]
  /** Of each message the set that is asked. */
  readonly of: readonly number[]
}

/** Asks mail rules about readings that are kept. */
export function matchRules({ packed, sets, of }: RuleTask): readonly (readonly number[] | null)[] {
  // Numbered by their place, as a rule may be there twice: as it is, and as it would be.
  const numbered = sets.map(set => set.map((rule, i) => ({ ...rule, id: i })))
  return packed.map((gzip, i) => {
    const view = unpackReading(Buffer.from(gzip)).rules
    return view ? matchingRules(numbered[of[i] ?? 0] ?? [], view).map(({ id }) => id) : null
  })
}

/** A message as it is stored. */
export interface Packed {
  /** The bytes as they came. */
  readonly source: Buffer
  /** Its reading; `null` when it can't be read. */
  readonly reading: Buffer | null
}

export interface ReadMessage {
  readonly parsed: Parsed<Message, MessageProblem>
  readonly packed: Packed
  /** What its cluster is found by; `null` when it can't be read. */
  readonly likeness: { readonly key: string; readonly sketch: Sketch } | null
  /** ISO 639-1; `null` where it can't be told. */
  readonly language: string | null
}

/** Reads a message whole and packs it: all that is ever computed from its bytes alone. */
export async function readMessage(raw: Uint8Array): Promise<ReadMessage> {
  const parsed = await parseMessage(raw)
  const source = pack(raw)
  return parsed.ok
    ? {
        parsed,
        packed: { source, reading: pack(JSON.stringify(readingOf(parsed.value, raw.length))) },
        likeness: { key: clusterKey(parsed.value), sketch: sketchOf(parsed.value) },
        language: await languageOf(parsed.value.text),
      }
    : { parsed, packed: { source, reading: null }, likeness: null, language: null }
}

/** Fast rather than small: mail is packed once, and most of it goes away after weeks. */
const level = 4

const pack = (content: Uint8Array | string): Buffer => gzipSync(content, { level })

const packElsewhere = promisify(gzip) as (content: Uint8Array, options: { level: number }) => Promise<Buffer>

/** What is known of a message that could not be read in time: its bytes. Packed off the event loop, as they may be many. */
export async function unreadInTime(raw: Uint8Array): Promise<ReadMessage> {
  return {
    parsed: { ok: false, problem: { code: 'too-slow' } },
    packed: { source: await packElsewhere(raw, { level }), reading: null },
    likeness: null,
    language: null,
  }
}

/** The reading that was packed. */
export const unpackReading = (packed: Buffer): Reading =>
  JSON.parse(gunzipSync(packed).toString('utf8')) as Reading

function readingOf(message: Message, size: number): Reading {
  // Counted on the same sanitised text the frame shows; embedded pictures are not needed for that.
  const view = message.html === null ? null : safeView(message.html, new Map())
  const embedded = message.attachments.filter(({ contentId }) => contentId !== null).length
  return {
    to: message.to.map(({ text }) => text).slice(0, 500),
    replyTo: message.replyTo[0]?.text ?? '',
    headers: message.headers,
    hasHtml: message.html !== null,
    linksDisarmed: view?.linksDisarmed ?? message.links.length,
    picturesLeftOut: Math.max(0, (view?.picturesLeftOut ?? 0) - embedded),
    remotePictures: view?.remotePictures.length ?? 0,
    hiddenText: message.hiddenText.slice(0, 2000),
    lines: wrappedLines(message.text),
    attachments: message.attachments.slice(0, 200),
    hosts: [...new Set(message.links.map(({ host }) => displayDomain(host)))].slice(0, 20),
    words: tokensOf(message),
    rules: ruleView(message, size),
  }
}

const lineWidth = 72

/** Lines of a text in a column of usual width. */
function wrappedLines(text: string): number {
  let lines = 0
  for (const line of text.split('\n')) lines += Math.max(1, Math.ceil(line.length / lineWidth))
  return lines
}

/** Keeps a reading with its message. */
export async function keepReading(db: Database, messageId: number, gzip: Buffer, tx?: Tx): Promise<void> {
  await execute(
    db,
    'REPLACE INTO message_readings (message_id, gzip) VALUES (:messageId, :gzip)',
    { messageId, gzip },
    tx,
  )
}

/** The reading of a message; messages of before readings were kept are read now. `null`: gone, or unreadable. */
export async function findReading(
  db: Database,
  messageId: number,
  read: (raw: Uint8Array) => Promise<ReadMessage>,
  tx?: Tx,
): Promise<Reading | null> {
  const row = await findRow<{ gzip: Buffer | null; source: Buffer | null; unreadable: string | null }>(
    db,
    `SELECT r.gzip, IF(r.message_id IS NULL, s.gzip, NULL) AS source, m.unreadable FROM messages m
     LEFT JOIN message_readings r ON r.message_id = m.id LEFT JOIN message_sources s ON s.message_id = m.id WHERE m.id = :messageId`,
    { messageId },
    tx,
  )
  if (row?.gzip) return unpackReading(row.gzip)
  if (!row?.source || row.unreadable !== null) return null
  const { reading } = (await read(gunzipSync(row.source))).packed
  if (!reading) return null
  await keepReading(db, messageId, reading, tx)
  return unpackReading(reading)
}

export interface ViewGiven {
  readonly raw: Uint8Array
  readonly form: 'html' | 'text'
  /** Domains an imitation would resemble; a warning names the one. */
  readonly warnings: Readonly<Record<string, string>>
  readonly remote: ReadonlyMap<string, { readonly type: string; readonly content: Uint8Array }>
}

export interface View {
  readonly html: string
  readonly remotePictures: readonly string[]
  /** Hosts of its links, for warnings about them. */
  readonly hosts: readonly string[]
}

/** The body of the safe view: nothing in it can run, load or lead anywhere. */
export async function renderView({ raw, form, warnings, remote }: ViewGiven): Promise<View> {
  const parsed = await parseMessage(raw)
  // What can't be read is shown as it came.
  if (!parsed.ok)
    return {
      html: safeTextView(Buffer.from(raw).toString('latin1').slice(0, 200_000)),
      remotePictures: [],
      hosts: [],
    }
  const { html, text, links } = parsed.value
  if (form === 'text' || html === null)
    return { html: safeTextView(text.slice(0, 1_000_000)), remotePictures: [], hosts: [] }
  const embedded = await embeddedPictures(raw)
  const view = safeView(html, embedded, { remote, warn: host => warnings[host] ?? null })
  return {
    html: view.html,
    remotePictures: view.remotePictures,
    hosts: [...new Set(links.map(({ host }) => host).filter(host => host !== ''))].slice(0, 500),
  }
}

const isPdf = ({ trueType }: Attachment) => trueType === 'application/pdf'
const mostPdfs = 5

/** The words of the first PDFs of a message, in their order. */
export async function readPdfWords(raw: Uint8Array): Promise<readonly (string | null)[]> {
  const contents = await attachmentContents(raw, isPdf)
  const words: (string | null)[] = []
  for (const content of contents.slice(0, mostPdfs)) words.push(await pdfText(content))
  return words
}

/** The attachments a lab should look at. */
export const contentsToInspect = (raw: Uint8Array): Promise<readonly Uint8Array[]> =>
  attachmentContents(raw, isWorthInspecting)

/** A delivery status notification (RFC 3464). */
export const statusNotification = readStatusNotification

/** The messages attached to a report. */
/** The bytes of one attachment, by its place among them; `null` where there is none. */
export async function oneAttachment({
  raw,
  place,
}: {
  readonly raw: Uint8Array
  readonly place: number
}): Promise<Uint8Array | null> {
  let at = -1
  const [content] = await attachmentContents(raw, () => (at += 1) === place)
  return content ?? null
}

export const attachedMessages = (raw: Uint8Array): Promise<readonly Uint8Array[]> =>
  attachmentContents(
    raw,
    ({ declaredType, name }) => declaredType === 'message/rfc822' || /\.eml$/i.test(name),
  )
