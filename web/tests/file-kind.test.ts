import i18next from 'i18next'
import { expect, test } from 'vitest'
import { fileKind } from '../src/parts/file-kind.ts'
import { enReview } from '../src/wording/en-review.ts'

const t = await i18next.createInstance().init({ lng: 'en', resources: { en: { translation: enReview } } })

// Media types as IANA registers them, beside what programs write for them (common practice).
test.each([
  ['application/pdf', 'PDF'],
  ['Application/PDF; name="x.pdf"', 'PDF'],
  ['application/zip', 'ZIP archive'],
  ['application/x-zip-compressed', 'ZIP archive'],
  ['application/vnd.rar', 'archive'],
  ['application/x-7z-compressed', 'archive'],
  ['application/msword', 'text document'],
  ['application/vnd.openxmlformats-officedocument.wordprocessingml.document', 'text document'],
  ['application/vnd.ms-word.document.macroEnabled.12', 'text document with macros'],
  ['application/vnd.ms-excel', 'spreadsheet'],
  ['application/vnd.ms-excel.sheet.macroEnabled.12', 'spreadsheet with macros'],
  ['application/vnd.oasis.opendocument.presentation', 'presentation'],
  ['text/html', 'web page'],
  ['text/plain', 'plain text'],
  ['text/csv', 'table as text'],
  ['image/svg+xml', 'picture'],
  ['message/rfc822', 'message'],
  ['application/x-msdownload', 'program'],
  ['application/octet-stream', 'unknown kind of file'],
  ['', 'unknown kind of file'],
  // Near misses say what they are.
  ['application/pdfx', 'application/pdfx'],
  ['text/htmlx', 'text/htmlx'],
  ['application/json', 'application/json'],
])('%s is said as %s', (type, said) => expect(fileKind(type, t)).toBe(said))
