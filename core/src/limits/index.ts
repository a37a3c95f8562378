import type { Limits } from '../judgement/index.ts'

/** Ready positions of the limits, from the one that lets most in to the one that holds most. */
export const readyLimits = {
  /** Holds what is almost surely junk. */
  open: { junk: 60, quarantined: 75, nearCertain: 92 },
  /** What a new installation begins with. */
  usual: { junk: 40, quarantined: 40, nearCertain: 80 },
  /** Holds whatever is in doubt. */
  careful: { junk: 25, quarantined: 30, nearCertain: 75 },
} as const satisfies Record<string, Limits>

/** Name of a ready position. */
export type ReadyLimits = keyof typeof readyLimits

/** The ready position that limits stand at; `null` for a position of their own. */
export const readyAt = ({ junk, quarantined, nearCertain }: Limits): ReadyLimits | null =>
  (Object.keys(readyLimits) as ReadyLimits[]).find(name => {
    const ready = readyLimits[name]
    return ready.junk === junk && ready.quarantined === quarantined && ready.nearCertain === nearCertain
  }) ?? null

/** Whether limits can be limits: 1 to 100, and each at or above the one before. */
export const areLimits = ({ junk, quarantined, nearCertain }: Limits): boolean =>
  junk >= 1 && junk <= quarantined && quarantined <= nearCertain && nearCertain <= 100
