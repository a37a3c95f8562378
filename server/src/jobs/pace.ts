import { setTimeout } from 'node:timers/promises'

/** How quickly people are answered, so that work nobody waits for can stand back. */
export interface Pace {
  /** An answer took so many milliseconds. */
  readonly answered: (milliseconds: number) => void
  /** Rests after a piece of work that took so many milliseconds: not at all when nobody is there, long when people wait longer than usual. */
  readonly rest: (worked: number) => Promise<void>
  /** Ends a rest, and has none from then on: whoever stops a process waits for no more than the work under way. */
  readonly stop: () => void
}

/** Milliseconds an answer tells of people who are there. */
const present = 10_000
/** Milliseconds after the last work from which answers tell again what is usual: those beside it may be slow by it. */
const undisturbed = 30_000
/** So much slower than usual people are held up. */
const slower = 1.5
// At work a thirtieth of the time: fewer than one answer in twenty can be slower by it.
const restWhilePresent = 30
const restWhileSlow = 60
const longestRest = 20_000
const mostKept = 400

const p95 = (times: readonly number[]): number =>
  [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)] ?? 0

const untilThen = (milliseconds: number, signal: AbortSignal): Promise<void> =>
  setTimeout(milliseconds, undefined, { signal }).catch(() => {})

/** `clock`: milliseconds of a clock that only goes on; `pause` waits, no longer than until the signal. */
export function createPace(
  clock: () => number = () => performance.now(),
  pause: (milliseconds: number, signal: AbortSignal) => Promise<void> = untilThen,
): Pace {
  const over = new AbortController()
  let answers: { readonly at: number; readonly took: number }[] = []
  // Follows slowly, so that a slow minute does not become the usual.
  let usual = 0
  let workedAt = Number.NEGATIVE_INFINITY
  return {
    answered: took => {
      answers.push({ at: clock(), took })
      if (answers.length > mostKept) answers = answers.slice(-mostKept / 2)
      if (usual === 0) usual = took
      else if (clock() - workedAt > undisturbed) usual += (took - usual) / 20
    },
    rest: async worked => {
      const since = clock() - present
      answers = answers.filter(({ at }) => at >= since)
      if (answers.length > 0) {
        const slow = usual > 0 && p95(answers.map(({ took }) => took)) > usual * slower
        await pause(Math.min(longestRest, worked * (slow ? restWhileSlow : restWhilePresent)), over.signal)
      }
      workedAt = clock()
    },
    stop: () => over.abort(),
  }
}
