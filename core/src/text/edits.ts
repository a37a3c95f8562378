import { distance } from 'fastest-levenshtein'

/** Whether one slip of the finger makes one text of the other (Damerau-Levenshtein distance 1); equal texts are none. */
export function isOneEdit(a: string, b: string): boolean {
  if (Math.abs(a.length - b.length) > 1) return false
  return distance(a, b) === 1 || isSwap(a, b)
}

/** 'cardign' for 'carding': two edits by count, one slip by hand. */
function isSwap(a: string, b: string): boolean {
  const at = [...a].findIndex((c, i) => c !== b[i])
  return a[at] === b[at + 1] && a[at + 1] === b[at] && a.slice(at + 2) === b.slice(at + 2)
}
