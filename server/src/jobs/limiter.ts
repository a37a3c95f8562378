/** Lets so many go on at a time; the others wait in the order they came, people before what nobody waits for. */
export interface Limiter {
  /** Waits for a turn, and gives it back whatever comes of the work. */
  readonly run: <T>(work: () => Promise<T>, urgent?: boolean) => Promise<T>
}

/** @param most At a time. @param forPeople Of these, how many only urgent work may have: what goes on by itself leaves room. */
export function createLimiter(most: number, forPeople = 0): Limiter {
  const urgent: (() => void)[] = []
  const usual: (() => void)[] = []
  let running = 0
  const next = () => {
    const begin =
      running < most
        ? (urgent.shift() ?? (running < most - forPeople ? usual.shift() : undefined))
        : undefined
    if (!begin) return
    running += 1
    begin()
  }
  return {
    run: async (work, isUrgent = false) => {
      await new Promise<void>(begin => {
        ;(isUrgent ? urgent : usual).push(begin)
        next()
      })
      try {
        return await work()
      } finally {
        running -= 1
        next()
      }
    },
  }
}
