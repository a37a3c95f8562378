// The sending world while the demo runs: now and then a letter over SMTP, like any other mail.
import { writeLetter } from '@pendro/demo/letter'
import { nextLive } from '@pendro/demo/mail'
import { makeColleagues } from '@pendro/demo/organisation'
import { chanceOf } from '@pendro/demo/random'
import { startTrickle } from '@pendro/stand-ins/sending-world'
import { demoSeed } from './fill-demo.ts'

const port = Number(process.env.PENDRO_SMTP_PORT)
const colleagues = makeColleagues(chanceOf(demoSeed))
const chance = chanceOf(Date.now())
let serial = 0
const trickle = startTrickle(
  port,
  async () => {
    serial += 1
    const { raw, envelopeFrom, recipients } = await writeLetter(
      nextLive(colleagues, chance),
      new Date(),
      `live${Date.now()}.${serial}`,
      'direct',
    )
    return { raw, from: envelopeFrom, to: recipients }
  },
  () => chance.between(8_000, 40_000),
  error =>
    console.error(`A demo letter was not taken: ${error instanceof Error ? error.message : String(error)}`),
)
process.send?.({ ready: true })
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => void trickle.stop().then(() => process.exit(0)))
