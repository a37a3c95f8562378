import unhomoglyph from 'unhomoglyph'
import { isOneEdit } from '../text/index.ts'
import { displayDomain, findOrganisationalDomain } from './domain.ts'

/** A domain that could be taken for another, and by what. */
export interface Lookalike {
  /** The domain it is made to be taken for. */
  readonly known: string
  readonly by: 'same-shapes' | 'one-letter' | 'name-within'
}

/**
 * The skeleton of UTS #39 §4 with the Unicode confusables, for domains: what it looks like at a glance.
 * Digits that pass for letters and 'rn' for 'm' are added; the confusables table has them only in part.
 */
export function skeleton(domain: string): string {
  return unhomoglyph(displayDomain(domain).normalize('NFD').toLowerCase())
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/rn/g, 'm')
    .replace(/vv/g, 'w')
    .replace(/[0]/g, 'o')
    .replace(/[1|i]/g, 'l')
    .replace(/5/g, 's')
}

/** Shorter names are one letter from each other by chance. */
const leastLength = 6

/**
 * The known domain that `domain` is made to be taken for, or `null`. Its own organisation's domains and the
 * known ones themselves are no lookalikes. Compared by organisational domain.
 */
export function findLookalike(domain: string, known: readonly string[]): Lookalike | null {
  const organisation = findOrganisationalDomain(domain)
  if (organisation === null) return null
  const { organisations, shapes, names } = prepared(known)
  if (organisations.has(organisation)) return null
  const same = shapes.get(skeleton(organisation))
  if (same !== undefined) return { known: same, by: 'same-shapes' }
  const name = skeleton(nameOf(organisation))
  for (const { known: one, name: other } of names) {
    if (name === other || isOneEdit(name, other)) return { known: one, by: 'one-letter' }
    // 'bank-login' for 'bank': the name as a whole word beside others.
    if (name !== other && name.split('-').includes(other)) return { known: one, by: 'name-within' }
  }
  return null
}

interface Prepared {
  readonly organisations: ReadonlySet<string>
  readonly shapes: ReadonlyMap<string, string>
  readonly names: readonly { readonly known: string; readonly name: string }[]
}

// The same list serves a whole batch of messages with all their links.
const preparedLists = new WeakMap<readonly string[], Prepared>()

function prepared(known: readonly string[]): Prepared {
  const found = preparedLists.get(known)
  if (found) return found
  const domains = known.flatMap(one => findOrganisationalDomain(one) ?? [])
  const list: Prepared = {
    organisations: new Set(domains),
    shapes: new Map(domains.map(one => [skeleton(one), one])),
    names: domains
      .map(one => ({ known: one, name: skeleton(nameOf(one)) }))
      .filter(({ name }) => name.length >= leastLength),
  }
  preparedLists.set(known, list)
  return list
}

const nameOf = (organisation: string) => organisation.split('.')[0] ?? ''
