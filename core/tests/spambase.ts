import { readFileSync } from 'node:fs'
import { gunzipSync } from 'node:zlib'
import { tokensOf, type TextLesson } from '@pendro/core/judgement'

const marks: Readonly<Record<string, string>> = {
  charSemicolon: ';',
  charRoundbracket: '(',
  charSquarebracket: '[',
  charExclamation: '!',
  charDollar: '$',
  charHash: '#',
}

/** Spambase's names for numbers hold digits, which are no letters of a word: 'num650' becomes 'numgfa'. */
const lettered = (name: string) => name.replace(/\d/g, digit => 'abcdefghij'[Number(digit)] ?? '')

/**
 * Spambase (tests/data) as texts that our tokens can be taken from: each word as often as its share says, punctuation, and capitals by
 * their longest run. Its rows are shares of 48 words, so this is what is left of the mail and no more.
 */
export function spambase(): readonly TextLesson[] {
  const packed = readFileSync(new URL('./data/spambase.csv.gz', import.meta.url))
  const [head = '', ...rows] = gunzipSync(packed).toString('utf8').trim().split('\n')
  const names = head.trim().split(',')
  return rows.map(row => {
    const values = row.trim().split(',')
    const text = names.flatMap((name, column) => {
      const share = Number(values[column])
      if (!(share > 0)) return []
      const mark = marks[name]
      if (mark !== undefined) return [mark.repeat(Math.max(1, Math.round(share * 20)))]
      if (name === 'capitalLong') return Array.from({ length: Math.floor(share / 10) }, () => 'CAPITALS')
      if (name.startsWith('capital')) return []
      return Array.from({ length: Math.max(1, Math.round(share * 3)) }, () => lettered(name.toLowerCase()))
    })
    return {
      tokens: tokensOf({ subject: '', from: [], links: [], text: text.join(' ') }),
      isJunk: values.at(-1) === 'spam',
    }
  })
}

/** Of every five rows one, as scikit-learn's references were given them. */
export const isHeldOut = (row: number, fold: number): boolean => row % 5 === fold
