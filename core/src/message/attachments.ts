import { fileTypeFromBuffer } from 'file-type'
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

export interface TrueType {
  readonly trueType: string
  readonly danger: AttachmentDanger | null
}

/** What an attachment is by its bytes; the name only adds suspicion, it never takes any away. */
export async function findTrueType(
  name: string,
  declaredType: string,
  content: Uint8Array,
): Promise<TrueType> {
  const found = await fileTypeFromBuffer(content)
  const trueType = found?.mime ?? declaredType
  return { trueType, danger: dangerOf(name, trueType, content) }
}

function dangerOf(name: string, trueType: string, content: Uint8Array): AttachmentDanger | null {
  const ending = /\.([a-z0-9]+)\s*$/i.exec(name)?.[1]?.toLowerCase() ?? ''
  if (executableTypes.has(trueType) || ending === 'exe') {
    return trustedEndings.test(name) || ending !== 'exe' ? 'disguised' : 'executable'
  }
  if (scriptEndings.has(ending)) return 'script'
  if (macroEndings.has(ending)) return 'macro'
  if (trueType === 'application/zip' && isEncryptedZip(content)) return 'encrypted-archive'
  return null
}

/** General purpose bit 0 of the first local file header (PKWARE APPNOTE 4.4.4). */
function isEncryptedZip(content: Uint8Array): boolean {
  return content.length > 7 && ((content[6] ?? 0) & 1) === 1
}
