import { spawn, type ChildProcess } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { join } from 'node:path'
import { freePort, startDatabase } from '../scripts/database.mjs'
import { dataFolder, root } from '../scripts/prepare.mjs'

/** The whole application as `npm start` runs it, with a smaller demo, on ports of its own. */
export default async function globalSetup() {
  const database = await startDatabase(join(dataFolder, 'browser-db'), { lasting: false })
  database.sql('DROP DATABASE IF EXISTS pendro_browser; CREATE DATABASE pendro_browser')
  const filling = {
    ...process.env,
    DATABASE_URL: database.url('pendro_browser'),
    PENDRO_LOG_LEVEL: 'error',
    PENDRO_DEMO_SCALE: '0.3',
  }
  const children: ChildProcess[] = []
  const program = (file: string, env: NodeJS.ProcessEnv) =>
    new Promise<Record<string, string>>((resolve, reject) => {
      const child = spawn(process.execPath, ['--import', 'tsx', join(root, file)], {
        cwd: root,
        env,
        stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
      })
      children.push(child)
      child.once('message', message => resolve(message as Record<string, string>))
      child.once('exit', code => (code === 0 ? resolve({}) : reject(new Error(`${file} ended with ${code}`))))
    })
  await program('scripts/fill-demo-main.ts', filling)
  // Only now: a port that was free a minute ago may be somebody's by the time it is listened on.
  const [port, smtpPort, storePort, storeHttpPort] = await Promise.all([
    freePort(),
    freePort(),
    freePort(),
    freePort(),
  ])
  const env = {
    ...filling,
    PENDRO_PORT: String(port),
    PENDRO_SMTP_PORT: String(smtpPort),
    PENDRO_STORE_PORT: String(storePort),
    PENDRO_STORE_HTTP_PORT: String(storeHttpPort),
    PENDRO_WEB_DIR: join(root, 'web/dist'),
    PENDRO_PUBLIC_URL: `http://127.0.0.1:${port}`,
    PENDRO_SECRETS_KEY: randomBytes(32).toString('base64'),
  }
  const around = await program('scripts/surroundings-main.ts', { ...env, PENDRO_LAB_DELAY: '7000' })
  await program('server/src/main.ts', {
    ...env,
    PENDRO_DNS: around.dns ?? 'off',
    PENDRO_LAB_URL: around.lab ?? '',
    PENDRO_PICTURES: around.pictures ?? 'off',
    PENDRO_UNSUBSCRIBE: around.unsubscribe ?? 'off',
  })
  process.env.PENDRO_E2E = JSON.stringify({
    base: `http://127.0.0.1:${port}`,
    smtpPort,
    storePort,
    store: `http://127.0.0.1:${storeHttpPort}`,
    database: database.url('pendro_browser'),
  })
  return async () => {
    const running = children.filter(child => child.exitCode === null)
    for (const child of running.reverse()) child.kill('SIGTERM')
    await Promise.all(running.map(child => new Promise(resolve => child.once('exit', resolve))))
    await database.stop()
  }
}
