import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import { safeView } from '@pendro/core/message'
import { expect, place, send, signIn, test } from './support.ts'

// Published attack vectors: the seeds of the fuzzer of npm xss-filters 1.2.7, tests/fuzz/bin/seed.xss, one a line.
const seeds = join(
  dirname(createRequire(import.meta.url).resolve('xss-filters/package.json')),
  'tests/fuzz/bin/seed.xss',
)
const published = readFileSync(seeds, 'utf8')
  .split('\n')
  .filter(line => line.trim() !== '')

/** What mail in particular tries: loads, navigation, and places outside the frame. */
const ours = [
  '<meta http-equiv="refresh" content="0;url=http://192.0.2.1/">',
  '<base href="http://192.0.2.1/"><img src="x.png">',
  '<form action="http://192.0.2.1/"><input name="q"><button>go</button></form>',
  '<svg><animate onbegin="alert(1)" attributeName="x" dur="1s"></svg>',
  '<svg><use href="http://192.0.2.1/x.svg#a"></use></svg>',
  '<math><maction actiontype="statusline#http://192.0.2.1">x</maction></math>',
  '<img srcset="http://192.0.2.1/a.png 1x" src="">',
  '<img src="data:image/svg+xml;base64,PHN2ZyBvbmxvYWQ9YWxlcnQoMSkvPg==">',
  '<table background="http://192.0.2.1/a.png"><tr><td>x</td></tr></table>',
  '<video poster="http://192.0.2.1/p.png" src="http://192.0.2.1/v"></video>',
  '<audio src="http://192.0.2.1/a" autoplay></audio><embed src="http://192.0.2.1/e"><object data="http://192.0.2.1/o"></object>',
  '<link rel="stylesheet" href="http://192.0.2.1/s.css"><link rel="prefetch" href="http://192.0.2.1/p">',
  '<style>@import url(http://192.0.2.1/i.css); p { background: url(http://192.0.2.1/b.png) }</style><p>x</p>',
  '<p style="background:url(http://192.0.2.1/b.png)">x</p><p style="background-image:image-set(\'http://192.0.2.1/b.png\' 1x)">x</p>',
  '<p style="position:fixed;top:0;left:0;width:9999px;height:9999px;z-index:9">over everything</p>',
  '<p style="margin-top:-500px">over the line above</p>',
  '<p style="font-size:0">hidden</p><p style="line-height:0">hidden</p>',
  '<a id="location" name="body" href="javascript:alert(1)">x</a><p id="cookie">y</p>',
  '<iframe srcdoc="<script>alert(1)</script>"></iframe><noscript><p title="</noscript><img src=x onerror=alert(1)>"></noscript>',
  '<details ontoggle="alert(1)" open>x</details><marquee onstart="alert(1)">x</marquee>',
  '<!--[if gte mso 9]><img src="http://192.0.2.1/mso.png"><![endif]--><![CDATA[<script>alert(1)</script>]]>',
]

test('no published vector, and none of ours, runs, loads or navigates, even without the sandbox around it', async ({
  browser,
}) => {
  test.setTimeout(120_000)
  expect(published.length).toBeGreaterThan(150)
  const context = await browser.newContext()
  const page = await context.newPage()
  const events: string[] = []
  page.on('request', request => {
    if (!request.url().startsWith('data:image/') && request.url() !== 'about:blank')
      events.push(`request ${request.url()}`)
  })
  page.on('dialog', dialog => {
    events.push(`dialog ${dialog.message()}`)
    void dialog.dismiss()
  })
  page.on('pageerror', error => events.push(`error ${error.message}`))
  for (const vector of [...published, ...ours]) {
    const { html } = safeView(vector, new Map())
    await page.setContent(`<!doctype html><body>${html}</body>`)
    const active = await page.evaluate(() => {
      const found = [...document.body.querySelectorAll('*')].flatMap(element => {
        const names = [...element.attributes].filter(
          ({ name, value }) =>
            /^on|^(id|name|class|href|action|formaction|srcset|background|poster)$/i.test(name) ||
            (name === 'src' && !value.startsWith('data:image/')),
        )
        const tag =
          /^(script|style|iframe|frame|object|embed|form|input|button|svg|math|link|meta|base|video|audio|a|noscript|template)$/i.test(
            element.tagName,
          )
            ? [element.tagName]
            : []
        const style = getComputedStyle(element)
        const placed =
          ['fixed', 'absolute', 'sticky'].includes(style.position) ||
          style.backgroundImage !== 'none' ||
          parseFloat(style.marginTop) < 0 ||
          parseFloat(style.fontSize) < 5
        return [
          ...names.map(({ name }) => `${element.tagName}[${name}]`),
          ...tag,
          ...(placed ? [`${element.tagName} placed`] : []),
        ]
      })
      return found
    })
    expect([vector, active, events]).toEqual([vector, [], []])
  }
  await context.close()
})

test('in the real frame: a hostile message is silent, its links are named, its pictures come only through us when asked for', async ({
  page,
}) => {
  const serial = Date.now().toString(36)
  const requests: string[] = []
  page.on('request', request => requests.push(request.url()))
  await send({
    from: `Trap <trap@trap-${serial}.example>`,
    to: 'aksel.brandt@vindholm.example',
    subject: `Trap ${serial}`,
    html: `<p>seen <a href="https://vindh0lm.example/login">sign in</a></p><img src="http://pictures.trap.example/one.png" alt="one"><img src="http://pictures.trap.example/vector.svg" alt="two"><img src="http://127.0.0.1:1/inside.png" alt="three">${ours.join('\n')}`,
  })
  await signIn(page, 'oda', `/review?find=Trap+${serial}`)
  const frame = page.frameLocator('iframe[title="Safe view of the message"]')
  await expect(frame.getByText('seen')).toBeVisible()
  await expect(frame.locator('[data-warn]')).toHaveAttribute(
    'data-warn',
    'made to look like vindholm.example',
  )
  await expect(frame.locator('img')).toHaveCount(0)
  await page.getByRole('button', { name: 'Show pictures' }).click()
  await expect(frame.locator('img')).toHaveCount(1)
  await expect(frame.locator('img')).toHaveAttribute('src', /^data:image\/png/)
  expect(requests.filter(url => !url.startsWith(place().base) && !url.startsWith('data:'))).toEqual([])
})

test('the attachment lab: inspected meanwhile, then sealed or on its way by itself', async ({ page }) => {
  const serial = Date.now().toString(36)
  const mail = (subject: string, content: string) => ({
    from: `Lab <lab@lab-${serial}.example>`,
    to: 'aksel.brandt@vindholm.example',
    subject: `${subject} ${serial}`,
    text: 'See the attachment.',
    attachments: [
      {
        filename: 'report.pdf',
        contentType: 'application/pdf',
        content: Buffer.from(`%PDF-1.4\n${content}`),
      },
    ],
  })
  await send(mail('Bad report', 'PENDRO-DEMO-HARM'))
  await signIn(page, 'oda', `/review?states=inspecting&find=Bad+report+${serial}`)
  await expect(page.getByText('The attachment lab is still inspecting an attachment.')).toBeVisible()
  await expect(page.getByText('Sealed: it has harmful content.')).toBeVisible()
  await expect(page.getByRole('region', { name: 'How it was decided' })).toContainText('Harmful content')
})
