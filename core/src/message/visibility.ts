import { Parser } from 'htmlparser2'

/** How the text of an element looks, as far as hiding it goes. Inherited from element to element. */
export interface Look {
  /** Red, green, blue, 0 to 255; `null` where it can't be told. */
  readonly color: Rgb | null
  readonly ground: Rgb | null
  /** Pixels, nested sizes multiplied out. */
  readonly size: number
  /** Not displayed at all. */
  readonly hidden: boolean
}

type Rgb = readonly [number, number, number]

const black: Rgb = [0, 0, 0]
const white: Rgb = [255, 255, 255]
/** How text looks where nothing says otherwise. */
export const plainLook: Look = { color: black, ground: white, size: 14, hidden: false }

/** Named colours of CSS that mail uses to hide text; others can't be told and hide nothing. */
const named: Readonly<Record<string, Rgb>> = {
  white,
  black,
  snow: [255, 250, 250],
  ivory: [255, 255, 240],
  ghostwhite: [248, 248, 255],
  whitesmoke: [245, 245, 245],
  floralwhite: [255, 250, 240],
  azure: [240, 255, 255],
  mintcream: [245, 255, 250],
  seashell: [255, 245, 238],
  silver: [192, 192, 192],
  lightgray: [211, 211, 211],
  lightgrey: [211, 211, 211],
  gainsboro: [220, 220, 220],
  gray: [128, 128, 128],
  grey: [128, 128, 128],
  red: [255, 0, 0],
  green: [0, 128, 0],
  blue: [0, 0, 255],
  navy: [0, 0, 128],
  yellow: [255, 255, 0],
}

const hiddenStyle =
  /display\s{0,5}:\s{0,5}none|visibility\s{0,5}:\s{0,5}(?:hidden|collapse)|opacity\s{0,5}:\s{0,5}0(?:\.0\d*)?\s{0,5}(?:[;!%]|$)|mso-hide\s{0,5}:\s{0,5}all|clip(?:-path)?\s{0,5}:\s{0,5}(?:rect\(\s{0,5}0|inset\(\s{0,5}(?:50|100)%)|text-indent\s{0,5}:\s{0,5}-\d{3,}|(?:left|top|right|margin-left|margin-top)\s{0,5}:\s{0,5}-\d{3,}|transform\s{0,5}:\s{0,5}scale\(\s{0,5}0(?![.\d]*[1-9])/i
const noRoom = /(?:max-)?height\s{0,5}:\s{0,5}[01](?:px|pt|em)?\s{0,5}(?:[;!]|$)/i
const cut = /overflow(?:-[xy])?\s{0,5}:\s{0,5}hidden/i

/** The last declaration of a property; style attributes are short, longer ones are read as far as this. */
function declared(style: string, property: string): string {
  let value = ''
  for (const part of style.slice(0, 4000).split(';')) {
    const colon = part.indexOf(':')
    if (colon > 0 && part.slice(0, colon).trim().toLowerCase() === property)
      value = part
        .slice(colon + 1)
        .replace(/!important/i, '')
        .trim()
        .toLowerCase()
  }
  return value
}

type Attributes = Readonly<Record<string, string | undefined>>

/** How the text of an element looks below one that looks like `above`. */
export function lookOf(name: string, attributes: Attributes, above: Look): Look {
  const style = attributes.style ?? ''
  if (
    style === '' &&
    !attributes.bgcolor &&
    !attributes.text &&
    !('hidden' in attributes) &&
    name !== 'font' &&
    name !== 'small'
  )
    return above
  const colorText = declared(style, 'color') || attributeColor(name, attributes)
  const groundText =
    declared(style, 'background-color') || declared(style, 'background') || attributes.bgcolor
  const color = colorText ? readColor(colorText) : above.color
  const ground = groundText ? readGround(groundText, above.ground) : above.ground
  const size = readSize(declared(style, 'font-size'), above.size)
  const hidden =
    above.hidden ||
    'hidden' in attributes ||
    hiddenStyle.test(style.slice(0, 4000)) ||
    (noRoom.test(style.slice(0, 4000)) && cut.test(style.slice(0, 4000)))
  // Transparent text is the colour of whatever is behind it.
  const seen = colorText && isTransparent(colorText) ? ground : color
  return { color: seen, ground, size: attributes.size === '0' ? 0 : size, hidden }
}

/** The colour of text by an attribute: of these elements alone (HTML Living Standard §15.3). */
function attributeColor(name: string, { color, text }: Attributes): string | undefined {
  if (name === 'font') return color
  return name === 'body' ? text : undefined
}

/** Too little difference to be read: WCAG's contrast ratio under 1.3. Honest pale text has 2 and more. */
const faint = 1.3
const smallest = 4

/** Whether a reader would not see text that looks like this. */
export function isUnseen({ color, ground, size, hidden }: Look): boolean {
  return hidden || size < smallest || (color !== null && ground !== null && contrast(color, ground) < faint)
}

function contrast(a: Rgb, b: Rgb): number {
  const [x, y] = [luminance(a), luminance(b)]
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05)
}

function luminance([r, g, b]: Rgb): number {
  const linear = (value: number) => {
    const share = value / 255
    return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4
  }
  return 0.2126 * linear(r) + 0.7152 * linear(g) + 0.0722 * linear(b)
}

const isTransparent = (text: string) =>
  text === 'transparent' ||
  /^(?:rgb|hsl)a?\([^)]{0,60}[,/]\s{0,3}0?(?:\.0\d{0,6}|(?<=0))%?\s{0,3}\)$/.test(text) ||
  /^#(?:[0-9a-f]{3}0|[0-9a-f]{6}0\d)$/.test(text)

function readGround(text: string, above: Rgb | null): Rgb | null {
  if (isTransparent(text)) return above
  // 'background' may say more than a colour; a picture's colours nobody knows.
  const color =
    readColor(text) ??
    text
      .split(/\s+/)
      .map(readColor)
      .find(one => one !== null)
  return color ?? (/url\(|gradient/.test(text) ? null : above)
}

/** CSS Color 4 §7: a hue in degrees, saturation and lightness as shares. */
function ofHue(hue: number, saturation: number, lightness: number): Rgb {
  const channel = (n: number) => {
    const k = (n + hue / 30) % 12
    const spread = saturation * Math.min(lightness, 1 - lightness)
    return Math.round(255 * (lightness - spread * Math.max(-1, Math.min(k - 3, 9 - k, 1))))
  }
  return [channel(0), channel(8), channel(4)]
}

function readColor(text: string): Rgb | null {
  const plain = text.trim().toLowerCase()
  const hex = /^#?([0-9a-f]{3,8})$/.exec(plain)?.[1]
  if (hex && (hex.length === 3 || hex.length === 4))
    return [0, 1, 2].map(i => Number.parseInt((hex[i] ?? '0').repeat(2), 16)) as unknown as Rgb
  if (hex && (hex.length === 6 || hex.length === 8))
    return [0, 2, 4].map(i => Number.parseInt(hex.slice(i, i + 2), 16)) as unknown as Rgb
  const rgb = /^rgba?\(\s{0,3}(\d{1,3})[\s,]{1,4}(\d{1,3})[\s,]{1,4}(\d{1,3})/.exec(plain)
  if (rgb) return [Number(rgb[1]), Number(rgb[2]), Number(rgb[3])]
  const hsl =
    /^hsla?\(\s{0,3}(\d{1,3})(?:deg)?[\s,]{1,4}(\d{1,3})(?:\.\d{1,4})?%[\s,]{1,4}(\d{1,3})(?:\.\d{1,4})?%/.exec(
      plain,
    )
  if (hsl) return ofHue(Number(hsl[1]), Number(hsl[2]) / 100, Number(hsl[3]) / 100)
  return named[plain] ?? null
}

const words: Readonly<Record<string, number>> = {
  'xx-small': 9,
  'x-small': 10,
  small: 13,
  medium: 16,
  large: 18,
}

function readSize(text: string, above: number): number {
  if (text === '') return above
  if (text in words) return words[text] ?? above
  if (text === 'smaller') return above * 0.83
  const found = /^([\d.]{1,10})(px|pt|r?em|%|ex|ch|vw|vh)?$/.exec(text)
  if (!found) return above
  const n = Number(found[1])
  if (Number.isNaN(n)) return above
  switch (found[2]) {
    case 'pt':
      return n * 1.333
    case 'em':
      return n * above
    case '%':
      return (n / 100) * above
    case 'rem':
      return n * 16
    case 'ex':
    case 'ch':
      return (n * above) / 2
    default:
      return n
  }
}

/** Elements whose content is none of the page; the sanitiser skips them and all inside. */
export const skipped: readonly string[] = [
  'script',
  'style',
  'textarea',
  'option',
  'noscript',
  'template',
  'title',
  'svg',
  'math',
  'iframe',
]
const isSkipped: ReadonlySet<string> = new Set(skipped)
const voids: ReadonlySet<string> = new Set(
  'area base br col embed hr img input link meta source track wbr'.split(' '),
)

/**
 * The elements, counted from 0 in the order they open outside skipped ones, whose own text a reader would not see. The
 * safe view gives these plain colours and a plain size.
 */
export function unseenElements(html: string): ReadonlySet<number> {
  const found = new Set<number>()
  const open: { place: number; look: Look; skip: boolean }[] = []
  let place = -1
  let skipping = 0
  const parser = new Parser(
    {
      onopentag(name, attributes) {
        const above = open.at(-1)
        const skip = isSkipped.has(name)
        if (skipping === 0) place += 1
        if (voids.has(name)) return
        open.push({ place, look: lookOf(name, attributes, above?.look ?? plainLook), skip })
        if (skip) skipping += 1
      },
      ontext(text) {
        const here = open.at(-1)
        if (here && skipping === 0 && text.trim() !== '' && isUnseen(here.look)) found.add(here.place)
      },
      onclosetag(name) {
        if (voids.has(name)) return
        if (open.pop()?.skip) skipping -= 1
      },
    },
    { decodeEntities: true },
  )
  parser.write(html)
  parser.end()
  return found
}
