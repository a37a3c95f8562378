import { Parser } from 'htmlparser2'
import { parseDomain } from '../address/index.ts'
import { capNesting } from './nesting.ts'
import { isUnseen, lookOf, plainLook, type Look } from './visibility.ts'
import type { Link } from './message.ts'

/** What a reader sees of HTML, and what is hidden from them. */
export interface HtmlText {
  readonly text: string
  /** Of it, what is struck through. */
  readonly struckText: string
  readonly hiddenText: string
  readonly links: readonly Link[]
}

const strikes: ReadonlySet<string> = new Set(['s', 'strike', 'del'])
const silent: ReadonlySet<string> = new Set(['script', 'style', 'head', 'title', 'template', 'noscript'])
const breaks: ReadonlySet<string> = new Set(
  'p div br tr table ul ol li h1 h2 h3 h4 h5 h6 blockquote section article hr'.split(' '),
)
/** Cells stand apart on the page: so do their words. */
const cells: ReadonlySet<string> = new Set(['td', 'th', 'dt', 'dd', 'option', 'button', 'label'])
const voidElements: ReadonlySet<string> = new Set(
  'area base br col embed hr img input link meta source track wbr'.split(' '),
)
/** Text, hidden text and links of an HTML part in one pass; linear in its length. */
export function readHtml(html: string, options: { readonly leaveStruck?: boolean } = {}): HtmlText {
  let text = ''
  let hiddenText = ''
  let struckText = ''
  /** One span has just closed where another opens. */
  let joint = false
  let closedSpan = false
  const links: Link[] = []
  // One frame an open element; `mute` and `unseen` are inherited.
  const open: {
    name: string
    mute: boolean
    look: Look
    struck: boolean
    link: { href: string; text: string } | null
  }[] = []

  /** What a block or a cell parts on the page is parted in the text, and in what is not seen. */
  const setApart = (name: string) => {
    const mark = breaks.has(name) ? '\n' : cells.has(name) ? ' ' : ''
    text += mark
    if (hiddenText !== '' && !/\s$/.test(hiddenText.slice(-1))) hiddenText += mark
  }

  const parser = new Parser(
    {
      onopentag(name, attributes) {
        const above = open.at(-1)
        joint = name === 'span' && closedSpan
        closedSpan = false
        setApart(name)
        if (voidElements.has(name)) return
        const href = name === 'a' ? attributes.href : undefined
        open.push({
          name,
          mute: (above?.mute ?? false) || silent.has(name),
          struck:
            (above?.struck ?? false) || strikes.has(name) || /line-through/i.test(attributes.style ?? ''),
          look: lookOf(name, attributes, above?.look ?? plainLook),
          link: href === undefined ? (above?.link ?? null) : { href, text: '' },
        })
      },
      ontext(piece) {
        const here = open.at(-1)
        closedSpan = false
        if (here?.mute) return
        if (here && isUnseen(here.look)) hiddenText += piece
        else {
          // '<span>Total</span><span>100</span>' is two things to a reader who sees them styled.
          if (
            joint &&
            /\p{L}$/u.test(text.slice(-2)) !== /^\p{L}/u.test(piece.slice(0, 2)) &&
            /^[\p{L}\p{N}]/u.test(piece.slice(0, 2))
          )
            text += ' '
          joint = false
          if (here?.struck) struckText += piece
          else if (struckText !== '' && !struckText.endsWith('\n')) struckText += '\n'
          text += here?.struck && options.leaveStruck ? ' ' : piece
          if (here?.link) here.link.text += piece
        }
      },
      onclosetag(name) {
        closedSpan = name === 'span'
        if (voidElements.has(name)) return
        const closed = open.pop()
        if (closed?.link && closed.link !== open.at(-1)?.link) links.push(finishLink(closed.link))
        setApart(name)
      },
    },
    { decodeEntities: true },
  )
  parser.write(capNesting(html))
  parser.end()
  return { text: tidy(text), struckText: tidy(struckText), hiddenText: tidy(hiddenText), links }
}

function finishLink({ href, text }: { href: string; text: string }): Link {
  return { href: href.trim(), text: text.replace(/\s+/g, ' ').trim(), host: linkHost(href) }
}

/** The host a link really goes to, as A-labels; '' where it has none. */
export function linkHost(href: string): string {
  try {
    const url = new URL(href.trim().slice(0, 4000))
    if (!/^https?:$|^ftp:$/.test(url.protocol)) return ''
    const domain = parseDomain(url.hostname)
    return domain.ok ? domain.value : url.hostname.toLowerCase()
  } catch {
    return ''
  }
}

/** Bare web addresses in plain text. */
export function textLinks(text: string): readonly Link[] {
  const found: Link[] = []
  for (const [written] of text.matchAll(/\bhttps?:\/\/[^\s<>"')\]]{1,4000}/gi)) {
    let end = written.length
    // Counted from the end: /[.,;:!?]+$/ starts anew at every run that is not at the end. It ends at the "//" at the latest.
    while ('.,;:!?'.includes(written.charAt(end - 1))) end -= 1
    const href = written.slice(0, end)
    found.push({ href, text: href, host: linkHost(href) })
    if (found.length === 500) break
  }
  return found
}

function tidy(text: string): string {
  return text
    .replace(/[^\S\n]+/g, ' ')
    .replace(/ ?\n ?/g, '\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim()
}
