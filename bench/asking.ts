import { Agent, request, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { demoStaffers } from '../scripts/sign-ins.mjs'
import { createApp } from '../server/src/app.ts'
import type { Database } from '../server/src/db/database.ts'
import { createLog } from '../server/src/log.ts'
import { findStaffer, openSession } from '../server/src/sign-in/sessions.ts'

/**
 * The application on a port of its own, and a plain client on a kept connection that is signed in: what is
 * measured is the answer and not the asking.
 */
export async function startAsking(db: Database, signIn = 'oda') {
  const app = createApp({
    db,
    log: createLog('silent'),
    now: () => new Date(),
    settings: {
      PENDRO_WEB_DIR: '',
      PENDRO_SECURE_COOKIES: 'no',
      PENDRO_TRUST_PROXY: '',
      PENDRO_PICTURES: 'off',
      PENDRO_UNSUBSCRIBE: 'off',
      PENDRO_PUBLIC_URL: '',
      PENDRO_DIRECTORY_PASSWORD: '',
      PENDRO_DIRECTORY_CA: '',
      PENDRO_PROVIDER_SECRET: '',
    },
    queued: () => {},
    live: null,
  })
  const server = await new Promise<Server>(resolve => {
    const listening = app.listen(0, '127.0.0.1', () => resolve(listening))
  })
  const password = demoStaffers.find(one => one.signIn === signIn)?.password ?? ''
  const staffer = await findStaffer(db, signIn, password, new Date())
  if (!staffer) throw new Error(`the demo has no ${signIn}`)
  const { token } = await openSession(db, staffer, new Date())
  const agent = new Agent({ keepAlive: true })
  const { port } = server.address() as AddressInfo
  const headers = { Cookie: `pendro_session=${token}` }
  return {
    get: <T>(path: string) =>
      new Promise<T>((resolve, reject) => {
        request({ host: '127.0.0.1', port, path, agent, headers }, res => {
          const chunks: Buffer[] = []
          res.on('data', (chunk: Buffer) => chunks.push(chunk))
          res.on('end', () =>
            res.statusCode === 200
              ? resolve(JSON.parse(Buffer.concat(chunks).toString('utf8')) as T)
              : reject(new Error(`${path}: ${res.statusCode}`)),
          )
        })
          .on('error', reject)
          .end()
      }),
    stop: async () => {
      agent.destroy()
      await new Promise(resolve => server.close(resolve))
    },
  }
}
