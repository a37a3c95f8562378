import { wordsOf } from './fold.ts'
import { partyLikeness, wordsLikeness, type Party, type PartyMatch, type TypedParty } from './likeness.ts'
import type { TimeRange } from './when.ts'

/** A question as it was understood. Parts that were left blank are 'none', empty or `null`. */
export interface Asked {
  readonly from: TypedParty
  /** How well each mailbox fits what was typed, by its id; `null` for a blank. */
  readonly to: ReadonlyMap<number, number> | null
  readonly about: readonly string[]
  readonly when: TimeRange | null
}

/** A message that may be meant, wherever it is. */
export interface Candidate {
  readonly from: Party
  readonly subject: string
  /** The beginning of its text; '' when it is not known. */
  readonly text: string
  /** The mailbox it is in; `null` for what never got into one. */
  readonly mailboxId: number | null
  /** Epoch ms. */
  readonly at: number
  /** Whether the colleague would not have seen it: common practice, these are the first places to look. */
  readonly outOfSight: boolean
}

/** In what way a message fits. */
export type MatchLabel =
  | 'all-of-it'
  | 'close'
  | 'same-domain'
  | 'slip'
  | 'other-colleague'
  | 'other-time'
  | 'other-subject'
  | 'part'

/** How well a message fits, and in what way. */
export interface Rating {
  /** 0 to 1. */
  readonly likeness: number
  readonly label: MatchLabel
}

const weights = { from: 0.42, about: 0.28, to: 0.18, when: 0.12 }
const day = 86_400_000

const met = new WeakMap<TypedParty, Map<string, ReturnType<typeof partyLikeness>>>()

/** The messages of a question are mostly of few senders: each is compared with it once. */
function likenessOf(typed: TypedParty, party: Party): ReturnType<typeof partyLikeness> {
  const known = met.get(typed) ?? new Map<string, ReturnType<typeof partyLikeness>>()
  met.set(typed, known)
  const key = `${party.name}\n${party.address}`
  const likeness = known.get(key) ?? partyLikeness(typed, party)
  known.set(key, likeness)
  return likeness
}

/** How well a message fits a question, and in what way it does not; `null` when it is none that was meant. */
export function rate(asked: Asked, candidate: Candidate): Rating | null {
  const from = likenessOf(asked.from, candidate.from)
  const about = asked.about.length === 0 ? null : aboutLikeness(asked.about, candidate)
  const to = asked.to === null ? null : (asked.to.get(candidate.mailboxId ?? 0) ?? 0)
  const when = asked.when === null ? null : whenLikeness(asked.when, candidate.at)
  const parts = {
    from: asked.from.kind === 'none' ? null : from.likeness,
    about,
    to,
    when,
  }
  // Somebody else's message about something else is not meant, whenever it came.
  if (parts.from !== null && parts.from < 0.45 && (about ?? 0) < 0.6) return null
  if (parts.from === null && about !== null && about < 0.4) return null
  if (parts.from === null && about === null && to === 0) return null
  let sum = 0
  let whole = 0
  for (const [name, value] of Object.entries(parts)) {
    if (value === null) continue
    whole += weights[name as keyof typeof weights]
    sum += weights[name as keyof typeof weights] * value
  }
  if (whole === 0) return null
  const likeness = sum / whole + (candidate.outOfSight ? 0.015 : 0)
  if (likeness < 0.42) return null
  return { likeness: Math.min(1, likeness), label: labelOf(from.match, parts) }
}

const ofText = 0.85

/** Words of the subject count in full, of the text a little less. */
function aboutLikeness(words: readonly string[], { subject, text }: Candidate): number {
  const subjectWords = wordsOf(subject)
  const bySubject = wordsLikeness(words, subjectWords)
  // The text could not make it better; comparing all of its words is most of the work.
  // Stryker disable next-line all: it would be the same, later
  if (bySubject >= ofText) return bySubject
  return Math.max(bySubject, ofText * wordsLikeness(words, [...subjectWords, ...wordsOf(text)]))
}

/** 1 within the range, falling off with the days beside it: people remember roughly. */
function whenLikeness({ from, to }: TimeRange, at: number): number {
  if (at >= from && at < to) return 1
  const beside = at < from ? from - at : at - to
  const length = Math.max(to - from, day / 2)
  return Math.max(0, 0.75 - beside / (2 * length + day))
}

function labelOf(
  match: PartyMatch,
  { from, about, to, when }: Readonly<Record<'from' | 'about' | 'to' | 'when', number | null>>,
): MatchLabel {
  const good = (value: number | null) => value === null || value >= 0.85
  if (match === 'slip') return 'slip'
  if (to !== null && to < 0.5) return 'other-colleague'
  if (match === 'same-domain') return 'same-domain'
  if (good(from) && good(about) && good(to) && good(when)) return 'all-of-it'
  if (good(from) && good(about) && good(to)) return 'other-time'
  if (good(from) && about !== null && about < 0.4) return 'other-subject'
  return (from ?? 1) >= 0.6 && (about ?? 1) >= 0.5 ? 'close' : 'part'
}
