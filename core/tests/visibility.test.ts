import { describe, expect, test } from 'vitest'
import { harmless, hidesCharacters, readHtml, safeView } from '@pendro/core/message'

describe('text a reader would not see is hidden text, and is made visible in the safe view', () => {
  test.each([
    ['white on white', '<p style="color:#fff">secret</p>'],
    ['nearly white on white', '<p style="color:#fefefe">secret</p>'],
    ['by font', '<font color="white">secret</font>'],
    [
      'on the ground of the cell',
      '<table><tr><td bgcolor="#000080"><span style="color:navy">secret</span></td></tr></table>',
    ],
    [
      'of a ground set further out',
      '<div style="background-color:#222;color:#eee"><div style="color:#222">secret</div></div>',
    ],
    [
      'a ground that changes under the text',
      '<div style="color:white;background:#333"><p style="background:#fff">secret</p></div>',
    ],
    ['transparent', '<p style="color:transparent">secret</p>'],
    ['with no alpha', '<p style="color:rgba(0,0,0,0)">secret</p>'],
    ['with no alpha, as it is written today', '<p style="color:rgb(0 0 0 / 0)">secret</p>'],
    ['with none of a hundred', '<p style="color:rgba(10, 20, 30, 0%)">secret</p>'],
    ['with hardly any', '<p style="color:hsla(0, 0%, 0%, .05)">secret</p>'],
    ['in four digits', '<p style="color:#1230">secret</p>'],
    ['in eight', '<p style="color:#11223300">secret</p>'],
    ['white by its lightness', '<p style="color:hsl(0,0%,100%)">secret</p>'],
    ['nearly white by its hue', '<p style="color:hsl(210deg 40% 98%)">secret</p>'],
    ['yellow on yellow', '<p style="background:#ff0;color:hsl(60, 100%, 50%)">secret</p>'],
    ['with spaces and in capitals', '<p style="  COLOR : #FFF ">secret</p>'],
    ['of no size', '<p style="font-size:0">secret</p>'],
    ['of one pixel', '<p style="font-size:1px">secret</p>'],
    [
      'shrunk by nesting',
      '<p style="font-size:50%"><span style="font-size:50%"><b style="font-size:50%">secret</b></span></p>',
    ],
    ['not displayed', '<p style="display : none">secret</p>'],
    ['out of the page', '<p style="position:absolute;left:-9999px">secret</p>'],
    ['indented away', '<p style="text-indent:-2000px">secret</p>'],
    ['in a box without room', '<div style="max-height:0;overflow:hidden">secret</div>'],
    ['without opacity', '<p style="opacity:0.0">secret</p>'],
    ['hidden', '<p hidden>secret</p>'],
    [
      'inside something hidden',
      '<div style="display:none"><p style="display:block;color:black">secret</p></div>',
    ],
  ])('%s', (_name, html) => {
    const { text, hiddenText } = readHtml(`<p>seen</p>${html}`)
    expect([text, hiddenText]).toEqual(['seen', 'secret'])
    const { html: shown } = safeView(html, new Map())
    expect(shown).toContain('secret')
    expect(shown).toMatch(/color:#1e2a30;background-color:#ffffff;font-size:14px/)
  })

  test.each([
    ['pale grey', '<p style="color:#999">seen</p>'],
    ['white on dark', '<td style="background-color:#0c434a;color:#ffffff">seen</td>'],
    [
      'white on a picture, whose colours nobody knows',
      '<td style="background:url(x.png);color:white">seen</td>',
    ],
    ['a name of a colour nobody listed', '<p style="color:papayawhip">seen</p>'],
    ['black in eight digits', '<p style="color:#000000ff">seen</p>'],
    ['black in four digits', '<p style="color:#000f">seen</p>'],
    ['half an alpha', '<p style="color:rgba(0,0,0,0.5)">seen</p>'],
    ['half of a hundred', '<p style="color:rgb(0 0 0 / 50%)">seen</p>'],
    ['a tenth', '<p style="color:rgba(0,0,0,.1)">seen</p>'],
    ['dark by its lightness', '<p style="color:hsl(210, 40%, 30%)">seen</p>'],
    ['blue on yellow', '<p style="background:#ff0;color:hsl(240, 100%, 50%)">seen</p>'],
    ['a property without a name', '<p style=":#fff">seen</p>'],
    ['extra small', '<p style="font-size:xx-small">seen</p>'],
    ['small print', '<p style="font-size:9px">seen</p>'],
    ['0.9em', '<p style="font-size:0.9em">seen</p>'],
    ['opacity of a half', '<p style="opacity:0.5">seen</p>'],
    ['a property that only ends alike', '<p style="border-color:#fff">seen</p>'],
    ['a fixed height', '<div style="height:0">seen</div>'],
  ])('%s is seen', (_name, html) => expect(readHtml(html).hiddenText).toBe(''))
})

describe('where a link goes stands before its text, and nothing moves it', () => {
  test('the target is an attribute of our own span; the frame writes it before the text', () => {
    const { html } = safeView(
      '<a href="https://evil.example/x" style="font-size:40px" class="x">your bank</a>',
      new Map(),
    )
    expect(html).toBe('<span data-target="evil.example">your bank</span>')
  })
  test.each([
    ['turning characters', '<p>pay \u202emoc.knab\u202c now</p>', /\u202e|\u202c/],
    ['written as entities', '<p>pay &#x202e;moc.knab now</p>', /\u202e|&#x202e/],
    ['a wide cell', '<table><tr><td width="9000">x</td></tr></table>', /width/],
    ['a wide style', '<p style="width:9000px;padding-left:5000px;margin-left:3000px">x</p>', /\d{4}px/],
    ['many columns', '<table><tr><td colspan="99999">x</td></tr></table>', /colspan/],
  ])('%s', (_name, given, gone) => expect(safeView(given, new Map()).html).not.toMatch(gone))
  test('a host of many labels shows its end', () => {
    const { html } = safeView(
      `<a href="https://www.bank.example.${'a.'.repeat(80)}evil.example/">x</a>`,
      new Map(),
    )
    expect(/data-target="([^"]*)"/.exec(html)?.[1]).toMatch(/^….*evil\.example$/)
  })
})

describe('texts of outside are made harmless (Unicode UAX #9, Cf, Cc)', () => {
  test.each([
    ['invoice\u202efdp.txt', 'invoice·fdp.txt'],
    ['a\u0000b', 'a·b'],
    ['\u200b\u200b\u200b', '·'],
    ['pass\u00adword', 'pass·word'],
    ['\u2066x\u2069', '·x·'],
    ['\ud800x', '\ufffdx'],
    ['Łódź – prom o 07:40', 'Łódź – prom o 07:40'],
    ['👨\u200d👩\u200d👧', '👨\u200d👩\u200d👧'],
    ['❤\ufe0f', '❤\ufe0f'],
    ['می\u200cخواهم', 'می\u200cخواهم'],
    ['a\tb\nc', 'a\tb\nc'],
  ])('%j', (given, want) => expect(harmless(given)).toBe(want))
  test('and says whether there was something', () => {
    expect(hidesCharacters('plain text, ünïcode, 日本')).toBe(false)
    expect(hidesCharacters('in\u200bvoice')).toBe(true)
  })
})

describe('words of HTML', () => {
  test.each([
    ['<table><tr><td>Total</td><td>100</td></tr></table>', 'Total 100'],
    ['<span>Total</span><span>100</span>', 'Total 100'],
    ['<span>F</span><span>erry</span>', 'Ferry'],
    ['<b>Dear</b> <i>Anna</i>', 'Dear Anna'],
  ])('%s', (html, want) => expect(readHtml(html).text.replace(/\s+/g, ' ')).toBe(want))
})
