import { afterAll, beforeAll, expect, test } from 'vitest'
import { execute, findRow } from '../src/db/database.ts'
import { createOutbox } from '../src/outbox/outbox.ts'
import type { SendResult } from '../src/outbox/smtp-out.ts'
import { arrive, log, setOrganisation, startTestServer, type TestServer } from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
  await setOrganisation(server.db, { watching: true })
})
afterAll(() => server.close())

const job = (subject: number) =>
  findRow<{ done: number; claimed: number; problem: string }>(
    server.db,
    `SELECT done_at IS NOT NULL AS done, claimed_until IS NOT NULL AS claimed, problem FROM outbox
     WHERE kind = 'delivery' AND subject_id = :subject`,
    { subject },
  )

test('while a mailbox’s message is handed over its next one waits, another’s goes, and one that is gone ends', async () => {
  const letter = async (name: string) => {
    const [id = 0] = await arrive(server, { to: [`${name}@harbour.example`], subject: `Tides for ${name}` })
    return id
  }
  let letGo: (result: SendResult) => void = () => {}
  const held = new Promise<SendResult>(resolve => (letGo = resolve))
  const sent: string[] = []
  const outbox = createOutbox({
    db: server.db,
    send: async ({ to }) => {
      sent.push(to)
      return sent.length === 1 ? held : { status: 'taken' }
    },
    log,
    now: () => server.clock.now,
    letter: async () => null,
  })
  const first = await letter('ingrid')
  await outbox.work()
  const [second, other] = [await letter('ingrid'), await letter('aksel')]
  const gone = 999_999
  await execute(
    server.db,
    "INSERT INTO outbox (kind, subject_id, place, next_at) VALUES ('delivery', :gone, 'inbox', :now)",
    { gone, now: server.clock.now },
  )
  await outbox.work()
  await expect.poll(async () => (await job(other))?.done).toBe(1)
  await expect.poll(() => job(gone)).toMatchObject({ done: 1, problem: 'message-gone' })
  expect([sent, await job(second)]).toEqual([
    ['ingrid@harbour.example', 'aksel@harbour.example'],
    { done: 0, claimed: 0, problem: '' },
  ])
  letGo({ status: 'taken' })
  await outbox.stop()
  await outbox.work()
  await outbox.stop()
  expect([(await job(first))?.done, (await job(second))?.done, sent.length]).toEqual([1, 1, 3])
})
