// `node scripts/screenshots.mjs`: one picture of each main view into docs/screenshots/, of the demo that `npm start`
// has at 127.0.0.1:8025 and by SMTP at port 2525 (or of the address and the port given). The mail store is a real one with `PENDRO_STORE=real`.
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { chromium } from '@playwright/test'
import { createTransport } from 'nodemailer'
import { root } from './prepare.mjs'
import { demoColleague, demoStaffers } from './sign-ins.mjs'

const base = process.argv[2] ?? 'http://127.0.0.1:8025'
const smtpPort = Number(process.argv[3] ?? 2525)
const folder = join(root, 'docs/screenshots')
mkdirSync(folder, { recursive: true })

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking', '--no-first-run'],
})
const open = (width, height) =>
  browser.newPage({ viewport: { width, height }, locale: 'en-GB', timezoneId: 'Europe/Oslo' })

async function shoot(page, name) {
  await page.waitForLoadState('networkidle').catch(() => {})
  await page.waitForTimeout(600)
  await page.screenshot({ path: join(folder, `${name}.png`) })
}

const desk = await open(1280, 800)
await desk.goto(`${base}/review`)
await shoot(desk, 'sign-in')
const [steward] = demoStaffers
await desk.getByLabel('Name').fill(steward.signIn)
await desk.getByLabel('Password').fill(steward.password)
await desk.getByRole('button', { name: 'Sign in' }).click()
await desk.getByRole('navigation').waitFor()

const views = {
  review: '/review',
  whereabouts: '/whereabouts?about=manifest',
  'whereabouts-enquiry': '/whereabouts?enquiry=3',
  digests: '/digests',
  senders: '/senders',
  'senders-upkeep': '/senders?panel=let-harm-in',
  calibration: '/calibration',
  organisation: '/organisation',
  record: '/record',
}
for (const [name, path] of Object.entries(views)) {
  // The live stream never goes idle; the page itself says when it is drawn.
  await desk.goto(base + path, { waitUntil: 'domcontentloaded' })
  await desk.waitForTimeout(1800)
  await shoot(desk, name)
}
const phone = await open(360, 740)
await phone.goto(`${base}/own`)
await phone.getByLabel('Your email address').fill(demoColleague.address)
await phone.getByLabel('Your password').fill(demoColleague.password)
await phone.getByRole('button', { name: 'Sign in' }).click()
await phone.waitForTimeout(1500)
await shoot(phone, 'own-page')

// A message is sent through the door and watched.
await desk.goto(`${base}/organisation/doors`, { waitUntil: 'domcontentloaded' })
await desk.getByRole('button', { name: /choose a colleague/ }).click()
await desk.keyboard.type('solveig')
await desk
  .getByRole('option', { name: /Solveig/ })
  .first()
  .waitFor()
await desk.waitForTimeout(500)
await desk.keyboard.press('Enter')
await desk.getByRole('button', { name: 'Send it' }).click()
await desk.getByText('Look at it in Review').waitFor()
await desk.waitForTimeout(2500)
await shoot(desk, 'doors')

// A colleague whose mail is released again and again: what other limits would have come to.
await desk.goto(`${base}/mailboxes?order=released`, { waitUntil: 'domcontentloaded' })
await desk.getByRole('list', { name: 'Mailboxes' }).getByRole('button').first().click()
await desk.getByRole('button', { name: 'Hold more' }).click()
await desk.waitForTimeout(1200)
await shoot(desk, 'mailbox')

// A rule being made from a colleague's mail, with what it would have done.
await desk.goto(`${base}/mailboxes?find=freight%40`, { waitUntil: 'domcontentloaded' })
await desk.getByRole('list', { name: 'Mailboxes' }).getByRole('button').first().click()
await desk.getByRole('link', { name: 'Order and change them' }).click()
await desk.getByRole('button', { name: 'New rule' }).click()
await desk.getByRole('textbox', { name: 'Value' }).fill('skerry-freight.example')
await desk.keyboard.press('Enter')
await desk.getByLabel('Folder', { exact: true }).fill('Skerry Freight')
await desk.waitForTimeout(2500)
await shoot(desk, 'mail-rule')

// A journey with more to tell than one that went straight to the inbox.
await desk.goto(`${base}/whereabouts?from=gjestebrygga`, { waitUntil: 'domcontentloaded' })
await desk.waitForTimeout(1800)
await desk.getByRole('link', { name: 'Full account' }).first().click()
await desk.waitForTimeout(1500)
await shoot(desk, 'account')

await desk.goto(`${base}/senders`, { waitUntil: 'domcontentloaded' })
await desk.getByTestId('question').waitFor()
await desk.keyboard.press('a')
await desk.getByRole('textbox', { name: /Which sender/ }).waitFor()
await desk.keyboard.type('gjestebrygga.example')
await desk.keyboard.press('Enter')
await desk.waitForTimeout(1500)
await shoot(desk, 'senders-add')

// Whoever is cut off from the mail store goes on: what has come in since, and a letter that was begun.
await desk.goto(`${base}/organisation/stores`, { waitUntil: 'domcontentloaded' })
await desk.waitForTimeout(1500)
const back = desk.getByRole('button', { name: 'Say that it is back' })
if ((await back.count()) === 0) await desk.getByRole('button', { name: /Say that .*away/ }).click()
await back.waitFor()
const door = createTransport({ host: '127.0.0.1', port: smtpPort, ignoreTLS: true })
for (const [from, subject, text, attachments = []] of [
  [
    'Mette Lund <mette.lund@nordkai-shipping.example>',
    'Berth 4 on Monday: can you take us at 07:30?',
    'Hello Solveig,\n\nthe Havsula is a day late. Could you take us at berth 4 on Monday at 07:30 instead of 09:00?\n\nBest wishes\nMette',
  ],
  [
    'Jonas Reiter <jonas@reiter-cranes.example>',
    'Inspection of crane 2, dates',
    'Hello,\n\nwe could inspect crane 2 on 3 or 4 December. Which suits you better?\n\nJonas',
    [{ filename: 'crane-2.txt', content: 'dates' }],
  ],
  [
    'Harald Vik <harald.vik@vikland-stevedores.example>',
    'Manifest for the 18:30 sailing',
    'Hello Solveig,\n\nnothing has changed since this morning.\n\nHarald',
  ],
])
  await door.sendMail({ from, to: demoColleague.address, subject, text, attachments })
door.close()
await desk.waitForTimeout(6000)
await shoot(desk, 'mail-stores')
await phone.goto(`${base}/own/standby`)
await phone.getByRole('link', { name: /^Mette Lund/ }).click()
await phone.getByRole('link', { name: 'Answer' }).click()
await phone.locator('.letter').click()
await phone.keyboard.press('Control+Home')
await phone.keyboard.type('Hello Mette, Monday at 07:30 is fine. Power is on.')
// Drafts are kept every few seconds.
await phone.waitForTimeout(5000)
await phone.goto(`${base}/own/standby`)
await phone.waitForTimeout(1500)
await shoot(phone, 'standby')
await back.click()
await browser.close()
