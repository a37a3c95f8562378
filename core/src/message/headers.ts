import iconv from 'iconv-lite'
import { decodeWords } from '../address/index.ts'
import { harmlessLine, withoutComments } from '../text/index.ts'

/** One header field as it came, unfolded (RFC 5322 §2.2.3) and with its name as written. */
export interface HeaderField {
  readonly name: string
  readonly value: string
  /** Longer than any grammar is asked to read: `value` is only its beginning. The length as it came. */
  readonly longerThan?: number
}

/** Fields beyond this are kept as they are and never parsed: grammars meet at most so much of what outsiders write. */
const longestField = 8 * 1024
/** Fields of one message that are looked at; more is noise (common practice: servers stop at a few hundred). */
export const mostFields = 1000

/** A line cut to what a grammar may see. */
export const capField = (line: string): string =>
  line.length > longestField ? line.slice(0, longestField) : line

/** Text cut to `limit` characters, without a half of a pair at its end. */
export function cutLinear(text: string, limit: number): string {
  if (text.length <= limit) return text
  const cut = text.slice(0, limit)
  return cut.isWellFormed() ? cut : cut.slice(0, -1)
}

const asianCharsets =
  /^(big5|gb2312|gbk|gb18030|euc-kr|ks_c_5601|shift_jis|sjis|windows-31j|euc-jp|windows-(?!1252)\d+|iso-8859-(?!1$)\d+|koi8-[ru])/i

/**
 * Raw 8-bit characters in a header: UTF-8 where it is (RFC 6532), else the charset the same writer uses for the text,
 * else the commonest old habit, windows-1252. `line` holds one character a byte, as the MIME library gives it.
 */
function decodeRawBytes(line: string, hint: string): string {
  if (!/[\u0080-\u00ff]/.test(line)) return line
  const bytes = Buffer.from(line, 'latin1')
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    const charset = asianCharsets.test(hint) && iconv.encodingExists(hint) ? hint : 'windows-1252'
    return iconv.decode(bytes, charset)
  }
}

/** A header line as the MIME library gives it: folded, with its name. `charsetHint`: of the text below. */
export function readHeaderLine(folded: string, charsetHint = ''): HeaderField {
  const capped = capField(folded)
  const line = decodeRawBytes(capped, charsetHint)
  const colon = line.indexOf(':')
  // Unfolding removes the line break only; the white space after it belongs to the value.
  const value = line
    .slice(colon + 1)
    .replace(/\r?\n(?=[ \t])/g, '')
    .trim()
  const name = line.slice(0, Math.min(colon, 200)).trim()
  return capped.length < folded.length ? { name, value, longerThan: folded.length } : { name, value }
}

/** The first field of a name; `null` for none. */
export function findHeader(fields: readonly HeaderField[], name: string): string | null {
  const wanted = name.toLowerCase()
  return fields.find(field => field.name.toLowerCase() === wanted)?.value ?? null
}

/** All fields of a name, in order. */
export function allHeaders(fields: readonly HeaderField[], name: string): readonly string[] {
  const wanted = name.toLowerCase()
  return fields.filter(field => field.name.toLowerCase() === wanted).map(field => field.value)
}

/** Unstructured text such as Subject: encoded words decoded, made harmless to show. */
export function headerText(fields: readonly HeaderField[], name: string): string {
  const value = findHeader(fields, name)
  return value === null ? '' : harmlessLine(decodeWords(value))
}

/**
 * The message ids of Message-ID, In-Reply-To or References (RFC 5322 §3.6.4), with their angle brackets. Some programs
 * leave these out; a field that is nothing but one id is read all the same.
 */
export function messageIds(value: string | null): readonly string[] {
  if (value === null) return []
  const found = value.match(/<[^<>\s]+>/g)
  if (found) return found
  const bare = /^[^\s<>@]{1,500}@[^\s<>@]{1,500}$/.exec(value.trim())
  return bare ? [`<${bare[0]}>`] : []
}

/** RFC 2919 §3: the last angle-bracketed text of List-Id, lower-case; `null` when there is none. */
export function readListId(value: string | null): string | null {
  if (value === null) return null
  const open = value.lastIndexOf('<')
  const close = value.indexOf('>', open)
  if (open < 0 || close < 0) return null
  const id = value.slice(open + 1, close)
  // After it a comment may stand, and nothing else.
  return /^[^<>\s]+$/.test(id) && /^\s*(\([^()]*\)\s*)?$/.test(value.slice(close + 1))
    ? id.toLowerCase()
    : null
}

/** Names of zones that RFC 5322 §4.3 knows beside the American ones, in hours; a military letter is read as RFC 822 has it. */
const zones: Readonly<Record<string, string>> = {
  UT: '+0000',
  UTC: '+0000',
  GMT: '+0000',
  Z: '+0000',
  BST: '+0100',
  WET: '+0000',
  WEST: '+0100',
  CET: '+0100',
  MET: '+0100',
  CEST: '+0200',
  MEST: '+0200',
  EET: '+0200',
  EEST: '+0300',
  MSK: '+0300',
  EST: '-0500',
  EDT: '-0400',
  CST: '-0600',
  CDT: '-0500',
  MST: '-0700',
  MDT: '-0600',
  PST: '-0800',
  PDT: '-0700',
  JST: '+0900',
  KST: '+0900',
  AEST: '+1000',
  AEDT: '+1100',
}

const months = 'jan feb mar apr may jun jul aug sep oct nov dec'.split(' ')

/**
 * Date of RFC 5322 §3.3 in epoch milliseconds; `null` when absent or unreadable. Comments are dropped. Zones may be
 * offsets, the names of §4.3 and others in use, or military letters (§4.3: of unknown meaning, so UTC but for Z);
 * no zone at all counts as UTC. Two-digit years are as §4.3 has them.
 */
export function readDate(value: string | null): number | null {
  if (value === null) return null
  const plain = withoutComments(value.slice(0, 200))
    .replace(/\s+/g, ' ')
    .replace(/ ?([:,]) ?/g, '$1')
    .trim()
  const found =
    /^(?:[a-z]{3,9}[,.]? ?)?(\d{1,2})[ -]([a-z]{3,9})[ -](\d{2,4}) (\d{1,2}):(\d{2})(?::(\d{2})(?:\.\d+)?)?(?: ?([+-]\d{2}:?\d{2}|[a-z]{1,5}))?/i.exec(
      plain,
    )
  if (!found) return readOtherDate(plain)
  const [, day = '', monthName = '', yearText = '', hour = '', minute = '', second = '0', zone = ''] = found
  const month = months.indexOf(monthName.slice(0, 3).toLowerCase())
  if (month < 0) return null
  const shortYear = Number(yearText)
  const year =
    yearText.length >= 4 ? shortYear : shortYear + (yearText.length === 2 && shortYear < 50 ? 2000 : 1900)
  if (Number(hour) > 24 || Number(minute) > 59 || Number(second) > 60) return null
  const time = Date.UTC(year, month, Number(day), Number(hour), Number(minute), Number(second))
  const back = new Date(Date.UTC(year, month, Number(day)))
  if (back.getUTCDate() !== Number(day)) return null
  return time - offsetOf(zone)
}

/** Milliseconds east of UTC. Letters whose meaning nobody knows, and no zone, are UTC (RFC 5322 §4.3). */
function offsetOf(zone: string): number {
  const text = /^[+-]/.test(zone) ? zone.replace(':', '') : (zones[zone.toUpperCase()] ?? '+0000')
  const minutes = Number(text.slice(1, 3)) * 60 + Number(text.slice(3, 5))
  return (text.startsWith('-') ? -minutes : minutes) * 60_000
}

/** ISO 8601 and asctime, as some programs write. Without a zone they are UTC, too. */
function readOtherDate(plain: string): number | null {
  if (plain.length > 60 || !/\d{4}/.test(plain)) return null
  const time = Date.parse(/(?:z|[+-]\d{2}:?\d{2}|[a-z]{3,4})$/i.test(plain) ? plain : `${plain} UTC`)
  return Number.isNaN(time) ? null : time
}
