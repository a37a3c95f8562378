/** A message people ruled on, and what the score had said of it. */
export interface Judged {
  /** 0 to 1: the score as a probability. */
  readonly said: number
  readonly isJunk: boolean
}

/** Mean squared difference of what was said and what was (Brier, 1950); 0 is perfect. `null` of nothing. */
export function brierScore(all: readonly Judged[]): number | null {
  if (all.length === 0) return null
  return all.reduce((sum, { said, isJunk }) => sum + (said - (isJunk ? 1 : 0)) ** 2, 0) / all.length
}

/** So sure is nobody: a score of 0 or 100 that was wrong would cost without end. */
const surest = 1e-6

/** Mean negative log of what was said of what was; 0 is perfect. `null` of nothing. */
export function logLoss(all: readonly Judged[]): number | null {
  if (all.length === 0) return null
  const loss = all.reduce((sum, { said, isJunk }) => {
    const held = Math.min(1 - surest, Math.max(surest, said))
    return sum - Math.log(isJunk ? held : 1 - held)
  }, 0)
  return loss / all.length
}

/**
 * Area under the ROC curve: how often a junk message has the higher score of the two, ties counting half (Mann and Whitney, 1947).
 * `null` when only one kind is there.
 */
export function rocArea(all: readonly Judged[]): number | null {
  const sorted = [...all].sort((a, b) => a.said - b.said)
  const junk = sorted.filter(({ isJunk }) => isJunk).length
  const wanted = sorted.length - junk
  if (junk === 0 || wanted === 0) return null
  let ranks = 0
  for (let from = 0; from < sorted.length;) {
    let to = from
    while (to < sorted.length && sorted[to]?.said === sorted[from]?.said) to += 1
    // Equal ones share the mean of their places.
    const rank = (from + to + 1) / 2
    for (let i = from; i < to; i += 1) if (sorted[i]?.isJunk) ranks += rank
    from = to
  }
  return (ranks - (junk * (junk + 1)) / 2) / (junk * wanted)
}
