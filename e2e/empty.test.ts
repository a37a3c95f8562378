import { spawn, type ChildProcess } from 'node:child_process'
import { join } from 'node:path'
import type { Page } from '@playwright/test'
import { freePort } from '../scripts/database.mjs'
import { root } from '../scripts/prepare.mjs'
import { execute, openDatabase } from '../server/src/db/database.ts'
import { expect, place, sendJunk, sendTo, stored, test, withAuthenticator } from './support.ts'

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
  await expect(page).toHaveURL(/\/organisation\/steps$/)
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

test('the first steps: a gateway is listed and connects, the mail store is set, a message is sent through and watched; the first mail is only watched', async ({
  page,
}) => {
  await page.goto(`${base}/sign-in`)
  await page.getByLabel('Name', { exact: true }).fill('ada')
  await page.getByLabel('Password').fill(words)
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
  await page.getByRole('navigation').waitFor()
  // Nothing is kept back: Review says what to do first.
  await page.getByRole('link', { name: 'Go on with the first steps' }).click()
  const step = (name: string) =>
    page.getByRole('listitem').filter({ has: page.getByRole('button', { name }) })
  await expect(step('Whose mail it is')).toContainText('done')
  await step('Mail comes in').getByRole('button', { name: 'Mail comes in' }).click()
  await expect(page.getByText('pier.example smtp:[localhost]:')).toBeVisible()

  // Whoever connects shows at once; listed, the step is done.
  expect(await sendTo(smtpPort, 'ada@pier.example')).toMatch(/^250/)
  await expect(page.getByRole('cell', { name: /127\.0\.0\.1.*not listed/ }).first()).toBeVisible()
  await page.getByRole('link', { name: 'List the gateways' }).click()
  const gateways = page
    .getByRole('region')
    .or(page.locator('section'))
    .filter({ hasText: 'Names they sign their checks with' })
    .last()
  await gateways.getByLabel('Addresses or networks they connect from, one a line').fill('127.0.0.1')
  await gateways.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'The setting is changed.' })).toBeVisible()
  await expect(page.getByText('listed', { exact: true }).first()).toBeVisible()

  // Nobody listens where the machine's settings have the mail store: it is said, with what to do.
  await expect(
    page.getByText('Nothing listens there. Check server and port, and whether it runs.'),
  ).toBeVisible()
  await page.goto(`${base}/organisation/steps`)
  await step('Mail goes on to the mail store').getByRole('button').first().click()
  await page.getByRole('link', { name: 'Set the mail store' }).click()
  const routes = page.locator('section').filter({ hasText: 'Each mailbox is in one store.' }).last()
  await routes.getByRole('button', { name: 'Add a mail store' }).click()
  await routes.getByLabel('Name', { exact: true }).fill('pier')
  await routes.getByLabel('Server').fill('127.0.0.1')
  await routes.getByLabel('Port').fill(String(place().storePort))
  await routes.getByLabel('TLS').selectOption('off')
  await routes.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'The setting is changed.' })).toBeVisible()

  await page.goto(`${base}/organisation/steps`)
  await expect(step('Mail comes in')).toContainText('done')
  await step('Mail goes on to the mail store').getByRole('button').first().click()
  await page.getByRole('button', { name: /choose a colleague/ }).click()
  await page.keyboard.type('Ada')
  await page.getByRole('option', { name: /Ada Lind/ }).click()
  await page.getByRole('button', { name: 'Send it' }).click()
  await expect(page.getByText(/^The door took it: “250 2\.0\.0 Taken in as/)).toBeVisible()
  await expect(page.getByText('The mail store has it')).toBeVisible()
  await expect(step('Mail goes on to the mail store')).toContainText('done')

  // A step can be left out, and come back to.
  await step('Learn from the mail there is').getByRole('button').first().click()
  await page.getByRole('button', { name: 'Leave it out' }).click()
  await expect(step('Learn from the mail there is')).toContainText('left out')
  await page.getByRole('button', { name: 'Come back to it' }).click()
  await expect(step('Learn from the mail there is')).toContainText('to do')

  // What looks like junk arrives all the same, and is shown as what would have been held.
  await sendJunk(smtpPort, 'ada@pier.example')
  await expect
    .poll(async () => (await stored('ada@pier.example')).some(m => m.subject === 'You have won'))
    .toBe(true)
  await step('Hold back from now on').getByRole('button').first().click()
  await page.getByRole('link', { name: 'What would have been held' }).click()
  await expect(
    page.getByText('Everything is judged, and nothing but harm is held back.').first(),
  ).toBeVisible()
  await expect(page.getByText(/of the last 28 days would have been held/)).toBeVisible()
  await page.getByRole('link', { name: 'See what would have been held' }).click()
  await page.getByRole('button', { name: /You have won/ }).click()
  await expect(page.getByRole('region', { name: 'How it was decided' })).toContainText('Only watching')
})
