import type { TextLesson, TokenCount } from '@pendro/core/judgement'

/** How often each token stood in wanted and junk lessons, as the database keeps it. */
export function countsOf(lessons: readonly TextLesson[]) {
  const tokens = new Map<string, TokenCount>()
  let [wanted, junk] = [0, 0]
  for (const { tokens: words, isJunk } of lessons) {
    if (isJunk) junk += 1
    else wanted += 1
    for (const word of new Set(words)) {
      const before = tokens.get(word) ?? { wanted: 0, junk: 0 }
      tokens.set(
        word,
        isJunk ? { ...before, junk: before.junk + 1 } : { ...before, wanted: before.wanted + 1 },
      )
    }
  }
  return { total: { wanted, junk }, tokens }
}
