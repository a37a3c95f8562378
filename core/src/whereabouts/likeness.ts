import { distance } from 'fastest-levenshtein'
import { findOrganisationalDomain } from '../address/index.ts'
import { fold, wordsOf } from './fold.ts'

/** How alike two folded words are, 0 to 1: a slip in a short word makes another word of it, in a long one not. */
export function wordLikeness(typed: string, known: string): number {
  if (typed === known) return 1
  if (/\d/.test(typed)) return 0
  if (typed.length >= 3 && known.startsWith(typed)) return 0.9
  const slips = distance(typed, known)
  const longer = Math.max(typed.length, known.length)
  if (slips === 1 && longer >= 4) return 0.85
  if (slips === 2 && longer >= 6) return 0.7
  if (slips === 3 && longer >= 10) return 0.6
  // A double-barrelled or joined word: 'fjellby' in 'fjellbyskole'.
  if (typed.length >= 4 && known.includes(typed)) return 0.75
  return 0
}

/** How much of the typed words is found among the known ones, 0 to 1; longer words say more. */
export function wordsLikeness(typed: readonly string[], known: readonly string[]): number {
  let sum = 0
  let whole = 0
  for (const word of typed) {
    const weight = Math.min(8, Math.max(2, word.length))
    whole += weight
    sum += weight * Math.max(0, ...known.map(other => wordLikeness(word, other)))
  }
  return whole === 0 ? 0 : sum / whole
}

/** A sender, as messages name them. */
export interface Party {
  readonly name: string
  readonly address: string
}

/** What somebody typed for a person: an address, a domain, or words. */
export type TypedParty =
  | { readonly kind: 'address'; readonly local: string; readonly domain: string }
  | { readonly kind: 'domain'; readonly domain: string }
  | { readonly kind: 'words'; readonly words: readonly string[] }
  | { readonly kind: 'none' }

/** What was typed for a sender: an address, a domain, or words of a name. */
export function readParty(text: string): TypedParty {
  const typed = text
    .trim()
    .replace(/^.*<([^<>]+)>\s*$/, '$1')
    .slice(0, 400)
  const [, local, domain] = /^([^\s@]+)@([^\s@]+\.[^\s@.]+)$/.exec(typed) ?? []
  if (local !== undefined && domain !== undefined)
    return { kind: 'address', local: fold(local), domain: domain.toLowerCase() }
  const [, alone] = /^@?([^\s@]+\.[^\s@.\d]{2,})$/.exec(typed) ?? []
  if (alone !== undefined) return { kind: 'domain', domain: alone.toLowerCase() }
  const words = wordsOf(typed).slice(0, 12)
  return words.length === 0 ? { kind: 'none' } : { kind: 'words', words }
}

/** In what way a sender fits. */
export type PartyMatch = 'same' | 'same-domain' | 'slip' | 'like' | 'other'

/** How well a party fits what was typed, 0 to 1, and in what way. */
export function partyLikeness(typed: TypedParty, party: Party): { likeness: number; match: PartyMatch } {
  const address = party.address.toLowerCase()
  const at = address.lastIndexOf('@')
  const [local, domain] = [fold(address.slice(0, at)), address.slice(at + 1)]
  switch (typed.kind) {
    case 'none':
      return { likeness: 1, match: 'same' }
    case 'address': {
      const sameDomain = domainLikeness(typed.domain, domain)
      const sameLocal = wordsLikeness(localWords(typed.local), localWords(local))
      if (typed.local === local && typed.domain === domain) return { likeness: 1, match: 'same' }
      if (sameDomain === 1) {
        // One word of a different mailbox is another mailbox; most of it is a slip of the fingers.
        return sameLocal >= 0.8
          ? { likeness: 0.9, match: 'slip' }
          : { likeness: 0.55 + 0.2 * sameLocal, match: 'same-domain' }
      }
      if (sameDomain >= 0.7 && (typed.local === local || sameLocal >= 0.7))
        return { likeness: 0.6 + 0.3 * sameDomain, match: 'slip' }
      return { likeness: 0.35 * Math.max(sameDomain, sameLocal), match: 'other' }
    }
    case 'domain': {
      const same = domainLikeness(typed.domain, domain)
      if (same === 1) return { likeness: 1, match: 'same' }
      if (domain.endsWith(`.${typed.domain}`)) return { likeness: 0.97, match: 'same' }
      return same >= 0.7 ? { likeness: 0.8 * same, match: 'slip' } : { likeness: 0.3 * same, match: 'other' }
    }
    case 'words': {
      const likeness = wordsLikeness(typed.words, partyWords(party, local, domain))
      return {
        likeness,
        match: likeness >= 0.97 ? 'same' : likeness >= 0.45 ? 'like' : 'other',
      }
    }
  }
}

const kept = new Map<string, readonly string[]>()
const mostKept = 20_000

/** What a party is called by. Kept, since each question meets the same colleagues and senders again. */
function partyWords({ name, address }: Party, local: string, domain: string): readonly string[] {
  const key = `${name}\n${address}`
  const found = kept.get(key) ?? [...wordsOf(name), ...localWords(local), ...domainWords(domain)]
  if (kept.size >= mostKept) kept.clear()
  kept.set(key, found)
  return found
}

const localWords = (local: string): readonly string[] => {
  const words = wordsOf(local.replace(/[._+-]/g, ' '))
  return words.length > 1 ? [...words, words.join('')] : words
}

/** The labels that somebody would say; 'mail.fjellby-skole.example' is 'fjellby' and 'skole'. */
const domainWords = (domain: string): readonly string[] => {
  const labels = domain.split('.').slice(0, -1)
  return labels.flatMap(label => [label, ...label.split('-')]).map(fold)
}

/** 1 for the same, 0.7 and more for one or two slips, which swapped letters count as. */
export function domainLikeness(typed: string, known: string): number {
  if (typed === known) return 1
  const slips = distance(typed, known)
  if (slips <= 2 && typed.length >= 6) return slips === 1 ? 0.9 : 0.75
  // What stands below it is the sender's own business: 'kystkup.example' for mail from post.kystkupp.example.
  const [ours, other] = [organisationOf(typed), organisationOf(known)]
  const [mine = '', theirs = ''] = [ours.split('.')[0], other.split('.')[0]]
  // Another host of the same organisation, or another ending of the same name: shop.example and shop.test.
  if (mine.length >= 4 && mine === theirs) return 0.75
  const apart = slipsBetween(ours, other)
  if (apart <= 1 && mine.length >= 4) return 0.8
  return apart <= 2 && mine.length >= 6 ? 0.72 : 0
}

const organisationOf = (domain: string) => findOrganisationalDomain(domain) ?? domain

/** Slips of the fingers between two texts; two letters that changed places are one. */
function slipsBetween(a: string, b: string): number {
  const slips = distance(a, b)
  if (slips !== 2 || a.length !== b.length) return slips
  const at = [...a].findIndex((letter, i) => letter !== b[i])
  return a[at] === b[at + 1] && a[at + 1] === b[at] && a.slice(at + 2) === b.slice(at + 2) ? 1 : 2
}
