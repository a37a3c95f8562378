import iconv from 'iconv-lite'
import { decodeWords } from '../address/index.ts'

/** One header field as it came, unfolded (RFC 5322 §2.2.3) and with its name as written. */
export interface HeaderField {
  readonly name: string
  readonly value: string
}

/**
 * Raw 8-bit characters in a header: UTF-8 where it is (RFC 6532), else the commonest old habit, windows-1252.
 * `line` holds one character a byte, as the MIME library gives it.
 */
function decodeRawBytes(line: string): string {
  if (!/[\u0080-\u00ff]/.test(line)) return line
  const bytes = Buffer.from(line, 'latin1')
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    return iconv.decode(bytes, 'windows-1252')
  }
}

/** A header line as the MIME library gives it: folded, with its name. */
export function readHeaderLine(folded: string): HeaderField {
  const line = decodeRawBytes(folded)
  const colon = line.indexOf(':')
  // Unfolding removes the line break only; the white space after it belongs to the value.
  return {
    name: line.slice(0, colon).trim(),
    value: line
      .slice(colon + 1)
      .replace(/\r?\n(?=[ \t])/g, '')
      .trim(),
  }
}

export function findHeader(fields: readonly HeaderField[], name: string): string | null {
  const wanted = name.toLowerCase()
  return fields.find(field => field.name.toLowerCase() === wanted)?.value ?? null
}

export function allHeaders(fields: readonly HeaderField[], name: string): readonly string[] {
  const wanted = name.toLowerCase()
  return fields.filter(field => field.name.toLowerCase() === wanted).map(field => field.value)
}

// eslint-disable-next-line no-control-regex -- taking control characters out is the point
const controls = /[\u0000-\u001f\u007f]+/g

/** Unstructured text such as Subject: encoded words decoded, control characters made spaces. */
export function headerText(fields: readonly HeaderField[], name: string): string {
  const value = findHeader(fields, name)
  return value === null ? '' : decodeWords(value).replace(controls, ' ').trim()
}

/** The message ids of Message-ID, In-Reply-To or References (RFC 5322 §3.6.4), with their angle brackets. */
export function messageIds(value: string | null): readonly string[] {
  return value?.match(/<[^<>\s]+>/g) ?? []
}

/** RFC 2919 §3: the last angle-bracketed text of List-Id, lower-case; `null` when there is none. */
export function readListId(value: string | null): string | null {
  const found = value?.match(/<([^<>\s]+)>\s*(\([^()]*\)\s*)?$/)
  return found?.[1]?.toLowerCase() ?? null
}

/**
 * Date of RFC 5322 §3.3 in epoch milliseconds; `null` when absent or unreadable. Comments are allowed
 * and dropped; obsolete zone names are as §4.3 has them, which `Date.parse` knows.
 */
export function readDate(value: string | null): number | null {
  if (value === null) return null
  const plain = value
    .replace(/\([^()]*\)/g, ' ')
    .replace(/\s*:\s*/g, ':')
    .replace(/\s*,\s*/g, ', ')
    .replace(/\s+/g, ' ')
    .trim()
  const withCentury = plain.replace(
    /^((?:\w{3}, )?\d{1,2} \w{3}) (\d{2}) /,
    (_, day: string, year: string) => `${day} ${Number(year) < 50 ? 20 : 19}${year} `,
  )
  const time = Date.parse(withCentury)
  return Number.isNaN(time) ? null : time
}
