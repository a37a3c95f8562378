import { join } from 'node:path'
import { chromium, type Page } from '@playwright/test'
import { root } from '../scripts/prepare.mjs'
import { demoStaffers } from '../scripts/sign-ins.mjs'
import { openDatabase, select } from '../server/src/db/database.ts'
import { atMost, median, ms, type Section } from './measure.ts'
import { serveBench } from './served.ts'

const rounds = 12

/** From Enter to the first rows on the screen, in Debian's Chromium, at a million deliveries. */
export async function benchFirstRows(databaseUrl: string): Promise<Section> {
  const db = openDatabase(databaseUrl, { poolSize: 1 })
  const named = await select<{ from_name: string; name: string; word: string }>(
    db,
    `SELECT d.from_name, b.name, SUBSTRING_INDEX(d.subject, ' ', 1) AS word FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id
     WHERE d.id IN (:ids)`,
    { ids: Array.from({ length: rounds }, (_, i) => 300_000 + i * 41_000) },
  )
  await db.close()
  const running = await serveBench(databaseUrl, {
    PENDRO_WORKERS: '0',
    PENDRO_WEB_DIR: join(root, 'web/dist'),
  })
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] })
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  await page.goto(`http://127.0.0.1:${running.httpPort}/whereabouts`)
  await page.getByLabel('Name').fill(demoStaffers[0]?.signIn ?? '')
  await page.getByLabel('Password').fill(demoStaffers[0]?.password ?? '')
  await page.keyboard.press('Enter')
  await page.getByLabel('from whom').waitFor()
  const times: Record<'exact' | 'misspelt', number[]> = { exact: [], misspelt: [] }
  // Each message once a round, so that every answer differs from the one before.
  for (const { from_name: from, name, word } of named)
    times.exact.push(await askAndWait(page, from, name, word))
  // The third letter left out, as somebody types who has heard the name.
  for (const { from_name: from, name, word } of named)
    times.misspelt.push(await askAndWait(page, from.slice(0, 2) + from.slice(3), name, word))
  const [first = 0, ...warm] = times.exact
  await browser.close()
  await running.stop()
  return {
    title: 'From Enter to the first rows on screen, 1,000,000 deliveries',
    rows: [
      atMost('A question, as written', median(times.exact), 300, 1, 'limit'),
      atMost('A question, the name misspelt', median(times.misspelt), 300, 1, 'limit'),
      atMost('The slowest but the first', Math.max(...warm, ...times.misspelt), 300, 1, 'limit'),
    ],
    notes: `${2 * named.length} questions in Chromium, which shares the two cores with the server and MariaDB; the time ends with the frame in which the first answers are drawn. The first of all, with everything cold, took ${ms(first)}.`,
  }
}

/** Runs in the page: from the next key to the frame in which the first answer is another one. */
const timing = `{
  const shown = () => document.querySelector('article')?.textContent ?? ''
  const before = shown()
  globalThis.took = new Promise(resolve => addEventListener('keydown', ({ timeStamp }) => {
    const look = () => shown() === before || shown() === ''
      ? requestAnimationFrame(look)
      : requestAnimationFrame(now => resolve(now - timeStamp))
    look()
  }, { once: true, capture: true }))
  // Nothing to wait for yet: the value of a promise would be waited for.
  void 0
}`

/** Milliseconds in the page from the key to the frame with the first answer to this very question. */
async function askAndWait(page: Page, from: string, to: string, about: string): Promise<number> {
  await page.getByLabel('from whom').fill(from)
  await page.getByLabel('to whom').fill(to)
  await page.getByLabel('about what').fill(about)
  await page.evaluate(timing)
  await page.getByLabel('about what').press('Enter')
  const took = await page.evaluate<number>('took')
  await page.waitForTimeout(300)
  return took
}
