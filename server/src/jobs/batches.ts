interface BatchOptions<T, R> {
  /** Items of one batch at most. */
  readonly most: number
  /** Does a batch whole or not at all; one result an item, in order. */
  readonly run: (items: readonly T[]) => Promise<readonly R[]>
  /** Waits for items that are known to be on their way, so many milliseconds at most; without it for nobody. */
  readonly gather?: { readonly isMoreComing: () => boolean; readonly atMost: number }
  /** Whether a failure is nobody's own: then all of the batch fail at once, and are not tried one by one. */
  readonly isEverybodys: (error: unknown) => boolean
}

interface Waiting<T, R> {
  readonly item: T
  readonly done: (result: R) => void
  readonly failed: (error: unknown) => void
}

/**
 * Makes one batch of what is asked for at the same moment. A batch closes when the one before it is done, or at its
 * size: alone an item waits for nobody, under load what waits goes together. Each promise settles after its own item's
 * batch; an item that makes its batch fail is taken out, and the rest goes on.
 */
export function createBatches<T, R>({
  most,
  run,
  gather,
  isEverybodys,
}: BatchOptions<T, R>): (item: T) => Promise<R> {
  const waiting: Waiting<T, R>[] = []
  let running = false

  async function settle(batch: readonly Waiting<T, R>[]): Promise<void> {
    try {
      const results = await run(batch.map(({ item }) => item))
      batch.forEach(({ done }, i) => done(results[i] as R))
    } catch (error) {
      if (batch.length === 1 || isEverybodys(error)) for (const { failed } of batch) failed(error)
      else {
        const middle = Math.ceil(batch.length / 2)
        await settle(batch.slice(0, middle))
        await settle(batch.slice(middle))
      }
    }
  }

  /** Looks every few milliseconds: what is on its way says nothing when it gives up. */
  async function gathered(): Promise<void> {
    if (!gather) return
    const until = performance.now() + gather.atMost
    while (waiting.length < most && gather.isMoreComing() && performance.now() < until)
      await new Promise(resolve => setTimeout(resolve, 2))
  }

  async function work(): Promise<void> {
    running = true
    while (waiting.length > 0) {
      await gathered()
      await settle(waiting.splice(0, most))
    }
    running = false
  }

  return item =>
    new Promise<R>((done, failed) => {
      waiting.push({ item, done, failed })
      if (!running) void work()
    })
}
