import { createTransport } from 'nodemailer'
import { writeLetter } from '@pendro/demo/letter'
import { makeMail } from '@pendro/demo/mail'
import { makeColleagues } from '@pendro/demo/organisation'
import { chanceOf } from '@pendro/demo/random'
import { demoSeed } from '../scripts/fill-demo.ts'
import type { Section } from './measure.ts'
import { askerOf, p95, pause, serveBench } from './served.ts'

const messages = 2000

/** The review page's p95 while messages come in over SMTP one after the other, against its p95 at rest. */
export async function benchUnderLoad(databaseUrl: string): Promise<Section> {
  const running = await serveBench(databaseUrl)
  const ask = await askerOf(running.httpPort)
  const idle: number[] = []
  for (let i = 0; i < 220; i += 1) idle.push(await ask())

  const chance = chanceOf(demoSeed)
  const colleagues = makeColleagues(chance)
  const mail = makeMail(colleagues, chance, { now: new Date(), days: 14 })
    .filter(({ direction }) => direction === 'in')
    .slice(0, messages)
  const letters = await Promise.all(mail.map(h => writeLetter(h.draft, h.at, `load.${h.serial}`)))
  const transport = createTransport({
    host: '127.0.0.1',
    port: running.smtpPort,
    secure: false,
    ignoreTLS: true,
    pool: true,
    maxConnections: 1,
    maxMessages: Infinity,
  })
  let done = false
  const began = performance.now()
  const sending = (async () => {
    for (const { raw, envelopeFrom, recipients } of letters)
      await transport.sendMail({ envelope: { from: envelopeFrom, to: [...recipients] }, raw })
    done = true
  })()
  const loaded: number[] = []
  while (!done) {
    loaded.push(await ask())
    await pause(20)
  }
  await sending
  const perSecond = messages / ((performance.now() - began) / 1000)
  transport.close()
  await running.stop()
  const ratio = p95(loaded) / p95(idle)
  return {
    title: `While ${messages.toLocaleString('en')} messages are judged`,
    rows: [
      {
        what: `Review page, p95 of ${loaded.length} requests`,
        ours: `${p95(loaded).toFixed(1)} ms`,
        against: `${p95(idle).toFixed(1)} ms (p95 at rest)`,
        ratio,
        wanted: 'at most 2',
        met: ratio <= 2,
      },
    ],
    notes: `${perSecond.toFixed(0)} messages a second over one SMTP connection, each committed before its 250; both on the same two cores as the client and MariaDB.`,
  }
}
