import { endingStates, type DeliveryState } from '../delivery/index.ts'

const msADay = 86_400_000

/** Kinds of kept mail that can have days of their own (domain.md §7). */
export const keptKinds = ['quarantined', 'junk', 'discarded'] as const
/** One of {@link keptKinds}. */
export type KeptKind = (typeof keptKinds)[number]

/** Days each kind is kept. */
export type KeptDays = Readonly<Record<KeptKind, number>>

/** Bounds of the days; common practice is 14, 30 or 93. */
export const fewestDays = 7
export const mostDays = 365
/** Where nobody has said anything. */
export const usualDays = 28
/** Days the headers of what is gone stay. */
export const usualHeaderDays = 93

/** The days that count in a state that ends by itself; sealed mail is kept as long as quarantined mail. */
const kindOf: Readonly<Record<(typeof endingStates)[number], KeptKind>> = {
  quarantined: 'quarantined',
  sealed: 'quarantined',
  junk: 'junk',
  discarded: 'discarded',
}

/** Which days count for a delivery in a state. What has no end of its own counts as quarantined mail would. */
export const keptKindOf = (state: DeliveryState): KeptKind =>
  state in kindOf ? kindOf[state as keyof typeof kindOf] : 'quarantined'

/** A time in which a colleague is away: from, and until when they are back. Epoch ms. */
export interface AwayTime {
  readonly from: number
  readonly until: number
}

/** What decides when a delivery goes away. Times in epoch ms. */
export interface Kept {
  readonly state: DeliveryState
  readonly receivedAt: number
  /** Kept until then by somebody's word; `null` for nothing said. */
  readonly keptUntil: number | null
}

/** What its mailbox says. */
export interface Keeping {
  readonly days: KeptDays
  /** In any order; they may overlap. */
  readonly away: readonly AwayTime[]
}

/**
 * When a delivery goes away (domain.md §7), epoch ms: its days after it was received. A colleague who is away before it
 * would go has these days again after the return, whatever the date of reception; and so on for each time away that then
 * begins before it goes. What is kept until a date stays until then at least.
 */
export function expiryOf({ state, receivedAt, keptUntil }: Kept, { days, away }: Keeping): number {
  const stay = days[keptKindOf(state)] * msADay
  let end = receivedAt + stay
  // In order of their beginnings: only what is still there when a time away begins is held by it.
  for (const { from, until } of [...away].sort((a, b) => a.from - b.from))
    if (from < end && until > receivedAt) end = Math.max(end, until + stay)
  return Math.max(end, keptUntil ?? 0)
}

/** Whether a colleague is away at a moment (epoch ms). */
export const isAway = (away: readonly AwayTime[], at: number): boolean =>
  away.some(({ from, until }) => from <= at && at < until)

/** Epoch ms at which a colleague who is away at a moment is back, over times away that follow one another without a gap. */
export function backAt(away: readonly AwayTime[], at: number): number {
  let back = at
  for (const { from, until } of [...away].sort((a, b) => a.from - b.from))
    if (from <= back && back < until) back = until
  return back
}

/** What is wrong with times away. */
export type AwayProblem = 'ends-before' | 'too-long' | 'too-many' | 'over'

export const mostAway = 20
/** A year and a day: longer than any leave that is entered as one. */
export const longestAway = 366

/** What is wrong with the times away of a colleague, of the first that is wrong; `null` for nothing. `now` in epoch ms. */
export function awayProblem(
  away: readonly AwayTime[],
  now: number,
): { readonly problem: AwayProblem; readonly at: number } | null {
  if (away.length > mostAway) return { problem: 'too-many', at: mostAway }
  for (const [at, { from, until }] of away.entries()) {
    if (until <= from) return { problem: 'ends-before', at }
    if (until - from > longestAway * msADay) return { problem: 'too-long', at }
    // One that is long over holds nothing, and was most likely typed with the wrong year.
    if (until < now - longestAway * msADay) return { problem: 'over', at }
  }
  return null
}
