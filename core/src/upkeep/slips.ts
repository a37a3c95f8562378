import { patternText, type SenderPattern } from '../senders/index.ts'
import { isOneEdit } from '../text/index.ts'

/** Shorter names are one letter from each other by chance. */
const leastLength = 6

/**
 * The frequent sender a pattern is one edit away from: a letter too many, too few, another, or two that
 * changed places. Only addresses of the same domain, and domains, are compared; `null` when there is none,
 * or when the pattern is itself a frequent sender.
 */
export function findSlips(frequent: readonly string[]): (pattern: SenderPattern) => string | null {
  const known = new Set(frequent)
  const byDomain = new Map<string, string[]>()
  const domains: string[] = []
  for (const text of frequent) {
    const at = text.lastIndexOf('@')
    if (at < 0) domains.push(text)
    else {
      const domain = text.slice(at + 1)
      byDomain.set(domain, [...(byDomain.get(domain) ?? []), text])
    }
  }
  return pattern => {
    if (pattern.kind !== 'address' && pattern.kind !== 'domain') return null
    const text = patternText(pattern)
    if (known.has(text)) return null
    const near = 'address' in pattern ? (byDomain.get(pattern.address.domain) ?? []) : domains
    const name = (one: string) => (one.includes('@') ? one.slice(0, one.lastIndexOf('@')) : one)
    return near.find(one => name(one).length >= leastLength && isOneEdit(text, one)) ?? null
  }
}
