const letters: Readonly<Record<string, string>> = {
  ø: 'o',
  æ: 'ae',
  ß: 'ss',
  ł: 'l',
  đ: 'd',
  þ: 'th',
  ı: 'i',
}

/** How somebody types a name they have only heard: no accents, no capitals, 'ø' as 'o'. */
export function fold(text: string): string {
  return text
    .toLowerCase()
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .replace(/[øæßłđþı]/g, letter => letters[letter] ?? letter)
}

/** Words that say nothing about which message it is, in the languages of our colleagues. */
const idle = new Set(
  'the a an of from to for and or in on at by with about re fw fwd sv aw vs mr mrs ms dr message mail email my our their som fra til og i på en et den det om von der die das und an bei zu herr frau od do z ze w na o i pan pani'.split(
    ' ',
  ),
)

/** Folded words and numbers of a text, in order; '09:10' stays one. Idle words only when there are no others. */
export function wordsOf(text: string): readonly string[] {
  const all = fold(text).match(/[\p{L}\p{N}]+(?:[:.'][\p{L}\p{N}]+)*/gu) ?? []
  const parts = all.flatMap(word => (/^\d+[:.]\d+$/.test(word) ? [word] : word.split(/[:.']/)))
  const telling = parts.filter(word => !idle.has(word))
  return telling.length > 0 ? telling : parts
}

/** Whether a text has words, and all of them say nothing about which message it is. */
export const isIdle = (text: string): boolean => wordsOf(text).every(word => idle.has(word))

/** Every three letters in a row of each word, with a space before its first: what misspelt words still share. */
export function trigrams(text: string): readonly string[] {
  const found = new Set<string>()
  for (const word of fold(text).match(/[\p{L}\p{N}]+/gu) ?? []) {
    const padded = ` ${word}`
    if (padded.length < 3) found.add(padded.padEnd(3))
    for (let i = 0; i + 3 <= padded.length; i += 1) found.add(padded.slice(i, i + 3))
  }
  return [...found]
}
