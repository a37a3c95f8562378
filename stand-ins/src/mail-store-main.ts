import { startMailStore } from './mail-store.ts'

const store = await startMailStore({
  smtpPort: Number(process.env.PENDRO_STORE_PORT ?? 2526),
  httpPort: Number(process.env.PENDRO_STORE_HTTP_PORT ?? 8026),
})
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => void store.stop().then(() => process.exit(0)))
process.send?.({ ready: true, smtpPort: store.smtpPort, httpPort: store.httpPort })
