import sanitizeHtml from 'sanitize-html'

/** What people make with an editor, and nothing that runs, loads or hides. */
const allowed: sanitizeHtml.IOptions = {
  allowedTags: [
    'p',
    'br',
    'b',
    'strong',
    'i',
    'em',
    'u',
    's',
    'ul',
    'ol',
    'li',
    'a',
    'blockquote',
    'h1',
    'h2',
    'h3',
    'pre',
    'code',
    'hr',
  ],
  allowedAttributes: { a: ['href'] },
  allowedSchemes: ['http', 'https', 'mailto', 'tel'],
  allowProtocolRelative: false,
  disallowedTagsMode: 'discard',
}

/** A letter as somebody wrote it in an editor: safe to send, and to show again. */
export const letterHtml = (html: string): string => sanitizeHtml(html, allowed)
