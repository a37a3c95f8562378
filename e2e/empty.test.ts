import { spawn, type ChildProcess } from 'node:child_process'
import { join } from 'node:path'
import type { Page } from '@playwright/test'
import { freePort } from '../scripts/database.mjs'
import { root } from '../scripts/prepare.mjs'
import { execute, openDatabase } from '../server/src/db/database.ts'
import { expect, place, sendTo, test, withAuthenticator } from './support.ts'

/** An organisation from nothing, as `npm start -- --empty` begins it: one server of its own over an empty database. */
let server: ChildProcess
let base = ''
let smtpPort = 0
const name = `pendro_empty_${Date.now().toString(36)}`

test.beforeAll(async () => {
  const admin = openDatabase(place().database, { poolSize: 1 })
  await execute(admin, `CREATE DATABASE ${name}`)
  await admin.close()
  const port = await freePort()
  server = spawn(process.execPath, ['--import', 'tsx', join(root, 'server/src/main.ts')], {
    cwd: root,
    env: {
      ...process.env,
      DATABASE_URL: place().database.replace(/[^/]+$/, name),
      PENDRO_PORT: String(port),
      PENDRO_SMTP_PORT: '0',
      PENDRO_STORE_PORT: '9',
      PENDRO_DNS: 'off',
      PENDRO_PICTURES: 'off',
      PENDRO_UNSUBSCRIBE: 'off',
      PENDRO_LOG_LEVEL: 'error',
      PENDRO_WEB_DIR: join(root, 'web/dist'),
      PENDRO_PUBLIC_URL: `http://localhost:${port}`,
    },
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  })
  const said = await new Promise<{ smtpPort: number }>((resolve, reject) => {
    server.once('message', message => resolve(message as { smtpPort: number }))
    server.once('exit', code => reject(new Error(`the server ended with ${code}`)))
  })
  smtpPort = said.smtpPort
  base = `http://localhost:${port}`
})
test.afterAll(async () => {
  const gone = new Promise(resolve => server.once('exit', resolve))
  server.kill('SIGTERM')
  await gone
  const admin = openDatabase(place().database, { poolSize: 1 })
  await execute(admin, `DROP DATABASE ${name}`)
  await admin.close()
})

const words = 'harbour lantern quilt seven'

async function setUp(page: Page): Promise<void> {
  await page.goto(base)
  await page.getByLabel('Name of your organisation').fill('Pier House')
  await page.getByLabel('Your own mail domains').fill('pier.example')
  await page.getByLabel('Mailboxes', { exact: true }).fill('ada@pier.example, Ada Lind')
  await page.getByLabel('Your name').fill('Ada Lind')
  await page.getByLabel('Name', { exact: true }).fill('ada')
  await page.getByLabel('Password').fill(words)
  await page.getByRole('button', { name: 'Set up and sign in' }).click()
  await page.getByRole('navigation').waitFor()
}

test('from nothing: set up, mailboxes by a table, a second staffer with a passkey who sees one department; one closed and opened again', async ({
  page,
  browser,
}) => {
  await setUp(page)
  await page.goto(`${base}/mailboxes/new`)
  await page.getByLabel('Table (CSV)').setInputFiles({
    name: 'people.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      'Name;Address;Department\r\nBo Sæther;bo@pier.example;Finance\r\nCai Dahl;cai@pier.example;Finance\r\nDot Moe;dot@pier.example;Harbour\r\nEve;eve@elsewhere.example;Harbour',
      'latin1',
    ),
  })
  await expect(page.getByText('3 mailboxes are added.')).toBeVisible()
  await expect(page.getByText('“eve@elsewhere.example” is at a domain that is not ours.')).toBeVisible()
  await page.getByRole('button', { name: 'Take it over' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'Taken over: 3 added' })).toBeVisible()

  await page.goto(`${base}/organisation/staffers`)
  await page.getByLabel('Name', { exact: true }).fill('Nora')
  await page.getByLabel('Signs in as').fill('nora')
  await page.getByRole('button', { name: 'Looks after: all departments', exact: true }).click()
  await page.getByRole('checkbox', { name: 'All departments' }).click()
  await page.getByRole('checkbox', { name: 'Finance' }).click()
  await page.getByRole('button', { name: 'Take these' }).click()
  await page.getByRole('button', { name: 'Make the link' }).click()
  const link = await page.getByLabel('The link for Nora.').inputValue()

  const other = await (await browser.newContext()).newPage()
  await withAuthenticator(other)
  await other.goto(link)
  await other.getByLabel('Password').fill(`${words} and eight`)
  await other.getByRole('button', { name: 'Begin' }).click()
  await other.getByRole('navigation').waitFor()
  await other.goto(`${base}/me`)
  await other.getByRole('button', { name: 'Add a passkey' }).click()
  await other.getByRole('button', { name: 'Make the passkey' }).click()
  await other.getByRole('button', { name: 'I have them' }).click()
  await other.getByRole('button', { name: 'Nora' }).click()
  await other.getByRole('menuitem', { name: 'Sign out' }).click()
  await other.getByRole('button', { name: 'Use a passkey' }).click()
  await other.getByRole('navigation').waitFor()
  await other.goto(`${base}/mailboxes`)
  const list = other.getByRole('list', { name: 'Mailboxes' })
  await expect(list.getByRole('button')).toHaveCount(2)
  await expect(list).toContainText('Bo Sæther')
  await expect(list).not.toContainText('Dot Moe')

  // Closed: mail is refused at the door. Opened again: it comes in.
  await page.goto(`${base}/mailboxes`)
  await page
    .getByRole('list', { name: 'Mailboxes' })
    .getByRole('button', { name: /Dot Moe/ })
    .click()
  await page.getByRole('button', { name: 'Close it' }).click()
  await page.getByRole('button', { name: 'Close the mailbox' }).click()
  await expect(page.getByText('Mail to it is refused.').first()).toBeVisible()
  await expect(sendTo(smtpPort, 'dot@pier.example')).rejects.toMatchObject({ responseCode: 550 })
  await page.getByRole('button', { name: 'Open it again' }).click()
  await expect(page.getByRole('button', { name: 'Close it' })).toBeVisible()
  expect(await sendTo(smtpPort, 'dot@pier.example')).toMatch(/^250/)
  await other.context().close()
})
