import { readSettings } from './settings.ts'
import { serve } from './serve.ts'

try {
  const running = await serve(readSettings(process.env))
  let stopping = false
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.on(signal, () => {
      if (stopping) return
      stopping = true
      void running.stop().then(() => process.exit(0))
    })
  }
  // Whoever started this process learns that it is ready, and where.
  process.send?.({ ready: true, httpPort: running.httpPort, smtpPort: running.smtpPort })
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exit(1)
}
