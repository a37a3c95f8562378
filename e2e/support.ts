import { createTransport } from 'nodemailer'
import MailComposer from 'nodemailer/lib/mail-composer'
import AxeBuilder from '@axe-core/playwright'
import { test as base, expect, type Page } from '@playwright/test'
import { execute, openDatabase } from '../server/src/db/database.ts'
import { demoStaffers } from '../scripts/sign-ins.mjs'

interface Place {
  readonly base: string
  readonly smtpPort: number
  /** Of the mail store, by SMTP. */
  readonly storePort: number
  /** Where the stand-in mail store shows what it has. */
  readonly store: string
  readonly database: string
}

export const place = () => JSON.parse(process.env.PENDRO_E2E ?? '{}') as Place

/** Pages know the address, and a console error or an uncaught exception fails the test. */
export const test = base.extend<{ page: Page }>({
  page: async ({ page }, use) => {
    const problems: string[] = []
    page.on('pageerror', error => problems.push(error.message))
    page.on('console', message => {
      // The browser itself reports 4xx answers; whether those were right is for the test to say.
      // axe tries to look into the sandboxed frames and is refused, as anybody is.
      const expected = /^Failed to load resource|^Blocked script execution in/.test(message.text())
      if (message.type() === 'error' && !expected) problems.push(message.text())
    })
    await use(page)
    if (problems.length > 0) throw new Error(`The page complained:\n${problems.join('\n')}`)
  },
})
export { expect }

/** As a person does it: the page that was asked for opens behind the form. */
export async function signInByForm(page: Page, name: StafferName, path = '/review'): Promise<void> {
  const staffer = demoStaffers.find(({ signIn }) => signIn === name)
  await page.goto(place().base + path)
  await page.getByLabel('Name').fill(name)
  await page.getByLabel('Password').fill(staffer?.password ?? '')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.getByRole('navigation').waitFor()
}

type StafferName = 'oda' | 'per' | 'una'

interface StaffSession {
  readonly cookie: string
  readonly csrf: string
}

const sessions = new Map<StafferName, Promise<StaffSession>>()

/** One session of each staffer serves every test that is not about signing in. */
function sessionOf(name: StafferName): Promise<StaffSession> {
  const known = sessions.get(name) ?? openSession(name)
  sessions.set(name, known)
  return known
}

async function openSession(name: StafferName): Promise<StaffSession> {
  const staffer = demoStaffers.find(({ signIn }) => signIn === name)
  const entered = await fetch(`${place().base}/api/session`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ signIn: name, password: staffer?.password }),
  })
  if (!entered.ok) throw new Error(await entered.text())
  const { csrf } = (await entered.json()) as { csrf: string }
  const cookie = entered.headers.getSetCookie().find(one => one.startsWith('pendro_session=')) ?? ''
  return { cookie: cookie.split(';')[0] ?? '', csrf }
}

/** Opens a page as a staffer who has signed in before. */
export async function signIn(page: Page, name: StafferName, path = '/review'): Promise<void> {
  const [cookie = '', value = ''] = (await sessionOf(name)).cookie.split('=')
  await page.context().addCookies([{ name: cookie, value, url: place().base }])
  await page.goto(place().base + path)
  await page.getByRole('navigation').waitFor()
}

/** Looks at each view in both themes; one that breaks a rule names the rule and where. `also`: what else is expected of each. */
export async function expectAccessible(
  page: Page,
  views: readonly (readonly [name: string, path: string])[],
  also: (page: Page, name: string) => Promise<void> = async () => {},
) {
  for (const [name, path] of views) {
    await signIn(page, 'oda', path)
    await expect(page.locator('.skeleton')).toHaveCount(0)
    await page.getByRole('main').waitFor()
    for (const theme of ['light', 'dark'] as const) {
      await page.emulateMedia({ colorScheme: theme })
      const looking = new AxeBuilder({ page })
        .setLegacyMode(true)
        .exclude('iframe')
        .options({ resultTypes: ['violations'] })
      // A theme changes colours and nothing else.
      const { violations } = await (
        theme === 'light'
          ? looking.withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
          : looking.withRules(['color-contrast'])
      ).analyze()
      const told = violations.map(
        ({ id, nodes }) => `${id}: ${nodes.map(node => node.html.slice(0, 160)).join(' | ')}`,
      )
      expect.soft(told, `${name} in the ${theme} theme`).toEqual([])
    }
    await page.emulateMedia({ colorScheme: 'light' })
    await also(page, name)
  }
}

export interface Mail {
  readonly from: string
  readonly to: string
  readonly subject: string
  readonly text?: string
  readonly html?: string
  readonly replyTo?: string
  readonly date?: Date
  readonly headers?: Readonly<Record<string, string>>
  readonly attachments?: readonly {
    readonly filename: string
    readonly content: Buffer | string
    readonly contentType?: string
    readonly cid?: string
  }[]
}

/** Hands a plain message over at a door of its own. */
export async function sendTo(port: number, to: string): Promise<string> {
  const transport = createTransport({ host: '127.0.0.1', port, secure: false, ignoreTLS: true })
  const { response } = await transport.sendMail({ from: 'somebody@outside.example', to, text: 'Hello' })
  return response
}

/** Hands over what looks like junk to anybody: links to a number and away, hidden words, answers elsewhere. */
export async function sendJunk(port: number, to: string): Promise<void> {
  const transport = createTransport({ host: '127.0.0.1', port, secure: false, ignoreTLS: true })
  await transport.sendMail({
    from: 'Prizes <winner@lucky.example>',
    replyTo: 'claims@elsewhere.example',
    to,
    subject: 'You have won',
    date: new Date(Date.now() - 9 * 86_400_000),
    html: '<p>Claim it: <a href="http://192.0.2.55/x">www.lucky.example</a> or <a href="https://files.dropshelf.example/y">here</a></p><p style="display:none">winner winner winner winner</p>',
  })
}

/** Sends mail as the outside world would; gives the server's last answer. */
export async function send(mail: Mail): Promise<string> {
  const transport = createTransport({
    host: '127.0.0.1',
    port: place().smtpPort,
    secure: false,
    ignoreTLS: true,
  })
  const { 'Authentication-Results': results, ...headers } = mail.headers ?? {}
  const raw = await new MailComposer({
    ...mail,
    attachments: mail.attachments?.map(a => ({ ...a })),
    headers,
  })
    .compile()
    .build()
  // As a gateway adds them: what it found out, above whom it took the message from.
  const trace = results
    ? `Authentication-Results: ${results}\r\nReceived: from mail.example (mail.example [192.0.2.25]) by mx1.vindholm.example; ${new Date().toUTCString()}\r\n`
    : ''
  const { response } = await transport.sendMail({
    envelope: { from: /<([^>]+)>/.exec(mail.from)?.[1] ?? mail.from, to: mail.to },
    raw: Buffer.concat([Buffer.from(trace), raw]),
  })
  return response
}

export async function stored(mailbox: string): Promise<{ subject: string; folder: string; raw: string }[]> {
  const response = await fetch(`${place().store}/messages?mailbox=${encodeURIComponent(mailbox)}`)
  return (await response.json()) as { subject: string; folder: string; raw: string }[]
}

export async function storeMood(mood: 'up' | 'down' | 'refusing'): Promise<void> {
  await fetch(`${place().store}/mood`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ mood }),
  })
}

/** An authenticator in the browser itself (WebDriver WebAuthn extension, W3C), which has its owner's consent to everything. */
export async function withAuthenticator(page: Page): Promise<void> {
  const devtools = await page.context().newCDPSession(page)
  await devtools.send('WebAuthn.enable')
  await devtools.send('WebAuthn.addVirtualAuthenticator', {
    options: {
      protocol: 'ctap2',
      transport: 'internal',
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  })
}

/** As if everybody had last proved long ago that it is them. */
export async function staleProofs(): Promise<void> {
  const db = openDatabase(place().database, { poolSize: 1 })
  await execute(db, "UPDATE sessions SET proven_at = '2020-01-01'")
  await db.close()
}

/** A mailbox as a choice names it. */
export async function mailboxOf(address: string): Promise<{ id: number; department: string }> {
  const { cookie } = await sessionOf('per')
  const found = await fetch(`${place().base}/api/mailboxes?find=${encodeURIComponent(address)}`, {
    headers: { Cookie: cookie },
  })
  const { mailboxes } = (await found.json()) as { mailboxes: { id: number; department: string }[] }
  const [mailbox] = mailboxes
  if (!mailbox) throw new Error(`no mailbox ${address}`)
  return mailbox
}

/** Puts a block on a colleague's own list, as a staffer would. */
export async function blockFor(address: string, pattern: string): Promise<void> {
  const { cookie, csrf } = await sessionOf('per')
  const headers = { 'Content-Type': 'application/json', 'X-Pendro-Token': csrf, Cookie: cookie }
  const { id: mailboxId } = await mailboxOf(address)
  const answer = await fetch(`${place().base}/api/senders/changes`, {
    method: 'POST',
    headers,
    body: JSON.stringify({
      add: [{ pattern, standing: 'blocked', mailboxId }],
      reason: '',
      token: crypto.randomUUID(),
    }),
  })
  if (!answer.ok) throw new Error(await answer.text())
}

/** Requests of a steward, beside any page. */
async function asSteward() {
  const { cookie, csrf } = await sessionOf('oda')
  const headers = { 'Content-Type': 'application/json', 'X-Pendro-Token': csrf, Cookie: cookie }
  return async (path: string, body?: object) => {
    const answer = await fetch(`${place().base}/api${path}`, {
      headers,
      ...(body && { method: 'POST', body: JSON.stringify(body) }),
    })
    if (!answer.ok) throw new Error(await answer.text())
    return (await answer.json()) as unknown
  }
}

/** How the organisation is set; what a test changes of it is put back by {@link restoreSettings}. */
export async function settingsNow(): Promise<Record<string, unknown>> {
  return (await (
    await asSteward()
  )('/organisation/settings')) as Record<string, unknown>
}

export async function restoreSettings(before: Readonly<Record<string, unknown>>): Promise<void> {
  const ask = await asSteward()
  const now = await settingsNow()
  delete now['possible']
  for (const [what, was] of Object.entries(now))
    if (JSON.stringify(was) !== JSON.stringify(before[what]))
      await ask('/organisation/settings/changes', {
        change: { what, was, to: before[what] },
        token: crypto.randomUUID(),
      })
}

/** The organisation's limits, weights and watching as the demo has them; a test that fails halfway leaves no others behind for the next. */
export async function restoreLimits(): Promise<void> {
  const ask = await asSteward()
  const put = async (what: string, was: unknown, to: unknown, more: object = {}) => {
    if (JSON.stringify(was) === JSON.stringify(to)) return
    const change = { what, was, to, ...more }
    await ask('/organisation/defaults/changes', { change, token: crypto.randomUUID() })
  }
  const { defaults, watching, departments } = (await ask('/organisation/defaults')) as {
    defaults: { limits: object }
    watching: boolean
    departments: { name: string; limits: object | null; watching: boolean | null }[]
  }
  await put('limits', defaults.limits, { junk: 40, quarantined: 40, nearCertain: 80 })
  await put('watching', watching, false)
  for (const { name: department, ...own } of departments) {
    await put('department-limits', own.limits, null, { department })
    await put('department-watching', own.watching, null, { department })
  }
  const { weights } = (await ask('/calibration')) as {
    weights: { inUse: { own: object; refit: boolean } }
  }
  await put('weights', weights.inUse, { own: {}, refit: weights.inUse.refit })
}

/** Types into the slot that has opened by itself. */
export async function giveReason(page: Page, reason: string) {
  await expect(page.getByRole('dialog', { name: 'reason' })).toBeVisible()
  await page.keyboard.type(reason)
  await page.keyboard.press('Enter')
  await expect(page.getByRole('dialog')).toHaveCount(0)
}
