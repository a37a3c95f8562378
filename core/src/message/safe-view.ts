/* eslint-disable no-misleading-character-class -- single characters that nobody sees are what is looked for */
import sanitizeHtml, { type Attributes, type Tag } from 'sanitize-html'
import { displayDomain } from '../address/index.ts'
import { linkHost } from './html-text.ts'
import { harmlessLine } from '../text/index.ts'
import { capNesting } from './nesting.ts'
import { skipped, unseenElements } from './visibility.ts'

/** A message's HTML with everything active taken out, and what was. */
export interface SafeView {
  /** A body fragment without anything active; for a sandboxed frame with its own policy. */
  readonly html: string
  readonly picturesLeftOut: number
  /** Web addresses of pictures, each once, in order; at most 40. */
  readonly remotePictures: readonly string[]
  readonly linksDisarmed: number
}

/** Content types a browser draws without running anything. SVG is not one: it carries scripts and links. */
const pictureTypes = /^image\/(png|jpe?g|gif|webp)$/

const plainValue = /^(?!.*(?:url|expression|image|@import|var|env)\s*\()[^;{}\\]*$/i
// Three digits at most: what is wider pushes the page, and what stands beside it, out of sight.
const size = /^\d{1,3}(\.\d+)?(px|em|rem|pt|%)?( \d{1,3}(\.\d+)?(px|em|rem|pt|%)?| auto){0,3}$|^auto$/i
const allowedStyles = {
  '*': Object.fromEntries([
    ...'color background-color font-family font-weight font-style text-align text-decoration vertical-align border border-top border-right border-bottom border-left border-radius border-collapse white-space'
      .split(' ')
      .map(name => [name, [plainValue]]),
    ...'width max-width height padding padding-top padding-right padding-bottom padding-left'
      .split(' ')
      .map(name => [name, [size]]),
    // Text of no size, or lines on top of each other, would hide what they say.
    [
      'font-size',
      [
        /^(?:(?:[6-9]|[1-9]\d|1\d\d)(?:\.\d+)?(?:px|pt)|(?:0?\.[5-9]\d*|[1-9](?:\.\d+)?)r?em|(?:[5-9]\d|[1-4]\d\d)%|(?:x{0,2}-)?(?:small|large)|medium|smaller|larger)$/i,
      ],
    ],
    [
      'line-height',
      [
        /^(?:normal|(?:0?\.[89]\d*|[1-9](?:\.\d+)?)(?:em)?|(?:[89]\d|[1-4]\d\d)%|(?:[89]|[1-9]\d)(?:\.\d+)?(?:px|pt))$/i,
      ],
    ],
    // Negative margins move text over other text; only positive ones are kept.
    ...'margin margin-top margin-right margin-bottom margin-left'
      .split(' ')
      .map(name => [
        name,
        [/^\d{1,2}(\.\d+)?(px|em|rem|pt|%)?( \d{1,2}(\.\d+)?(px|em|rem|pt|%)?| auto){0,3}$|^(0 )?auto$/i],
      ]),
  ]) as Record<string, RegExp[]>,
}

const tags =
  'a abbr address b blockquote br caption center code col colgroup dd del div dl dt em figure figcaption font h1 h2 h3 h4 h5 h6 hr i img ins kbd li mark ol p pre q s small span strike strong sub sup table tbody td tfoot th thead tr u ul'.split(
    ' ',
  )

/** Pictures by content id or web address. */
export type Pictures = ReadonlyMap<string, { readonly type: string; readonly content: Uint8Array }>
const noPictures: Pictures = new Map()
const mostRemote = 40

/**
 * A message's HTML with everything active taken out: no script, form, frame, style sheet, id, class, remote
 * load or link. Each link becomes its text with the true target written beside it. Pictures embedded in
 * the message (RFC 2392 cid:) are put in as data:, and so are those of `remote`, which somebody has fetched
 * under their web addresses; all others are left out and counted. `warn` says what is odd about a link's host.
 */
export function safeView(
  html: string,
  pictures: Pictures,
  {
    remote = noPictures,
    warn = () => null,
  }: { remote?: Pictures; warn?: (host: string) => string | null } = {},
): SafeView {
  let picturesLeftOut = 0
  const remotePictures = new Set<string>()
  let linksDisarmed = 0
  const source = capNesting(html)
  const unseen = unseenElements(source)
  let place = -1
  const clean = sanitizeHtml(source, {
    allowedTags: tags,
    allowedAttributes: {
      '*': ['style', 'align', 'valign', 'width', 'height', 'bgcolor', 'dir', 'lang'],
      td: ['colspan', 'rowspan'],
      th: ['colspan', 'rowspan'],
      table: ['border', 'cellpadding', 'cellspacing'],
      font: ['color', 'size'],
      img: ['src', 'alt'],
      span: ['data-target', 'data-warn'],
      ol: ['start', 'type'],
    },
    allowedStyles,
    allowedSchemes: [],
    allowedSchemesByTag: { img: ['data'] },
    nonTextTags: [...skipped],
    nestingLimit: 200,
    transformTags: {
      // Counts the elements as `unseenElements` does, and shows what would not be seen.
      '*': (tagName, attribs): Tag => {
        place += 1
        return { tagName, attribs: withinBounds(unseen.has(place) ? plainly(attribs) : attribs) }
      },
      a: (_tag, attributes): Tag => {
        const href = attributes.href?.trim() ?? ''
        if (href === '') return { tagName: 'span', attribs: {} }
        linksDisarmed += 1
        const warning = warn(linkHost(href))
        return {
          tagName: 'span',
          attribs: {
            'data-target': harmlessLine(shownTarget(href)),
            ...(warning === null ? {} : { 'data-warn': warning }),
          },
        }
      },
      span: (_tag, attributes): Tag => {
        // Only our own spans may carry a target: a forged one would name a host the link does not have.
        const attribs: Attributes = { ...attributes }
        delete attribs['data-target']
        delete attribs['data-warn']
        return { tagName: 'span', attribs }
      },
      img: (_tag, attributes): Tag => {
        const address = attributes.src?.trim() ?? ''
        if (/^https?:\/\//i.test(address) && remotePictures.size < mostRemote) remotePictures.add(address)
        const source = embedded(address, pictures) ?? asData(remote.get(address))
        if (source === null) picturesLeftOut += 1
        const alt = attributes.alt ?? ''
        return source === null
          ? { tagName: 'span', attribs: {}, text: alt === '' ? '[picture]' : `[picture: ${alt}]` }
          : { tagName: 'img', attribs: { ...attributes, src: source } }
      },
    },
  })
  // On what comes out: a text filter would swallow the words that stand for pictures.
  return { html: visibleText(clean), picturesLeftOut, linksDisarmed, remotePictures: [...remotePictures] }
}

/** Colours and a size that can be read, whatever stands around them. */
function plainly(attributes: Attributes): Attributes {
  const kept = { ...attributes }
  for (const name of ['color', 'bgcolor', 'size', 'text']) delete kept[name]
  const style = (kept.style ?? '')
    .split(';')
    .filter(part => !/^\s{0,5}(?:color|background(?:-color)?|font-size|line-height)\s{0,5}:/i.test(part))
    .join(';')
  return { ...kept, style: `${style};color:#1e2a30;background-color:#ffffff;font-size:14px` }
}

/** Widths and heights as attributes, within what a page has room for. */
function withinBounds(attributes: Attributes): Attributes {
  const tooBig = ['width', 'height', 'cellpadding', 'cellspacing', 'border', 'colspan', 'rowspan'].filter(
    name => /\d{4,}/.test(attributes[name] ?? ''),
  )
  if (tooBig.length === 0) return attributes
  const kept = { ...attributes }
  for (const name of tooBig) delete kept[name]
  return kept
}

/**
 * Text as it will be read: characters that turn the direction of what follows are taken out and leave a dot, others that
 * nobody sees are taken out. Marks that only belong to right-to-left writing stay.
 */
function visibleText(text: string): string {
  return text
    .replace(/[\u202a-\u202e\u2066-\u2069]/g, '\u00b7')
    .replace(/[\u00ad\u034f\u200b\u2060-\u2065\ufeff]/g, '')
}

function embedded(
  source: string,
  pictures: ReadonlyMap<string, { readonly type: string; readonly content: Uint8Array }>,
): string | null {
  if (!/^cid:/i.test(source)) return null
  return asData(pictures.get(safeDecode(source.slice(4))))
}

function asData(picture: { readonly type: string; readonly content: Uint8Array } | undefined): string | null {
  if (!picture || !pictureTypes.test(picture.type)) return null
  return `data:${picture.type};base64,${Buffer.from(picture.content).toString('base64')}`
}

function safeDecode(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

/** What stands beside a disarmed link: the host in full, or the whole thing when it has none. */
export function shownTarget(href: string): string {
  const host = linkHost(href)
  if (host === '') return href.length > 80 ? `${href.slice(0, 80)}…` : href
  // A name of many labels hides its end: the last ones say whose it is.
  if (host.length > 90) return `…${host.slice(-88)}`
  const readable = displayDomain(host)
  return readable === host ? host : `${readable} (${host})`
}

/** Plain text as HTML: escaped, its web addresses marked as links that can't be opened. */
export function safeTextView(text: string): string {
  const escape = (piece: string) => piece.replace(/[&<>"']/g, c => `&#${c.charCodeAt(0)};`)
  return `<pre>${escape(visibleText(text))}</pre>`
}
