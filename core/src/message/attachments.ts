import { gunzipSync } from 'node:zlib'
import { fileTypeFromBuffer } from 'file-type'
import { listTar, readZip, type ArchiveDirectory, type Wanted } from './archives.ts'
import type { Attachment, AttachmentDanger } from './message.ts'
import { findUuencoded, isBranch, readMime, type Leaf, type Part } from './mime.ts'
import { bareName, hidesCharacters, turnsDirection, visibleName } from '../text/index.ts'
import { unmarkedType } from './own-marks.ts'
import { isPacked, readPacked } from './packed.ts'
import { readTnef } from './tnef.ts'

/**
 * File endings that Windows, macOS or Linux desktops run, mount or obey when opened. Common practice of the trade; no
 * one list is official. Containers that are mounted by a double click count too: what is in them runs. Endings that
 * honest documents have, too (pst, mdb, bin, lib, theme, py), are left to their content.
 */
const scriptEndings: ReadonlySet<string> = new Set(
  `ade adp app appinstaller application appref-ms appx appxbundle bat cab chm cmd command com cpl crx desktop diagcab dll
   dmg gadget hlp hta img inf ins iqy iso isp jar jnlp job js jse library-ms lnk mad maf mag mam maq mar mas mat mau
   mav maw mda mde mdt mdw mdz msc msh msh1 msh2 mshxml msi msix msixbundle msp mst one ops pcd pif pkg plg prf prg
   ps1 ps1xml ps2 ps2xml psc1 psc2 psd1 psm1 pyc pyo pyw pyz reg rpm scf scr sct search-ms searchconnector-ms
   settingcontent-ms sh shb shs slk sys url vb vbe vbp vbs vhd vhdx vsmacros vsw webpnp website wim ws wsc wsf wsh
   xbap xll xnk deb apk run`.split(/\s+/),
)
const programEndings: ReadonlySet<string> = new Set(['exe', 'scr', 'com', 'pif'])
const macroEndings: ReadonlySet<string> = new Set(
  'docm dotm xlsm xltm xlam pptm potm ppam ppsm sldm'.split(' '),
)
const executableTypes: ReadonlySet<string> = new Set([
  'application/x-msdownload',
  'application/x-dosexec',
  'application/x-elf',
  'application/x-executable',
  'application/x-mach-binary',
  'application/vnd.microsoft.portable-executable',
])
const scriptTypes =
  /^(?:application|text)\/(?:x-)?(?:msi|ms-shortcut|javascript|ecmascript|vbscript|hta|bat|sh|shellscript|csh|powershell|java-archive|ms-installer|python-code)$/i

// Document endings that somebody would double-click without a thought; one of these in front of a
// harmful ending is a disguise ("invoice.pdf.exe").
const trustedEndings =
  /\.(pdf|docx?|xlsx?|pptx?|jpe?g|png|gif|txt|csv|html?|zip)[\s._-]{0,300}\.[a-z0-9]{2,4}$/i

/** An archive that would fill more than this, or this many times its size, is made to choke whoever opens it. */
const bombBytes = 2_000_000_000
const bombRatio = 200

/** What an attachment is by its bytes. */
export interface TrueType {
  readonly trueType: string
  readonly danger: AttachmentDanger | null
  /** What was found inside, in a few words; '' when nobody looked. */
  readonly note: string
  /** It is made to be taken for something else, whatever it holds. */
  readonly disguise: boolean
}

/** What one message's attachments may cost altogether, inner messages and archives included. */
export interface Budget {
  bytes: number
  parts: number
}

/** A whole budget, for one message. */
export const freshBudget = (): Budget => ({ bytes: 60_000_000, parts: 3000 })

const deepest = 6

interface Given {
  readonly names: readonly string[]
  readonly type: string
  readonly content: Buffer
}

/** What an attachment is by its bytes; names only add suspicion, they never take any away. All its names count. */
export async function findTrueType(given: Given, budget: Budget, depth = 0): Promise<TrueType> {
  const { names, type, content } = given
  budget.parts -= 1
  budget.bytes -= content.length
  const spent = budget.parts < 0 || budget.bytes < 0 || depth > deepest
  // 'MZ' alone is two letters; what is a program by them is decided by its own mark.
  const found = spent || isLetterMark(content) ? undefined : await fileTypeFromBuffer(content)
  const trueType = ownMark(content) ?? found?.mime ?? unmarkedType(type, content) ?? type
  const disguise = isMadeToDeceive(names)
  const byName = dangerByNames(names, trueType, type)
  if (spent) return { trueType, danger: byName ?? 'unreadable-archive', note: '', disguise }
  const inside = await lookInside({ ...given, trueType }, budget, depth)
  return {
    trueType,
    danger: worse(byName, inside.danger),
    note: inside.note,
    disguise: disguise || inside.disguise,
  }
}

const family = (type: string) => type.split('/')[0] ?? ''

/**
 * How an attachment pretends to be something else: its 'name' is made to be taken for another, or it is declared as a picture, a sound, a
 * text or a PDF and by its bytes is something else altogether ('type'). Other types are declared so carelessly that it says nothing.
 */
export function pretence({
  declaredType,
  trueType,
  disguise,
}: Pick<Attachment, 'declaredType' | 'trueType' | 'disguise'>): 'type' | 'name' | null {
  if (disguise === true) return 'name'
  if (trueType === declaredType) return null
  if (declaredType === 'application/pdf') return 'type'
  const claims = ['image', 'audio', 'video', 'text'].includes(family(declaredType))
  return claims && family(trueType) !== family(declaredType) ? 'type' : null
}

/** Marks that the type library does not know. */
function ownMark(content: Buffer): string | null {
  if (content.length >= 20 && content.readUInt32LE(0) === 0x4c && content.readUInt32LE(4) === 0x00021401)
    return 'application/x-ms-shortcut'
  if (content.subarray(0, 8).equals(compoundMark) && content.includes(installerClass))
    return 'application/x-msi'
  if (isTnef(content)) return 'application/ms-tnef'
  if (content[0] === 0x4d && content[1] === 0x5a) return isPe(content) ? 'application/x-msdownload' : null
  return null
}

const isLetterMark = (content: Buffer) => content[0] === 0x4d && content[1] === 0x5a

/** 'MZ' begins words, too: a program says where its header is, or that it can't run in DOS mode, or holds zeros. */
function isPe(content: Buffer): boolean {
  if (content.length < 64) return content.includes(0)
  const at = content.readUInt32LE(0x3c)
  if (at + 4 <= content.length && content.subarray(at, at + 2).toString('latin1') === 'PE') return true
  return content.subarray(0, 512).includes(0)
}

const isTnef = (content: Buffer) => content.length > 6 && content.readUInt32LE(0) === 0x223e9f78
const isZip = (content: Buffer) => content[0] === 0x50 && content[1] === 0x4b
const isGzip = (content: Buffer) => content[0] === 0x1f && content[1] === 0x8b
const isTar = (content: Buffer) =>
  content.length > 262 && content.subarray(257, 262).toString('latin1') === 'ustar'

type Inside = Pick<TrueType, 'danger' | 'note' | 'disguise'>
const nothing: Inside = { danger: null, note: '', disguise: false }

async function lookInside(
  given: Given & { trueType: string },
  budget: Budget,
  depth: number,
): Promise<Inside> {
  const { content } = given
  if (isZip(content)) return lookIntoZip(content, budget, depth)
  const inside = await lookByMark(given, budget, depth)
  // One file can be two things at once: what it begins as, and the archive it ends as.
  return hasZipTail(content) ? both(inside, await lookIntoZip(content, budget, depth)) : inside
}

const both = (a: Inside, b: Inside): Inside => ({
  danger: worse(a.danger, b.danger),
  note: a.note || b.note,
  disguise: a.disguise || b.disguise,
})

async function lookByMark(
  { type, trueType, names, content }: Given & { trueType: string },
  budget: Budget,
  depth: number,
): Promise<Inside> {
  if (isGzip(content)) return lookIntoGzip(names, content, budget, depth)
  if (isTar(content)) return both(await lookIntoPacked(content, budget, depth), lookAtNames(listTar(content)))
  if (isPacked(content)) return lookIntoPacked(content, budget, depth)
  if (isTnef(content)) return lookIntoMany(readTnef(content), budget, depth)
  const isCompound = content.subarray(0, 8).equals(compoundMark)
  if (isCompound || trueType === 'application/x-cfb') return dangerInCompound(content)
  if (/^message\//i.test(type) || /\.(eml|msg|mht|mhtml)$/i.test(names[0] ?? ''))
    return lookIntoMessage(content, budget, depth)
  const files = /^text\//i.test(type) ? findUuencoded(content.toString('latin1')) : []
  return files.length > 0 ? lookIntoMany(files, budget, depth) : nothing
}

/** An attached message is as dangerous as what is attached to it. */
async function lookIntoMessage(content: Buffer, budget: Budget, depth: number): Promise<Inside> {
  try {
    const { root } = await readMime(content, { maxParts: Math.max(1, Math.min(200, budget.parts)) })
    const found = await Promise.all(
      leavesOf(root).map(leaf =>
        isAttachment(leaf)
          ? findTrueType({ names: leaf.names, type: leaf.type, content: leaf.content }, budget, depth + 1)
          : lookIntoText(leaf, budget, depth + 1),
      ),
    )
    return summary(found)
  } catch {
    return nothing
  }
}

async function lookIntoText(leaf: Leaf, budget: Budget, depth: number): Promise<Inside> {
  return lookInside({ names: [], type: leaf.type, trueType: leaf.type, content: leaf.content }, budget, depth)
}

async function lookIntoMany(
  files: readonly { readonly name: string; readonly content: Buffer }[],
  budget: Budget,
  depth: number,
): Promise<Inside> {
  const found = await Promise.all(
    files.map(({ name, content }) =>
      findTrueType(
        { names: visibleName(name), type: 'application/octet-stream', content },
        budget,
        depth + 1,
      ),
    ),
  )
  const inside = summary(found)
  return { ...inside, note: listNames(files.map(({ name }) => name)) }
}

const programs: ReadonlySet<AttachmentDanger> = new Set([
  'executable',
  'script',
  'disguised',
  'program-in-archive',
])

/** Seen from outside: a program inside is a program in an archive; the rest keeps its name. */
function summary(found: readonly Inside[]): Inside {
  let danger: AttachmentDanger | null = null
  for (const one of found)
    danger = worse(
      danger,
      one.danger !== null && programs.has(one.danger) ? 'program-in-archive' : one.danger,
    )
  return { danger, note: '', disguise: found.some(({ disguise }) => disguise) }
}

/** Gravest first. */
const order: readonly AttachmentDanger[] = [
  'disguised',
  'executable',
  'script',
  'program-in-archive',
  'bomb',
  'macro',
  'encrypted-archive',
  'unreadable-archive',
]

function worse(a: AttachmentDanger | null, b: AttachmentDanger | null): AttachmentDanger | null {
  if (a === null || b === null) return a ?? b
  return order.indexOf(a) <= order.indexOf(b) ? a : b
}

const mostUnpacked = 20_000_000

function lookIntoGzip(
  names: readonly string[],
  content: Buffer,
  budget: Budget,
  depth: number,
): Promise<Inside> | Inside {
  try {
    const inner = gunzipSync(content, { maxOutputLength: Math.max(1, Math.min(mostUnpacked, budget.bytes)) })
    const name = (names[0] ?? '').replace(/\.(gz|tgz)$/i, '')
    return lookIntoMany([{ name, content: inner }], budget, depth)
  } catch (error) {
    // Too much to unpack is not the same as broken.
    const tooMuch = (error as { code?: string }).code === 'ERR_BUFFER_TOO_LARGE'
    return { ...nothing, danger: tooMuch ? 'bomb' : 'unreadable-archive' }
  }
}

function lookAtNames(names: readonly string[]): Inside {
  return {
    danger: names.some(isProgramName) ? 'program-in-archive' : null,
    note: listNames(names),
    disguise: isMadeToDeceive(names),
  }
}

async function lookIntoZip(content: Buffer, budget: Budget, depth: number): Promise<Inside> {
  const directory = await readZip(fromFirstEntry(toEndOfZip(content)), wantedOf(budget, depth))
  // A directory that names nothing, behind entries that are there: whoever goes by the entries opens what nobody saw.
  const hidesAll = directory?.names.length === 0 && content.includes(zipEntry)
  if (directory !== null && !hidesAll) return lookIntoDirectory(directory, content, budget, depth)
  if (!isZip(content) && !hidesAll) return nothing
  return { ...nothing, danger: isEncryptedZip(content) ? 'encrypted-archive' : 'unreadable-archive' }
}

/** Opening one costs a library of its own: fewer are opened than files are looked at. */
const partsOfPacked = 40

async function lookIntoPacked(content: Buffer, budget: Budget, depth: number): Promise<Inside> {
  budget.parts -= partsOfPacked
  if (budget.parts < 0) return { ...nothing, danger: 'unreadable-archive' }
  const directory = await readPacked(content, wantedOf(budget, depth))
  if (directory === null) return { ...nothing, danger: 'unreadable-archive' }
  return lookIntoDirectory(directory, content, budget, depth)
}

/** Where nobody goes deeper nothing is unpacked, and what would have been is unseen. */
const wantedOf = (budget: Budget, depth: number): Wanted => ({
  bytes: depth < deepest ? Math.min(mostUnpacked, budget.bytes) : -1,
  wanted: name => isArchiveName(name) || !hasKnownEnding(name),
})

async function lookIntoDirectory(
  directory: ArchiveDirectory,
  content: Buffer,
  budget: Budget,
  depth: number,
): Promise<Inside> {
  const note = noteOf(directory)
  if (directory.expanded > bombBytes || directory.expanded > bombRatio * content.length + 10_000_000)
    return { ...nothing, danger: 'bomb', note }
  const inner = await lookIntoMany(directory.contents, budget, depth)
  const byName = directory.names.some(name => /(^|\/)vbaProject\.bin$/i.test(name))
    ? 'macro'
    : directory.names.some(isProgramName)
      ? 'program-in-archive'
      : null
  const unseen = directory.encrypted ? 'encrypted-archive' : directory.cut ? 'unreadable-archive' : null
  return {
    danger: worse(worse(byName, unseen), inner.danger),
    note,
    disguise: inner.disguise || isMadeToDeceive(directory.names),
  }
}

/** Offsets in a directory count from its first entry; what stands in front is somebody's picture. */
function fromFirstEntry(content: Buffer): Buffer {
  const at = content.indexOf(zipEntry)
  return at > 0 ? content.subarray(at) : content
}
const zipEntry = Buffer.from('504b0304', 'hex')

/** What stands behind the end of the directory and its comment (APPNOTE 4.3.16) belongs to something else. */
function toEndOfZip(content: Buffer): Buffer {
  const at = content.lastIndexOf(zipEnd)
  return at < 0 || at + 22 > content.length
    ? content
    : content.subarray(0, at + 22 + content.readUInt16LE(at + 20))
}

const isArchiveName = (name: string) =>
  /\.(zip|jar|gz|tgz|tar|7z|rar|cab|iso|img|xz|txz|bz2|tbz2?|arj|lzh|lha|wim|eml|msg|dat)$/i.test(name)
const hasKnownEnding = (name: string) => /\.[a-z0-9]{1,5}$/i.test(name)

const activeTypes =
  /^application\/(zip|x-7z-compressed|x-rar-compressed|gzip|x-tar|pdf|msword|vnd\.|x-cfb|rtf|x-iso9660-image|ms-tnef)|^text\/html|^message\//

/** Whether an attachment could do something when it is opened, so that a lab should look at it. */
export function isWorthInspecting({
  trueType,
  inline,
  danger,
}: {
  trueType: string
  inline: boolean
  danger: AttachmentDanger | null
}): boolean {
  return danger !== null || (!inline && activeTypes.test(trueType))
}

const endingOf = (name: string) =>
  /\.([a-z0-9-]{1,20})$/i.exec(bareName(name).slice(-30))?.[1]?.toLowerCase() ?? ''

function dangerByNames(
  names: readonly string[],
  trueType: string,
  declared: string,
): AttachmentDanger | null {
  const endings = names.map(endingOf)
  const isProgram = executableTypes.has(trueType)
  const program = names.find((_, i) => programEndings.has(endings[i] ?? ''))
  if (isProgram || program !== undefined) {
    const honest =
      names.length > 0 &&
      names.every(name => endingOf(name) === 'exe' && !trustedEndings.test(bareName(name)))
    return honest && !isMadeToDeceive(names) ? 'executable' : 'disguised'
  }
  if (executableTypes.has(declared.toLowerCase())) return 'executable'
  if (
    endings.some(ending => scriptEndings.has(ending)) ||
    scriptTypes.test(trueType) ||
    scriptTypes.test(declared)
  )
    return 'script'
  if (endings.some(ending => macroEndings.has(ending))) return 'macro'
  return null
}

/** Names that are read as something else than what they are: turned round, stretched, with unseen characters, or two that differ in kind. */
function isMadeToDeceive(names: readonly string[]): boolean {
  return (
    names.some(
      name =>
        turnsDirection(name) ||
        hidesCharacters(name) ||
        name.includes('\u00b7.') ||
        /\S\s{12,}\.?\S/.test(name.slice(0, 300)),
    ) || names.some(name => trustedEndings.test(bareName(name)) && isProgramName(name))
  )
}

const isProgramName = (name: string) =>
  programEndings.has(endingOf(name)) || scriptEndings.has(endingOf(name))

/** General purpose bit 0 of the first local file header (PKWARE APPNOTE 4.4.4). */
function isEncryptedZip(content: Buffer): boolean {
  return content.length > 7 && ((content[6] ?? 0) & 1) === 1
}

/** An end of central directory (APPNOTE 4.3.16) behind something else: what opens such a file opens the archive. */
function hasZipTail(content: Buffer): boolean {
  return content.length > 22 && content.subarray(-66_000).includes(zipEnd)
}
const zipEnd = Buffer.from('504b0506', 'hex')

const compoundMark = Buffer.from('d0cf11e0a1b11ae1', 'hex')
const macroStream = Buffer.from('_VBA_PROJECT', 'utf16le')
const nestedProgram = Buffer.from('Ole10Native', 'utf16le')
/** Class of an installer's root storage, {000C1084-0000-0000-C000-000000000046}. */
const installerClass = Buffer.from('84100c0000000000c000000000000046', 'hex')

/** Older office documents are compound files; the name of their macro storage stands in the directory. */
function dangerInCompound(content: Buffer): Inside {
  if (content.includes(installerClass)) return { ...nothing, danger: 'script' }
  if (content.includes(macroStream)) return { ...nothing, danger: 'macro' }
  // A package inside a document that names a program.
  const packed = content.indexOf(nestedProgram)
  return packed >= 0 && /\.(exe|scr|js|vbs|bat|cmd|hta|lnk|ps1)\0/i.test(content.toString('latin1'))
    ? { ...nothing, danger: 'program-in-archive' }
    : nothing
}

function listNames(names: readonly string[]): string {
  const shown = names.slice(0, 8).map(name => visibleName(name)[0] ?? '')
  return names.length > shown.length ? `${shown.join(', ')}, … (${names.length})` : shown.join(', ')
}

const noteOf = ({ names }: ArchiveDirectory): string => listNames(names)

/** All leaves below a part, in order. */
export function leavesOf(part: Part): readonly Leaf[] {
  return isBranch(part) ? part.parts.flatMap(leavesOf) : [part]
}

/**
 * Whether a leaf is an attachment: everything that has a name, says to be attached, or is not a text. A text without a
 * name is one when its bytes are a program's or its declared type is not what a reader is shown.
 */
export function isAttachment({ names, type, disposition, content }: Leaf): boolean {
  if (names.length > 0 || disposition === 'attachment') return true
  if (!/^text\/(plain|html|calendar|enriched|richtext|x-amp-html)$/.test(type)) return true
  return looksBinary(content)
}

/** Marks of programs and archives, which no text begins with. */
function looksBinary(content: Buffer): boolean {
  if (ownMark(content) !== null || content.subarray(0, 8).equals(compoundMark)) return true
  const mark = content.subarray(0, 4).toString('latin1')
  return mark === '\x7fELF' || mark.startsWith('PK\u0003\u0004') || isGzip(content) || isPacked(content)
}
