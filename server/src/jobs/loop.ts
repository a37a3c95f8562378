import { isDatabaseAway } from '../errors.ts'
import type { Log } from '../log.ts'

export interface Loop {
  /** Look now rather than at the next beat. */
  readonly nudge: () => void
  /** Stops after the work under way; resolves when it is done. */
  readonly stop: () => Promise<void>
}

/** Milliseconds from look to look: under load one finds more for a statement, and nobody notices so little. */
const betweenLooks = 80

const pause = (milliseconds: number) => new Promise<void>(resolve => setTimeout(resolve, milliseconds))

/** Runs `work` again and again, soon while it finds something and else every `beat` ms. Never two at a time. */
export function startLoop(name: string, beat: number, work: () => Promise<number>, log: Log): Loop {
  let stopped = false
  let wake: (() => void) | null = null
  let asked = false
  const rest = () =>
    new Promise<void>(resolve => {
      const timer = setTimeout(resolve, beat)
      wake = () => {
        clearTimeout(timer)
        resolve()
      }
    })
  const run = async () => {
    while (!stopped) {
      asked = false
      let found = 0
      const began = performance.now()
      try {
        found = await work()
      } catch (error) {
        if (isDatabaseAway(error)) log.databaseAway(name, error)
        else log.jobFailed(name, error)
      }
      if (!stopped && found === 0 && !asked) await rest()
      const early = betweenLooks - (performance.now() - began)
      if (!stopped && early > 0) await pause(early)
      wake = null
    }
  }
  const running = run()
  const nudge = () => {
    asked = true
    wake?.()
  }
  return {
    nudge,
    stop: () => {
      stopped = true
      wake?.()
      return running
    },
  }
}
