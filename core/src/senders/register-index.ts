import type { Address } from '../address/index.ts'
import type { Register, SenderEntry, SenderFacts } from './entry.ts'
import { patternText, type SenderPattern } from './pattern.ts'

/** A whole register, ready to be asked about one message after the other. */
export interface RegisterIndex {
  /** The entries that could match a message for a mailbox; never fewer than `consultList` accepts. */
  readonly lookUp: (facts: SenderFacts, mailboxId: number) => Register
}

type Entries = readonly SenderEntry[]

/** What the organisation's list holds for one sending domain: looked up once, then known. */
interface Place {
  /** Entries for the domain and for everything above it. */
  readonly entries: Entries
  /** Entries for single addresses of it, by their local part. */
  readonly addresses: ReadonlyMap<string, Entries> | null
  /** Under which a colleague's own entries for the domain, and around it, are kept. */
  readonly root: string
}

const nobody: Register = { organisation: [], mailbox: [] }
const none: Entries = []
const noDomains: readonly string[] = []

/** Places known at a time. A run sees some ten thousand domains; hostile mail could invent any number. */
const mostPlaces = 100_000

/**
 * Sorts entries by what they match, so that a decision costs a few look-ups however long the lists are: one
 * for the domain, and two for the colleague's own entries near it. Colleagues' lists are short; theirs are
 * kept by the last two labels, and those that do not match fall away when they are consulted.
 */
export function indexRegister(entries: Entries): RegisterIndex {
  const byText = new Map<string, SenderEntry[]>()
  const byDomain = new Map<string, Map<string, SenderEntry[]>>()
  const byMailbox = new Map<number, Map<string, SenderEntry[]>>()
  for (const entry of entries) {
    const { pattern, owner } = entry
    if (owner.kind === 'mailbox') push(innerMap(byMailbox, owner.mailboxId), rootOf(pattern), entry)
    // Tags are told apart when an entry is matched.
    else if (pattern.kind === 'address')
      push(innerMap(byDomain, pattern.address.domain), pattern.address.local, entry)
    else push(byText, patternText(pattern), entry)
  }

  const places = new Map<string, Place>()
  const placeOf = (domain: string): Place => {
    const known = places.get(domain)
    if (known) return known
    const labels = domain.split('.')
    const keys = [domain, ...labels.map((_, i) => `*.${labels.slice(i).join('.')}`)]
    const place = {
      entries: keys.flatMap(key => byText.get(key) ?? none),
      addresses: byDomain.get(domain) ?? null,
      root: lastLabels(domain),
    }
    // Stryker disable next-line all: what is forgotten is looked up again
    if (places.size >= mostPlaces) places.clear()
    places.set(domain, place)
    return place
  }
  return {
    lookUp({ from, fromDomains = noDomains, envelopeFrom, sender, listId }, mailboxId) {
      const own = byMailbox.get(mailboxId)
      let organisation = none
      let mailbox = none
      let before: Place | null = null
      // Plain loops, and one domain looked up once: this runs for every delivery of a replay.
      for (let i = 0; i < from.length + 2; i += 1) {
        const address: Address | null =
          (i < from.length ? from[i] : i === from.length ? envelopeFrom : sender) ?? null
        if (address === null || (i === from.length && address === from[0])) continue
        const place = placeOf(address.domain)
        if (place !== before) {
          organisation = joined(organisation, place.entries)
          if (own && place.root !== before?.root) mailbox = joined(mailbox, own.get(place.root))
        }
        if (place.addresses) organisation = joined(organisation, place.addresses.get(address.local))
        before = place
      }
      // Domains of a From that can't be read; hardly any message has one.
      for (const domain of fromDomains.slice(0, 50)) {
        const place = placeOf(domain)
        organisation = joined(organisation, place.entries)
        if (own) mailbox = joined(mailbox, own.get(place.root))
      }
      if (listId !== null) {
        organisation = joined(organisation, byText.get(`<${listId}>`))
        if (own) mailbox = joined(mailbox, own.get(`<${listId}>`))
      }
      return organisation.length + mailbox.length === 0 ? nobody : { organisation, mailbox }
    },
  }
}

function innerMap<K>(maps: Map<K, Map<string, SenderEntry[]>>, key: K): Map<string, SenderEntry[]> {
  const known = maps.get(key)
  if (known) return known
  const made = new Map<string, SenderEntry[]>()
  maps.set(key, made)
  return made
}

function push(to: Map<string, SenderEntry[]>, key: string, entry: SenderEntry): void {
  const known = to.get(key)
  if (known) known.push(entry)
  else to.set(key, [entry])
}

function rootOf(pattern: SenderPattern): string {
  if (pattern.kind === 'list') return patternText(pattern)
  return lastLabels(pattern.kind === 'address' ? pattern.address.domain : pattern.domain)
}

const lastLabels = (domain: string) => domain.split('.').slice(-2).join('.')

/** Each entry once: envelope sender and From mostly lead to the same ones. */
function joined(found: Entries, more: Entries | undefined): Entries {
  if (more === undefined || more.length === 0) return found
  if (found.length === 0) return more
  const fresh = more.filter(entry => !found.includes(entry))
  return fresh.length === 0 ? found : [...found, ...fresh]
}
