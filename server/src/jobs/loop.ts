import { isDatabaseAway } from '../errors.ts'
import type { Log } from '../log.ts'

export interface Loop {
  /** Look now rather than at the next beat. */
  readonly nudge: () => void
  /** Stops after the work under way; resolves when it is done. */
  readonly stop: () => Promise<void>
}

/** Runs `work` again and again, at once while it finds something and else every `beat` ms. Never two at a time. */
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
      try {
        found = await work()
      } catch (error) {
        if (isDatabaseAway(error)) log.databaseAway(name, error)
        else log.jobFailed(name, error)
      }
      if (!stopped && found === 0 && !asked) await rest()
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
