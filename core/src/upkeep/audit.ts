import { isPublicSuffix, parseAddress, parseDomain } from '../address/index.ts'
import type { OrganisationPolicy } from '../judgement/index.ts'
import { findCaution, planChange, type ProposedEntry, type SeenDeliveries } from '../rulings/index.ts'
import { isExpired, isOwner, patternText, type SenderPattern } from '../senders/index.ts'
import { findContradictions } from './contradictions.ts'
import { findCover, sendingElsewhere, sortByText } from './covering.ts'
import {
  ending,
  finding,
  findingKinds,
  type RegisteredEntry,
  type Remedy,
  type UpkeepFinding,
} from './finding.ts'
import { findSlips } from './slips.ts'
import { createTallies, type Tally } from './tally.ts'

/** What an audit needs beside the entries. */
export interface AuditContext {
  readonly policy: Pick<OrganisationPolicy, 'ownDomains' | 'sharedProviders'>
  /** Epoch ms. */
  readonly now: number
  /** Addresses and domains that much wanted mail comes from or goes to. */
  readonly frequent: readonly string[]
  /** How often the entry's owner (for the organisation: anybody) wrote to what the pattern names. */
  readonly writtenTo: (entry: RegisteredEntry) => number
  readonly limits?: Partial<AuditLimits>
}

/** From which numbers on something is a finding. */
export interface AuditLimits {
  /** Days without a match after which an entry has gone quiet. */
  readonly quietDays: number
  /** Colleagues who keep the same before it belongs to everyone. */
  readonly colleagues: number
  /** Deliveries a wildcard must have met before what it met says anything. */
  readonly seenEnough: number
  /** Messages that met a safe entry, none of them authenticated. */
  readonly unproven: number
  /** Released deliveries, or messages written to the sender, that speak against a block. */
  readonly wantedBack: number
}
/** Limits where the organisation sets none. */
export const usualLimits: AuditLimits = {
  quietDays: 180,
  colleagues: 3,
  seenEnough: 5,
  unproven: 3,
  wantedBack: 2,
}

/** An audit under way: sees deliveries, then tells its findings. */
export interface Audit {
  readonly see: (seen: SeenDeliveries) => void
  /** Findings about what was seen so far, most harmful first. An entry is the subject of one at most. */
  readonly findings: () => readonly UpkeepFinding[]
  readonly tallyOf: (entry: RegisteredEntry) => Tally | null
}

const day = 86_400_000

/** Looks over a whole register while the mail of the last days is replayed through `see` (domain.md §9). */
export function createAudit(entries: readonly RegisteredEntry[], context: AuditContext): Audit {
  const { policy, now, frequent, writtenTo } = context
  const limits = { ...usualLimits, ...context.limits }
  for (const [name, n] of Object.entries(limits))
    if (!(n >= 1)) throw new RangeError(`${name} is 1 or more, got ${n}`)
  const live = entries.filter(entry => !isExpired(entry, now))
  const byText = sortByText(live, now)
  const otherwise = sendingElsewhere(live)
  const covered = new Map<number, RegisteredEntry>()
  for (const entry of live) {
    const cover = findCover(entry, byText, otherwise)
    if (cover) covered.set(entry.id, cover)
  }
  const tallies = createTallies(entries, { policy, now }, new Set(covered.keys()))
  const slipOf = findSlips(frequent)

  const perEntry = (entry: RegisteredEntry): UpkeepFinding | null => {
    if (isExpired(entry, now)) return finding('expired', [entry], [{ name: 'end', change: ending(entry) }])
    const tally = tallies.of(entry)
    return (
      tooWide(entry, tally) ??
      letHarmIn(entry, tally) ??
      blocksWanted(entry, tally) ??
      alreadyCovered(entry, tally) ??
      neverProven(entry, tally) ??
      slip(entry, tally) ??
      quiet(entry, tally)
    )
  }

  const tooWide = (entry: RegisteredEntry, tally: Tally | null): UpkeepFinding | null => {
    const why = whyTooWide(entry, tally)
    if (why === null) return null
    const narrowed =
      why === 'wider-than-seen'
        ? replaced(entry, [...(tally?.domains ?? [])].map(readPattern))
        : replaced(entry, harmlessSenders(tally))
    const remedies: Remedy[] = [...narrowed, { name: 'end', change: ending(entry) }]
    return finding(
      'lets-in-too-much',
      [entry],
      remedies,
      { why, ...numbers(tally) },
      `${why} ${bucket(tally)}`,
    )
  }
  const whyTooWide = ({ pattern, standing, createdAt }: RegisteredEntry, tally: Tally | null) => {
    if (standing !== 'safe' || !('domain' in pattern)) return null
    if (isPublicSuffix(pattern.domain)) return 'public-suffix'
    const caution = findCaution({ pattern, standing }, policy)
    if (caution !== null) return caution
    const narrow =
      pattern.kind === 'subtree' &&
      tally !== null &&
      tally.decided >= limits.seenEnough &&
      tally.domains.size === 1 &&
      now - createdAt >= 30 * day
    return narrow ? 'wider-than-seen' : null
  }

  const letHarmIn = (entry: RegisteredEntry, tally: Tally | null): UpkeepFinding | null => {
    if (entry.standing !== 'safe' || tally === null) return null
    // A safe address exists because its score is wrong: there only a person's word counts.
    const byScore = [...tally.senders.values()].filter(s => s.harmful > 0 && s.wanted === 0)
    const harmful =
      entry.pattern.kind === 'address' ? tally.calledJunk : byScore.reduce((sum, s) => sum + s.harmful, 0)
    if (harmful === 0) return null
    const narrowed = entry.pattern.kind === 'address' ? [] : replaced(entry, harmlessSenders(tally))
    return finding(
      'let-harm-in',
      [entry],
      [...narrowed, { name: 'end', change: ending(entry) }],
      { ...numbers(tally), harmful },
      bucket(tally),
    )
  }

  const blocksWanted = (entry: RegisteredEntry, tally: Tally | null): UpkeepFinding | null => {
    if (entry.standing !== 'blocked') return null
    const released = tally?.wanted ?? 0
    const written = writtenTo(entry)
    if (released < limits.wantedBack && written < limits.wantedBack) return null
    return finding(
      'blocks-wanted',
      [entry],
      [{ name: 'end', change: ending(entry) }],
      { released, written, stopped: tally?.decided ?? 0 },
      `${Math.min(released, 10)} ${written >= limits.wantedBack}`,
    )
  }

  const alreadyCovered = (entry: RegisteredEntry, tally: Tally | null): UpkeepFinding | null => {
    const cover = covered.get(entry.id)
    if (!cover || (tally?.mattered ?? 0) > 0) return null
    return finding('covered', [entry, cover], [{ name: 'end', change: ending(entry) }], numbers(tally))
  }

  const neverProven = (entry: RegisteredEntry, tally: Tally | null): UpkeepFinding | null => {
    if (entry.standing !== 'safe' || entry.withoutAuthentication || tally === null) return null
    if (tally.refused < limits.unproven || tally.refused < tally.matched) return null
    const loosened = { ...entry, withoutAuthentication: true }
    return finding(
      'never-authenticated',
      [entry],
      [
        { name: 'end', change: ending(entry) },
        { name: 'without-authentication', change: planChange([loosened], [entry], now) },
      ],
      { refused: tally.refused },
    )
  }

  const slip = (entry: RegisteredEntry, tally: Tally | null): UpkeepFinding | null => {
    if (entry.standing !== 'safe' || tally !== null || entry.lastMatchedAt !== null) return null
    const meant = slipOf(entry.pattern)
    if (meant === null) return null
    return finding(
      'slip',
      [entry],
      [...replaced(entry, [readPattern(meant)], 'correct'), { name: 'end', change: ending(entry) }],
      { meant },
      meant,
    )
  }

  const quiet = (entry: RegisteredEntry, tally: Tally | null): UpkeepFinding | null => {
    const since = Math.max(entry.createdAt, entry.lastMatchedAt ?? 0)
    if (tally !== null || now - since < limits.quietDays * day) return null
    return finding(
      'quiet',
      [entry],
      [{ name: 'end', change: ending(entry) }],
      { days: Math.floor((now - since) / day), ever: entry.lastMatchedAt === null ? 'no' : 'yes' },
      since,
    )
  }

  /** The same entry for other patterns; what the owner's list says of those already stays consistent. */
  const replaced = (
    entry: RegisteredEntry,
    patterns: readonly SenderPattern[],
    name: Remedy['name'] = 'narrow',
  ): readonly Remedy[] => {
    if (patterns.length === 0) return []
    const same = patterns
      .flatMap(pattern => byText.get(patternText(pattern)) ?? [])
      .filter(({ owner }) => isOwner(owner, entry.owner))
    const { add, end } = planChange(
      patterns.map(pattern => proposed(entry, pattern)),
      same,
      now,
    )
    return [{ name, change: { add, end: [...new Set([entry, ...end])] } }]
  }

  const findings = () => {
    const found: UpkeepFinding[] = [...findContradictions(live, byText)]
    const told = new Set(found.flatMap(one => one.entries.map(({ id }) => id)))
    const urgent = entries.flatMap(entry => (told.has(entry.id) ? [] : (perEntry(entry) ?? [])))
    const rank = (one: UpkeepFinding) => findingKinds.indexOf(one.kind)
    const everyone = findingKinds.indexOf('for-everyone')
    // What belongs to everyone is told once for all its entries, unless one of them does harm.
    const harmful = new Set(urgent.filter(one => rank(one) < everyone).map(one => one.entries[0]?.id))
    const shared = [...forEveryone(byText, limits.colleagues, now)].filter(
      one => !one.entries.some(({ id }) => told.has(id) || harmful.has(id)),
    )
    const inShared = new Set(shared.flatMap(one => one.entries.map(({ id }) => id)))
    const doubles = [...duplicates(byText)]
    const doubled = new Set(doubles.flatMap(one => one.entries.map(({ id }) => id)))
    const single = urgent.filter(one => {
      const id = one.entries[0]?.id ?? 0
      return rank(one) < everyone || !(inShared.has(id) || doubled.has(id))
    })
    return [...found, ...single, ...shared, ...doubles].sort(
      (a, b) => rank(a) - rank(b) || weightOf(b) - weightOf(a),
    )
  }
  return { see: tallies.see, findings, tallyOf: tallies.of }
}

/** Within a kind: what touched most mail first. */
const weightOf = ({ facts }: UpkeepFinding): number =>
  Number(facts.harmful ?? 0) * 1000 +
  Number(facts.letIn ?? facts.colleagues ?? facts.stopped ?? facts.days ?? 0)

function proposed(entry: RegisteredEntry, pattern: SenderPattern): ProposedEntry {
  const { standing, owner, binding, withoutAuthentication, until } = entry
  return { pattern, standing, owner, binding, withoutAuthentication, until }
}

/** Senders of which nothing harmful came, most mail first; at most as many as a person would read through. */
function harmlessSenders(tally: Tally | null): readonly SenderPattern[] {
  return [...(tally?.senders ?? [])]
    .filter(([, { harmful, wanted }]) => harmful === 0 || wanted > harmful)
    .sort(([, a], [, b]) => b.deliveries - a.deliveries)
    .slice(0, 20)
    .map(([text]) => readPattern(text))
}

/** Texts of tallies and of the organisation's own books; one that can't be read is a fault of ours. */
function readPattern(text: string): SenderPattern {
  if (text.includes('@')) {
    const address = parseAddress(text)
    if (address.ok) return { kind: 'address', address: address.value }
  } else {
    const domain = parseDomain(text)
    if (domain.ok) return { kind: 'domain', domain: domain.value }
  }
  throw new Error(`no pattern: ${text}`)
}

const numbers = (tally: Tally | null) => ({
  letIn: tally?.decided ?? 0,
  harmful: tally?.harmful ?? 0,
  senders: tally?.senders.size ?? 0,
})

/** A finding set aside stays aside while harm stays in the same order of size. */
const bucket = (tally: Tally | null): number => Math.ceil(Math.log2((tally?.harmful ?? 0) + 1))

function* forEveryone(
  byText: ReadonlyMap<string, readonly RegisteredEntry[]>,
  least: number,
  now: number,
): Generator<UpkeepFinding> {
  for (const group of byText.values()) {
    if (group.length < least || group.some(({ owner }) => owner.kind === 'organisation')) continue
    for (const standing of ['safe', 'blocked'] as const) {
      const same = group.filter(entry => entry.standing === standing)
      const [first] = same
      if (!first || same.length < least) continue
      const one: ProposedEntry = {
        pattern: first.pattern,
        standing,
        owner: { kind: 'organisation' },
        binding: false,
        withoutAuthentication: same.every(entry => entry.withoutAuthentication),
        until: same.some(({ until }) => until === null) ? null : Math.max(...same.map(e => e.until ?? now)),
      }
      yield finding('for-everyone', same, [{ name: 'for-everyone', change: { add: [one], end: same } }], {
        colleagues: same.length,
      })
    }
  }
}

/** The database refuses equal entries; lists read from elsewhere may hold them. */
function* duplicates(byText: ReadonlyMap<string, readonly RegisteredEntry[]>): Generator<UpkeepFinding> {
  for (const group of byText.values()) {
    if (group.length < 2) continue
    const first = new Map<string, RegisteredEntry>()
    for (const entry of group) {
      const key = `${entry.standing} ${entry.owner.kind === 'mailbox' ? entry.owner.mailboxId : ''}`
      const known = first.get(key)
      if (known) yield finding('duplicate', [entry, known], [{ name: 'end', change: ending(entry) }])
      else first.set(key, entry)
    }
  }
}
