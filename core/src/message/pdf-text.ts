import { extractText, getDocumentProxy } from 'unpdf'

const mostPages = 20
const mostCharacters = 20_000
/** Nothing that a document brings is run. */
const quiet = { isEvalSupported: false, verbosity: 0 }

/** The words of a PDF, never drawn and nothing in it run; `null` when it can't be read or holds none. */
export async function pdfText(content: Uint8Array): Promise<string | null> {
  try {
    // A copy: the reader takes its buffer over.
    const document = await getDocumentProxy(new Uint8Array(content), quiet)
    if (document.numPages > mostPages * 25) return null
    const { text } = await extractText(document)
    const joined = text.slice(0, mostPages).join('\n\n').trim().slice(0, mostCharacters)
    return joined === '' ? null : joined
  } catch {
    return null // a broken or locked document has no words for us
  }
}
