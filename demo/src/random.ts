/** A seeded source of chance (mulberry32): the same seed makes the same demo. */
export interface Chance {
  /** In [0, 1). */
  readonly next: () => number
  /** Whole number in [low, high]. */
  readonly between: (low: number, high: number) => number
  readonly pick: <T>(items: readonly T[]) => T
  /** `count` different items, fewer when there are not as many. */
  readonly some: <T>(items: readonly T[], count: number) => T[]
  readonly happens: (probability: number) => boolean
}

export function chanceOf(seed: number): Chance {
  let state = seed >>> 0
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0
    let t = state
    t = Math.imul(t ^ (t >>> 15), t | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
  const between = (low: number, high: number) => low + Math.floor(next() * (high - low + 1))
  const pick = <T>(items: readonly T[]): T => {
    const item = items[Math.floor(next() * items.length)]
    if (item === undefined) throw new RangeError('pick: nothing to pick from')
    return item
  }
  const some = <T>(items: readonly T[], count: number): T[] => {
    const rest = [...items]
    const taken: T[] = []
    while (taken.length < count && rest.length > 0)
      taken.push(...rest.splice(Math.floor(next() * rest.length), 1))
    return taken
  }
  return { next, between, pick, some, happens: probability => next() < probability }
}
