import { addressText, withoutTag, type Address } from '../address/index.ts'
import type { Register, SenderEntry, SenderFacts } from './entry.ts'
import { patternText } from './pattern.ts'

/** A whole register, ready to be asked about one message after the other. */
export interface RegisterIndex {
  /** The entries that could match a message for a mailbox; never fewer than `consultList` accepts. */
  readonly lookUp: (facts: SenderFacts, mailboxId: number) => Register
}

interface Bucket {
  readonly organisation: SenderEntry[]
  readonly byMailbox: Map<number, SenderEntry[]>
}

/** What the register holds for one sending domain: looked up once, then known. */
interface Place {
  /** Entries for the domain and for everything above it. */
  readonly buckets: readonly Bucket[]
  /** Some entry names a single address of it. */
  readonly hasAddresses: boolean
}

const nothing: Place = { buckets: [], hasAddresses: false }
const nobody: Register = { organisation: [], mailbox: [] }
const none: readonly SenderEntry[] = []

/** Places known at a time. A run sees some ten thousand domains; hostile mail could invent any number. */
const mostPlaces = 100_000

/**
 * Sorts entries by what they match, so that a decision costs a few look-ups however long the lists are:
 * the domains a message was sent under are looked up first, and for nearly all mail that is the end of it.
 */
export function indexRegister(entries: readonly SenderEntry[]): RegisterIndex {
  const byText = new Map<string, Bucket>()
  const addressDomains = new Set<string>()
  for (const entry of entries) {
    const { pattern } = entry
    if (pattern.kind === 'address') addressDomains.add(pattern.address.domain)
    const key = pattern.kind === 'address' ? addressText(withoutTag(pattern.address)) : patternText(pattern)
    const bucket = byText.get(key) ?? { organisation: [], byMailbox: new Map<number, SenderEntry[]>() }
    byText.set(key, bucket)
    if (entry.owner.kind === 'organisation') bucket.organisation.push(entry)
    else {
      const own = bucket.byMailbox.get(entry.owner.mailboxId)
      if (own) own.push(entry)
      else bucket.byMailbox.set(entry.owner.mailboxId, [entry])
    }
  }

  const places = new Map<string, Place>()
  const placeOf = (domain: string): Place => {
    const known = places.get(domain)
    if (known) return known
    const labels = domain.split('.')
    const keys = [domain, ...labels.map((_, i) => `*.${labels.slice(i).join('.')}`)]
    const buckets = keys.flatMap(key => byText.get(key) ?? [])
    const hasAddresses = addressDomains.has(domain)
    const place = buckets.length > 0 || hasAddresses ? { buckets, hasAddresses } : nothing
    if (places.size >= mostPlaces) places.clear()
    places.set(domain, place)
    return place
  }
  const bucketsOf = (address: Address): readonly Bucket[] => {
    const { buckets, hasAddresses } = placeOf(address.domain)
    const own = hasAddresses ? byText.get(addressText(withoutTag(address))) : undefined
    return own ? [own, ...buckets] : buckets
  }

  return {
    lookUp({ from, envelopeFrom, sender, listId }, mailboxId) {
      let found: readonly Bucket[] = []
      const add = (more: readonly Bucket[]) => {
        if (more.length > 0) found = found.length === 0 ? more : [...found, ...more]
      }
      for (const address of from) add(bucketsOf(address))
      if (envelopeFrom !== null) add(bucketsOf(envelopeFrom))
      if (sender !== null) add(bucketsOf(sender))
      const list = listId === null ? undefined : byText.get(`<${listId}>`)
      if (list) add([list])
      return found.length === 0 ? nobody : gather(found, mailboxId)
    },
  }
}

function gather(found: readonly Bucket[], mailboxId: number): Register {
  const [only] = found
  if (only && found.length === 1)
    return { organisation: only.organisation, mailbox: only.byMailbox.get(mailboxId) ?? none }
  // From and envelope sender mostly share their domain, and with it these buckets.
  const buckets = [...new Set(found)]
  return {
    organisation: buckets.flatMap(({ organisation }) => organisation),
    mailbox: buckets.flatMap(({ byMailbox }) => byMailbox.get(mailboxId) ?? none),
  }
}
