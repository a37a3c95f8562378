import { demoStaffers } from '../scripts/sign-ins.mjs'
import { serve } from '../server/src/serve.ts'
import { readSettings } from '../server/src/settings.ts'

/** A server on a filled database, as `npm start` runs it, with nothing around it that costs time. */
export function serveBench(databaseUrl: string, env: Readonly<Record<string, string>> = {}) {
  return serve(
    readSettings({
      DATABASE_URL: databaseUrl,
      PENDRO_PORT: '0',
      PENDRO_SMTP_PORT: '0',
      PENDRO_STORE_PORT: '9',
      PENDRO_DNS: 'off',
      PENDRO_LOG_LEVEL: 'silent',
      ...env,
    }),
  )
}

/** Signs a steward in. Gives what asks for the review page and says how many ms its whole answer took. */
export async function askerOf(httpPort: number): Promise<() => Promise<number>> {
  const base = `http://127.0.0.1:${httpPort}`
  const [oda] = demoStaffers
  const signedIn = await fetch(`${base}/api/session`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ signIn: oda?.signIn, password: oda?.password }),
  })
  const cookie =
    signedIn.headers
      .getSetCookie()
      .find(one => one.startsWith('pendro_session='))
      ?.split(';')[0] ?? ''
  return async () => {
    const began = performance.now()
    const answer = await fetch(`${base}/api/review`, { headers: { Cookie: cookie } })
    await answer.arrayBuffer()
    if (!answer.ok) throw new Error(`The review page answered ${answer.status}.`)
    return performance.now() - began
  }
}

export const p95 = (times: readonly number[]) =>
  [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)] ?? 0

export const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))
