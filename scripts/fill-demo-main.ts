import { openDatabase } from '../server/src/db/database.ts'
import { fillDemoOnce } from './fill-demo.ts'

const url = process.env.DATABASE_URL
if (!url) throw new Error('fill-demo-main: DATABASE_URL is not set')
const db = openDatabase(url)
const began = Date.now()
let shown = ''
const filled = await fillDemoOnce(db, {
  now: new Date(),
  // Tests fill a smaller one.
  scale: Number(process.env.PENDRO_DEMO_SCALE ?? 1),
  ...(process.env.PENDRO_WORLD_PORT ? { worldPort: Number(process.env.PENDRO_WORLD_PORT) } : {}),
  say: text => {
    if (text !== shown) process.stdout.write(process.stdout.isTTY ? `\r${text}` : '')
    shown = text
  },
})
if (filled) {
  const seconds = ((Date.now() - began) / 1000).toFixed(0)
  console.log(
    `\rThe demo is filled: ${filled.messages} messages, ${filled.deliveries} deliveries, in ${seconds} s.`,
  )
}
await db.close()
