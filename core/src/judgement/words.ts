import type { Message } from '../message/index.ts'
import { evidence, type Evidence } from './evidence.ts'

/** How often a word stood in messages that people ruled on. */
export interface WordCount {
  readonly wanted: number
  readonly junk: number
}

export interface WordKnowledge {
  /** Ruled-on messages in all. */
  readonly total: WordCount
  readonly words: ReadonlyMap<string, WordCount>
}

export const noWords: WordKnowledge = { total: { wanted: 0, junk: 0 }, words: new Map() }

const maxWords = 160
const readLength = 6000
const shownWords = 6
/** Below this many messages with a word its share says little. */
const leastSeen = 4
const smoothing = 0.5
/** Words of one message are not independent; the sum of their log-odds is damped. */
const damping = 0.35
const furthest = 1.9

/** The different words of subject and text, lower case, in order of appearance. Any script. */
export function wordsOf(message: Pick<Message, 'subject' | 'text'>): readonly string[] {
  const source = `${message.subject}\n${message.text.slice(0, readLength)}`.normalize('NFC').toLowerCase()
  const found = new Set<string>()
  for (const [word] of source.matchAll(/[\p{L}][\p{L}\p{M}'-]{2,23}/gu)) {
    found.add(word)
    if (found.size === maxWords) break
  }
  return [...found]
}

/** At most two findings: the words that lean to junk, and those that lean to wanted. */
export function weighWords(words: readonly string[], known: WordKnowledge): readonly Evidence[] {
  if (known.total.wanted < 10 || known.total.junk < 10) return []
  const leaning = words
    .flatMap(word => {
      const count = known.words.get(word)
      return count && count.wanted + count.junk >= leastSeen
        ? [{ word, odds: logOdds(count, known.total) }]
        : []
    })
    .sort((a, b) => Math.abs(b.odds) - Math.abs(a.odds))
    .slice(0, 15)
  return [
    ...wordFinding(
      'words-junk',
      leaning.filter(({ odds }) => odds > 0.5),
    ),
    ...wordFinding(
      'words-wanted',
      leaning.filter(({ odds }) => odds < -0.5),
    ),
  ]
}

function wordFinding(
  finding: 'words-junk' | 'words-wanted',
  leaning: readonly { word: string; odds: number }[],
): readonly Evidence[] {
  if (leaning.length === 0) return []
  const sum = Math.abs(leaning.reduce((total, { odds }) => total + odds, 0)) * damping
  const shown = leaning.slice(0, shownWords).map(({ word }) => `“${word}”`)
  return [evidence(finding, { words: shown.join(', ') }, Math.min(furthest, sum))]
}

function logOdds(count: WordCount, total: WordCount): number {
  const share = (n: number, of: number) => (n + smoothing) / (of + 2 * smoothing)
  return Math.log(share(count.junk, total.junk) / share(count.wanted, total.wanted))
}
