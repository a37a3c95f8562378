import { join } from 'node:path'
import { mkdtempSync, readFileSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { createTransport } from 'nodemailer'
import { expect, test } from 'vitest'
import { startDatabase } from '../../scripts/database.mjs'
import { openDatabase } from '../src/db/database.ts'
import { migrate } from '../src/db/migrate.ts'
import { createLog } from '../src/log.ts'
import { prepareDatabase, serve } from '../src/serve.ts'
import { readSettings } from '../src/settings.ts'
import { setUp } from '../src/set-up.ts'
import { organisation, password, sample } from './support.ts'

/** Whether every thread of a process is stopped: the signal reaches them one after the other (proc(5), state T). */
function isStopped(pid: number): boolean {
  const threads = readdirSync(`/proc/${pid}/task`)
  return threads.every(thread => / T \S+ /.test(readFileSync(`/proc/${pid}/task/${thread}/stat`, 'utf8')))
}

test('MariaDB goes away and comes back: 503 and 451 meanwhile, in words; then all is well by itself', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'pendro-away-'))
  let database = await startDatabase(folder, { bufferPool: '64M', databases: ['away'] })
  database.sql('CREATE DATABASE away')
  const url = database.url('away')
  const first = openDatabase(url)
  await migrate(first)
  await setUp(first, {
    organisation,
    mailboxes: [
      {
        address: 'ingrid@harbour.example',
        aliases: [],
        name: 'Ingrid',
        kind: 'person',
        department: '',
        timeZone: 'Europe/Oslo',
        language: 'en',
      },
    ],
    staffers: [{ name: 'Oda Rask', signIn: 'oda', role: 'steward', password }],
  })
  await first.close()
  const running = await serve(
    readSettings({
      DATABASE_URL: url,
      PENDRO_PORT: '0',
      PENDRO_SMTP_PORT: '0',
      PENDRO_STORE_PORT: '9',
      PENDRO_DNS: 'off',
      PENDRO_LOG_LEVEL: 'silent',
      // The loader of these tests does not reach into threads.
      PENDRO_WORKERS: '0',
    }),
  )
  const http = (path: string) => fetch(`http://127.0.0.1:${running.httpPort}${path}`)
  const transport = createTransport({
    host: '127.0.0.1',
    port: running.smtpPort,
    secure: false,
    ignoreTLS: true,
  })
  const send = () =>
    transport.sendMail({ envelope: { from: 'a@x.example', to: ['ingrid@harbour.example'] }, raw: sample() })
  try {
    expect((await http('/api/health')).status).toBe(200)

    // Frozen, it takes connections and answers nothing.
    process.kill(database.pid ?? 0, 'SIGSTOP')
    await expect.poll(() => isStopped(database.pid ?? 0), { timeout: 60_000 }).toBe(true)
    const frozen = await http('/api/health')
    process.kill(database.pid ?? 0, 'SIGCONT')
    expect(frozen.status).toBe(503)
    expect(await frozen.json()).toMatchObject({ code: 'DATABASE_AWAY' })
    await expect.poll(async () => (await http('/api/health')).status, { timeout: 60_000 }).toBe(200)

    await database.stop()
    const away = await http('/api/health')
    expect(away.status).toBe(503)
    expect(await away.json()).toMatchObject({
      code: 'DATABASE_AWAY',
      text: expect.stringContaining('is not answering'),
    })
    expect(away.headers.get('retry-after')).toBe('2')
    await expect(send()).rejects.toMatchObject({ responseCode: 451 })

    database = await startDatabase(folder, { bufferPool: '64M', port: database.port, databases: ['away'] })
    await expect.poll(async () => (await http('/api/health')).status, { timeout: 60_000 }).toBe(200)
    expect((await send()).response).toMatch(/^250/)
  } finally {
    await running.stop()
    await database.stop()
  }

  // A start that comes before its database waits for it.
  const starting = prepareDatabase(url, createLog('silent'))
  database = await startDatabase(folder, { bufferPool: '64M', port: database.port, databases: ['away'] })
  try {
    await starting
  } finally {
    await database.stop()
    rmSync(folder, { recursive: true, force: true })
  }
}, 90_000)
