import { fileTypeFromBuffer } from 'file-type'
import { readZipDirectory, type ZipDirectory } from './archives.ts'
import type { AttachmentDanger } from './message.ts'

/** File names that Windows and its helpers run when opened. Common practice of the trade; no one list is official. */
const scriptEndings: ReadonlySet<string> = new Set(
  'bat cmd com cpl hta js jse lnk msi ps1 reg scr vbe vbs wsf wsh jar'.split(' '),
)
const macroEndings: ReadonlySet<string> = new Set('docm dotm xlsm xltm xlam pptm potm ppam'.split(' '))
const executableTypes: ReadonlySet<string> = new Set([
  'application/x-msdownload',
  'application/x-elf',
  'application/x-mach-binary',
])

// Document endings that somebody would double-click without a thought; one of these in front of a
// harmful ending is a disguise ("invoice.pdf.exe").
const trustedEndings = /\.(pdf|docx?|xlsx?|pptx?|jpe?g|png|txt|csv)\s*\.[a-z0-9]{2,4}$/i

/** An archive that would fill more than this, or this many times its size, is made to choke whoever opens it. */
const bombBytes = 2_000_000_000
const bombRatio = 200

export interface TrueType {
  readonly trueType: string
  readonly danger: AttachmentDanger | null
  /** What was found inside, in a few words; '' when nobody looked. */
  readonly note: string
}

/** What an attachment is by its bytes; the name only adds suspicion, it never takes any away. */
export async function findTrueType(
  name: string,
  declaredType: string,
  content: Uint8Array,
): Promise<TrueType> {
  const found = await fileTypeFromBuffer(content)
  const trueType = found?.mime ?? declaredType
  const isZip = content[0] === 0x50 && content[1] === 0x4b
  const directory = isZip ? await readZipDirectory(content) : null
  return {
    trueType,
    danger:
      dangerByName(name, trueType) ?? (isZip ? dangerInZip(directory, content) : dangerInCompound(content)),
    note: directory === null ? '' : noteOf(directory),
  }
}

const activeTypes =
  /^application\/(zip|x-7z-compressed|x-rar-compressed|gzip|x-tar|pdf|msword|vnd\.|x-cfb|rtf|x-iso9660-image)|^text\/html/

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

const endingOf = (name: string) => /\.([a-z0-9]+)\s*$/i.exec(name)?.[1]?.toLowerCase() ?? ''

function dangerByName(name: string, trueType: string): AttachmentDanger | null {
  const ending = endingOf(name)
  if (executableTypes.has(trueType) || ending === 'exe') {
    return trustedEndings.test(name) || ending !== 'exe' ? 'disguised' : 'executable'
  }
  if (scriptEndings.has(ending)) return 'script'
  if (macroEndings.has(ending)) return 'macro'
  return null
}

function dangerInZip(directory: ZipDirectory | null, content: Uint8Array): AttachmentDanger | null {
  if (directory === null) return isEncryptedZip(content) ? 'encrypted-archive' : 'unreadable-archive'
  if (directory.expanded > bombBytes || directory.expanded > bombRatio * content.length + 10_000_000)
    return 'bomb'
  if (directory.names.some(name => /(^|\/)vbaProject\.bin$/i.test(name))) return 'macro'
  if (directory.names.some(isProgramName)) return 'program-in-archive'
  return directory.encrypted ? 'encrypted-archive' : null
}

const isProgramName = (name: string) => endingOf(name) === 'exe' || scriptEndings.has(endingOf(name))

/** General purpose bit 0 of the first local file header (PKWARE APPNOTE 4.4.4). */
function isEncryptedZip(content: Uint8Array): boolean {
  return content.length > 7 && ((content[6] ?? 0) & 1) === 1
}

const compoundMark = Buffer.from('d0cf11e0a1b11ae1', 'hex')
const macroStream = Buffer.from('_VBA_PROJECT', 'utf16le')

/** Older office documents are compound files; the name of their macro storage stands in the directory. */
function dangerInCompound(content: Uint8Array): AttachmentDanger | null {
  const bytes = Buffer.from(content.buffer, content.byteOffset, content.byteLength)
  return bytes.subarray(0, 8).equals(compoundMark) && bytes.includes(macroStream) ? 'macro' : null
}

function noteOf({ names, expanded, encrypted, cut }: ZipDirectory): string {
  const some = names.slice(0, 8).join(', ')
  const more = names.length > 8 || cut ? ` and ${cut ? 'many' : names.length - 8} more` : ''
  return `${some}${more}; ${expanded} bytes unpacked${encrypted ? '; locked' : ''}`
}
