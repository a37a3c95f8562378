import { Parser } from 'htmlparser2'
import { parseDomain } from '../address/index.ts'
import type { Link } from './message.ts'

export interface HtmlText {
  readonly text: string
  readonly hiddenText: string
  readonly links: readonly Link[]
}

const silent: ReadonlySet<string> = new Set(['script', 'style', 'head', 'title', 'template', 'noscript'])
const breaks: ReadonlySet<string> = new Set(
  'p div br tr table ul ol li h1 h2 h3 h4 h5 h6 blockquote section article hr'.split(' '),
)
const voidElements: ReadonlySet<string> = new Set(
  'area base br col embed hr img input link meta source track wbr'.split(' '),
)
const hidden =
  /display\s*:\s*none|visibility\s*:\s*hidden|font-size\s*:\s*0(?![.\d])|opacity\s*:\s*0(?![.\d])|mso-hide\s*:\s*all/i

/** Text, hidden text and links of an HTML part in one pass; linear in its length. */
export function readHtml(html: string): HtmlText {
  let text = ''
  let hiddenText = ''
  const links: Link[] = []
  // One frame an open element; `mute` and `unseen` are inherited.
  const open: {
    name: string
    mute: boolean
    unseen: boolean
    link: { href: string; text: string } | null
  }[] = []

  const parser = new Parser(
    {
      onopentag(name, attributes) {
        const above = open.at(-1)
        if (breaks.has(name)) text += '\n'
        if (voidElements.has(name)) return
        const href = name === 'a' ? attributes.href : undefined
        open.push({
          name,
          mute: (above?.mute ?? false) || silent.has(name),
          unseen: (above?.unseen ?? false) || hidden.test(attributes.style ?? '') || 'hidden' in attributes,
          link: href === undefined ? (above?.link ?? null) : { href, text: '' },
        })
      },
      ontext(piece) {
        const here = open.at(-1)
        if (here?.mute) return
        if (here?.unseen) hiddenText += piece
        else {
          text += piece
          if (here?.link) here.link.text += piece
        }
      },
      onclosetag(name) {
        if (voidElements.has(name)) return
        const closed = open.pop()
        if (closed?.link && closed.link !== open.at(-1)?.link) links.push(finishLink(closed.link))
        if (breaks.has(name)) text += '\n'
      },
    },
    { decodeEntities: true },
  )
  parser.write(html)
  parser.end()
  return { text: tidy(text), hiddenText: tidy(hiddenText), links }
}

function finishLink({ href, text }: { href: string; text: string }): Link {
  return { href: href.trim(), text: text.replace(/\s+/g, ' ').trim(), host: linkHost(href) }
}

/** The host a link really goes to, as A-labels; '' where it has none. */
export function linkHost(href: string): string {
  try {
    const url = new URL(href.trim())
    if (!/^https?:$|^ftp:$/.test(url.protocol)) return ''
    const domain = parseDomain(url.hostname)
    return domain.ok ? domain.value : url.hostname.toLowerCase()
  } catch {
    return ''
  }
}

/** Bare web addresses in plain text. */
export function textLinks(text: string): readonly Link[] {
  return [...text.matchAll(/\bhttps?:\/\/[^\s<>"')\]]+/gi)].slice(0, 500).map(([href]) => ({
    href: href.replace(/[.,;:!?]+$/, ''),
    text: href.replace(/[.,;:!?]+$/, ''),
    host: linkHost(href.replace(/[.,;:!?]+$/, '')),
  }))
}

function tidy(text: string): string {
  return text
    .replace(/[^\S\n]+/g, ' ')
    .replace(/ ?\n ?/g, '\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim()
}
