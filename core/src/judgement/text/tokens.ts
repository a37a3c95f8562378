import type { Message } from '../../message/index.ts'

/** Different tokens of one message. */
const mostTokens = 300
/** One token stands in the list so often at most. */
const mostRepeats = 20
const readLength = 8000

/** Words; and in scripts that put no spaces between them, each letter, which becomes pairs. */
const wordOrRun =
  /[\p{sc=Han}\p{sc=Hiragana}\p{sc=Katakana}\p{sc=Thai}\p{sc=Lao}\p{sc=Khmer}\p{sc=Myanmar}]+|\p{L}[\p{L}\p{M}'’-]{2,23}|\p{Extended_Pictographic}/gu
const unspaced = /^[\p{sc=Han}\p{sc=Hiragana}\p{sc=Katakana}\p{sc=Thai}\p{sc=Lao}\p{sc=Khmer}\p{sc=Myanmar}]/u

/** Marks that junk is fond of, and the counts from which they are a token of their own. */
const marks = ['!', '$', '%', '#', '*', '?']
const steps = [1, 3, 8] as const

/**
 * The tokens of a message in order of appearance, repeated ones as often as they stand (20 times at most): words of the
 * subject ('s:'), of the sender's name and domain ('f:'), parts of links ('u:'), punctuation and capitals by how many there are ('p:'),
 * and words of the text. Lower case, any script; scripts without spaces give pairs of letters.
 */
export function tokensOf(message: Pick<Message, 'subject' | 'text' | 'from' | 'links'>): readonly string[] {
  const counts = new Map<string, number>()
  const found: string[] = []
  const put = (token: string) => {
    const n = counts.get(token) ?? 0
    if (n === mostRepeats || (n === 0 && counts.size === mostTokens)) return
    counts.set(token, n + 1)
    found.push(token)
  }
  const add = (prefix: string, text: string) => {
    for (const [word] of text.normalize('NFC').toLowerCase().matchAll(wordOrRun)) {
      if (counts.size === mostTokens && !counts.has(prefix + word)) continue
      if (unspaced.test(word)) for (const pair of pairsOf(word)) put(prefix + pair)
      else put(prefix + word)
    }
  }
  add('s:', message.subject.slice(0, 500))
  const from = message.from[0]
  if (from) add('f:', `${from.name.slice(0, 200)} ${from.address?.domain.replaceAll('.', ' ') ?? ''}`)
  for (const { href, host } of message.links.slice(0, 10)) {
    add('u:', `${host.replaceAll('.', ' ')} ${/^\w+:\/\/[^/?#]*([^?#]{0,120})/.exec(href)?.[1] ?? ''}`)
  }
  // Web addresses are tokens of their own kind; in the text they would count twice.
  const text = message.text.slice(0, readLength).replace(/\bhttps?:\/\/\S+/gi, ' ')
  for (const token of loudness(`${message.subject.slice(0, 500)}\n${text}`)) put(token)
  add('', text)
  return found
}

function pairsOf(run: string): readonly string[] {
  const letters = [...run]
  if (letters.length < 2) return letters
  return letters.slice(1).map((letter, i) => `${letters[i] ?? ''}${letter}`)
}

/** Punctuation and words in capitals, each by steps: 'p:!', 'p:!3', 'p:!8'. */
function loudness(text: string): readonly string[] {
  const counts: readonly (readonly [string, number])[] = [
    ...marks.map(mark => [mark, text.split(mark).length - 1] as const),
    ['A', text.match(/\p{Lu}{4,}/gu)?.length ?? 0],
  ]
  return counts.flatMap(([mark, n]) =>
    steps.filter(step => n >= step).map(step => `p:${mark}${step === 1 ? '' : step}`),
  )
}

const places: Readonly<Record<string, string>> = {
  's:': 'subject',
  'f:': 'sender',
  'u:': 'link',
  'p:': 'mark',
}

/** A token as people read it. */
export function shownToken(token: string): { readonly word: string; readonly place: string } {
  const place = places[token.slice(0, 2)]
  if (place === undefined) return { word: token, place: '' }
  const word = token.slice(2)
  return { word: place === 'mark' ? (word[0] === 'A' ? 'ABC' : (word[0] ?? '')) : word, place }
}
