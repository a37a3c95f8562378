/* eslint-disable no-misleading-character-class -- single characters that join or combine are what is looked for */
export { isOneEdit } from './edits.ts'
export { readQuoted, skipComment, withoutComments } from './lexical.ts'

/**
 * Characters that change what is read without being seen: controls (Unicode Cc but tab and line ends), bidirectional
 * controls (UAX #9 §2), zero-width and other format characters (Cf), and blanks that look like nothing.
 */
const bidi = '\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069'
const unseen =
  '\u00ad\u034f\u115f\u1160\u17b4\u17b5\u180b-\u180e\u200b-\u200d\u2060-\u2065\u206a-\u206f\u3164\ufe00-\ufe0f\ufeff\uffa0\ufff0-\ufffb'
const controls = '\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f'

const harmful = new RegExp(`[${controls}${bidi}${unseen}\\u{e0000}-\\u{e0fff}]`, 'gu')
const turning = /[\u202a-\u202e\u2066-\u2069]/u
/** Joiners are how some scripts write and how emoji are made: between letters and symbols they stay. */
const joiner =
  /(?<=[\p{L}\p{M}\p{S}])[\u200c\u200d\ufe0f](?=[\p{L}\p{M}\p{S}\p{N}]|$)|(?<=[\p{S}\p{N}])\ufe0f/gu

/** What stands where a character was that cannot be seen: so that nobody misses it. */
export const shownUnseen = '\u00b7'

/** Whether a text holds characters that change how it is read without being seen. */
export function hidesCharacters(text: string): boolean {
  harmful.lastIndex = 0
  return harmful.test(withoutJoiners(text))
}

const withoutJoiners = (text: string) => text.replace(joiner, '')

/**
 * A text of outside made harmless to show: controls, bidirectional controls and zero-width characters become a small
 * dot, each run of them one. Joiners between letters and in emoji stay. `harmless('invoice\u202efdp.txt')` is
 * 'invoice·fdp.txt'. Linear; lone surrogates become U+FFFD.
 */
export function harmless(text: string): string {
  const whole = text.isWellFormed() ? text : text.toWellFormed()
  if (!/[^\x20-\x7e\n\t\r\u00a0-\u00ac\u00ae-\u02ff\u0370-\u0600]/.test(whole)) return whole
  const kept: string[] = []
  let from = 0
  // Joiners that belong there are put aside first, by their places.
  const places = new Set([...whole.matchAll(joiner)].map(({ index }) => index))
  let wasUnseen = false
  for (const { 0: found, index } of whole.matchAll(harmful)) {
    if (places.has(index)) continue
    if (index > from) wasUnseen = false
    kept.push(whole.slice(from, index))
    if (!wasUnseen) kept.push(shownUnseen)
    wasUnseen = true
    from = index + found.length
  }
  kept.push(whole.slice(from))
  return kept.join('')
}

/** One line of a text of outside: harmless, line ends and tabs as spaces, no blanks at its ends. */
export function harmlessLine(text: string): string {
  return harmless(text.replace(/[\r\n\t\u2028\u2029]+/g, ' ')).trim()
}

/**
 * The names a file name stands for, as different programs would read it: without path, invisible characters, trailing
 * dots and spaces, stream names and what follows a NUL. The first is the one to show; the others only count.
 */
export function visibleName(name: string): readonly string[] {
  const cut = name.slice(0, 1000)
  const base = cut.replace(/[\\/]+[.\s]*$/, '').replace(/^.*[\\/]/s, '')
  const shown = harmlessLine(base).slice(0, 255)
  const found = new Set([shown])
  for (const one of [base, base.split('\u0000')[0] ?? '', base.split(/:(?=[^\\/]*$)/)[0] ?? ''])
    found.add(bareName(one))
  // As it came, for whoever asks whether it is made to deceive.
  if (turnsDirection(base)) found.add(base.slice(0, 255))
  return [...found]
}

/** A name as its ending decides: NFKC, without anything unseen, trailing dots and spaces. */
export function bareName(name: string): string {
  const plain = name.slice(0, 1000).normalize('NFKC').replace(harmful, '')
  let end = plain.length
  // Counted from the end: /[. ]+$/ starts anew at every run that is not at the end.
  while (end > 0 && /[.\s\u2024\u3002\uff0e]/u.test(plain[end - 1] ?? '')) end -= 1
  return plain.slice(0, end).slice(0, 255)
}

/**
 * Whether a text holds characters that turn the direction of what follows: the embeddings, overrides and isolates of UAX #9 §2. The marks
 * beside them (U+200E, U+200F, U+061C) stand in the names of honest files wherever people write from right to left (common practice).
 */
export const turnsDirection = (text: string): boolean => turning.test(text)
