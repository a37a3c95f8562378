import { Piscina } from 'piscina'
import { parseMessage } from '@pendro/core/message'
import { threadFlags } from '../work/thread-options.ts'

export interface ReadingPool {
  readonly read: typeof parseMessage
  readonly stop: () => Promise<void>
}

/** Small messages are read sooner than a thread could be asked. */
const worthAThread = 200_000

/**
 * Reads messages in worker threads, so that a large or hostile one does not hold up everybody's screens.
 * `threads` 0 reads all in the main thread.
 */
export function createReadingPool(threads: number): ReadingPool {
  if (threads === 0) return { read: parseMessage, stop: () => Promise.resolve() }
  const pool = new Piscina({
    filename: new URL('./reading-worker.ts', import.meta.url).href,
    minThreads: 0,
    maxThreads: threads,
    idleTimeout: 30_000,
    execArgv: [...threadFlags],
    resourceLimits: { maxOldGenerationSizeMb: 1024 },
  })
  return {
    read: raw =>
      raw.byteLength < worthAThread ? parseMessage(raw) : (pool.run(raw) as ReturnType<typeof parseMessage>),
    stop: () => pool.destroy(),
  }
}
