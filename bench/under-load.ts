import { createTransport } from 'nodemailer'
import { writeLetter } from '@pendro/demo/letter'
import { makeMail } from '@pendro/demo/mail'
import { makeColleagues } from '@pendro/demo/organisation'
import { chanceOf } from '@pendro/demo/random'
import { demoSeed } from '../scripts/fill-demo.ts'
import { demoStaffers } from '../scripts/sign-ins.mjs'
import { serve } from '../server/src/serve.ts'
import { readSettings } from '../server/src/settings.ts'
import type { Section } from './measure.ts'

const p95 = (times: readonly number[]) =>
  [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)] ?? 0
const messages = 2000

/** The review page's p95 while messages come in over SMTP one after the other, against its p95 at rest. */
export async function benchUnderLoad(databaseUrl: string): Promise<Section> {
  const running = await serve(
    readSettings({
      DATABASE_URL: databaseUrl,
      PENDRO_PORT: '0',
      PENDRO_SMTP_PORT: '0',
      PENDRO_STORE_PORT: '9',
      PENDRO_DNS: 'off',
      PENDRO_LOG_LEVEL: 'silent',
    }),
  )
  const base = `http://127.0.0.1:${running.httpPort}`
  const [oda] = demoStaffers
  const signedIn = await fetch(`${base}/api/session`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ signIn: oda?.signIn, password: oda?.password }),
  })
  const cookie = (signedIn.headers.get('set-cookie') ?? '').split(';')[0] ?? ''
  const ask = async () => {
    const began = performance.now()
    const answer = await fetch(`${base}/api/review`, { headers: { Cookie: cookie } })
    await answer.arrayBuffer()
    return performance.now() - began
  }
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
    await new Promise(resolve => setTimeout(resolve, 20))
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
