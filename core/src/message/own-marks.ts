/** What a page begins with (WHATWG MIME Sniffing §7.1): white space may stand in front, and a space or '>' ends each tag. */
const page =
  /^[\t\n\f\r ]*(?:<(?:!doctype html|html|head|script|iframe|h1|div|font|table|a|style|title|b|body|br|p)[ >]|<!--)/i
/** Bytes that are looked at (the same, §5.2). */
const sniffed = 1445
/** A PDF says so in its first bytes; readers take it anywhere in so many (common practice, after Annex H of ISO 32000-1). */
const pdfHead = 1024

/**
 * What a file is whose bytes have no mark that the type library knows, and that is declared as something else than text: 'text/html' where
 * it begins as a page, 'application/octet-stream' where it is said to be a PDF and is none; `null`: nothing speaks against what is declared.
 */
export function unmarkedType(declared: string, content: Buffer): string | null {
  if (content.length === 0 || /^(text|message|multipart)\/|xml$/.test(declared)) return null
  const head = content
    .subarray(0, sniffed)
    .toString('latin1')
    .replace(/^\xef\xbb\xbf/, '')
  if (page.test(head)) return 'text/html'
  const isNoPdf = declared === 'application/pdf' && !content.subarray(0, pdfHead).includes('%PDF-')
  return isNoPdf ? 'application/octet-stream' : null
}
