import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { expect, expectAccessible, place, signIn, test } from './support.ts'

const views = [
  ['Review', '/review'],
  ['Review, nothing found', '/review?find=qqqqqqq'],
  ['Digests', '/digests'],
  ['Digests, replies', '/digests/replies'],
  ['Senders', '/senders'],
  ['Senders, nothing found', '/senders?find=qqqqqqq'],
  ['Senders, findings', '/senders?panel=contradicts'],
  ['Senders, requests', '/senders?panel=requests'],
  ['Senders, accuracy', '/senders?panel=accuracy'],
  ['Senders, one entry', '/senders/2'],
  ['Bringing in a list', '/senders/bring-in'],
  ['Mailboxes', '/mailboxes'],
  ['Mailboxes, one', '/mailboxes/5'],
  ['Mail rules, a new one', '/mailboxes/rules/new'],
  ['Mail rules, brought in', '/mailboxes/rules/bring-in'],
  ['Defaults of the organisation', '/mailboxes/defaults'],
  ['Calibration', '/calibration'],
  ['Organisation', '/organisation'],
  ['Doors', '/organisation/doors'],
  ['Mail stores', '/organisation/stores'],
  ['Learn from older mail', '/organisation/learning'],
  ['First steps', '/organisation/steps'],
  ['Watching', '/mailboxes/watching'],
  ['Staffers', '/organisation/staffers'],
  ['Adding mailboxes', '/mailboxes/new'],
  ['One’s own page', '/me'],
  ['Record', '/record'],
  ['Whereabouts', '/whereabouts?from=fjellby'],
  ['Whereabouts, before a question', '/whereabouts'],
  ['Whereabouts, nothing', '/whereabouts?from=holmfjord-tau.example'],
  ['Whereabouts, an enquiry', '/whereabouts?enquiry=1'],
  ['the account', '/whereabouts/account/5'],
  ['the exact list', '/whereabouts/list?state=sealed'],
] as const

test('each view, in either theme: no rule of WCAG 2.2 AA that axe knows is broken, one heading of the first level, and nothing scrolls sideways down to 320 pixels (1.4.10)', async ({
  page,
}) => {
  test.setTimeout(900_000)
  await expectAccessible(page, views, expectReflow)
  await signIn(page, 'oda', '/review/5')
  await expect(page.locator('.skeleton')).toHaveCount(0)
  await expectReflow(page, 'Review, one message')
})

async function expectReflow(page: Page, name: string): Promise<void> {
  await expect.soft(page.locator('h1'), name).toHaveCount(1)
  for (const [width, height] of [
    [640, 400],
    [320, 640],
    [1280, 800],
  ] as const) {
    await page.setViewportSize({ width, height })
    const scrolled = await page.evaluate(() => document.documentElement.scrollWidth)
    expect.soft([name, scrolled]).toEqual([name, width])
  }
}

test('sign-in breaks no rule, and the keyboard alone does', async ({ page }) => {
  await page.goto(place().base)
  await expect(page.getByLabel('Name')).toBeFocused()
  const { violations } = await new AxeBuilder({ page }).analyze()
  expect(violations.map(({ id }) => id)).toEqual([])
})
