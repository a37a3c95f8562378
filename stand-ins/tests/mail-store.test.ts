import { afterEach, beforeEach, expect, test } from 'vitest'
import { startMailStore, type MailStore, type StoredMessage, type StoreMood } from '../src/mail-store.ts'
import { sendLetter, startTrickle } from '../src/sending-world.ts'

let store: MailStore
beforeEach(async () => {
  store = await startMailStore()
})
afterEach(() => store.stop())

const letter = (delivery: string, place = 'inbox') => ({
  raw: Buffer.from(
    `Pendro-Delivery: ${delivery}\r\nPendro-Place: ${place}\r\nFrom: a@x.example\r\nSubject: Hello\r\n\r\nHi`,
  ),
  from: 'a@x.example',
  to: ['b@y.example'],
})
const messages = async (): Promise<StoredMessage[]> =>
  (await (
    await fetch(`http://127.0.0.1:${store.httpPort}/messages?mailbox=b@y.example`)
  ).json()) as StoredMessage[]
const setMood = (mood: StoreMood | string) =>
  fetch(`http://127.0.0.1:${store.httpPort}/mood`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ mood }),
  })

test('keeps folders apart, and one copy of each delivery', async () => {
  await sendLetter(store.smtpPort, letter('1.inbox'))
  await sendLetter(store.smtpPort, letter('1.inbox'))
  await sendLetter(store.smtpPort, letter('2.junk', 'junk'))
  expect((await messages()).map(({ folder, delivery }) => [folder, delivery])).toEqual([
    ['inbox', '1.inbox'],
    ['junk', '2.junk'],
  ])
})

test('a folder with a name of its own, also one that needs encoded words (RFC 2047)', async () => {
  await sendLetter(store.smtpPort, letter('4.moved', 'moved\r\nPendro-Folder: Harbours/Berths'))
  await sendLetter(store.smtpPort, letter('5.moved', 'moved\r\nPendro-Folder: =?UTF-8?Q?=C3=85pningstider?='))
  expect((await messages()).map(({ folder }) => folder)).toEqual(['Harbours/Berths', 'Åpningstider'])
})

test('away is 421, refusing is 550; a mood it does not know is a 400', async () => {
  await setMood('down')
  await expect(sendLetter(store.smtpPort, letter('3.inbox'))).rejects.toMatchObject({ responseCode: 421 })
  await setMood('refusing')
  await expect(sendLetter(store.smtpPort, letter('3.inbox'))).rejects.toMatchObject({ responseCode: 550 })
  expect((await setMood('sulking')).status).toBe(400)
  await setMood('up')
  await sendLetter(store.smtpPort, letter('3.inbox'))
  expect(await messages()).toHaveLength(1)
})

test('the trickle sends on, over a letter that is refused, until it is stopped', async () => {
  let n = 0
  const failed: unknown[] = []
  const trickle = startTrickle(
    store.smtpPort,
    async () => {
      n += 1
      if (n === 2) throw new Error('could not write it')
      return letter(`${n}.inbox`)
    },
    () => 5,
    error => failed.push(error),
  )
  await expect.poll(() => messages().then(all => all.length)).toBeGreaterThanOrEqual(3)
  await trickle.stop()
  expect(failed).toHaveLength(1)
  const after = (await messages()).length
  await new Promise(resolve => setTimeout(resolve, 60))
  expect(await messages()).toHaveLength(after)
})
