import { serveBench } from './served.ts'

const running = await serveBench(process.env.DATABASE_URL ?? '', {
  PENDRO_STORE_PORT: process.env.STORE_PORT ?? '9',
})
process.send?.({ port: running.smtpPort })
process.once('SIGTERM', () => void running.stop().then(() => process.exit(0)))
