import AxeBuilder from '@axe-core/playwright'
import { expect, place, signIn, test } from './support.ts'

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
  ['Record', '/record'],
] as const

for (const [name, path] of views) {
  for (const theme of ['light', 'dark'] as const) {
    test(`${name} in the ${theme} theme breaks no rule of WCAG 2.2 AA that axe knows`, async ({ page }) => {
      await page.emulateMedia({ colorScheme: theme })
      await signIn(page, 'oda', path)
      await expect(page.locator('.skeleton')).toHaveCount(0)
      const { violations } = await new AxeBuilder({ page })
        .setLegacyMode(true)
        .exclude('iframe')
        .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
        .analyze()
      expect(
        violations.map(({ id, nodes }) => `${id}: ${nodes.map(node => node.html.slice(0, 160)).join(' | ')}`),
      ).toEqual([])
    })
  }
}

test('sign-in breaks no rule, and the keyboard alone does', async ({ page }) => {
  await page.goto(place().base)
  await expect(page.getByLabel('Name')).toBeFocused()
  const { violations } = await new AxeBuilder({ page }).analyze()
  expect(violations.map(({ id }) => id)).toEqual([])
})
