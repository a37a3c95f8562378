// The sending world while the demo runs, and colleagues who write to it: now and then a letter over SMTP, like any other mail.
import { writeLetter } from '@pendro/demo/letter'
import { nextLive, nextOutgoing } from '@pendro/demo/mail'
import { domain, makeColleagues, trustedHost } from '@pendro/demo/organisation'
import { chanceOf } from '@pendro/demo/random'
import { startTrickle } from '@pendro/stand-ins/sending-world'
import { demoSeed } from './fill-demo.ts'

const colleagues = makeColleagues(chanceOf(demoSeed))
const chance = chanceOf(Date.now())
let serial = 0
const letterOf = async (draft: Parameters<typeof writeLetter>[0]) => {
  serial += 1
  const { raw, envelopeFrom, recipients } = await writeLetter(
    draft,
    new Date(),
    `live${Date.now()}.${serial}`,
    'direct',
  )
  return { raw, from: envelopeFrom, to: recipients }
}
const failed = (error: unknown) =>
  console.error(`A demo letter was not taken: ${error instanceof Error ? error.message : String(error)}`)
const trickles = [
  startTrickle(
    Number(process.env.PENDRO_SMTP_PORT),
    () => letterOf(nextLive(colleagues, chance)),
    () => chance.between(8_000, 40_000),
    failed,
    trustedHost,
  ),
  startTrickle(
    Number(process.env.PENDRO_SUBMISSION_PORT),
    () => letterOf(nextOutgoing(colleagues, chance)),
    () => chance.between(15_000, 60_000),
    failed,
    `mail.${domain}`,
  ),
]
process.send?.({ ready: true })
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => void Promise.all(trickles.map(one => one.stop())).then(() => process.exit(0)))
