import { classify, shownToken, tokensOf } from '../text/index.ts'
import type { Weighed } from './context.ts'
import { observe, type Observed } from './evidence.ts'

const shownWords = 4
const listedWords = 12

/** What the words say, as one finding in calibrated log-odds, with the few that mattered. */
export function weighText({ message, context }: Weighed): readonly Observed[] {
  const found = classify(tokensOf(message), context.text)
  if (found === null || Math.abs(found.logOdds) < 0.05) return []
  const towardsJunk = found.logOdds > 0
  const shown = found.leaning
    .filter(({ weight }) => weight > 0 === towardsJunk && Math.abs(weight) > 0.02)
    .slice(0, shownWords)
  const words = [...new Set(shown.map(({ token }) => shownToken(token).word))]
    .map(word => `“${word}”`)
    .join(', ')
  if (words === '') return []
  return [
    observe(towardsJunk ? 'words-junk' : 'words-wanted', {
      facts: { words },
      times: Math.abs(found.logOdds),
      raw: found.leaning.slice(0, listedWords).map(({ token, weight, count }) => {
        const { word, place } = shownToken(token)
        return [
          word,
          `${weight > 0 ? '+' : '−'}${Math.abs(weight).toFixed(2)}`,
          'word',
          { place, wanted: count.wanted, junk: count.junk },
        ] as const
      }),
    }),
  ]
}
