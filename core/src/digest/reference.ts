/**
 * 29 symbols that are hard to take for one another: no 0 and O, no 1, I and L, no S beside 5, no U beside V.
 * A prime number of them, so that the check character finds every single slip and every swap.
 */
const symbols = '23456789ABCDEFGHJKMNPQRTVWXYZ'
const size = symbols.length
const dataLength = 5
/** Each place has its own weight; the check makes the weighted sum a multiple of 29. */
const weights = [2, 3, 4, 5, 6, 1]

/** How many references there are. */
export const referenceCount = size ** dataLength

const weighted = (values: readonly number[]) =>
  values.reduce((sum, value, i) => sum + value * (weights[i] ?? 0), 0)

/** The short code of one digest line, such as `K7Q-4MD`, for a number below `referenceCount`. */
export function referenceOf(n: number): string {
  if (!Number.isInteger(n) || n < 0 || n >= referenceCount)
    throw new RangeError(`a reference stands for 0 to ${referenceCount - 1}, got ${n}`)
  const values: number[] = []
  for (let rest = n, i = 0; i < dataLength; i += 1, rest = Math.floor(rest / size))
    values.unshift(rest % size)
  const check = (size - (weighted(values) % size)) % size
  const text = [...values, check].map(value => symbols[value]).join('')
  return `${text.slice(0, 3)}-${text.slice(3)}`
}

/** Whether a text is a reference, its check letter included. */
export function isReference(text: string): boolean {
  const values = [...text.replace('-', '')].map(symbol => symbols.indexOf(symbol))
  return /^[^-]{3}-[^-]{3}$/.test(text) && values.every(value => value >= 0) && weighted(values) % size === 0
}

/** What of a text are references, and what was meant to be one. */
export interface FoundReferences {
  /** As they are written in a digest, each once, in the order of the text. */
  readonly references: readonly string[]
  /** Six symbols with the right check but without the hyphen: a reference if somebody was sent it, else a word. */
  readonly perhaps: readonly string[]
  /** What has the form of a reference and is none: somebody's slip. */
  readonly slips: readonly string[]
}

const unseen = /[\u00ad\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]/g
/** A letter with the combining long stroke overlay is struck through. */
const struck = /(?:\P{M}\u0336){2,}/gu

/**
 * References in a text that people and programs have been at: any case, spaces or a line break with quote marks inside,
 * any kind of hyphen or none, letters of full width, characters nobody sees. What is struck through does not count.
 */
export function findReferences(source: string): FoundReferences {
  const text = source.replace(struck, ' ').normalize('NFKC').replace(unseen, '')
  const references = new Set<string>()
  const perhaps = new Set<string>()
  const slips = new Set<string>()
  // A mail program that wraps lines breaks after the hyphen, and puts its quote marks before the rest.
  const pattern =
    /(?<![\p{L}\p{N}./=-])([\p{L}\p{N}]{3})(?:[ \t]{0,3}([-\u2010-\u2015\u2212])[ \t]{0,3}(?:\r?\n[> \t]{0,40})?|[ \t]{0,3})([\p{L}\p{N}]{3})(?![\p{L}\p{N}-]|[./=][\p{L}\p{N}])/gu
  for (const line of text.split('\n')) {
    const typed = spelledOut(line)
    if (typed !== null) perhaps.add(typed)
  }
  for (const [, first = '', hyphen, second = ''] of text.matchAll(pattern)) {
    const typed = `${first}-${second}`.toUpperCase()
    if (isReference(typed)) (hyphen === undefined ? perhaps : references).add(typed)
    // Words parted by a hyphen have letters only; a code has a digit nearly always.
    else if (hyphen !== undefined && /\d/.test(typed) && /^[\x20-\x7e]+$/.test(typed)) slips.add(typed)
  }
  return {
    references: [...references],
    perhaps: [...perhaps].filter(one => !references.has(one)),
    slips: [...slips],
  }
}

/** 'K 7 Q - 4 M D' alone on its line, as it was read out on the phone; `null` for any other line. */
function spelledOut(line: string): string | null {
  if (line.length > 60) return null
  const found =
    /^[\s>]{0,20}((?:[\p{L}\p{N}][ \t.]{0,3}){3})[-\u2010-\u2015\u2212]?[ \t]{0,3}((?:[\p{L}\p{N}][ \t.]{0,3}){3})$/u.exec(
      line.trimEnd(),
    )
  if (!found) return null
  const typed = [found[1], found[2]]
    .map(half => (half ?? '').replace(/[ \t.]/g, ''))
    .join('-')
    .toUpperCase()
  return isReference(typed) ? typed : null
}

/** Of known references the one that a slip was most likely meant to be: one symbol off, or two swapped. */
export function nearestReference(slip: string, known: readonly string[]): string | null {
  const near = known.filter(reference => differences(slip, reference) === 1 || isSwap(slip, reference))
  return near.length === 1 ? (near[0] ?? null) : null
}

function differences(a: string, b: string): number {
  return a.length === b.length ? [...a].filter((c, i) => c !== b[i]).length : Infinity
}

function isSwap(a: string, b: string): boolean {
  if (differences(a, b) !== 2) return false
  const [x, y] = [...a].flatMap((c, i) => (c === b[i] ? [] : [i]))
  return x !== undefined && y !== undefined && a[x] === b[y] && a[y] === b[x]
}
